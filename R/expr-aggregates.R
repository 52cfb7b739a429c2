# Types calls of aggregates: their values, over which rows, and how absent
# values count.

aggregate_controls <- c("by", "over", "absent", "where")

# Takes `by`, `over`, `absent` and `where` off the call and types the rest.
type_aggregate <- function(name, lang, typing) {
  turned <- with_rising_order(name, lang)
  name <- turned$name
  lang <- turned$lang
  fn <- language_function(name)
  split <- aggregate_parts(name, lang, typing)
  inner <- typing
  inner$inside_aggregate <- TRUE
  args <- with_step_order(
    name, typed_arguments(fn, split$rest, inner), lang, typing
  )
  args <- with_study_design(fn, args, lang, typing)
  node <- aggregate_node(name, args, lang_text(lang))
  node <- with_controls(node, split$control, lang, typing)
  fn$check(node, typing)
  with_type(node, type_given(fn, node$args))
}

# In a falling order, first() becomes last(), and last() becomes first().
with_rising_order <- function(name, lang) {
  if (name %in% c("first", "last") &&
    call_name(lang[["order"]]) == "falling" &&
    length(lang[["order"]]) == 2) {
    name <- if (name == "first") "last" else "first"
    lang[["order"]] <- lang[["order"]][[2]]
    lang[[1]] <- as.name(name)
  }
  list(name = name, lang = lang)
}

# first() and last() without an order of their own go by that of the step, where
# it is one that they can go by.
with_step_order <- function(name, args, lang, typing) {
  own <- language_function(name)$params$order
  if (is.null(own) || !is.null(args$order) || !length(typing$order)) {
    return(args)
  }
  node <- typing$order[[1]]
  fits <- node$kind %in% c(numeric_kinds, "date", "date-time")
  if (length(typing$order) == 1 && names(typing$order) == "order" && fits) {
    args$order <- node
    return(args)
  }
  take_note(
    typing$notes,
    paste0(
      "`", lang_text(lang),
      "` goes by the rows as they stand, not by `order` of the ", "step."
    ),
    where_of(typing),
    paste0(
      "Give it one column of numbers or dates: `", name,
      "(x, order = visit_date)`."
    )
  )
  args
}

# Errors that name no clusters and strata of their own have those of the study.
with_study_design <- function(fn, args, lang, typing) {
  design <- typing$scope$design
  if (!length(design) || !"cluster" %in% names(fn$params)) return(args)
  if (!is.null(args$cluster) || !is.null(args$strata)) return(args)
  columns <- vapply(design, column_of_origin, "", scope = typing$scope)
  is_absent <- is.na(columns)
  if (any(is_absent)) {
    take_note(
      typing$notes,
      paste0(
        "`", lang_text(lang), "` does not allow for the design of the study: ",
        listed(ticked(unlist(design)[is_absent])), " (",
        listed(names(design)[is_absent]), ") is no column here."
      ),
      where_of(typing),
      paste0(
        "Keep it up to here, or say what is alike: `cluster = ` and a column."
      )
    )
    return(args)
  }
  args[names(columns)] <- lapply(columns, type_name, typing = typing)
  args
}

# The current name of a column of the study; NA if it is gone.
column_of_origin <- function(column, scope) {
  names(scope$origin)[match(column, scope$origin)]
}

# The control arguments of an aggregate's call, and the call without them.
aggregate_parts <- function(name, lang, typing) {
  given <- given_arguments(lang)
  names <- if (is.null(names(given))) rep("", length(given)) else names(given)
  if (isTRUE(typing$inside_aggregate)) {
    stop_neatly(
      "expression",
      paste0("`", lang_text(lang), "` is an aggregate inside an aggregate."),
      where_of(typing),
      "Work the inner one out as a column first, with `work_out()`."
    )
  }
  check_named_once(
    name,
    names,
    paste0("It is used as `", language_function(name)$usage, "`."),
    typing
  )
  list(
    control = given[names %in% aggregate_controls],
    rest = as.call(c(lang[[1]], given[!names %in% aggregate_controls]))
  )
}

with_controls <- function(node, control, lang, typing) {
  check_control_words(control, node$fn, typing)
  absent <- if (is.null(control$absent)) typing$absent else control$absent
  node$carry <- identical(absent, "carry")
  if (!is.null(control$where)) {
    node$where <- type_where(control$where, node, typing)
  }
  check_control_place(control, lang, typing)
  node$over <- control$over
  if (typing$is_group) return(node)
  node$by <- if (is.null(control$by)) {
    typing$by
  } else {
    check_keys(capture_keys(control$by, emptyenv()), typing, "by")
  }
  if (identical(node$over, "study")) check_over_study(node, lang, typing)
  node
}

check_control_words <- function(control, fn, typing) {
  is_one_of <- function(x, words) is.null(x) || (is_text(x) && x %in% words)
  if (!is_one_of(control$absent, c("skip", "carry"))) {
    stop_neatly(
      "expression",
      paste0("`absent` of `", fn, "()` is \"skip\" or \"carry\"."),
      where_of(typing)
    )
  }
  if (!is_one_of(control$over, c("study", "play"))) {
    stop_neatly(
      "expression",
      paste0("`over` of `", fn, "()` is \"study\" or \"play\"."),
      where_of(typing),
      "\"play\" takes all rows that enter the step, \"study\" all rows as loaded."
    )
  }
}

# Where rows are grouped by the step, an aggregate has no groups of its own; in
# a criterion it has to say its rows.
check_control_place <- function(control, lang, typing) {
  words <- paste0("`", lang_text(lang), "`")
  if (typing$is_group) {
    if (is.null(control$by) && !identical(control$over, "study")) return()
    stop_neatly(
      "expression",
      paste0(words, " has `by` or `over = \"study\"` inside a table of groups."),
      where_of(typing),
      "Give `by` to the step; for all rows of all groups write `over = \"play\"`."
    )
  }
  if (typing$in_criterion && is.null(control$by) && is.null(control$over)) {
    stop_neatly(
      "expression",
      paste0(words, " in a criterion does not say over which rows it is taken."),
      where_of(typing),
      "Add `by = ` or `over = \"study\"`."
    )
  }
}

check_over_study <- function(node, lang, typing) {
  for (column in c(columns_read(node), unlist(lapply(node$by, columns_read)))) {
    if (!is.na(typing$scope$origin[[column]])) next
    stop_neatly(
      "expression",
      paste0(
        "Column `", column, "` was worked out, so `", lang_text(lang),
        "` cannot be taken over the study as loaded."
      ),
      where_of(typing),
      "Leave out `over = \"study\"`."
    )
  }
}

type_where <- function(lang, node, typing) {
  inner <- typing
  inner$inside_aggregate <- TRUE
  inner <- at_place(inner, paste0("In `where` of `", node$fn, "()`."))
  where <- type_language(lang, inner)
  if (where$kind != "logical") {
    stop_neatly(
      "expression",
      paste0(
        "`where` of `", node$fn, "()` takes a condition, and `", where$text,
        "` is ", kind_words(where), "."
      ),
      where_of(typing),
      paste0("Write `where = ", where$text, condition_hint(where, typing), "`.")
    )
  }
  where
}

type_custom <- function(lang, typing) {
  split <- aggregate_parts("custom", lang, typing)
  if (length(split$rest) != 3) {
    stop_neatly(
      "expression",
      "`custom()` needs a function and a column.",
      where_of(typing),
      "Write `custom(f, x)`."
    )
  }
  name <- lang_text(split$rest[[2]])
  f <- typing$functions[[name]]
  if (is.null(f)) {
    stop_neatly(
      "expression",
      paste0("The function `", name, "` of `custom()` is not at hand."),
      where_of(typing),
      paste0(
        "Define it before writing the step; for a plan file hand it over: ",
        "`read_sieve(path, functions = list(", name, " = ", name, "))`."
      )
    )
  }
  inner <- typing
  inner$inside_aggregate <- TRUE
  args <- list(x = type_language(split$rest[[3]], inner))
  node <- aggregate_node("custom", args, lang_text(lang), f = f)
  with_controls(node, split$control, lang, typing)
}
