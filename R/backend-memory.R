# Rows in memory: a frame and the numbers of the current rows (NULL: all).

new_memory_relation <- function(frame, rows = NULL) {
  relation <- new_record("relation", list(frame = frame, rows = rows))
  class(relation) <- c("neatsieve_memory", class(relation))
  relation
}

#' @export
with_rows.neatsieve_memory <- function(relation, rows) {
  new_memory_relation(relation$frame, rows)
}

#' @export
count_rows.neatsieve_memory <- function(relation) {
  if (is.null(relation$rows)) relation$frame$n else length(relation$rows)
}

#' @export
facts_of_relation.neatsieve_memory <- function(relation) {
  frame <- relation$frame
  new_facts(
    distinct = function(column) {
      if (!isTRUE(frame$types[[column]]$empty)) {
        frame_codes(frame, column)$values
      }
    },
    gaps = function(column) anyNA(frame$columns[[column]])
  )
}

#' @export
rows_of.neatsieve_memory <- function(relation, columns, most = Inf) {
  rows <- relation$rows
  if (is.finite(most)) {
    rows <- utils::head(
      if (is.null(rows)) seq_len(relation$frame$n) else rows, most
    )
  }
  frame_rows(relation$frame, rows, columns)
}

#' @export
screened.neatsieve_memory <- function(
  relation, nodes, negated = FALSE, pass_unknown = FALSE, notes = NULL,
  where = NULL
) {
  screen_rows(
    nodes, relation$frame, relation$rows, negated, pass_unknown, notes, where
  )
}

#' @export
outcomes.neatsieve_memory <- function(relation, nodes) {
  outcomes_of(nodes, relation$frame, relation$rows)
}

#' @export
worked_out.neatsieve_memory <- function(
  relation, node, notes = NULL, where = NULL
) {
  evaluate_node(node, relation$frame, relation$rows, notes, where)
}

#' @export
groups_of.neatsieve_memory <- function(relation, keys) {
  group_rows(keys, relation$frame, relation$rows)
}

#' @export
aggregated.neatsieve_memory <- function(relation, grouping, nodes) {
  a <- new_aggregation(relation$frame, relation$rows, grouping)
  lapply(nodes, evaluate_summary, a = a)
}

# How many different codes there are among some rows.
count_different_codes <- function(codes, levels, rows) {
  core_count_different(codes, levels, rows)
}
