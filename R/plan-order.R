# Reads an order in a plan.

order_plan <- function(order) {
  if (!identical(order, "keys")) as.list(order_text(order))
}

order_from_plan <- function(spec, context) {
  items <- plan_items(spec)
  if (!length(items)) return("keys")
  if (length(items) == 1 &&
    is_text(items[[1]]) &&
    items[[1]] %in% order_words) {
    return(items[[1]])
  }
  langs <- lapply(
    items, function(text) plan_expression(text, context$plan, context$keys)$lang
  )
  unlist(lapply(langs, capture_order, emptyenv()), recursive = FALSE)
}

sort_from_plan <- function(spec, context) {
  langs <- lapply(plan_items(spec), function(text) {
    plan_expression(text, context$plan, context$keys)$lang
  })
  capture_sort(langs, emptyenv())
}
