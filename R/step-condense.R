#' One row per group
#'
#' Replaces the rows by one row per group, with the keys and the named
#' statistics as columns. Later steps work on these rows.
#'
#' @param ... Statistics, such as `visits = count()` or
#'   `mites = mean(mites_per_100)` (see the aggregates of
#'   [neatsieve_functions]); one without a name is called by its text. [each()]
#'   works out the same for many columns.
#' @param by Keys, as in [statistics()]. None: one row for all.
#' @param absent `"skip"` or `"carry"`, as in [statistics()].
#' @param name A name for the step.
#' @details An aggregate uses the rows of its group where its own arguments are
#'   present, narrowed by `where = condition`; the same as in [statistics()],
#'   beside rows and in charts (see "Which rows an aggregate uses" in
#'   [neatsieve_functions]). A note says when aggregates of one expression rest
#'   on different rows.
#' @return A step for a [sieve()] or [pour()]. In the ledger the rows that
#'   entered count as held (because `"condensed"`) and the groups as added.
#'   After it, `source_row` counts groups. After [subsets()] it makes one row
#'   per group of each subset, with a leading column `subset`, and the subsets
#'   end.
#' @section Errors: Class `neatsieve_error_expression` for a column outside an
#'   aggregate.
#' @seealso [statistics()], [to_wide()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(
#'   hives, condense(visits = count(), mites = mean(mites_per_100), by = c(apiary, hive)),
#'   include(visits >= 20)
#' )
#' out$rows
#' @export
condense <- function(..., by = NULL, absent = "skip", name = NULL) {
  env <- parent.frame()
  make_step(
    "condense",
    named = capture_dots(eval(substitute(alist(...))), env),
    keys = capture_keys(substitute(by), env),
    absent = absent,
    name = name
  )
}

define_step(
  "condense",
  "reshapes",
  list(
    named = field_expressions("columns", makes = names),
    keys = field_keys(makes = names),
    absent = field_choice("skip", "carry"),
    name = field_name()
  ),
  complete = function(values) condense_complete(values),
  bind = function(step, typing) bind_condense(step, typing),
  run = function(bound, state) run_condense(bound, state),
  words = function(step) condense_words(step)
)

condense_complete <- function(values) {
  if (!length(values$named) && !length(values$keys)) {
    stop_neatly(
      "step",
      "`condense()` has no statistic.",
      NULL,
      "For example `condense(visits = count(), by = apiary)`."
    )
  }
  values$named <- name_conditions(with_each_patterns(values$named))
  values
}

bind_condense <- function(step, typing) {
  by_subset <- length(typing$scope$subsets) > 0
  typing <- typing_of_subset_rows(typing)
  keys <- c(
    if (by_subset) {
      list(subset = column_node("subset", typing$scope$columns$subset))
    },
    check_keys(step$keys, typing, "by")
  )
  clash <- intersect(names(step$named), names(keys))
  if (length(clash)) {
    stop_neatly(
      "step",
      paste0("`", clash[1], "` is both a key and a statistic."),
      where_of(typing),
      "Give one of them another name."
    )
  }
  inner <- per_group(typing)
  inner$absent <- step$absent
  nodes <- list()
  for (n in names(step$named)) {
    here <- at_place(inner, paste0("In column \"", n, "\"."))
    summary <- function(expression, typing) {
      type_summary(expression, typing, keys)
    }
    result <- if (is_each(step$named[[n]]$lang)) {
      type_each(step$named[[n]], n, here, summary, but = names(keys))
    } else {
      stats::setNames(list(summary(step$named[[n]], here)), n)
    }
    for (column in names(result)) {
      guard_new_name(column, without_columns(here), "column")
    }
    guard_constants(result, "group", here)
    nodes <- c(nodes, result)
  }
  columns <- c(lapply(keys, type_part), lapply(nodes, type_of_column))
  new_bound(
    step,
    over_groups(typing, columns),
    nodes = nodes,
    keys = keys,
    details = list(by_subset = by_subset)
  )
}

# What is there behind a step that made one row per group, of these columns.
over_groups <- function(typing, columns) {
  other_columns <- setdiff(names(typing$scope$columns), names(columns))
  why <- paste0(place_label(typing$place), ", which made one row per group")
  typing$scope$dropped[other_columns] <- why
  typing$scope$dropped <- typing$scope$dropped[setdiff(
    names(typing$scope$dropped), names(columns)
  )]
  typing$scope$columns <- columns
  typing$scope$origin <- stats::setNames(
    rep(NA_character_, length(columns)), names(columns)
  )
  typing
}

run_condense <- function(bound, state) {
  nodes <- bound$nodes
  from <- if (bound$details$by_subset) state_of_subset_rows(state) else state
  relation <- relation_of(from)
  grouping <- groups_of(relation, bound$keys)
  for (n in names(nodes)) {
    note_different_rows(
      nodes[[n]],
      from$frame,
      from$rows,
      state$notes,
      c(state$where, paste0("In column \"", n, "\"."))
    )
  }
  columns <- c(as.list(grouping$keys), aggregated(relation, grouping, nodes))
  columns <- lapply(columns, function(x) {
    if (length(x) == 1 && grouping$groups != 1) rep(x, grouping$groups) else x
  })
  rows_in <- state_row_count(state)
  state$record$held <- rows_in
  state$record$added <- grouping$groups
  if (rows_in > 0) {
    fates <- if (bound$details$by_subset) {
      subset_fates(state)
    } else {
      all_held(relation_of(state))
    }
    because <- c("condensed", if (bound$details$by_subset) "in no subset")
    holding <- new_holding(
      state$step,
      stage_number(state),
      state$rows,
      fates = fates,
      by = rep(state$name, length(because)),
      because = because
    )
    state$holdings <- c(state$holdings, list(holding))
  }
  state <- in_new_stage(state, columns, grouping$groups)
  state["subsets"] <- list(NULL)
  state$subject <- "group"
  state
}

#' @export
all_held.neatsieve_memory <- function(relation) {
  rep(as.raw(1), count_rows(relation))
}

condense_words <- function(step) {
  paste0(
    "one row",
    if (length(step$keys)) keys_words(step$keys, " per ") else " for all",
    if (length(step$named)) {
      paste0(
        ", with ",
        paste0(
          names(step$named), " = ",
          vapply(step$named, expression_text, character(1)),
          collapse = ", "
        )
      )
    }
  )
}
