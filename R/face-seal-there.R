# Fingerprints of rows in a database, made by the database where it can.

is_sealed_there <- function(state) {
  relation <- state$study$database$relation
  !is.null(relation) && has_fingerprints(relation)
}
study_fingerprint_there <- function(study) {
  relation <- study$database$relation
  fingerprint_there(relation, names(relation$types), FALSE)
}
fingerprint_there <- function(relation, columns, is_result) {
  facts <- told_by_hashes(relation, columns, is_result)
  paste0(
    tolower(relation$dialect$name), ":",
    sub("^ns2:", "", text_fingerprint(facts))
  )
}

#' @export
rows_fingerprint.neatsieve_sql <- function(rows, state) {
  if (has_fingerprints(rows)) {
    return(fingerprint_there(rows, state$visible, TRUE))
  }
  here <- with_fetched_rows(state)
  rows_fingerprint(here$rows, here)
}
