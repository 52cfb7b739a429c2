# A run whose rows are in a database; see run-places.R.

#' @export
relation_over.neatsieve_sql <- function(rows, state) rows
#' @export
put_in_play.neatsieve_sql <- function(rows, state) {
  state$rows <- rows
  state$frame <- outline_of_database(rows)
  state
}
#' @export
units_over.neatsieve_sql <- function(rows, state) {
  units_in_database(rows, state$study$unit)
}
#' @export
rows_of_subset.neatsieve_sql <- function(rows, state, subset) {
  where_true(rows, state$subsets$in_database[[subset]])
}
#' @export
need_values.neatsieve_sql <- function(rows, why) cannot_in_database(why)
#' @export
reasons_of_holding.neatsieve_sql <- function(rows, holding) {
  reasons_in_database(holding)
}
#' @export
absent_over.neatsieve_sql <- function(rows, state, columns) {
  absent_in_database(rows, columns)
}
#' @export
columns_at_hand.neatsieve_sql <- function(rows, state, columns) {
  rep(TRUE, length(columns))
}
#' @export
may_have_changed.neatsieve_sql <- function(relation) {
  compare_with_account(relation) != "same"
}
#' @export
quick_subset_statistics.neatsieve_sql <- function(rows, task, state) NULL
#' @export
rows_there.neatsieve_sql <- function(rows) rows
