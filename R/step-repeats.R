#' Rows that repeat
#'
#' `drop_repeats()` keeps one row of each set of rows that are equal in some
#' columns; `find_repeats()` keeps all rows that have an equal row, and numbers
#' the sets.
#'
#' @param ... Picks of the columns that make rows alike (see [pick_columns()]);
#'   none: all columns.
#' @param keep Which row of a set stays: the `"first"` or the `"last"`, as the
#'   rows stand or by `order`.
#' @param order What `keep` goes by: a column, or
#'   `c(visit_date, falling(honey_kg))`.
#' @param name A name for the step.
#' @details Absent equals absent here, unlike in conditions: two rows whose
#'   `hive` is absent are alike in it. Numbers are compared exactly, texts by
#'   code point.
#' @return A step for a [sieve()] or [pour()]. The rows of `drop_repeats()` keep
#'   their order, the others are held because `"repeat"`. Those of
#'   `find_repeats()` stand set by set, in the order of each set's first row,
#'   with two columns in front: `repeat_group`, the number of the set, and
#'   `repeat_size`, how many rows it has; the others are held because
#'   `"no repeat"`.
#' @section Errors: Class `neatsieve_error_expression` for a pick that finds
#'   nothing; class `neatsieve_error_step` where a column `repeat_group` or
#'   `repeat_size` is there already.
#' @seealso [scoop()], [condense()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, find_repeats(hive, visit_date))
#' pour(hives, drop_repeats(hive, visit_date, keep = "last", order = visit_id))
#' @export
drop_repeats <- function(..., keep = "first", order = NULL, name = NULL) {
  env <- parent.frame()
  picks <- capture_step_picks("drop_repeats", eval(substitute(alist(...))), env)
  make_step(
    "drop_repeats",
    picks = picks,
    keep = keep,
    order = capture_sorting(substitute(order), env),
    name = name
  )
}

#' @rdname drop_repeats
#' @export
find_repeats <- function(..., name = NULL) {
  picks <- capture_step_picks(
    "find_repeats", eval(substitute(alist(...))), parent.frame()
  )
  make_step("find_repeats", picks = picks, name = name)
}

define_step(
  "drop_repeats",
  "rows",
  list(
    picks = field_picks(),
    keep = field_choice("first", "last"),
    order = field_sort(),
    name = field_name()
  ),
  short = "picks",
  writes_short = TRUE,
  bind = function(step, typing) {
    new_bound(
      step,
      typing,
      nodes = typed_order(step$order, typing),
      details = list(columns = columns_to_compare(step, typing))
    )
  },
  run = function(bound, state) run_drop_repeats(bound, state),
  reads_all = function(step) !length(step$picks),
  words = function(step) drop_repeats_words(step),
  caption = function(step) paste0("one row for each ", alike_words(step))
)

define_step(
  "find_repeats",
  "rows",
  list(picks = field_picks(), name = field_name()),
  short = "picks",
  writes_short = TRUE,
  bind = function(step, typing) bind_find_repeats(step, typing),
  run = function(bound, state) run_find_repeats(bound, state),
  reads_all = function(step) !length(step$picks),
  words = function(step) {
    paste0(
      "let through rows that have another of the same ", alike_words(step),
      " (absent equals absent), set by set"
    )
  },
  caption = function(step) {
    paste0("rows that have another of the same ", alike_words(step))
  }
)

alike_words <- function(step) {
  if (!length(step$picks)) return("values in all columns")
  listed(vapply(step$picks, lang_text, ""), 12)
}
drop_repeats_words <- function(step) {
  paste0(
    "let through one row for each ", alike_words(step),
    " (absent equals absent), the ", step$keep,
    if (length(step$order)) paste0(" in the order of ", sort_words(step$order))
  )
}

columns_to_compare <- function(step, typing) {
  columns <- typing$scope$columns
  known <- names(
    columns
  )[vapply(columns, function(type) type$kind != "other", NA)]
  if (!length(step$picks)) return(known)
  picked <- resolve_picks(step$picks, typing, paste0(step$kind, "()"))
  strange <- setdiff(picked, known)
  if (length(strange)) {
    stop_neatly(
      "expression",
      paste0(
        "Column `", strange[1], "` cannot be compared: it is of class ",
        columns[[strange[1]]]$class, "."
      ),
      where_of(typing),
      paste0("Take it out with `except(", strange[1], ")`.")
    )
  }
  if (!length(picked)) {
    stop_neatly(
      "expression", "No column is picked.", where_of(typing), picks_usage()
    )
  }
  picked
}

run_drop_repeats <- function(bound, state) {
  columns <- bound$details$columns
  relation <- relation_of(state)
  if (!length(bound$nodes) && bound$step$keep == "first") {
    return(hold_rows(state, repeat_fates(relation, columns), "repeat", columns))
  }
  fates <- repeats_over(relation, columns, bound$nodes, bound$step$keep)
  hold_rows(state, fates, "repeat", columns)
}

# Sorts by the order that decides which row stays, then restores the previous
# order.
#' @export
repeats_over.neatsieve_memory <- function(relation, columns, order, keep) {
  place <- seq_len(count_rows(relation))
  if (length(order)) place <- places_sorted(relation, order)
  if (keep == "last") place <- rev(place)
  rows <- if (is.null(relation$rows)) place else relation$rows[place]
  fates <- raw(length(place))
  fates[place] <- repeat_fates(with_rows(relation, rows), columns)
  fates
}

repeat_columns <- c("repeat_group", "repeat_size")
bind_find_repeats <- function(step, typing) {
  columns <- columns_to_compare(step, typing)
  there <- intersect(repeat_columns, names(typing$scope$columns))
  if (length(there)) {
    stop_neatly(
      "step",
      paste0(
        "`find_repeats()` makes a column `", there[1],
        "`, and there is one already."
      ),
      where_of(typing),
      "Take it out before, or rename it with `pick_columns(renamed = )`."
    )
  }
  for (column in repeat_columns) {
    guard_new_name(column, without_columns(typing), "column")
    typing$scope$columns[[column]] <- new_type("whole")
    typing$scope$origin[column] <- NA
  }
  there <- setdiff(names(typing$scope$columns), repeat_columns)
  typing <- with_columns_in_order(typing, c(repeat_columns, there))
  new_bound(step, typing, details = list(columns = columns))
}

run_find_repeats <- function(bound, state) {
  state <- find_repeats_over(relation_of(state), bound, state)
  state$visible <- c(repeat_columns, state$visible)
  state
}

# Holds rows that repeat no other back, and numbers the groups of the others.
find_repeats_over <- function(relation, bound, state) {
  UseMethod("find_repeats_over")
}
#' @export
find_repeats_over.neatsieve_memory <- function(relation, bound, state) {
  first <- alike_rows(relation, bound$details$columns)
  size <- tabulate(first, length(first))[first]
  among <- size > 1
  group <- match(first, unique(first[among]))
  rows <- if (is.null(state$rows)) seq_len(state$frame$n) else state$rows
  state <- hold_rows(
    state,
    as.raw(!among),
    because = "no repeat",
    reads = bound$details$columns
  )
  parts <- list(repeat_group = group, repeat_size = size)
  for (column in repeat_columns) {
    vector <- spread_over(
      as.integer(parts[[column]][among]), rows[among], state$frame$n, NULL
    )
    state$frame <- frame_with(state$frame, column, vector, new_type("whole"))
  }
  state$rows <- rows[among][order(group[among])]
  state
}
