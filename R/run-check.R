# Checks before a run that every step fits the columns that will be there.

check_all <- function(steps, state, facts = facts_of_study(state$study)) {
  checking <- start_checking(steps, state, facts)
  checked <- list()
  for (i in seq_along(steps)) {
    bound <- check_one(steps[[i]], i, checking)
    checked[[i]] <- bound
    checking$scope <- bound$scope
    if (bound$opens) break
  }
  checked
}

# What checking the steps of a run goes by: their names and how many ran before,
# the facts that may be asked for, the notebook, and the scope, which each step
# changes.
start_checking <- function(steps, state, facts = facts_of_study(state$study)) {
  facts$table <- study_of_table
  scope <- state$scope
  scope$coming <- coming_columns(steps)
  list(
    names = step_names(c(state$steps, unclass(steps))),
    before = length(state$steps),
    facts = facts,
    notes = state$notes,
    scope = scope
  )
}

facts_of_study <- function(study) {
  facts_of_relation(
    if (is.null(study$database)) {
      new_memory_relation(study$frame)
    } else {
      study$database$relation
    }
  )
}

check_one <- function(step, i, checking) {
  number <- checking$before + i
  place <- new_place(step$kind, number, step$name)
  typing <- new_typing(checking$scope, place, checking$facts, checking$notes)
  bound <- definition_of(step)$bind(step, typing)
  # A step that ends the subsets works subset by subset.
  if (length(checking$scope$subsets) && length(bound$scope$subsets)) {
    note_subset_aggregates(bound, typing)
  }
  bound$number <- number
  bound$name <- checking$names[number]
  bound$where <- place_lines(place)
  bound
}

# Beside rows, an aggregate is taken over all rows in play by a row step, and
# subset by subset by an output.
note_subset_aggregates <- function(bound, typing) {
  matches <- unlist(
    lapply(unname(c(bound$nodes, bound$keys)), aggregates_in),
    recursive = FALSE
  )
  matches <- Filter(function(n) is.null(n$over), matches)
  is_output <- has_effect(bound$step, "records")
  for (node in unique_nodes(matches)) {
    words <- paste0("`", node$text, "`")
    if (is_output) {
      take_note(
        typing$notes,
        paste0(words, " is taken subset by subset."),
        where_of(typing),
        "For all rows in play write `over = \"play\"` in it."
      )
    } else {
      take_note(
        typing$notes,
        paste0(words, " is taken over all rows in play, not subset by subset."),
        where_of(typing),
        "Outputs such as `statistics()` and charts take it per subset."
      )
    }
  }
}

# Columns that steps further on will make, so that criteria may cite them
# before.
coming_columns <- function(steps) {
  results <- unlist(lapply(steps, function(step) {
    fields <- definition_of(step)$fields
    lapply(names(fields), function(name) fields[[name]]$makes(step[[name]]))
  }))
  stats::setNames(results, results)
}
