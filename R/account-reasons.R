# Why rows were held back, counted without making them.

# One line for each step, condition and reason that held rows: `step`, `by`, `because`, `rows` (how
# many), `first` (the first source rows, at most four) and `absent` (for unknown ones: how many of
# them have each column absent that the condition reads).
held_reasons <- function(state) {
  frames <- c(lapply(state$stages, function(s) s$frame), list(state$frame))
  reasons <- lapply(state$holdings, function(h) {
    fates <- as.integer(h$fates)
    counts <- tabulate(fates, length(h$by))
    lapply(which(counts > 0), function(k) {
      at <- which(fates == k)
      rows <- if (is.null(h$rows)) at else h$rows[at]
      source <- source_row_of(frames[[h$stage]], rows)
      first <- if (is.unsorted(source)) sort(source) else source
      list(step = h$step, by = h$by[k], because = h$because[k], rows = counts[k],
           first = utils::head(first, 4),
           absent = if (h$because[k] == "unknown") absent_in(h, k, rows, frames[[h$stage]], state))
    })
  })
  reasons <- unlist(reasons, recursive = FALSE)
  reasons[order(vapply(reasons, `[[`, 0, "step"), -vapply(reasons, `[[`, 0, "rows"))]
}

# Columns as they were when the step held rows.
absent_in <- function(holding, k, rows, frame, state) {
  columns <- intersect(as.character(unlist(holding$reads[holding$by[k]])), names(frame$columns))
  counts <- vapply(columns, function(column) {
    values <- frame$columns[[column]]
    later <- Filter(function(c) {
      c$stage == holding$stage && c$column == column && c$step > holding$step
    }, state$changed)
    if (length(later)) values <- later[[1]]$values
    sum(is.na(values[rows]))
  }, numeric(1))
  sort(counts[counts > 0], decreasing = TRUE)
}
