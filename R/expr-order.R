# `order =` of tables and charts: words, or expressions over a table's own
# columns.

order_words <- c("keys", "rising", "falling")

# An `order` argument: one of the words, or a list of expressions, each with
# `falling`.
capture_order <- function(lang, env) {
  if (is.null(lang)) return("keys")
  lang <- splice(lang, env)
  if (is.character(lang)) {
    if (is_text(lang) && lang %in% order_words) return(lang)
    stop_neatly(
      "step",
      paste0("`order` knows no word ", quoted(lang[1]), "."),
      NULL,
      paste0(
        "Write one of ", listed(quoted(order_words), last = "or"),
        ", or a column of the table: `order = falling(n)`."
      )
    )
  }
  items <- if (call_name(lang) == "c") given_arguments(lang) else list(lang)
  if (!all(vapply(items, function(i) is.call(i) || is.symbol(i), NA))) {
    stop_neatly(
      "step",
      "`order` names no column of the table.",
      NULL,
      "Write a column of the table, as in `order = falling(n)`."
    )
  }
  lapply(items, function(item) {
    falls <- call_name(item) == "falling"
    if (falls && length(item) != 2) {
      stop_neatly(
        "step",
        "`falling()` takes one expression.",
        NULL,
        "Write `order = falling(mean)`."
      )
    }
    list(
      falling = falls,
      expression = capture_expression(if (falls) item[[2]] else item, env)
    )
  })
}

is_order <- function(order) {
  entries <- is.list(order) &&
    all(vapply(order, function(o) !is.null(o$expression), logical(1)))
  entries || (is_text(order) && order %in% order_words)
}

checked_order <- function(order, kind) {
  if (is.null(order) || is_order(order)) return(order)
  stop_neatly(
    "step",
    paste0("`order` of `", kind, "()` knows no such order."),
    NULL,
    paste0("Write one of ", listed(quoted(order_words), last = "or"), ".")
  )
}

order_text <- function(order) {
  if (is.character(order)) return(order)
  vapply(
    order,
    function(o) {
      text <- expression_text(o$expression)
      if (o$falling) paste0("falling(", text, ")") else text
    },
    character(1)
  )
}

order_words_of <- function(order) {
  if (identical(order, "keys")) return("")
  if (is.character(order)) return(paste0(", ", order))
  paste0(", sorted by ", paste(order_text(order), collapse = ", "))
}

# The expressions of an order, where the words mean `main`.
order_entries <- function(order, main) {
  if (!is.character(order)) return(order)
  if (order == "keys") return(list())
  list(list(
    falling = order == "falling",
    expression = new_expression(as.name(main))
  ))
}
