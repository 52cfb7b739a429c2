# Where in a plan file something stands.

# The line of a key: keys looked for one after the other, a number meaning the nth list item.
plan_line <- function(plan, keys) {
  at <- 0
  lines <- plan$lines
  for (key in keys) {
    rest <- seq_along(lines)[seq_along(lines) > at]
    if (is.numeric(key)) {
      item <- if (plan$json) rest[grepl("^\\s*\\{", lines[rest])] else {
        marked <- rest[grepl("^\\s*- ?", lines[rest])]
        depth <- nchar(sub("^(\\s*)-.*$", "\\1", lines[marked]))
        marked[depth == min(c(depth, Inf))]
      }
      found <- item[key]
    } else {
      found <- c(rest[grepl(paste0("(^|[\\s{,\"'-])", literal_regex(key), "[\"']?\\s*:"), lines[rest], perl = TRUE)], rest[grepl(key, lines[rest], fixed = TRUE)])[1]
      same <- at > 0 && grepl(paste0(key, "[\"']?\\s*:"), lines[at])
      if (same) found <- at
    }
    if (is.na(found)) break
    at <- found
  }
  if (at > 0) at
}

plan_where <- function(plan, ...) {
  line <- plan_line(plan, list(...))
  paste0("In ", quoted(plan$path), if (!is.null(line)) paste0(", line ", line), ".")
}
