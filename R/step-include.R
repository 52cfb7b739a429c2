#' Keep or remove rows by condition
#'
#' `include()` lets through the rows for which every condition is yes; `exclude()` holds back
#' the rows for which any condition is yes. All conditions of one step see the rows that
#' entered it.
#'
#' @param ... Conditions: names of [criteria()], or expressions (see [neatsieve_functions]),
#'   with or without a name. Without one a condition is named by its text.
#' @param unknown What becomes of a row whose fate depends on a condition that cannot be
#'   decided: `"hold"` holds it back (the default of `include()`), `"pass"` lets it through
#'   (the default of `exclude()`), `"stop"` makes the run fail.
#' @param name A name for the step, for [ledger()], [held_back()] and [swap()].
#'
#' @details A row's fate is the conjunction, by Kleene's three-valued tables, of the conditions
#'   (for `exclude()`, of their opposites). The row is held by the first condition, in written
#'   order, that keeps it from going on.
#' @return A step for a [sieve()] or [pour()].
#' @section Errors: Class `neatsieve_error_expression` at the pour, before anything is computed,
#'   for a name that is no column, criterion or setting, for kinds that do not fit, and for
#'   common slips such as `x = "a"`, `x == "a" | "b"` or `x == NA`.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, include(apiary == "Fen Gate", mites_per_100 > 5))
#' pour(hives, exclude(heavy = hive_weight_kg > 200))
#' @export
include <- function(..., unknown = "hold", name = NULL) {
  new_screen("include", capture_dots(eval(substitute(alist(...))), parent.frame()),
             unknown_policy(unknown, "include"), control_name(name, "include"))
}

#' @rdname include
#' @export
exclude <- function(..., unknown = "pass", name = NULL) {
  new_screen("exclude", capture_dots(eval(substitute(alist(...))), parent.frame()),
             unknown_policy(unknown, "exclude"), control_name(name, "exclude"))
}

unknown_policy <- function(unknown, step) {
  control(unknown, "unknown", step, function(x) is_text(x) && x %in% c("hold", "pass", "stop"),
          "\"hold\", \"pass\" or \"stop\"")
}

new_screen <- function(kind, conditions, unknown, name) {
  # A control argument that was given a condition is the first thing to say.
  force(unknown)
  force(name)
  if (!length(conditions)) {
    stop_neatly("step", paste0("`", kind, "()` has no condition."), NULL,
                paste0("Write `", kind, "(honey_kg > 5)`."))
  }
  conditions <- name_conditions(conditions)
  if (anyDuplicated(names(conditions))) {
    stop_neatly("step",
                paste0("`", kind, "()` has the condition ",
                       quoted(names(conditions)[anyDuplicated(names(conditions))]), " twice."),
                NULL, "Leave one out.")
  }
  if (length(conditions) > 126) {
    stop_neatly("step", paste0("`", kind, "()` has more than 126 conditions."), NULL,
                "Join some with `&` or make two steps.")
  }
  new_step(kind, name, conditions = conditions, unknown = unknown)
}

# include(temper = "calm"): one equals sign; include(temper = x > 1): a clash of names.
guard_named_comparison <- function(name, expression, scope) {
  if (!name %in% names(scope$columns)) return()
  lang <- expression$lang
  if (identical(name, lang_text(lang))) return()
  if (!is.call(lang) || as.character(lang[[1]])[1] %in% c("c", "-", "+")) {
    one_equals(name, lang_text(lang), scope$where)
  }
  stop_neatly("expression",
              paste0("`", name, " = ", lang_text(lang),
                     "` gives a condition the name of a column."), scope$where,
              paste0("To compare write `", name,
                     " == ...`; to name the condition choose a name that is no column."))
}

check_screen <- function(step, scope) {
  step$nodes <- lapply(stats::setNames(nm = names(step$conditions)), function(name) {
    expression <- step$conditions[[name]]
    inner <- scope
    text <- expression_text(expression)
    inner$where <- c(scope$where, if (name != text) paste0("In condition \"", name, "\"."))
    guard_named_comparison(name, expression, inner)
    if (name != text && name %in% c(names(scope$criteria), names(scope$settings))) {
      guard_new_name(name, inner, "condition")
    }
    type_condition(expression, inner)
  })
  list(step = step, scope = scope)
}
#' @export
check_step.neatsieve_step_include <- check_screen
#' @export
check_step.neatsieve_step_exclude <- check_screen

run_screen <- function(step, state) {
  negated <- step$kind == "exclude"
  rows_in <- state_row_count(state)
  screened <- screen_rows(step$nodes, state$frame, state$rows, negated, step$unknown == "pass",
                          state$notes, state$where)
  counts <- screened$counts
  if (step$unknown == "stop") stop_on_unknown(step, screened, state)
  for (i in seq_len(nrow(counts))) {
    guard_outcome(rownames(counts)[i], counts[i, c("no", "unknown", "yes")], rows_in, step$kind,
                  state$notes, state$where)
  }
  state$record$conditions <- data.frame(
    name = rownames(counts), yes = counts[, "yes"], no = counts[, "no"],
    unknown = counts[, "unknown"], held = counts[, "held"], row.names = NULL)
  state$record$held <- sum(counts[, "held"])
  if (state$record$held > 0) {
    reasons <- as.vector(rbind(if (negated) "yes" else "no", rep("unknown", nrow(counts))))
    state$holdings <- c(state$holdings, list(list(
      step = state$step, epoch = length(state$epochs) + 1L, rows = state$rows,
      fates = screened$fates, by = rep(rownames(counts), each = 2), because = reasons,
      reads = lapply(step$nodes, columns_read))))
  }
  note_exclusive(step, screened, state)
  state$rows <- screened$rows
  state
}
#' @export
run_step.neatsieve_step_include <- run_screen
#' @export
run_step.neatsieve_step_exclude <- run_screen

# Conditions of which each lets rows through, but two of them never the same row.
note_exclusive <- function(step, screened, state) {
  counts <- screened$counts
  if (step$kind != "include" || nrow(counts) < 2 || any(counts[, "yes"] == 0)) return()
  if (NROW(screened$rows) > 0 || state_row_count(state) == 0) return()
  yes <- lapply(outcomes_of(step$nodes, state$frame, state$rows), `==`, as.raw(2))
  pairs <- utils::combn(length(yes), 2)
  apart <- apply(pairs, 2, function(p) !any(yes[[p[1]]] & yes[[p[2]]]))
  names <- names(step$nodes)
  if (!any(apart)) {
    take_note(state$notes,
              "No row passes all conditions of this step, though each lets some through.",
              state$where, "See which go together with `screening(..., pairs = TRUE)`.")
    return()
  }
  p <- pairs[, which(apart)[1]]
  texts <- vapply(step$conditions[names[p]], expression_text, character(1))
  take_note(state$notes, paste0("Conditions \"", names[p[1]], "\" and \"", names[p[2]],
                                "\" exclude each other in these rows: no row can pass both."),
            state$where,
            paste0("For rows that meet one or the other write `", texts[1], " | ", texts[2], "`."))
}

stop_on_unknown <- function(step, screened, state) {
  fates <- as.integer(screened$fates)
  open <- which(fates > 0 & fates %% 2 == 0)
  if (!length(open)) return()
  by <- rownames(screened$counts)[fates[open] / 2]
  rows <- if (is.null(state$rows)) open else state$rows[open]
  stop_neatly("run",
              paste0("Condition \"", by[1], "\" cannot be decided for ",
                     counted(length(open), "row"), ", and `unknown = \"stop\"` asks to stop."),
              c(state$where,
                paste0("First on source ", if (length(rows) > 1) "rows " else "row ",
                       listed(format_count(utils::head(rows, 5))), ".")),
              "Mend or exclude these rows first, or choose `unknown = \"hold\"` or `\"pass\"`.")
}

screen_words <- function(step) {
  default <- if (step$kind == "include") "hold" else "pass"
  policy <- if (step$unknown != default)
    switch(step$unknown, hold = ", unknown held back", pass = ", unknown let through",
           stop = ", stopping at unknown")
  said <- vapply(names(step$conditions), function(n) {
    lang <- step$conditions[[n]]$lang
    words <- expression_words(lang)
    if (length(step$conditions) > 1 && is.call(lang) &&
        as.character(lang[[1]])[1] %in% c("&", "|")) {
      words <- paste0("(", words, ")")
    }
    if (n == expression_text(step$conditions[[n]])) words
    else paste0(n, " (", sub("^\\((.*)\\)$", "\\1", words), ")")
  }, character(1))
  joint <- if (step$kind == "include") "keep rows where " else "hold back rows where "
  paste0(joint, paste(said, collapse = if (step$kind == "include") ", and " else ", or "), policy)
}
#' @export
step_words.neatsieve_step_include <- screen_words
#' @export
step_words.neatsieve_step_exclude <- screen_words

screen_plan <- function(step) {
  texts <- lapply(step$conditions, expression_text)
  bare <- all(names(texts) == unlist(texts))
  default <- step$unknown == if (step$kind == "include") "hold" else "pass"
  listed <- unname(lapply(names(texts), function(n) if (n == texts[[n]]) n else texts[n]))
  if (default && is.null(step$name)) return(listed)
  compact(list(conditions = listed, unknown = if (!default) step$unknown, name = step$name))
}
#' @export
step_plan.neatsieve_step_include <- screen_plan
#' @export
step_plan.neatsieve_step_exclude <- screen_plan

compact <- function(x) x[!vapply(x, is.null, logical(1))]

screen_reader <- function(kind) function(spec, context) {
  default <- if (kind == "include") "hold" else "pass"
  if (!(is.list(spec) && "conditions" %in% names(spec))) {
    return(new_screen(kind, plan_conditions(spec, context), default, NULL))
  }
  spec <- plan_arguments(spec, c("conditions", "unknown", "name"), context)
  unknown <- if (is.null(spec$unknown)) default else unknown_policy(spec$unknown, kind)
  new_screen(kind, plan_conditions(spec$conditions, context), unknown,
             control_name(spec$name, kind))
}
read_step_include <- screen_reader("include")
read_step_exclude <- screen_reader("exclude")
