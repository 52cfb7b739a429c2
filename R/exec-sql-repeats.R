# Repeats among rows in a database.

# Groups are numbered by their first rows.
#' @export
find_repeats_over.neatsieve_sql <- function(relation, bound, state) {
  q <- new_query(relation)
  alike <- vapply(bound$details$columns, function(name) {
    sql_column(column_node(name, type_in_relation(relation, name)), q)
  }, "")
  whole <- new_type("whole")
  beside <- function(rows, name, sql) with_rows_of(with_sql_column(rows, name, sql, whole), rows)
  rows <- beside(relation, "(size)", paste("count(*)", over_sql(alike, NULL)))
  rows <- beside(rows, "(place)", paste("row_number()", over_sql(NULL, row_order(relation))))
  place <- rows$columns[["(place)"]]$alias
  rows <- beside(rows, "(first)", paste0("min(", place, ") ", over_sql(alike, NULL)))
  size <- rows$columns[["(size)"]]$alias
  first <- rows$columns[["(first)"]]$alias
  fates <- new_sql_fates(rows, paste0("CASE WHEN ", size, " > 1 THEN 0 ELSE 1 END"))
  state <- hold_rows(state, fates, because = "no repeat", reads = bound$details$columns)
  rows <- beside(state$rows, "repeat_group", paste("dense_rank()", over_sql(NULL, first)))
  rows <- beside(rows, "repeat_size", size)
  rows$order <- c(rows$columns[["repeat_group"]]$alias, rows$order)
  rows <- without_sql_columns(rows, c("(place)", "(first)", "(size)"))
  types <- rows$types[c(repeat_columns, setdiff(names(rows$types), repeat_columns))]
  rows$types <- types
  state$rows <- rows
  state$frame <- outline_of_database(rows)
  state
}
