#' A table of statistics
#'
#' Records, for the rows in play, how many values are present and absent and their mean,
#' standard deviation, minimum, quartiles and maximum, per group and column.
#'
#' @param ... Column picks (see [pick_columns()]); none: all number columns but the keys and
#'   the unit.
#' @param by Keys to group by: `apiary`, `c(apiary, treatment)`, or named expressions such as
#'   `c(apiary, year = year(visit_date))`.
#' @param name A name for the table in `$tables`; `"statistics"` by default.
#' @return A step for a [sieve()] or [pour()]. In `$tables`: a data frame with one row per group
#'   and column, and the columns: the keys, `column`, `n`, `absent`, `mean`, `sd`, `min`, `q1`,
#'   `median`, `q3`, `max`. Groups stand in the order of the keys' categories (text by code
#'   point); absent key values make the last group.
#' @details `mean` is the compensated sum (Neumaier 1974) over n; `sd` has n - 1 below and two
#'   passes over the values (absent for fewer than two values); quartiles are of type 7
#'   (Hyndman and Fan 1996). Absent values are left out and counted in `absent`; statistics of
#'   no values are absent.
#' @section Errors: Class `neatsieve_error_expression` for columns that are not there; class
#'   `neatsieve_error_step` for picks that are not numbers and keys called like a statistic.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, statistics(hive_weight_kg, honey_kg, by = apiary))
#' out$tables$statistics
#' @export
statistics <- function(..., by = NULL, name = NULL) {
  new_statistics(capture_picks(eval(substitute(alist(...))), parent.frame()), capture_keys(substitute(by), parent.frame()), control_name(name, "statistics"))
}

new_statistics <- function(picks, keys = list(), name = NULL) new_step("statistics", name, picks = picks, keys = keys)

statistic_names <- c("column", "n", "absent", "mean", "sd", "min", "q1", "median", "q3", "max")

#' @export
check_step.neatsieve_step_statistics <- function(step, scope) {
  step$key_nodes <- check_keys(step$keys, scope, "by", statistic_names)
  kinds <- vapply(scope$columns, `[[`, character(1), "kind")
  key_columns <- unlist(lapply(step$key_nodes, function(n) if (n$node == "column") n$name))
  if (length(step$picks)) {
    picked <- resolve_picks(step$picks, scope, "statistics()")
    other <- setdiff(picked[!kinds[picked] %in% numeric_kinds], key_columns)
    named <- vapply(step$picks, is.symbol, logical(1))
    if (length(bad <- intersect(other, vapply(step$picks[named], as.character, character(1))))) {
      stop_neatly("step", paste0("`statistics()` needs numbers, and column `", bad[1], "` is ", kind_words(scope$columns[[bad[1]]]), "."), scope$where,
                  if (kinds[[bad[1]]] == "text") paste0("Group by it with `by = ", bad[1], "`, or turn it into numbers: `work_out(", bad[1], " = as_number(", bad[1], "))`.")
                  else paste0("Group by it with `by = ", bad[1], "`."))
    }
    if (length(other)) take_note(scope$notes, paste0("Statistics are of number columns; ", listed(ticked(other)), " left out."), scope$where)
    picked <- setdiff(picked, other)
  } else {
    picked <- setdiff(names(kinds)[kinds %in% numeric_kinds], c(key_columns, names(scope$origin)[scope$origin %in% scope$unit]))
  }
  picked <- setdiff(picked, key_columns)
  if (!length(picked)) stop_neatly("step", "There is no number column to take statistics of.", scope$where, paste0("Columns here: ", listed(ticked(names(kinds)), 12), "."))
  step$columns <- picked
  list(step = step, scope = scope)
}

#' @export
run_step.neatsieve_step_statistics <- function(step, state) {
  grouped <- group_rows(step$key_nodes, state$frame, state$rows)
  groups <- as.integer(grouped$groups)
  tables <- lapply(step$columns, function(column) {
    numbers <- core_summarise(state$frame$columns[[column]], state$rows, grouped$of_row, groups, thread_count())
    cbind(grouped$keys[seq_len(groups), , drop = FALSE], column = rep(column, groups), numbers)
  })
  table <- do.call(rbind, tables)
  # Group after group, its columns in the order picked.
  table <- table[order(rep(seq_len(groups), length(step$columns)), rep(seq_along(step$columns), each = groups)), , drop = FALSE]
  rownames(table) <- NULL
  record_table(state, structure(table, class = c("neatsieve_table", "data.frame")))
}

#' @export
step_words.neatsieve_step_statistics <- function(step) {
  picks <- if (length(step$picks)) paste(vapply(step$picks, lang_text, character(1)), collapse = ", ") else "all number columns"
  paste0("table of statistics of ", picks, keys_words(step$keys))
}
#' @export
step_plan.neatsieve_step_statistics <- function(step) {
  compact(list(columns = if (length(step$picks)) lapply(step$picks, lang_text), by = keys_plan(step$keys), name = step$name))
}

read_step_statistics <- function(spec, context) {
  if (!is.list(spec) || is.null(names(spec))) spec <- list(columns = spec)
  spec <- plan_arguments(compact(spec), c("columns", "by", "name"), context)
  new_statistics(plan_picks(spec$columns, context), keys_from_plan(spec$by, context$where), control_name(spec$name, "statistics"))
}
