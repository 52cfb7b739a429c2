# Runs that need all rows of a database table, or of a file of which only some
# rows were kept.

# Whether an aggregate in some steps is taken over the study as loaded, rows
# held back among them.
asks_over_study <- function(x) {
  if (!is.call(x)) {
    return(is.list(x) && any(vapply(unclass(x), asks_over_study, NA)))
  }
  has_one <- FALSE
  visit_calls(x, function(call) {
    has_one <<- has_one || identical(call[["over"]], "study")
    !has_one
  })
  has_one
}

# The state with the whole study at hand: steps that ran before ran over that.
with_whole_study <- function(state) {
  if (!is.null(state$unread)) return(run_in_memory(state))
  if (is.null(state$study$database)) return(state)
  if (length(state$steps)) return(table_in_memory(state))
  new_run(loaded_study(state$study))
}

# The run over the whole table read, which gives the same.
#' @export
with_whole_table.neatsieve_sql <- function(relation, state) {
  table_in_memory(state)
}
table_in_memory <- function(state) {
  whole <- suppressMessages(
    run_steps(as_sieve(state$steps), new_run(loaded_study(state$study))),
    classes = "neatsieve_note"
  )
  check_same_account(
    whole$records, state$records, state$study$database$relation
  )
  whole$notes <- state$notes
  whole$records <- Map(
    function(record, first) {
      for (field in c("seconds", "place", "reason")) {
        record[[field]] <- first[[field]]
      }
      record
    },
    whole$records,
    state$records
  )
  whole
}

# Whether each step of the run over the table, read later, did the same as
# before.
check_same_account <- function(records, before, relation) {
  counts_of <- function(record) {
    c(
      record$rows_in, record$held, record$added,
      unlist(record$conditions[c("yes", "no", "unknown", "held")]),
      use.names = FALSE
    )
  }
  for (i in seq_along(before)) {
    if (identical(as.numeric(counts_of(records[[i]])), as.numeric(counts_of(before[[i]])))) {
      next
    }
    stop_on_changed_table(
      relation,
      paste0("step ", i, ", ", before[[i]]$kind, "(), counts other rows now")
    )
  }
}

# The study of the table as it is read whole.
loaded_study <- function(study) {
  study$frame <- unread_frame(study$database$relation)
  study$loaded_from <- study$database
  study["database"] <- list(NULL)
  study
}
