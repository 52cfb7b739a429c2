# Rows and units of a study.

# Codes of the unit column, worked out once per study.
unit_codes <- function(study) {
  if (is.null(study$unit)) return(NULL)
  kept_in(study$frame$units, study$unit, {
    vector <- study$frame$columns[[study$unit]]
    coded <- if (kind_of_vector(vector) %in% c("text", "category")) {
      frame_codes(study$frame, study$unit)
    } else {
      distinct <- unique(vector[!is.na(vector)])
      list(
        codes = match(vector, distinct, incomparables = NA),
        values = distinct
      )
    }
    list(codes = as.integer(coded$codes), levels = length(coded$values))
  })
}

# Where only the rows that went on were kept, `rows` are counted among these.
count_units <- function(study, rows) {
  if (is.null(rows) && !is.null(study$database)) {
    return(units_in_database(study$database$relation, study$unit))
  }
  coded <- unit_codes(study)
  if (is.null(coded)) return(NA_real_)
  if (is.null(rows) && !is.null(coded$all)) return(coded$all)
  count_different_codes(coded$codes, coded$levels, rows)
}

study_label <- function(study, column) {
  label <- study$labels[[column]]
  if (is.null(label)) column else label
}

# A study is handed out with its class; inside the package its parts are read
# from the bare list.
as_study_object <- function(facts) structure(facts, class = "neatsieve_study")
