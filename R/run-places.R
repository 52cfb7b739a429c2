# Generics for what a run does differently when rows are not in memory. `rows`
# are the current rows: row numbers of the current table (NULL: all), or an
# object of an executor, which has methods for these.

# The relation that steps ask about rows.
relation_over <- function(rows, state) UseMethod("relation_over")
#' @export
relation_over.default <- function(rows, state) {
  new_memory_relation(state$frame, rows)
}

# The state with other rows in play.
put_in_play <- function(rows, state) UseMethod("put_in_play")
#' @export
put_in_play.default <- function(rows, state) {
  state["rows"] <- list(rows)
  state
}

# The number of units among these rows.
units_over <- function(rows, state) UseMethod("units_over")
#' @export
units_over.default <- function(rows, state) {
  if (!length(state$stages)) return(count_units(state$study, rows))
  units_among(state, rows)
}

# Before the first of some steps, before each, and the step itself. is_all:
# whether these are all rows, of which can be said what is true of all.
before_steps <- function(rows, bounds, state) UseMethod("before_steps")
#' @export
before_steps.default <- function(rows, bounds, state) invisible()
before_step <- function(rows, bound) UseMethod("before_step")
#' @export
before_step.default <- function(rows, bound) invisible()
run_step <- function(rows, about, bound, state, is_all) UseMethod("run_step")
#' @export
run_step.default <- function(rows, about, bound, state, is_all) {
  state <- if (is_all) {
    run_and_tell(about, bound, state)
  } else {
    about$run(bound, state)
  }
  place <- if (!is.null(state$study$database)) {
    "here"
  } else if (!is.null(state$unread)) {
    "memory"
  }
  if (is.null(place)) state else with_place(state, place)
}
with_place <- function(state, place, reason = NULL) {
  record <- state$record
  record$place <- place
  record$reason <- reason
  state$record <- record
  state
}

# Holds back, by the step itself, the rows in play whose fate is not 0: a place
# in `because`. reads: columns that decided.
hold_rows <- function(state, fates, because, reads = character()) {
  UseMethod("hold_rows", fates)
}
#' @export
hold_rows.default <- function(state, fates, because, reads = character()) {
  passing <- passing_rows(relation_of(state), fates)
  state$record$held <- length(fates) - length(passing)
  if (state$record$held == 0) return(state)
  holding <- new_holding(
    state$step,
    stage_number(state),
    state$rows,
    fates = fates,
    by = rep(state$name, length(because)),
    because = because,
    reads = stats::setNames(list(reads), state$name)
  )
  state$holdings <- c(state$holdings, list(holding))
  state$rows <- passing
  state
}

# Of what came out of a run, its rows are brought here as far as they are
# needed; see siftings_parts(). What was not kept of a file is read again.
bring_here <- function(rows, inside, needs) UseMethod("bring_here")
#' @export
bring_here.default <- function(rows, inside, needs) {
  state <- inside$state
  inside$state <- if (needs == "rows") {
    with_columns_read(state$unread, state)
  } else {
    with_rows_read(state$unread, state)
  }
}
with_columns_read <- function(unread, state) UseMethod("with_columns_read")
#' @export
with_columns_read.default <- function(unread, state) state
with_rows_read <- function(unread, state) UseMethod("with_rows_read")
#' @export
with_rows_read.default <- function(unread, state) state

# The state from which another run goes on.
state_for_more <- function(rows, inside) UseMethod("state_for_more")
#' @export
state_for_more.default <- function(rows, inside) {
  bring_here(rows, inside, "rows")
  inside$state
}

# The same run with its whole table here; and the first state of a run, by the
# relation of the study where that has one.
with_whole_table <- function(relation, state) UseMethod("with_whole_table")
#' @export
with_whole_table.default <- function(relation, state) state
begun_over <- function(relation, study) UseMethod("begun_over")
#' @export
begun_over.default <- function(relation, study) new_run(study)

# What looks at the values of rows one by one says so, with the reason; where
# these are elsewhere, they are brought here for the step.
need_values <- function(rows, why) UseMethod("need_values")
#' @export
need_values.default <- function(rows, why) invisible()

# The reasons of a step's holding; the rows of it that were held.
reasons_of_holding <- function(rows, holding) UseMethod("reasons_of_holding")
#' @export
reasons_of_holding.default <- function(rows, holding) holding$reasons

# How many values of some columns are absent in the rows in play.
absent_over <- function(rows, state, columns) UseMethod("absent_over")
#' @export
absent_over.default <- function(rows, state, columns) {
  absent_counts(state$frame$columns[columns], rows)
}
absent_counts <- function(columns, rows) {
  vapply(columns, function(x) {
    if (!is.null(dim(x))) return(NA_real_)
    as.numeric(sum(is.na(if (is.null(rows)) x else x[rows])))
  }, 1)
}
# Which of some columns have values that can be shown.
columns_at_hand <- function(rows, state, columns) UseMethod("columns_at_hand")
#' @export
columns_at_hand.default <- function(rows, state, columns) {
  !vapply(state$frame$columns[columns], is_unread, NA, USE.NAMES = FALSE)
}

# What stands for rows that are not here; NULL for those that are.
rows_there <- function(rows) UseMethod("rows_there")
#' @export
rows_there.default <- function(rows) NULL

# The same of the rows in play; where they are here, of the table that they came
# from.
relation_there <- function(state) {
  there <- rows_there(state$rows)
  if (is.null(there)) state$study$database$relation else there
}
