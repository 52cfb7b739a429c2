# `order =` of tables and charts, in one vocabulary: "keys", "rising" or "falling" (by the table's
# main number), or expressions over the table's own columns, each rising unless in falling().

#' Falling order
#'
#' Inside `order =` of [statistics()], [counts()] and charts: sorts by an expression from high to
#' low. Without it the order is from low to high.
#'
#' @param x A column of the table (or a number a chart shows), or an expression of some.
#' @return Nothing: `falling()` has a meaning inside `order =` only.
#' @section Errors: Class `neatsieve_error_step` when called on its own.
#' @details `order` takes `"keys"` (the order of the groups, the default), `"rising"` or `"falling"`
#'   (by the main number: the count in [counts()], the first statistic in [statistics()], the number
#'   a chart draws), or one or more of the table's columns: `falling(mean)`, `c(apiary,
#'   falling(n))`. Absent values come last either way; ties stay in the order of the groups; a total
#'   stays at the end. What a chart may be sorted by: `n`, and `median` (boxes, violins, strips),
#'   `centre` (intervals) or `value` (bars).
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, statistics(honey_kg, by = apiary, order = falling(mean)))$tables$statistics
#' pour(hives, counts(temper, season, order = c(season, falling(n))))$tables$counts
#' pour(hives, chart_box(y = honey_kg, x = apiary, order = falling(median)))$figures$box
#' @export
falling <- function(x) {
  stop_neatly("step", "`falling()` stands inside `order =` only.", NULL,
              "Write `statistics(honey_kg, by = apiary, order = falling(mean))`.")
}

order_words <- c("keys", "rising", "falling")

# An `order` argument: one of the words, or a list of expressions, each with `falling`.
capture_order <- function(lang, env) {
  if (is.null(lang)) return("keys")
  lang <- splice(lang, env)
  if (is.character(lang)) {
    if (is_text(lang) && lang %in% order_words) return(lang)
    stop_neatly("step", paste0("`order` knows no word ", quoted(lang[1]), "."), NULL,
                paste0("Write one of ", listed(quoted(order_words), last = "or"),
                       ", or a column of the table: `order = falling(n)`."))
  }
  items <- if (call_name(lang) == "c") given_arguments(lang) else list(lang)
  if (!all(vapply(items, function(i) is.call(i) || is.symbol(i), NA))) {
    stop_neatly("step", "`order` names no column of the table.", NULL,
                "Write a column of the table, as in `order = falling(n)`.")
  }
  lapply(items, function(item) {
    falls <- call_name(item) == "falling"
    if (falls && length(item) != 2) {
      stop_neatly("step", "`falling()` takes one expression.", NULL,
                  "Write `order = falling(mean)`.")
    }
    list(falling = falls, expression = capture_expression(if (falls) item[[2]] else item, env))
  })
}

is_order <- function(order) {
  entries <- is.list(order) && all(vapply(order, function(o) !is.null(o$expression), logical(1)))
  entries || (is_text(order) && order %in% order_words)
}
checked_order <- function(order, kind) {
  if (is.null(order) || is_order(order)) return(order)
  stop_neatly("step", paste0("`order` of `", kind, "()` knows no such order."), NULL,
              paste0("Write one of ", listed(quoted(order_words), last = "or"), "."))
}

order_text <- function(order) {
  if (is.character(order)) return(order)
  vapply(order, function(o) {
    text <- expression_text(o$expression)
    if (o$falling) paste0("falling(", text, ")") else text
  }, character(1))
}
order_plan <- function(order) if (!identical(order, "keys")) as.list(order_text(order))
order_words_of <- function(order) {
  if (identical(order, "keys")) return("")
  if (is.character(order)) return(paste0(", ", order))
  paste0(", sorted by ", paste(order_text(order), collapse = ", "))
}

order_from_plan <- function(spec, context) {
  items <- plan_items(spec)
  if (!length(items)) return("keys")
  if (length(items) == 1 && is_text(items[[1]]) && items[[1]] %in% order_words) return(items[[1]])
  langs <- lapply(items, function(text) plan_expression(text, context$plan, context$keys)$lang)
  unlist(lapply(langs, capture_order, emptyenv()), recursive = FALSE)
}

# The expressions of an order, where the words mean `main`.
order_entries <- function(order, main) {
  if (!is.character(order)) return(order)
  if (order == "keys") return(list())
  list(list(falling = order == "falling", expression = new_expression(as.name(main))))
}

# Sorted by expressions over the table's own columns (and `also`, under other names); absent values
# last, ties as they were, groups of `keep` together.
sort_table <- function(table, entries, where, keep = NULL, also = list()) {
  if (!length(entries) || nrow(table) < 2) return(table)
  columns <- c(as.list(table), also)
  frame <- new_frame(columns, lapply(columns, type_of_vector), nrow(table))
  typing <- new_typing(new_scope(frame$types), new_place(inner = c(where, "In `order`.")))
  keys <- lapply(entries, function(o) {
    node <- type_expression(o$expression, typing)
    rank <- as.integer(vector_codes(evaluate_node(node, frame, NULL), nrow(table))$codes)
    if (o$falling) -rank else rank
  })
  if (!is.null(keep) && keep %in% names(table)) {
    keys <- c(list(match(table[[keep]], unique(table[[keep]]))), keys)
  }
  place <- do.call(base::order, c(unname(keys), list(seq_len(nrow(table)), na.last = TRUE)))
  sorted <- table[place, , drop = FALSE]
  rownames(sorted) <- NULL
  sorted
}
