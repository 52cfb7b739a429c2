# Long to wide in a database, with a statistic: the query returns one row per
# cell; R makes the wide table.

#' @export
to_wide_over.neatsieve_sql <- function(relation, bound, state) {
  details <- bound$details
  if (!length(bound$nodes)) {
    cannot_in_database("each value goes to a place of its own")
  }
  if (details$by_subset) {
    cannot_in_database("rows of subsets stand one after the other")
  }
  columns <- c(details$by, details$label)
  if (length(reasons_in_use(relation$types[columns])) ||
    !is.null(relation$of)) {
    cannot_in_database("what is known of the rows goes along")
  }
  row_order(relation)
  for (column in details$label) {
    absent <- absent_in_database(relation, column)[[1]]
    if (absent > 0) stop_absent_label(column, absent, state)
  }
  types <- lapply(
    stats::setNames(nm = columns),
    function(name) type_in_relation(relation, name)
  )
  grouping <- groups_of(relation, Map(column_node, columns, types))
  values <- aggregated(relation, grouping, bound$nodes)
  if (is_open(grouping$question)) return(state)
  places <- first_rows_of_places(relation, grouping, values)
  rows_in <- count_rows(relation)
  results <- wide_table(
    bound, with_places(state, places, c(types, lapply(bound$nodes, type_part)))
  )
  holding <- new_holding(
    state$step,
    stage_number(state),
    relation,
    fates = all_held(relation),
    by = state$name,
    because = "reshaped"
  )
  if (rows_in > 0) state$holdings <- c(state$holdings, list(holding))
  in_wide_stage(state, results, rows_in)
}

# The keys and statistics of each group and the first row it has, in the order
# of these.
first_rows_of_places <- function(relation, grouping, values) {
  # A row's number is one among all rows, wherever they are.
  relation$base["parts"] <- list(NULL)
  answer <- by_groups(
    relation, grouping, c(r = source_alias(relation)), c(first = "min(r)")
  )
  first <- plain_number(answer$first)[match(seq_len(grouping$groups), answer$group)]
  values <- lapply(values, rep_len, grouping$groups)
  columns <- c(as.list(grouping$keys), values)
  list(
    columns = lapply(columns, `[`, order(first)),
    source = as.integer(sort(first))
  )
}

with_places <- function(state, places, types) {
  columns <- places$columns
  names(columns) <- names(types)
  state$frame <- new_frame(
    columns,
    types,
    length(places$source),
    source = places$source
  )
  state["rows"] <- list(NULL)
  state
}
