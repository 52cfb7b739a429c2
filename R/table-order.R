# Sorts tables and groups of charts by `order =`: "keys", "rising" or "falling"
# (by the table's main number), or expressions of the table's columns, rising
# unless in falling().

#' Falling order
#'
#' Inside [order_rows()] and wherever `order =` stands: sorts by an expression
#' from high to low. Without it the order is from low to high.
#'
#' @param x A column of the table (or a number a chart shows), or an expression
#'   of some.
#' @return Nothing: `falling()` has a meaning inside [order_rows()] and
#'   `order =` only.
#' @section Errors: Class `neatsieve_error_step` when called on its own.
#' @details `order` takes `"keys"` (the order of the groups, the default),
#'   `"rising"` or `"falling"` (by the main number: the count in [counts()], the
#'   first statistic in [statistics()], the number a chart draws), or one or
#'   more of the table's columns: `falling(mean)`, `c(apiary, falling(n))`.
#'   Absent values come last either way; ties stay in the order of the groups; a
#'   total stays at the end. What a chart may be sorted by: `n`, and `median`
#'   (boxes, violins, strips), `centre` (intervals) or `value` (bars).
#' @seealso [order_rows()], [scoop()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, statistics(honey_kg, by = apiary, order = falling(mean)))$tables$statistics
#' pour(hives, counts(temper, season, order = c(season, falling(n))))$tables$counts
#' pour(hives, chart_box(y = honey_kg, x = apiary, order = falling(median)))$figures$box
#' @export
falling <- function(x) {
  stop_neatly(
    "step",
    "`falling()` stands inside `order_rows()` and `order =` only.",
    NULL,
    "For example `order_rows(apiary, falling(honey_kg))`."
  )
}

# Sorted by expressions over the table's own columns (and `also`, under other
# names); absent values last, ties as they were, groups of `keep` together.
sort_table <- function(table, entries, where, keep = NULL, also = list()) {
  if (!length(entries) || nrow(table) < 2) return(table)
  columns <- c(as.list(table), also)
  frame <- new_frame(columns, lapply(columns, type_of_vector), nrow(table))
  typing <- new_typing(
    new_scope(frame$types), new_place(inner = c(where, "In `order`."))
  )
  keys <- lapply(entries, function(o) {
    node <- type_expression(o$expression, typing)
    rank <- as.integer(
      vector_codes(evaluate_node(node, frame, NULL), nrow(table))$codes
    )
    if (o$falling) -rank else rank
  })
  if (length(keep) && keep %in% names(table)) {
    keys <- c(list(match(table[[keep]], unique(table[[keep]]))), keys)
  }
  place <- do.call(
    base::order, c(unname(keys), list(seq_len(nrow(table)), na.last = TRUE))
  )
  sorted <- table[place, , drop = FALSE]
  rownames(sorted) <- NULL
  sorted
}
