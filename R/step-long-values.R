# Combines the values of several columns into one column.

# Why values of some columns are absent, row by row, under the name of the
# hidden column.
long_reasons <- function(frame, columns, rows, type) {
  if (is.null(type$reasons)) return(NULL)
  hidden <- vapply(columns, function(column) {
    own <- if (!is.na(column)) frame$types[[column]]$reasons$column
    if (is.null(own)) NA_character_ else own
  }, "")
  why <- new_type("category", labels = type$reasons$labels)
  stats::setNames(
    list(long_values(frame, hidden, rows, why)), type$reasons$column
  )
}

# Values of some columns, row by row.
long_values <- function(frame, columns, rows, type) {
  plain <- vapply(columns, function(c) !is.na(c), NA)
  like <- frame$columns[[columns[plain][1]]]
  all <- lapply(columns, function(column) {
    if (is.na(column)) {
      return(rep(if (type$kind == "text") NA_character_ else NA, length(rows)))
    }
    x <- frame$columns[[column]][rows]
    switch(type$kind,
      text = as_utf8(as.character(x)),
      category = match(as.character(x), type$labels),
      unclass(x)
    )
  })
  values <- as.vector(matrix(
    unlist(all, use.names = FALSE),
    nrow = length(columns),
    byrow = TRUE
  ))
  if (type$kind == "text") values <- as.character(values)
  dressed(values, type, like)
}

# What to_long() does, in words.
to_long_words <- function(step) {
  texts <- function(picks) paste(vapply(picks, lang_text, ""), collapse = ", ")
  if (!is.null(step$split)) {
    return(paste0(
      "a row for each of the answers in ", texts(step$picks), ", which ",
      quoted(step$split), " parts"
    ))
  }
  values <- if (length(step$sets)) {
    listed(paste0(vapply(step$sets, texts, ""), " to ", names(step$sets)), 8)
  } else {
    paste0(texts(step$picks), " to ", step$value_as)
  }
  paste0(
    "turn columns into rows: ", values, ", with ", listed(step$label_as),
    if (is.null(step$label_pattern)) {
      " for their names"
    } else {
      paste0(" from the names by ", quoted(step$label_pattern))
    }
  )
}
