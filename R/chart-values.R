# What a chart computes from, where its rows are in a database.

# Numbers to compute from; in a database the column, which is asked of there.
chart_values <- function(node, input) {
  if (is_in_database(input$rows)) return(node)
  values <- plain_numbers(input$frame$columns[[node$name]])
  if (is.logical(values)) as.integer(values) else values
}
rows_in_play_of <- function(input) {
  if (is_in_database(input$rows)) count_rows(input$rows)
  else if (is.null(input$rows)) input$frame$n else length(input$rows)
}

# An expression becomes a column of the query.
as_database_column <- function(input, at, name, node) {
  type <- type_of_column(node)
  if (node$kind == "category" && is.null(node$labels)) {
    cannot_in_database("categories that are told by the values")
  }
  q <- new_query(input$rows, input$state$notes, input$state$where)
  input$rows <- with_sql_column(input$rows, name, sql_value(node, q), type)
  input[[at[[1]]]][[at[[2]]]] <- column_node(name, type, node$text)
  input
}
