# Finds the line of a key in a plan file.

# The line of a key: keys looked for one after the other, a number meaning the
# nth list item. Keys of a step are looked for in its own lines.
plan_line <- function(plan, keys) {
  at <- 0
  last <- length(plan$lines)
  if (length(keys) > 1 &&
    identical(keys[[1]], "steps") &&
    is.numeric(keys[[2]])) {
    at <- plan$step_lines[keys[[2]]]
    if (is.na(at)) return(first_line_of_key(plan$lines, "steps", 0, last))
    behind <- plan$step_lines[keys[[2]] + 1]
    if (!is.na(behind) && behind > at) last <- behind - 1
    keys <- keys[-(1:2)]
  }
  for (key in keys) {
    line <- line_of_key(plan, key, at, last)
    if (is.null(line) || is.na(line)) break
    at <- line
  }
  if (at > 0) at
}

# The line of one key, or of an item by its number, behind line `at`.
line_of_key <- function(plan, key, at, last) {
  if (is.numeric(key)) {
    list_items(plan$lines, plan$json, at, last)[key]
  } else if (!is_text(key)) {
    NULL
  } else if (at > 0 && names_key(plan$lines[at], key)) {
    at
  } else {
    first_line_of_key(plan$lines, key, at, last)
  }
}

# Lines behind `at` on which items of the next list begin.
list_items <- function(lines, json, at, last = length(lines)) {
  rest <- seq_len(last - at) + at
  if (json) return(rest[grepl("^\\s*\\{", lines[rest])])
  marked <- rest[grepl("^\\s*- ?", lines[rest])]
  depth <- nchar(sub("^(\\s*)-.*$", "\\1", lines[marked]))
  marked[depth == min(c(depth, Inf))]
}

first_line_of_key <- function(lines, key, at, last) {
  rest <- seq_len(last - at) + at
  holding <- rest[grepl(key, lines[rest], fixed = TRUE)]
  for (line in holding) if (names_key(lines[line], key)) return(line)
  if (length(holding)) holding[1]
}

# Whether a key stands before a colon in a line, letter for letter.
names_key <- function(line, key) {
  places <- gregexpr(key, line, fixed = TRUE)[[1]]
  if (places[1] < 0) return(FALSE)
  before <- ifelse(places > 1, substring(line, places - 1, places - 1), " ")
  after <- substring(line, places + nchar(key), nchar(line))
  any(grepl("[[:space:]{,\"'-]", before) & grepl("^[\"']?[[:space:]]*:", after))
}

plan_where <- function(plan, ...) {
  line <- plan_line(plan, list(...))
  paste0(
    "In ", quoted(plan$path), if (!is.null(line)) paste0(", line ", line), "."
  )
}
