# Runs the steps of a sieve in order.

# Before anything is computed: every step fits the columns that will be there.
# Where a step makes columns by what the rows hold, those behind it are checked
# when it is done.
run_steps <- function(steps, state) {
  while (length(steps)) {
    checked <- check_all(steps, state)
    state <- run_bounds(checked, state)
    steps <- steps[-seq_along(checked)]
  }
  state
}

run_bounds <- function(bounds, state) {
  before_steps(state$rows, bounds, state)
  for (bound in bounds) state <- run_one(bound, state)
  state
}

with_settings <- function(steps, set) {
  if (!is.list(set) && length(set)) set <- as.list(set)
  if (length(set) && (is.null(names(set)) || any(names(set) == ""))) {
    stop_neatly(
      "step",
      "`set` needs names.",
      NULL,
      "For example `set = list(min_weight = 30)`."
    )
  }
  known <- unlist(lapply(steps, function(s) setting_names(s)))
  for (name in names(set)) {
    if (!name %in% known) {
      stop_neatly(
        "step",
        paste0("`set` changes `", name, "`, which is no setting of the sieve."),
        NULL,
        c(
          meant(name, known),
          if (length(known)) {
            paste0("Settings: ", listed(ticked(known), 10), ".")
          } else {
            "Add `settings()` to the sieve."
          }
        )
      )
    }
    for (i in seq_along(steps)) {
      if (name %in% setting_names(steps[[i]])) {
        step <- steps[[i]]
        step$values[[name]] <- check_setting(name, set[[name]])
        steps[[i]] <- step
      }
    }
  }
  steps
}

# Runs a step, then adds the notes that need all rows.
run_and_tell <- function(about, bound, state) {
  after <- about$run(bound, state)
  about$note_record(bound, after$record, after)
  about$note_rows(bound, state, after)
  after
}

run_one <- function(bound, state, is_all = TRUE) {
  started <- proc.time()[["elapsed"]]
  state$step <- bound$number
  state$where <- bound$where
  before_step(state$rows, bound)
  state$name <- bound$name
  state$record <- new_step_record(
    bound$step, bound$number, bound$name, state_row_count(state), state$units
  )
  rows_before <- state$rows
  frame <- state$frame
  # Removes the step's traces from the table, however the step ends.
  on.exit(frame$play <- NULL)
  frame$play <- list(rows = state$rows, where = bound$where)
  about <- definition_of(bound$step)
  state <- within_memory(
    run_step(state$rows, about, bound, state, is_all),
    "There is not enough memory for this step.",
    bound$where,
    paste0(
      "Pick fewer columns before it with `pick_columns()`, group by fewer ",
      "keys, ",
      "or keep fewer rows."
    )
  )
  state$frame$play <- NULL
  if (!identical(rows_before, state$rows) || about$effect == "reshapes") {
    state$units <- units_in_play(state)
  }
  state$record$rows_out <- state_row_count(state)
  state$record$units_out <- state$units
  state$record$seconds <- proc.time()[["elapsed"]] - started
  state$records <- c(state$records, list(state$record))
  state$steps <- c(state$steps, list(bound$step))
  state$names <- c(state$names, bound$name)
  if (!bound$opens) state$scope <- bound$scope
  scope <- state$scope
  scope$coming <- character()
  state$scope <- scope
  state
}
