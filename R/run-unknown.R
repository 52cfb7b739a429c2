# Finds why rows are unknown.

# Columns that are absent in the rows a condition could not decide, and why,
# where that is known.
unknown_because <- function(node, frame, rows) {
  if (!length(rows)) return("")
  columns <- stats::setNames(nm = columns_read(node))
  absence_words(
    vapply(
      columns, function(c) sum(is.na(frame$columns[[c]][rows])), numeric(1)
    ),
    lapply(columns, function(c) counts_of_reasons_of(frame, c, rows))
  )
}

# reasons: by column, counts by reason.
absence_words <- function(gaps, reasons = list()) {
  gaps <- sort(gaps[gaps > 0], decreasing = TRUE)
  known <- vapply(names(gaps), function(column) {
    why <- reasons[[column]]
    if (!length(why)) return("")
    paste0(" (", paste(names(why), format_count(why), collapse = ", "), ")")
  }, "")
  paste(
    paste0(names(gaps), " absent ", format_count(gaps), known),
    collapse = ", "
  )[length(gaps) > 0][1]
}
