# Where in a plan file something stands.

# The line of a key: keys looked for one after the other, a number meaning the nth list item.
plan_line <- function(plan, keys) {
  at <- 0
  lines <- plan$lines
  for (key in keys) {
    if (!is.numeric(key) && !is_text(key)) break
    rest <- seq_along(lines)[seq_along(lines) > at]
    if (is.numeric(key)) {
      item <- if (plan$json) rest[grepl("^\\s*\\{", lines[rest])] else {
        marked <- rest[grepl("^\\s*- ?", lines[rest])]
        depth <- nchar(sub("^(\\s*)-.*$", "\\1", lines[marked]))
        marked[depth == min(c(depth, Inf))]
      }
      found <- item[key]
    } else {
      found <- c(rest[names_key(lines[rest], key)], rest[grepl(key, lines[rest], fixed = TRUE)])[1]
      if (at > 0 && names_key(lines[at], key)) found <- at
    }
    if (is.na(found)) break
    at <- found
  }
  if (at > 0) at
}

# Lines where a key stands before a colon, letter for letter.
names_key <- function(lines, key) {
  vapply(lines, function(line) {
    places <- gregexpr(key, line, fixed = TRUE)[[1]]
    if (places[1] < 0) return(FALSE)
    before <- ifelse(places > 1, substring(line, places - 1, places - 1), " ")
    after <- substring(line, places + nchar(key), nchar(line))
    any(grepl("[[:space:]{,\"'-]", before) & grepl("^[\"']?[[:space:]]*:", after))
  }, logical(1), USE.NAMES = FALSE)
}

plan_where <- function(plan, ...) {
  line <- plan_line(plan, list(...))
  paste0("In ", quoted(plan$path), if (!is.null(line)) paste0(", line ", line), ".")
}
