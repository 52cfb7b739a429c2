# Membership in a set of values, and lying between two.

type_in <- function(lang, typing) {
  if (length(lang) != 3) {
    stop_neatly(
      "expression", "`%in%` needs a value and a list.", where_of(typing)
    )
  }
  long <- type_in_range(lang, typing)
  if (!is.null(long)) return(long)
  x <- type_language(lang[[2]], typing)
  set <- type_language(lang[[3]], typing)
  if (set$node != "constant") {
    stop_neatly(
      "expression",
      paste0("`", set$text, "` is not a list of fixed values."),
      where_of(typing),
      paste0(
        "Write `x %in% c(\"a\", \"b\")`, a setting, or `.(values)`; for rows ",
        "found in another table use `keep_matched()`."
      )
    )
  }
  if (isTRUE(set$has_absent) || set$kind == "absent" || anyNA(set$value)) {
    rest <- set$value[!is.na(set$value)]
    stop_neatly(
      "expression",
      paste0("`", lang_text(lang), "` lists NA, which no value is equal to."),
      where_of(typing),
      if (length(rest)) {
        paste0(
          "Write `", x$text, " %in% ", value_code(unname(rest)), " | absent(",
          x$text, ")`."
        )
      } else {
        paste0("Write `absent(", x$text, ")`.")
      }
    )
  }
  args <- align_kinds(list(x, set), lang, "%in%", typing)
  call_node("%in%", args, new_type("logical"))
}

# x %in% 1:2000000000 by the ends of the range, and x whole; NULL for a range
# short enough to list.
type_in_range <- function(lang, typing) {
  if (call_name(lang[[3]]) != ":" || length(lang[[3]]) != 3) return(NULL)
  ends <- lapply(as.list(lang[[3]])[-1], type_language, typing)
  fixed <- vapply(
    ends,
    function(e) {
      e$node == "constant" && e$kind %in% numeric_kinds && length(e$value) == 1
    },
    logical(1)
  )
  if (!all(fixed)) return(NULL)
  ends <- sort(as.numeric(c(ends[[1]]$value, ends[[2]]$value)))
  if (ends[2] - ends[1] < longest_range || any(ends != floor(ends))) {
    return(NULL)
  }
  x <- lang[[2]]
  inside <- call(
    "&",
    call("&", call(">=", x, ends[1]), call("<=", x, ends[2])),
    call("==", x, call("floor", x))
  )
  node <- type_language(inside, typing)
  node$text <- lang_text(lang)
  node
}

emit_in <- function(args, b, node) {
  set <- args[[2]]$value
  if (args[[1]]$kind %in% c("text", "category")) {
    value <- emit_node(args[[1]], b)
    return(threes_by_code(value, b, function(texts, r) texts %in% set))
  }
  value <- if (args[[1]]$kind == "logical") {
    number_value(b, "number_from_three", emit_node(args[[1]], b)$reg)
  } else if (args[[1]]$kind == "date-time" && args[[2]]$kind == "date") {
    emit_days(args[[1]], b)
  } else {
    emit_node(args[[1]], b)
  }
  three_value(
    b, "number_in", value$reg, add_table(b, sort(unique(as.numeric(set))))
  )
}

define_function(
  "%in%",
  "comparing",
  list(x = takes("any"), set = constant("any", many = TRUE)),
  "logical",
  emit_in,
  type = type_in,
  help = "Whether a value is one of a list; `NA` in the list is an error.",
  absent = "unknown when x is absent",
  example = "apiary %in% c(\"Fen Gate\", \"Mill Lawn\")"
)

define_function(
  "between",
  "comparing",
  list(x = takes("any"), lo = takes("any"), hi = takes("any")),
  "logical",
  NULL,
  type = function(lang, typing) {
    fn <- language_function("between")
    parts <- match_call_parts(fn, lang, typing)
    sides <- list(
      a = type_language(call(">=", parts$x, parts$lo), typing),
      b = type_language(call("<=", parts$x, parts$hi), typing)
    )
    guard_ends(parts, sides$a$args[[2]], sides$b$args[[2]], lang, typing)
    call_node("&", sides, new_type("logical"))
  },
  help = "`lo <= x & x <= hi`: no as soon as one side says no.",
  absent = "unknown when a side that decides is absent",
  example = "between(visit_date, \"2024-04-01\", \"2024-06-30\")"
)

# Unevaluated arguments of a call by the names in the table.
match_call_parts <- function(fn, lang, typing) {
  given <- given_arguments(lang)
  names <- names(fn$params)
  if (is.null(names(given))) names(given) <- rep("", length(given))
  open <- setdiff(names, names(given))
  unnamed <- which(names(given) == "")
  names(given)[unnamed] <- open[seq_along(unnamed)]
  if (length(given) != length(names) || !setequal(names(given), names)) {
    stop_neatly(
      "expression",
      paste0("`", fn$name, "()` needs ", listed(ticked(names)), "."),
      where_of(typing),
      paste0("It is used as `", fn$usage, "`.")
    )
  }
  given
}
