#' One row per group
#'
#' Replaces the rows by one row per group, with the keys and named statistics as columns. Later
#' steps (conditions on groups, sorting, tables) work on these rows.
#'
#' @param ... Named statistics, such as `visits = count()` or `mites = mean(mites_per_100)` (see the
#'   aggregates of [neatsieve_functions]).
#' @param by Keys, as in [statistics()]. None: one row for all.
#' @param absent `"skip"` or `"carry"`, as in [statistics()].
#' @param name A name for the step.
#' @details An aggregate uses the rows of its group where its own arguments are present, narrowed by
#'   `where = condition`; the same as in [statistics()], beside rows and in charts (see "Which rows
#'   an aggregate uses" in [neatsieve_functions]). A note says when aggregates of one expression
#'   rest on different rows.
#' @return A step for a [sieve()] or [pour()]. In the ledger the rows that entered count as
#'   held (because `"condensed"`) and the groups as added. After it, `source_row` counts groups.
#' @section Errors: Class `neatsieve_error_step` for a statistic without a name, or after
#'   [subsets()]; class `neatsieve_error_expression` for a column outside an aggregate.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, condense(visits = count(), mites = mean(mites_per_100), by = c(apiary, hive)),
#'             include(visits >= 20))
#' out$rows
#' @export
condense <- function(..., by = NULL, absent = "skip", name = NULL) {
  new_condense(capture_dots(eval(substitute(alist(...))), parent.frame()),
               capture_keys(substitute(by), parent.frame()),
               control_choice(absent, "absent", "condense", c("skip", "carry")),
               control_name(name, "condense"))
}

new_condense <- function(named, keys = list(), absent = "skip", name = NULL) {
  force(absent)
  force(name)
  if (!length(named) && !length(keys)) {
    stop_neatly("step", "`condense()` has no statistic.", NULL,
                "Write `condense(visits = count(), by = apiary)`.")
  }
  bare <- names(named) == ""
  if (any(bare)) {
    text <- expression_text(named[[which(bare)[1]]])
    stop_neatly("step", paste0("`", text, "` in `condense()` has no name."), NULL,
                paste0("Write `condense(new_column = ", text, ")`."))
  }
  new_step("condense", name, named = named, keys = keys, absent = absent)
}

#' @export
check_step.neatsieve_step_condense <- function(step, scope) {
  if (isTRUE(scope$has_subsets)) {
    stop_neatly("step", "`condense()` changes what a row is, so it cannot come after `subsets()`.",
                scope$where,
                "Move it before `subsets()`, or end them with `subsets()` without conditions.")
  }
  step$key_nodes <- check_keys(step$keys, scope, "by")
  clash <- intersect(names(step$named), names(step$keys))
  if (length(clash)) {
    stop_neatly("step", paste0("`", clash[1], "` is both a key and a statistic."), scope$where,
                "Give one of them another name.")
  }
  inner <- summary_scope(scope, step$keys)
  inner$absent_policy <- step$absent
  step$named_nodes <- lapply(stats::setNames(nm = names(step$named)), function(n) {
    inner$where <- c(scope$where, paste0("In column \"", n, "\"."))
    guard_new_name(n,
                   list(criteria = scope$criteria, settings = scope$settings, where = inner$where),
                   "column")
    type_summary(step$named[[n]], inner, step$key_nodes)
  })
  columns <- c(lapply(step$key_nodes, type_part), lapply(step$named_nodes, function(node) {
    type <- type_part(node)
    if (type$kind == "absent") list(kind = "logical") else type
  }))
  gone <- setdiff(names(scope$columns), names(columns))
  scope$dropped[gone] <- paste0(scope$label, ", which made one row per group")
  scope$dropped <- scope$dropped[setdiff(names(scope$dropped), names(columns))]
  scope$columns <- columns
  scope$origin <- stats::setNames(rep(NA_character_, length(columns)), names(columns))
  list(step = step, scope = scope)
}

#' @export
run_step.neatsieve_step_condense <- function(step, state) {
  grouping <- group_rows(step$key_nodes, state$frame, state$rows)
  a <- new_aggregation(state$frame, state$rows, grouping)
  for (n in names(step$named_nodes)) {
    note_different_rows(step$named_nodes[[n]], state$frame, state$rows, state$notes,
                        c(state$where, paste0("In column \"", n, "\".")))
  }
  columns <- c(as.list(grouping$keys), lapply(step$named_nodes, evaluate_summary, a = a))
  columns <- lapply(columns,
                    function(x) {
                      if (length(x) == 1 && grouping$groups != 1) rep(x, grouping$groups) else x
                    })
  rows_in <- state_row_count(state)
  state$record$held <- rows_in
  state$record$added <- grouping$groups
  if (rows_in > 0) {
    state$holdings <- c(state$holdings,
                        list(
                          list(step = state$step, epoch = length(state$epochs) + 1L,
                               rows = state$rows, fates = rep(as.raw(1), rows_in), by = state$name,
                               because = "condensed")))
  }
  state$epochs <- c(state$epochs, list(state$frame))
  state$frame <- new_frame(columns, lapply(columns, type_of_vector), grouping$groups)
  state$rows <- NULL
  state$visible <- names(columns)
  state$unit_column <- if (!is.null(state$study$unit) && state$study$unit %in% names(columns))
    state$study$unit
  state
}

#' @export
step_words.neatsieve_step_condense <- function(step) {
  paste0("one row", if (length(step$keys)) keys_words(step$keys, " per ") else " for all",
         if (length(step$named))
           paste0(", with ",
                  paste0(names(step$named), " = ",
                         vapply(step$named, expression_text, character(1)), collapse = ", ")))
}
#' @export
step_plan.neatsieve_step_condense <- function(step) {
  compact(
    list(columns = if (length(step$named)) lapply(step$named, expression_text),
         by = keys_plan(step$keys), absent = if (step$absent != "skip") step$absent,
         name = step$name))
}
read_step_condense <- function(spec, context) {
  spec <- plan_arguments(spec, c("columns", "by", "absent", "name"), context)
  new_condense(if (is.null(spec$columns)) list()
               else
                 Map(function(n, text) {
                   plan_expression(text, context$plan, c(context$keys, list(n)))
                 }, names(spec$columns), spec$columns),
               keys_from_plan(spec$by, context$where),
               if (is.null(spec$absent)) "skip" else spec$absent,
               control_name(spec$name, "condense"))
}
