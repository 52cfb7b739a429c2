# The values that a chart computes from, wherever its rows are.

chart_values <- function(node, input) chart_numbers_of(relation_of(input), node)
rows_in_play_of <- function(input) count_rows(relation_of(input))

#' @export
check_drawn.neatsieve_memory <- function(relation, about) invisible()

#' @export
chart_numbers_of.neatsieve_memory <- function(relation, node) {
  values <- plain_numbers(relation$frame$columns[[node$name]])
  if (is.logical(values)) as.integer(values) else values
}
