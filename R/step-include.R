#' Keep or remove rows by condition
#'
#' `include()` keeps the rows for which every condition is yes; `exclude()`
#' holds back the rows for which any condition is yes. A row that is held back
#' does not go on to later steps; it stays in [held_back()]. All conditions of a
#' step use the rows that entered the step.
#'
#' @param ... Conditions: names of [criteria()], or expressions (see
#'   [neatsieve_functions]), with or without a name. Without one a condition is
#'   named by its text.
#' @param unknown What to do with a row if a condition is unknown and no other
#'   condition decides: `"hold"` holds it back (the default of `include()`),
#'   `"pass"` lets it go on (the default of `exclude()`), `"stop"` is an error.
#' @param name A name for the step, for [ledger()], [held_back()] and [swap()].
#'
#' @details With `include()`, a row passes if all conditions are yes, is held
#'   back if any is no, and is unknown otherwise (Kleene's three-valued logic);
#'   with `exclude()` the same holds for the opposite conditions. [ledger()]
#'   counts a row for the first condition, in written order, that holds it back.
#' @return A step for a [sieve()] or [pour()].
#' @section Errors: Class `neatsieve_error_expression` at the pour, before
#'   anything is computed, for a name that is no column, criterion or setting,
#'   for kinds that do not fit, and for common slips such as `x = "a"`,
#'   `x == "a" | "b"` or `x == NA`.
#' @seealso [screening()], [criteria()], [held_back()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, include(apiary == "Fen Gate", mites_per_100 > 5))
#' pour(hives, exclude(heavy = hive_weight_kg > 200))
#' @export
include <- function(..., unknown = "hold", name = NULL) {
  make_step(
    "include",
    conditions = capture_dots(eval(substitute(alist(...))), parent.frame()),
    unknown = unknown,
    name = name
  )
}

#' @rdname include
#' @export
exclude <- function(..., unknown = "pass", name = NULL) {
  make_step(
    "exclude",
    conditions = capture_dots(eval(substitute(alist(...))), parent.frame()),
    unknown = unknown,
    name = name
  )
}

screen_fields <- function(unknown) {
  list(
    conditions = field_conditions(is_needed = TRUE),
    unknown = field_choice("hold", "pass", "stop", default = unknown),
    name = field_name()
  )
}
define_step(
  "include",
  "rows",
  screen_fields("hold"),
  short = "conditions",
  writes_short = TRUE,
  complete = function(values) screen_complete(values, "include"),
  bind = function(step, typing) bind_screen(step, typing),
  run = function(bound, state) run_screen(bound, state, negated = FALSE),
  by_row = function(bound) is_screen_by_row(bound),
  holds_when = FALSE,
  note_record = function(bound, record, state) {
    note_outcomes(bound, record, state, negated = FALSE)
  },
  note_rows = function(bound, before, after) {
    note_exclusive(bound, before, after)
  },
  words = function(step) {
    screen_words(step, "keep rows where ", ", and ", "hold")
  },
  caption = function(step) {
    screen_words(step, "only rows where ", ", and ", "hold")
  }
)
define_step(
  "exclude",
  "rows",
  screen_fields("pass"),
  short = "conditions",
  writes_short = TRUE,
  complete = function(values) screen_complete(values, "exclude"),
  bind = function(step, typing) bind_screen(step, typing),
  run = function(bound, state) run_screen(bound, state, negated = TRUE),
  by_row = function(bound) is_screen_by_row(bound),
  holds_when = TRUE,
  note_record = function(bound, record, state) {
    note_outcomes(bound, record, state, negated = TRUE)
  },
  words = function(step) {
    screen_words(step, "hold back rows where ", ", or ", "pass")
  },
  caption = function(step) {
    screen_words(step, "without rows where ", ", or ", "pass")
  }
)

screen_complete <- function(values, kind) {
  if (!length(values$conditions)) {
    stop_neatly(
      "step",
      paste0("`", kind, "()` has no condition."),
      NULL,
      paste0("For example `", kind, "(honey_kg > 5)`.")
    )
  }
  values$conditions <- name_conditions(values$conditions)
  names <- names(values$conditions)
  if (anyDuplicated(names)) {
    stop_neatly(
      "step",
      paste0(
        "`", kind, "()` has the condition ",
        quoted(names[anyDuplicated(names)]), " twice."
      ),
      NULL,
      "Leave one out."
    )
  }
  if (length(names) > 126) {
    stop_neatly(
      "step",
      paste0("`", kind, "()` has more than 126 conditions."),
      NULL,
      "Join some with `&` or make two steps."
    )
  }
  values
}

# include(temper = "calm"): one equals sign; include(temper = x > 1): a clash of
# names.
guard_named_comparison <- function(
  name, expression, typing, what = "condition"
) {
  if (!name %in% names(typing$scope$columns)) return()
  lang <- expression$lang
  if (identical(name, lang_text(lang))) return()
  if (is_compared_with(name, lang, typing)) one_equals(name, lang, typing)
  values <- joined_values(lang)
  hint <- if (what == "statistic") {
    paste0("To name the ", what, " choose a name that is no column.")
  } else if (length(values)) {
    paste0(
      "For one of several values write `", lang_text(as.name(name)),
      " %in% c(", paste(vapply(values, value_code, ""), collapse = ", "), ")`."
    )
  } else {
    both <- call(
      "==", as.name(name), if (is.call(lang)) call("(", lang) else lang
    )
    paste0(
      if (types_well(both, typing)) {
        paste0("To compare write `", lang_text(both), "`; to")
      } else {
        "To"
      },
      " name the ", what, " choose a name that is no column."
    )
  }
  stop_neatly(
    "expression",
    paste0(
      "`", name, " = ", lang_text(lang), "` gives a ", what,
      " the name of a column."
    ),
    where_of(typing),
    hint
  )
}

# Whether `name = value` is meant as a comparison: with a value, or a column of
# the same kind.
is_compared_with <- function(name, lang, typing) {
  if (is.symbol(lang) && as.character(lang) != "NULL") {
    return(types_well(call("==", as.name(name), lang), typing))
  }
  !is.call(lang) || call_name(lang) %in% c("c", "-", "+")
}
types_well <- function(lang, typing) {
  typing["notes"] <- list(NULL)
  tryCatch(
    {
      type_language(lang, typing)
      TRUE
    },
    neatsieve_error = function(e) FALSE
  )
}

# Values joined by or, as in `temper = "calm" | "hot"`.
joined_values <- function(lang) {
  operands <- if (call_name(lang) == "|") same_chain(lang, "|")
  if (all(vapply(operands, is.atomic, NA))) operands
}

bind_screen <- function(step, typing) {
  new_bound(step, typing, nodes = condition_nodes(step$conditions, typing))
}

# Conditions as typed trees, by name.
condition_nodes <- function(conditions, typing) {
  lapply(stats::setNames(nm = names(conditions)), function(name) {
    expression <- conditions[[name]]
    text <- expression_text(expression)
    inner <- at_place(
      typing, if (name != text) paste0("In condition \"", name, "\".")
    )
    at <- match(name, names(conditions))
    guard_named_comparison(name, expression, inner)
    guard_bare_value(
      expression$lang, if (at > 1) conditions[[at - 1]]$lang, inner
    )
    if (name != text &&
      name %in% c(names(typing$scope$criteria), names(typing$scope$settings))) {
      guard_new_name(name, inner, "condition")
    }
    type_condition(expression, inner)
  })
}

run_screen <- function(bound, state, negated) {
  nodes <- bound$nodes
  unknown <- bound$step$unknown
  screened <- screened(
    relation_of(state),
    nodes,
    negated,
    unknown == "pass",
    state$notes,
    state$where
  )
  counts <- screened$counts
  if (unknown == "stop") stop_on_unknown(relation_of(state), screened, state)
  state$record$conditions <- data.frame(
    name = rownames(counts),
    yes = counts[, "yes"],
    no = counts[, "no"],
    unknown = counts[, "unknown"],
    held = counts[, "held"],
    row.names = NULL
  )
  state$record$held <- sum(counts[, "held"])
  if (state$record$held > 0) {
    reasons <- as.vector(rbind(
      if (negated) "yes" else "no", rep("unknown", nrow(counts))
    ))
    saw <- if (is.null(screened$over)) state$rows else screened$over
    holding <- new_holding(
      state$step,
      stage_number(state),
      saw,
      fates = screened$fates,
      by = rep(rownames(counts), each = 2),
      because = reasons,
      reads = lapply(nodes, columns_read),
      expected = rows_left(saw, screened$rows)
    )
    state$holdings <- c(state$holdings, list(holding))
  }
  state$rows <- screened$rows
  state
}

# Where a run is to stop at unknown rows, these are looked for among all.
is_screen_by_row <- function(bound) {
  bound$step$unknown != "stop" && all(vapply(bound$nodes, is_by_row, NA))
}

# Conditions that came out the same for all rows.
note_outcomes <- function(bound, record, state, negated) {
  counts <- record$conditions
  for (i in seq_len(nrow(counts))) {
    name <- counts$name[i]
    guard_outcome(
      name,
      bound$nodes[[name]],
      unlist(counts[i, c("no", "unknown", "yes")]),
      record$rows_in,
      negated,
      state$notes,
      state$where
    )
  }
}

# Whether several conditions each let rows through, but no row passed.
is_emptied <- function(record) {
  counts <- record$conditions
  NROW(counts) > 1 &&
    all(counts$yes > 0) &&
    record$rows_in > 0 &&
    record$held == record$rows_in
}

# Conditions of which each lets rows through, but two of them never the same
# row. before: the state with the rows that entered the step.
note_exclusive <- function(bound, before, after) {
  if (!is_emptied(after$record)) return()
  state <- before
  apart <- never_together(relation_of(state), bound$nodes)
  names <- names(bound$nodes)
  if (!ncol(apart)) {
    take_note(
      state$notes,
      "No row passes all conditions of this step, though each lets some through.",
      state$where,
      "See which go together with `screening(..., pairs = TRUE)`."
    )
    return()
  }
  p <- apart[, 1]
  texts <- vapply(
    bound$step$conditions[names[p]], expression_text, character(1)
  )
  take_note(
    state$notes,
    paste0(
      "Conditions \"", names[p[1]], "\" and \"", names[p[2]],
      "\" exclude each other in these rows: no row can pass both."
    ),
    state$where,
    paste0(
      "For rows that meet one or the other write `", texts[1], " | ", texts[2],
      "`."
    )
  )
}

#' @export
stop_on_unknown.neatsieve_memory <- function(relation, screened, state) {
  fates <- as.integer(screened$fates)
  open <- which(fates > 0 & fates %% 2 == 0)
  if (!length(open)) return()
  by <- rownames(screened$counts)[fates[open] / 2]
  rows <- source_row_of(
    state$frame, if (is.null(state$rows)) open else state$rows[open]
  )
  stop_neatly(
    "run",
    paste0(
      "Condition \"", by[1], "\" cannot be decided for ",
      counted(length(open), "row"), ", and `unknown = \"stop\"` asks to stop."
    ),
    c(
      state$where,
      paste0(
        "First on source ", if (length(rows) > 1) "rows " else "row ",
        listed(format_count(utils::head(rows, 5))), "."
      )
    ),
    "Mend or exclude these rows first, or choose `unknown = \"hold\"` or `\"pass\"`."
  )
}

screen_words <- function(step, joint, between, default) {
  policy <- if (step$unknown != default) {
    switch(step$unknown,
      hold = ", unknown held back",
      pass = ", unknown let through",
      stop = ", stopping at unknown"
    )
  }
  text <- vapply(
    names(step$conditions),
    function(n) {
      lang <- step$conditions[[n]]$lang
      words <- expression_words(lang)
      if (length(step$conditions) > 1 &&
        is.call(lang) &&
        as.character(lang[[1]])[1] %in% c("&", "|")) {
        words <- paste0("(", words, ")")
      }
      if (n == expression_text(step$conditions[[n]])) {
        words
      } else {
        paste0(n, " (", sub("^\\((.*)\\)$", "\\1", words), ")")
      }
    },
    character(1)
  )
  paste0(joint, paste(text, collapse = between), policy)
}
