# Charts of rows in a database: numbers are columns of the query.

#' @export
check_drawn.neatsieve_sql <- function(relation, about) {
  if (!about$in_database) cannot_in_database("the figure shows rows one by one")
}

#' @export
chart_numbers_of.neatsieve_sql <- function(relation, node) node

#' @export
chart_source_rows.neatsieve_sql <- function(relation, input, rows) rows

#' @export
subsets_stacked.neatsieve_sql <- function(relation, input) {
  cannot_in_database("subsets stand side by side")
}

#' @export
units_of_far_values.neatsieve_sql <- function(relation, input, far) far$unit

#' @export
absent_in_groups.neatsieve_sql <- function(relation, input, picked, grouped) {
  absent_by_group_there(input, picked, grouped)
}

# An expression becomes a column of the query.
#' @export
chart_column_over.neatsieve_sql <- function(
  relation, input, at, name, node, subsets
) {
  type <- type_of_column(node)
  if (node$kind == "category" && is.null(node$labels)) {
    cannot_in_database("categories that are told by the values")
  }
  q <- new_query(relation, input$state$notes, input$state$where)
  input$rows <- with_sql_column(relation, name, sql_value(node, q), type)
  input[[at[[1]]]][[at[[2]]]] <- column_node(name, type, node$text)
  input
}
