# Wide to long in a database: joins every row with the numbers of its labels;
# labels and values are CASE expressions on these.

#' @export
to_long_over.neatsieve_sql <- function(relation, bound, state) {
  details <- bound$details
  check_long_there(details, state)
  n <- count_rows(relation)
  size <- length(details$labels[[1]])
  before <- stage_number(state)
  place <- free_alias("place", all_aliases(relation), relation$dialect)
  rows <- with_layer(relation, "join", stats::setNames(nm = place))
  layer <- rows$layers[[length(rows$layers)]]
  layer$join <- paste0(
    " CROSS JOIN (",
    paste("SELECT", seq_len(size), "AS", place, collapse = " UNION ALL "),
    ") AS w"
  )
  layer$numbers <- seq_len(size)
  rows$layers[[length(rows$layers)]] <- layer
  rows <- with_chosen_columns(rows, details, place)
  rows$of <- n * size
  rows$places <- c(rows$places, place)
  # In the order of the rows, and for each in that of its labels.
  rows$order <- c(
    rows$order, if (length(rows$base$key)) key_aliases(rows), place
  )
  rows$known <- new.env(parent = emptyenv())
  state$record$added <- n * size - n
  state$stages <- c(
    state$stages, list(new_stage(state$frame, state$unit_column, relation))
  )
  state$unit_column <- state$study$unit
  state$rows <- rows
  state$frame <- outline_of_database(rows)
  state$visible <- intersect(
    names(rows$types),
    c(details$stay, names(details$labels), names(details$types))
  )
  state["subsets"] <- list(NULL)
  state
}

check_long_there <- function(details, state) {
  if (details$by_subset) {
    cannot_in_database("rows of subsets stand one after the other")
  }
  if (any(vapply(details$types, function(type) !is.null(type$reasons), NA))) {
    cannot_in_database("the reasons of values that become one column")
  }
  unit <- state$study$unit
  if (!is.null(unit) && !unit %in% details$stay) {
    cannot_in_database("the unit is among the columns that become values")
  }
}

# The columns that stay, then labels and values, each by the number of the
# label.
with_chosen_columns <- function(rows, details, place) {
  q <- new_query(rows)
  chosen <- function(texts, type) {
    there <- texts != "NULL"
    if (!any(there)) return(sql_absent(type$kind, rows$dialect))
    paste0(
      "CASE ", place,
      paste(" WHEN", which(there), "THEN", texts[there], collapse = ""), " END"
    )
  }
  value <- function(column, type) {
    if (is.na(column)) return("NULL")
    node <- column_node(column, type_in_relation(rows, column))
    if (type$kind == "number") sql_real(node, q) else sql_column(node, q)
  }
  labels <- lapply(details$labels, function(label) {
    kind <- type_of_vector(label)$kind
    texts <- if (is.factor(label)) as.character(label) else as.list(label)
    vapply(
      texts,
      sql_literal,
      "",
      kind = kind,
      dialect = rows$dialect,
      USE.NAMES = FALSE
    )
  })
  values <- Map(
    function(columns, type) {
      vapply(columns, value, "", type = type, USE.NAMES = FALSE)
    },
    details$sets,
    details$types
  )
  types <- c(lapply(details$labels, type_of_vector), details$types)
  sql <- Map(chosen, c(labels, values), types)
  hidden <- reasons_in_use(rows$types[details$stay])
  columns <- rows$columns[c(details$stay, hidden)]
  for (name in names(sql)) {
    rows <- with_sql_column(rows, name, sql[[name]], types[[name]])
  }
  result <- rows$columns[names(sql)]
  rows$types <- c(rows$types[details$stay], types)
  rows$columns <- c(columns[details$stay], result, columns[hidden])
  rows
}
