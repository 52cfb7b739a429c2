# Values of several columns as one.

# Why values of some columns are absent, row by row, under the name of the hidden column.
long_reasons <- function(frame, columns, rows, type) {
  if (is.null(type$reasons)) return(NULL)
  hidden <- vapply(columns, function(column) {
    own <- if (!is.na(column)) frame$types[[column]]$reasons$column
    if (is.null(own)) NA_character_ else own
  }, "")
  why <- new_type("category", labels = type$reasons$labels)
  stats::setNames(list(long_values(frame, hidden, rows, why)), type$reasons$column)
}

# Values of some columns, row by row.
long_values <- function(frame, columns, rows, type) {
  plain <- vapply(columns, function(c) !is.na(c), NA)
  like <- frame$columns[[columns[plain][1]]]
  all <- lapply(columns, function(column) {
    if (is.na(column)) return(rep(if (type$kind == "text") NA_character_ else NA, length(rows)))
    x <- frame$columns[[column]][rows]
    switch(type$kind, text = as_utf8(as.character(x)),
           category = match(as.character(x), type$labels), unclass(x))
  })
  values <- as.vector(matrix(unlist(all, use.names = FALSE), nrow = length(columns), byrow = TRUE))
  if (type$kind == "text") values <- as.character(values)
  dressed(values, type, like)
}
