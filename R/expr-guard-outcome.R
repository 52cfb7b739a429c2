# Notes on the outcome of a condition.

# Seen only when run: a condition that came out the same for all rows, or for
# all that it could decide. What was said of it before the run is not said
# again.
guard_outcome <- function(name, node, counts, rows, negated, notes, where) {
  if (rows < 2) return()
  counts <- counts[c("yes", "no", "unknown")]
  if (counts[["yes"]] > 0 && counts[["no"]] > 0) return()
  text <- if (is.null(node)) name else node$text
  is_said <- vapply(notes$notes, function(n) {
    any(grepl(text, c(n$problem, n$where), fixed = TRUE)) &&
      !grepl("^Condition ", n$problem)
  }, NA)
  if (any(is_said)) return()
  words <- if (counts[["unknown"]] == rows) {
    "unknown"
  } else if (counts[["yes"]] > 0) {
    "yes"
  } else {
    "no"
  }
  check <- if (!is.null(node) && compares_with_value(node)) {
    "check the value it compares with"
  }
  leave <- paste(c("leave it out", check), collapse = ", or ")
  hint <- switch(words,
    unknown = "Every value it needs is absent in these rows.",
    yes = if (negated) {
      c("It holds back every row it can decide", check)
    } else {
      c("It holds back no row it can decide", leave)
    },
    no = if (negated) {
      c("It holds nothing back", leave)
    } else {
      c("No row passes it", check)
    }
  )
  unknown <- counts[["unknown"]]
  open <- if (words != "unknown" && unknown > 0) {
    paste0(
      " but ", format_count(unknown), ", which ",
      if (unknown == 1) "is" else "are", " unknown"
    )
  }
  take_note(
    notes,
    paste0(
      "Condition ", quoted(cut_off_text(name)), " is ", words,
      " on all of these ", counted(rows, "row"), open, "."
    ),
    where,
    if (words == "unknown") hint else paste0(paste(hint, collapse = "; "), ".")
  )
}

# Whether a comparison with a fixed value decides.
compares_with_value <- function(node) {
  if (node$node != "call") return(FALSE)
  constants <- any(vapply(node$args, function(n) n$node == "constant", NA))
  if (constants && node$fn %in% c(comparisons, "%in%")) return(TRUE)
  any(vapply(node$args, compares_with_value, NA))
}
