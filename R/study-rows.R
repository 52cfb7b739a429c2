# Rows and units of a study.

# Rows of a frame as a plain data frame, under the row names of the data.
frame_rows <- function(frame, rows, columns) {
  take <- function(x) if (is.null(dim(x))) x[rows] else x[rows, , drop = FALSE]
  picked <- if (is.null(rows)) frame$columns[columns] else lapply(frame$columns[columns], take)
  n <- if (is.null(rows)) frame$n else length(rows)
  names <- frame$row_names
  if (!is.null(names) && !is.null(rows)) names <- names[rows]
  if (is.null(names) || anyDuplicated(names)) names <- .set_row_names(n)
  structure(picked, class = "data.frame", row.names = names)
}

# Codes of the unit column, worked out once per study.
unit_codes <- function(study) {
  if (is.null(study$unit)) return(NULL)
  kept_in(study$frame$units, study$unit, {
    vector <- study$frame$columns[[study$unit]]
    coded <- if (kind_of_vector(vector) %in% c("text", "category"))
      frame_codes(study$frame, study$unit) else {
      distinct <- unique(vector[!is.na(vector)])
      list(codes = match(vector, distinct, incomparables = NA), values = distinct)
    }
    list(codes = as.integer(coded$codes), levels = length(coded$values))
  })
}

count_units <- function(study, rows) {
  coded <- unit_codes(study)
  if (is.null(coded)) return(NA_real_)
  core_count_different(coded$codes, coded$levels, rows)
}

study_label <- function(study, column) {
  label <- study$labels[[column]]
  if (is.null(label)) column else label
}

study_axis <- function(study, column) {
  measure <- study$measures[[column]]
  paste0(study_label(study, column), if (!is.null(measure)) paste0(" (", measure, ")"))
}
