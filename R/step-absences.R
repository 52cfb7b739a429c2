#' Missing values per column
#'
#' Records how many values are absent in each column, per group, and which columns are absent
#' together.
#'
#' @param ... Column picks (see [pick_columns()]); none: all columns.
#' @param by Keys, as in [statistics()].
#' @param patterns `TRUE`: also a table `<name>_patterns` of the sets of columns that are absent
#'   together.
#' @param name A name for the table in `$tables`; `"absences"` by default.
#' @return A step for a [sieve()] or [pour()]. In `$tables`: `<name>`, a data frame with the keys,
#'   `column`, `rows`, `absent`, `share`, and a last line per group, `(any of these)`, whose
#'   `absent` counts the rows where any picked column is absent (the others are complete); with
#'   `patterns`, `<name>_patterns`: the keys, `absent_columns` (joined by ` + `, `(none)` for
#'   complete rows), `columns` (how many) and `rows`.
#' @section Errors: Class `neatsieve_error_expression` for picks that find nothing.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' gaps <- absences(hive_weight_kg, mites_per_100, honey_kg, by = season, patterns = TRUE)
#' pour(hives, gaps)$tables
#' @export
absences <- function(..., by = NULL, patterns = FALSE, name = NULL) {
  new_absences(capture_picks(eval(substitute(alist(...))), parent.frame()),
               capture_keys(substitute(by), parent.frame()),
               control_flag(patterns, "patterns", "absences"), control_name(name, "absences"))
}
new_absences <- function(picks, keys = list(), patterns = FALSE, name = NULL) {
  force(patterns)
  force(name)
  new_step("absences", name, picks = picks, keys = keys, patterns = patterns)
}

#' @export
check_step.neatsieve_step_absences <- function(step, scope) {
  step$key_nodes <- check_keys(step$keys, scope, "by",
                               c("column", "rows", "absent", "share", "subset"))
  step$columns <- if (length(step$picks)) resolve_picks(step$picks, scope, "absences()")
    else names(scope$columns)
  step$columns <- setdiff(step$columns,
                          unlist(
                            lapply(step$key_nodes, function(n) if (n$node == "column") n$name)))
  list(step = step, scope = scope)
}

#' @export
run_step.neatsieve_step_absences <- function(step, state) {
  # Which of the picked columns are absent, as one code per row of the table.
  gone <- lapply(state$frame$columns[step$columns],
                 function(x) if (is.null(dim(x))) is.na(x) else rowSums(is.na(x)) > 0)
  code <- rep(1L, state$frame$n)
  sets <- list(logical())
  for (g in gone) {
    both <- 2L * (code - 1L) + g + 1L
    kinds <- sort(unique(both))
    code <- match(both, kinds)
    sets <- lapply(kinds, function(k) c(sets[[(k - 1L) %/% 2L + 1L]], (k - 1L) %% 2L == 1L))
  }
  sets <- do.call(rbind, sets)
  if (is.null(sets) || !state$frame$n) sets <- matrix(FALSE, 1, length(gone))
  set_node <- list(node = "column", name = "(set)", text = "(set)", kind = "whole")
  frame <- frame_with(state$frame, "(set)", code, list(kind = "whole"))
  tables <- tables_by_subset(state, function(rows, subset) {
    grouped <- group_rows(c(step$key_nodes, list(`(set)` = set_node)), frame, rows)
    keys <- grouped$keys[names(step$keys)]
    group <- if (length(step$keys)) interaction_code(keys) else rep(1L, grouped$groups)
    first <- !duplicated(group)
    n <- grouped$rows_per_group
    absent_in <- sets[grouped$keys[["(set)"]], , drop = FALSE]
    total <- as.vector(rowsum(n, group, reorder = FALSE))
    missing <- rowsum(cbind(absent_in, rowSums(absent_in) > 0) * n, group, reorder = FALSE)
    if (!length(total) && !length(step$keys)) {
      # Without keys all rows are one group, of none too.
      total <- 0
      missing <- matrix(0, 1, length(step$columns) + 1L)
    }
    each <- length(step$columns) + 1L
    lines <- rep(seq_along(total), each = each)
    table <-
      as_table(
        c(lapply(as.list(keys[first, , drop = FALSE]), `[`, lines),
          list(column = rep(c(step$columns, "(any of these)"), length(total)),
               rows = as.integer(total[lines]),
               absent = as.integer(t(missing)),
               share = ifelse(total[lines] > 0, as.vector(t(missing)) / total[lines],
                              NA))))
    out <- list(main = table)
    if (step$patterns) {
      words <- apply(absent_in, 1, function(a) if (any(a)) paste(step$columns[a], collapse = " + ")
                     else "(none)")
      pattern <-
        as_table(
          c(as.list(keys),
            list(absent_columns = as.character(words), columns = as.integer(rowSums(absent_in)),
                 rows = as.integer(n))))
      pattern <- pattern[base::order(group, -n), , drop = FALSE]
      rownames(pattern) <- NULL
      out$patterns <- pattern
    }
    out
  })
  for (part in names(tables)) state <- record_table(state,
    finished_table(tables[[part]], names(step$keys)), part)
  state
}

#' @export
step_words.neatsieve_step_absences <- function(step) {
  paste0("table of absent values of ",
         if (length(step$picks)) paste(vapply(step$picks, lang_text, character(1)), collapse = ", ")
         else "all columns", keys_words(step$keys),
         if (step$patterns) ", with what is absent together")
}
#' @export
step_plan.neatsieve_step_absences <- function(step) {
  compact(
    list(columns = if (length(step$picks)) lapply(step$picks, lang_text), by = keys_plan(step$keys),
         patterns = if (step$patterns) TRUE, name = step$name))
}
read_step_absences <- function(spec, context) {
  if (!is.list(spec) || is.null(names(spec))) spec <- list(columns = spec)
  spec <- plan_arguments(compact(spec), c("columns", "by", "patterns", "name"), context)
  new_absences(plan_picks(spec$columns, context), keys_from_plan(spec$by, context$where),
               isTRUE(spec$patterns), control_name(spec$name, "absences"))
}
