# Tables of a file that is sieved while it is read, made without keeping rows.

# A plan of pieces with what its tables ask for, where everything behind the
# leading steps is tables that can be made so.
with_questions <- function(plan, steps) {
  rest <- plan$bounds[!seq_along(plan$bounds) %in% plan$lead]
  all_there <- length(plan$bounds) == length(steps)
  if (!length(rest) ||
    !all_there ||
    !all(vapply(rest, asks_groups_alone, NA))) {
    return(plan)
  }
  scope <- plan$bounds[[max(1, plan$lead)]]$scope
  relation <- new_pieces_relation(scope$columns, scope$origin, plan$unit)
  asked <- tryCatch(
    {
      for (bound in rest) {
        definition_of(
          bound$step
        )$run(bound, asking_state(bound, relation, scope))
      }
      TRUE
    },
    error = function(e) FALSE
  )
  questions <- relation$asking$questions
  if (!asked || !length(questions) || length(questions) > 20) return(plan)
  relation$asking$phase <- "answer"
  plan$relation <- relation
  plan$questions <- questions
  plan
}
is_gathered <- function(plan) length(plan$questions) > 0
asks_groups_alone <- function(bound) definition_of(bound$step)$of_groups(bound)

# A run without rows, which shows what the steps ask for.
asking_state <- function(bound, relation, scope) {
  frame <- frame_of_pieces(relation)
  unit <- relation$base$unit
  if (!is.null(unit)) frame$units[[unit]] <- no_unit_codes
  state <- new_run(new_study_facts(
    frame, unit, "", NULL, list(), list(), list()
  ))
  state$rows <- relation
  state$scope <- scope
  state$step <- bound$number
  state$where <- bound$where
  state$name <- bound$name
  state
}
frame_of_pieces <- function(relation) {
  names <- names(relation$types)
  new_frame(
    lapply(stats::setNames(nm = names), unread_column), relation$types, 0L
  )
}

# The steps behind the leading ones, with answers from the pieces.
answered_from_pieces <- function(bounds, state, pass, plan) {
  relation <- plan$relation
  relation$known$rows <- state_row_count(state)
  for (gathering in pass$gatherings) answer_from_pieces(gathering, relation)
  frame <- state$frame
  rows <- state$rows
  state$frame <- frame_of_pieces(relation)
  state$rows <- relation
  before <- length(state$records)
  state <- tryCatch(run_bounds(bounds, state), error = function(e) need_rows())
  for (i in seq_along(state$records)) {
    if (i > before) state$records[[i]]$place <- "file"
  }
  if (any(vapply(relation$asking$questions, is_open, NA))) need_rows()
  state$frame <- frame
  state["rows"] <- list(rows)
  state
}

# The first rows that went on are kept for prints.
most_first_rows <- 20
keep_first_rows <- function(pass, state) {
  wanted <- most_first_rows - NROW(pass$head)
  if (wanted <= 0) return()
  rows <- utils::head(
    if (is.null(state$rows)) seq_len(state$frame$n) else state$rows, wanted
  )
  there <- Filter(
    function(name) !is_unread(state$frame$columns[[name]]), state$visible
  )
  first <- lapply(stats::setNames(nm = there), function(name) {
    coded <- state$frame$texts[[name]]
    values <- state$frame$columns[[name]][rows]
    if (is.null(coded) || is.character(values)) values else coded$values[values]
  })
  first <- structure(
    first,
    class = "data.frame",
    row.names = .set_row_names(length(rows))
  )
  pass$head <- if (is.null(pass$head)) {
    first
  } else {
    one_below_other(list(pass$head, first))
  }
}

# The table of a file of which no row was kept.
frame_of_no_rows <- function(pass, state) {
  types <- state$study$frame$types
  new_frame(
    lapply(stats::setNames(nm = names(types)), unread_column),
    types,
    as_count(pass$went),
    held = pass$rows - pass$went
  )
}

# The state behind a step that makes columns, where there is no row to make them
# for.
with_columns_unmade <- function(bound, state) {
  types <- bound$scope$columns
  state$frame <- new_frame(
    lapply(stats::setNames(nm = names(types)), unread_column),
    types,
    state$frame$n,
    held = state$frame$held
  )
  state$visible <- bound$details$to
  state
}
