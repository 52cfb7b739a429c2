# Why rows are unknown.

# Columns that are absent in the rows a condition could not decide.
unknown_because <- function(node, frame, rows) {
  if (!length(rows)) return("")
  absence_words(vapply(columns_read(node), function(c) {
    sum(is.na(frame$columns[[c]][rows]))
  }, numeric(1)))
}

absence_words <- function(gaps) {
  gaps <- sort(gaps[gaps > 0], decreasing = TRUE)
  paste(paste0(names(gaps), " absent ", format_count(gaps)), collapse = ", ")[length(gaps) > 0][1]
}
