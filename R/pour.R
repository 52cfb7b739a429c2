#' Run a study through a sieve
#'
#' Gives the siftings: the rows that went all the way, the rows held back with the reason, the
#' tables and figures asked for, and the account of every step.
#'
#' @param data A [study()], a data frame, the path of a file, or siftings, from whose rows the
#'   run goes on and whose ledger it keeps.
#' @param ... Sieves and bare steps, in order.
#' @param set A list of new values for [settings()] of the sieve.
#'
#' @details All steps are checked against the study before anything is computed; an error names
#'   the step. Notes about likely slips are shown as messages of class `neatsieve_note` and
#'   never stop a run. The result does not depend on the number of threads (option
#'   `neatsieve.threads`).
#' @return Siftings, a list-like object of class `neatsieve_siftings`: `$rows` and `$held` (data
#'   frames, made when first asked for), `$tables` and `$figures` (lists by name), `$ledger`.
#'   See [ledger()], [held_back()], [report()]. `$notes` holds the notes of reading the study and of
#'   the run. As a list they have `names()`, `length()` and `lapply()`; `nrow()`, `dim()`, `head()`
#'   and `as.data.frame()` mean the rows that went all the way; `summary()` gives the account and a
#'   look at these rows, `plot()` draws the figures. They are not changed by assignment: pour them
#'   on.
#' @section Errors: Class `neatsieve_error_expression`, `neatsieve_error_step` or
#'   `neatsieve_error_run`, each with the step.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, include(present(hive_weight_kg), season == "spring"))
#' out
#' held_back(out, unknown = TRUE)
#' @export
pour <- function(data, ..., set = list()) {
  local_plain()
  state <- starting_state(data, name_of_data(substitute(data)))
  steps <- with_settings(sieve(...), set, state)
  # Before anything is computed: every step fits the columns that will be there.
  steps <- check_all(steps, state)
  for (bound in steps) state <- run_one(bound, state)
  finish(state)
}

starting_state <- function(data, called = "the data") {
  if (inherits(data, "neatsieve_siftings")) {
    state <- siftings_parts(data)$state
    state$notes <- new_notebook()
    return(state)
  }
  study <- if (is.data.frame(data)) unclass(new_study(data, name = called)) else study_facts(data)
  if (is.data.frame(data)) show_notes(study$notes)
  list(study = study, frame = study$frame, rows = NULL, visible = names(study$frame$columns),
       labels = study$labels, measures = study$measures,
       scope = starting_scope(study), steps = list(), names = character(), step = 0L,
       records = list(), holdings = list(), tables = list(), charts = list(),
       notes = new_notebook(), units = count_units(study, NULL), epochs = list(), subsets = NULL)
}

starting_scope <- function(study) {
  columns <- names(study$frame$columns)
  new_scope(study$frame$types, origin = stats::setNames(columns, columns), unit = study$unit)
}

# What typing may ask of a frame in memory.
facts_of_frame <- function(frame) {
  new_facts(distinct = function(column) {
    if (!isTRUE(frame$types[[column]]$empty)) frame_codes(frame, column)$values
  }, gaps = function(column) anyNA(frame$columns[[column]]))
}

with_settings <- function(steps, set, state) {
  if (!is.list(set) && length(set)) set <- as.list(set)
  if (length(set) && (is.null(names(set)) || any(names(set) == ""))) {
    stop_neatly("step", "`set` needs names.", NULL, "Write `set = list(min_weight = 30)`.")
  }
  known <- unlist(lapply(steps, function(s) setting_names(s)))
  for (name in names(set)) {
    if (!name %in% known) {
      stop_neatly("step", paste0("`set` changes `", name, "`, which is no setting of the sieve."),
                  NULL,
                  c(meant(name, known),
                    if (length(known)) paste0("Settings: ", listed(ticked(known), 10), ".")
                    else "Add `settings()` to the sieve."))
    }
    for (i in seq_along(steps)) if (name %in% setting_names(steps[[i]])) {
      step <- steps[[i]]
      step$values[[name]] <- check_setting(name, set[[name]])
      steps[[i]] <- step
    }
  }
  steps
}

check_all <- function(steps, state) {
  names <- step_names(c(state$steps, unclass(steps)))
  facts <- facts_of_frame(state$study$frame)
  scope <- state$scope
  scope$coming <- coming_columns(steps)
  checked <- list()
  for (i in seq_along(steps)) {
    step <- steps[[i]]
    number <- length(state$steps) + i
    place <- new_place(step$kind, number, step$name)
    typing <- new_typing(scope, place, facts, state$notes)
    bound <- definition_of(step)$bind(step, typing)
    if (scope$has_subsets) note_subset_aggregates(bound, typing)
    bound$number <- number
    bound$name <- names[number]
    bound$where <- place_lines(place)
    checked[[i]] <- bound
    scope <- bound$scope
  }
  checked
}

# Beside rows, an aggregate is taken over all rows in play by a row step, and subset by subset by an
# output.
note_subset_aggregates <- function(bound, typing) {
  found <- unlist(lapply(unname(c(bound$nodes, bound$keys)), aggregates_in), recursive = FALSE)
  found <- Filter(function(n) is.null(n$over), found)
  is_output <- has_effect(bound$step, "records")
  for (node in unique_nodes(found)) {
    said <- paste0("`", node$text, "`")
    if (is_output) {
      take_note(typing$notes, paste0(said, " is taken subset by subset."), where_of(typing),
                "For all rows in play write `over = \"play\"` in it.")
    } else {
      take_note(typing$notes,
                paste0(said, " is taken over all rows in play, not subset by subset."),
                where_of(typing),
                "Outputs such as `statistics()` and charts take it per subset.")
    }
  }
}

# Columns that steps further on will make, so that criteria may cite them before.
coming_columns <- function(steps) {
  made <- unlist(lapply(steps, function(step) {
    fields <- definition_of(step)$fields
    lapply(names(fields), function(name) fields[[name]]$makes(step[[name]]))
  }))
  stats::setNames(made, made)
}

run_one <- function(bound, state) {
  started <- proc.time()[["elapsed"]]
  rows_in <- state_row_count(state)
  units_in <- state$units
  state$step <- bound$number
  state$where <- bound$where
  state$name <- bound$name
  state$record <- list(held = 0, added = 0, conditions = NULL)
  rows_before <- state$rows
  frame <- state$frame
  frame$play <- list(rows = state$rows, where = bound$where)
  about <- definition_of(bound$step)
  state <- within_memory(about$run(bound, state), bound$where)
  frame$play <- NULL
  state$frame$play <- NULL
  if (!identical(rows_before, state$rows) || about$effect == "reshapes") {
    state$units <- units_in_play(state)
  }
  state$records <- c(state$records, list(c(
    list(step = bound$number, kind = bound$step$kind, name = bound$name, rows_in = rows_in,
         rows_out = state_row_count(state),
         units_in = units_in, units_out = state$units,
         seconds = proc.time()[["elapsed"]] - started), state$record)))
  state$steps <- c(state$steps, list(bound$step))
  state$names <- c(state$names, bound$name)
  scope <- bound$scope
  scope$coming <- character()
  state$scope <- scope
  state
}

# Memory that runs out, in the core or in R, is said as what it is.
within_memory <- function(code, where) {
  ran_out <- function(e) {
    stop_neatly("run", "There is not enough memory for this step.", where,
                paste0("Pick fewer columns before it with `pick_columns()`, group by fewer keys, ",
                       "or keep fewer rows."))
  }
  tryCatch(code, `std::bad_alloc` = ran_out, neatsieve_error = stop, error = function(e) {
    if (grepl("cannot allocate|bad_alloc|memory exhausted", conditionMessage(e))) ran_out(e)
    stop(e)
  })
}

# Units among the rows in play; after the rows became groups, only where the unit is a key.
units_in_play <- function(state) {
  if (!length(state$epochs)) return(count_units(state$study, state$rows))
  if (is.null(state$unit_column)) return(NA_real_)
  coded <-
    key_codes(column_of_frame(state$frame, state$unit_column), state$frame, NULL)
  core_count_different(as.integer(coded$codes), length(coded$values), state$rows)
}

state_row_count <- function(state) if (is.null(state$rows)) state$frame$n else length(state$rows)
state_label <- function(state, column) {
  if (is.null(label <- state$labels[[column]])) column else label
}
state_axis <- function(state, column) {
  paste0(state_label(state, column),
         if (!is.null(m <- state$measures[[column]])) paste0(" (", m, ")"))
}

# A step's tables: its name, and for further ones its name with an ending.
record_table <- function(state, table, part = "main") {
  state$tables[[paste0(state$name, if (part != "main") paste0("_", part))]] <- table
  state
}

# A step's figure, or one per subset.
record_figures <- function(state, make) {
  if (is.null(state$subsets)) return(record_figure(state, make(state)))
  charts <- lapply(stats::setNames(nm = colnames(state$subsets$sets)), function(s) {
    inner <- state
    inner$rows <- subset_rows(state, s)
    chart <- make(inner)
    chart$subset <- s
    chart$subset_words <- state$subsets$words[[s]]
    chart
  })
  state$charts[[state$name]] <- structure(charts, class = "neatsieve_charts")
  state
}

record_figure <- function(state, chart) {
  chart$name <- state$name
  state$charts[[state$name]] <- chart
  state
}

# Which rows these are, in plain words: what the row steps before did.
rows_caption <- function(state) {
  n <- state_row_count(state)
  total <- state$frame$n
  if (length(state$epochs)) {
    return(
      paste0(format_count(n), " of ", counted(total, "group"), " made from ", state$study$name,
             "."))
  }
  if (n == total) return(paste0("All ", counted(total, "row"), " of ", state$study$name, "."))
  row_steps <- Filter(function(s) !is.null(definition_of(s)$caption), state$steps)
  said <- vapply(row_steps, function(s) definition_of(s)$caption(spelled_out(s, state$scope)), "")
  paste0(format_count(n), " of ", counted(total, "row"), " of ", state$study$name, ": ",
         paste(said, collapse = "; "), ".")
}

# A step's conditions with what cited criteria say and the values of settings in their place.
spelled_out <- function(step, scope) {
  spell <- function(lang) rewrite_lang(lang, leaf = function(x) {
    if (!is.symbol(x)) return(x)
    name <- as.character(x)
    if (name %in% names(scope$settings)) return(scope$settings[[name]])
    if (!is.null(criterion <- scope$criteria[[name]])) return(call("(", spell(criterion$lang)))
    x
  })
  step$conditions <- lapply(step$conditions, function(condition) {
    lang <- spell(condition$lang)
    while (is.call(lang) && identical(lang[[1]], quote(`(`))) lang <- lang[[2]]
    condition$lang <- lang
    condition
  })
  step
}
