# Keys of plans.

keys_plan <- function(keys) {
  if (!length(keys)) return(NULL)
  unname(lapply(names(keys), function(n) {
    text <- expression_text(keys[[n]])
    if (key_name(keys[[n]]) == n) text else stats::setNames(list(text), n)
  }))
}

keys_from_plan <- function(spec, where) {
  keys <- list()
  for (item in plan_items(spec)) {
    texts <- if (is.list(item)) item else stats::setNames(list(item), "")
    for (i in seq_along(texts)) {
      name <- names(texts)[i]
      text <- texts[[i]]
      if (!is_text(text)) {
        stop_neatly(
          "plan",
          "A key must be one text, or a name with one.",
          where,
          "For example `by: [apiary, {year: year(visit_date)}]`."
        )
      }
      # A name with spaces is a plain column; anything else is an expression.
      key <- tryCatch(
        expression_from_text(text, where),
        error = function(e) new_expression(column_symbol(text))
      )
      keys[[if (name == "") key_name(key) else name]] <- key
    }
  }
  keys
}
