# Before anything is computed: every step fits the columns that will be there.

check_all <- function(steps, state) {
  names <- step_names(c(state$steps, unclass(steps)))
  facts <- facts_of_relation(new_memory_relation(state$study$frame))
  facts$table <- study_of_table
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
    if (bound$opens) break
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
