# Functions along the rows in an order, group by group: their calls and types.

running_controls <- c("by", "order", "absent")

# Takes `by`, `order` and `absent` off the call and types the rest;
# `type_of(args)` says what it gives.
type_running <- function(name, lang, typing, type_of) {
  given <- given_arguments(lang)
  names <- if (is.null(names(given))) rep("", length(given)) else names(given)
  fn <- language_function(name)
  check_named_once(
    name, names, paste0("It is used as `", fn$usage, "`."), typing
  )
  control <- given[names %in% intersect(running_controls, controls_of(fn))]
  rest <- given[!names %in% names(control)]
  args <- typed_arguments(fn, as.call(c(lang[[1]], rest)), typing)
  check_distance(name, args, typing)
  by <- if (is.null(control$by)) {
    typing$by
  } else {
    check_keys(capture_keys(control$by, emptyenv()), typing, "by")
  }
  order <- if (is.null(control$order)) {
    typing$order
  } else {
    type_order(control$order, typing)
  }
  if ("order" %in% controls_of(fn) && !length(order)) {
    note_present_order(lang, typing)
  }
  node <- call_node(
    name,
    c(args, order),
    type_of(args),
    lang_text(lang),
    by = by
  )
  node$carry <- carries(name, control$absent, typing)
  node
}

# Which controls a function's usage shows.
controls_of <- function(fn) {
  running_controls[vapply(
    running_controls,
    grepl,
    NA,
    x = sub("^[^(]*", "", fn$usage)
  )]
}

carries <- function(name, absent, typing) {
  if (is.null(absent) || identical(absent, "skip")) return(FALSE)
  if (identical(absent, "carry")) return(TRUE)
  stop_neatly(
    "expression",
    paste0("`absent` of `", name, "()` is \"skip\" or \"carry\"."),
    where_of(typing)
  )
}

check_distance <- function(name, args, typing) {
  rows <- args$rows$value
  if (is.null(rows) || (is_whole_value(rows) && rows >= 0)) return()
  stop_neatly(
    "expression",
    paste0(
      "`rows` of `", name, "()` is how many rows away, not ",
      shown_constant(args$rows), "."
    ),
    where_of(typing),
    paste0(
      "Write a whole number, 0 or more",
      if (isTRUE(rows < 0)) "; the other way goes `lead()` or `lag()`", "."
    )
  )
}

# `order = visit_date` or `order = c(apiary, falling(honey_kg))` as nodes,
# called "order" or "falling".
type_order <- function(lang, typing) {
  typed_order(
    capture_sort(
      if (call_name(lang) == "c") given_arguments(lang) else list(lang),
      emptyenv()
    ),
    typing
  )
}

typed_order <- function(entries, typing) {
  nodes <- lapply(entries, function(entry) {
    inner <- at_place(typing, "In `order`.")
    guard_minus(entry$expression$lang, inner)
    node <- type_expression(entry$expression, inner)
    if (node$node == "constant") {
      stop_neatly(
        "expression",
        paste0(
          "`", node$text, "` is the same for all rows and gives no ", "order."
        ),
        where_of(inner),
        "Order by a column."
      )
    }
    guard_text_order(node, paste0("sorting by `", node$text, "`"), inner)
    node
  })
  stats::setNames(
    nodes, ifelse(vapply(entries, `[[`, NA, "falling"), "falling", "order")
  )
}
# `-species` to sort downwards: a minus is for numbers alone.
guard_minus <- function(lang, typing) {
  if (call_name(lang) != "-" || length(lang) != 2 || !is.symbol(lang[[2]])) {
    return()
  }
  kind <- typing$scope$columns[[as.character(lang[[2]])]]$kind
  if (is.null(kind) || kind %in% numeric_kinds) return()
  name <- lang_text(lang[[2]])
  stop_neatly(
    "expression",
    paste0(
      "`-", name, "` takes the minus of ",
      kind_words(typing$scope$columns[[as.character(lang[[2]])]]), "."
    ),
    where_of(typing),
    paste0("To sort downwards write `falling(", name, ")`.")
  )
}

order_of <- function(node) {
  node$args[names(node$args) %in% c("order", "falling")]
}

# Without an order the rows are gone through as they stand, which only a sort
# has made sure of.
note_present_order <- function(lang, typing) {
  if (isTRUE(typing$scope$sorted)) return()
  take_note(
    typing$notes,
    paste0(
      "`", lang_text(lang),
      "` goes through the rows in the order they stand in."
    ),
    where_of(typing),
    "To be sure of it give `order = `, such as a date, or sort with `order_rows()` before."
  )
}

# Items of an order, each an expression, falling or not.
capture_sort <- function(items, env) {
  if (length(names(items)) && any(names(items) != "")) {
    stop_neatly(
      "step",
      paste0(
        "`", names(items)[names(items) != ""][1], "` is no argument here."
      ),
      NULL,
      "Write the columns to sort by, as in `order_rows(apiary, falling(honey_kg))`."
    )
  }
  lapply(unname(items), function(item) {
    if (call_name(item) == "written") {
      item <- expression_from_text(eval(item[[2]], env), "written()")$lang
    }
    if (is.character(item)) item <- column_symbol(item)
    falls <- call_name(item) == "falling"
    if (falls && length(item) != 2) {
      stop_neatly(
        "step",
        "`falling()` takes one expression.",
        NULL,
        "For example `falling(honey_kg)`."
      )
    }
    by <- if (falls) item[[2]] else item
    if (is.character(by)) by <- column_symbol(by)
    list(falling = falls, expression = capture_expression(by, env))
  })
}

# An `order =` argument: one expression, or several in c().
capture_sorting <- function(lang, env) {
  if (is.null(lang)) return(list())
  lang <- splice(lang, env)
  capture_sort(
    if (call_name(lang) == "c") given_arguments(lang) else list(lang), env
  )
}

# "apiary, then honey_kg from high to low"
sort_words <- function(entries) {
  paste(
    vapply(entries, function(o) {
      paste0(expression_text(o$expression), if (o$falling) " from high to low")
    }, ""),
    collapse = ", then "
  )
}
