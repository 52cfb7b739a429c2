# Refuses plan files that are too large, too deep or broken.

# Refuses plans that are too large or too deeply nested.
refuse_huge_plan <- function(path) {
  size <- file.size(path)
  if (!is.na(size) && size > 1e6) {
    stop_neatly(
      "plan",
      paste0("The plan is ", format_count(floor(size / 1e6)), " MB long."),
      paste0("In ", quoted(path), "."),
      "A plan has at most 1 MB; tables belong in files of their own."
    )
  }
  bytes <- readBin(path, "raw", size)
  text <- rawToChar(bytes[bytes != as.raw(0)])
  opened <- as.integer(bytes)
  depth <- cumsum((opened %in% c(91L, 123L)) - (opened %in% c(93L, 125L)))
  indent <- nchar(
    regmatches(text, gregexpr("(^|\n)[ -]*", text, useBytes = TRUE))[[1]],
    type = "bytes"
  )
  if (max(depth, 0) > 200 || max(indent, 0) > 1000) {
    stop_neatly(
      "plan",
      "The plan is nested too deep.",
      paste0("In ", quoted(path), "."),
      "A step needs no more than a few levels."
    )
  }
  refuse_many_aliases(text, path)
}

# Refuses YAML aliases within aliases, which can grow without end.
refuse_many_aliases <- function(text, path) {
  named <- function(mark) {
    shape <- paste0("(?<=[\\s\\[,])[", mark, "][A-Za-z0-9_]+")
    substring(
      regmatches(
        text, gregexpr(shape, text, perl = TRUE, useBytes = TRUE)
      )[[1]],
      2
    )
  }
  if (sum(named("*") %in% named("&")) > 50) {
    stop_neatly(
      "plan",
      "The plan repeats itself by more than 50 aliases.",
      paste0("In ", quoted(path), "."),
      "Write the values out."
    )
  }
}

# Conditions, settings and steps, each of which is read and checked on its own.
most_in_plan <- 4000
refuse_many_parts_of_plan <- function(spec, path) {
  declared <- lapply(spec[intersect(names(spec), declared_kinds())], as.list)
  steps <- lapply(
    spec$steps, function(step) if (is.list(step)) unlist(step, FALSE) else step
  )
  n <- sum(lengths(declared)) + sum(pmax(lengths(steps), 1))
  if (n > most_in_plan) {
    stop_neatly(
      "plan",
      paste0(
        "The plan has ", format_count(n), " conditions, settings and steps; ",
        format_count(most_in_plan), " are the limit."
      ),
      paste0("In ", quoted(path), "."),
      paste(
        "Write values as one list, `x %in% ids`, and rows to keep as a table of",
        "their own, for `keep_matched`."
      )
    )
  }
}

# A plan is one document: what stood in a second one would be left out.
refuse_second_document <- function(lines, path) {
  changed <- which(nzchar(trimws(lines)) & !grepl("^\\s*#|^%", lines))
  marks <- which(grepl("^---(\\s|$)", lines))
  again <- marks[marks > min(changed, Inf)]
  if (length(again)) {
    stop_neatly(
      "plan",
      "The plan holds a second document.",
      paste0("In ", quoted(path), ", line ", again[1], "."),
      "Write one plan in one file; take out the `---`."
    )
  }
}
