# The paragraph for a methods section.

methods_section <- function(state) {
  t <- htmltools::tags
  page_section(
    "methods",
    "Methods",
    t$p(id = "methods-text", paste(methods_words(state), collapse = " "))
  )
}

# Sentences: the data, which rows were used and how many were not, what was
# worked out, the rules of the statistics, the software.
methods_words <- function(state) {
  study <- state$study
  units <- if (!is.null(study$unit)) {
    paste0(
      " of ", counted(count_units(study, NULL), "unit"), " (",
      study_label(study, study$unit), ")"
    )
  }
  c(
    paste0(
      "The data, ", study$name, ", held ", counted(study$frame$n, "row"),
      units, "."
    ),
    used_words(state), unknown_words(state),
    unlist(lapply(seq_along(state$steps), made_words, state = state)),
    statistics_rules(state),
    paste0(
      "Computed with Neat Sieve ", utils::packageVersion("neatsieve"),
      " in R ", getRversion(), "."
    )
  )
}

# What became of the rows, step by step, so that the numbers add up: which rows
# were used, how many were held back or added, and what they were made into.
used_words <- function(state) {
  words <- unlist(lapply(seq_along(state$steps), step_of_rows, state = state))
  if (!length(words)) return(NULL)
  units <- if (!is.na(state$units)) paste0(" of ", counted(state$units, "unit"))
  what <- if (length(state$stages)) state$subject else "row"
  paste0(
    "The analysis used ", paste(words, collapse = "; "), ". This left ",
    counted(state_row_count(state), what), units, "."
  )
}

# A step that changes which rows there are, with what it did to their number.
step_of_rows <- function(i, state) {
  step <- state$steps[[i]]
  record <- state$records[[i]]
  caption <- definition_of(step)$caption
  if (!is.null(caption)) {
    return(paste0(
      caption(spelled_out(step, state$scope)),
      if (record$held > 0) {
        paste0(" (", counted(record$held, "row"), " held back)")
      }
    ))
  }
  if (record$held == 0 && record$added == 0) return(NULL)
  change <- if (record$added == 0) {
    paste0(counted(record$held, "row"), " held back")
  } else if (record$held == 0) {
    paste0(counted(record$added, "row"), " added")
  } else {
    paste0(
      counted(record$rows_in, "row"), " became ", format_count(record$rows_out)
    )
  }
  paste0(step_words(step)[1], " (", change, ")")
}

unknown_words <- function(state) {
  open <- Filter(function(r) r$because == "unknown", held_reasons(state))
  if (!length(open)) return(NULL)
  n <- sum(vapply(open, function(r) as.numeric(r$rows), 1))
  paste0(
    "A condition that cannot be decided because a value is absent counts as ",
    "unknown: ",
    counted(n, "row"), if (n == 1) " was" else " were", " held back for this."
  )
}

# Columns that a step made, or what it made of the rows.
made_words <- function(i, state) {
  step <- state$steps[[i]]
  is_told <- has_effect(step, "reshapes") && !is.null(step_of_rows(i, state))
  if (!is_told &&
    (!is.null(state$records[[i]]$columns) || has_effect(step, "reshapes"))) {
    words <- sub("^work out ", "worked out: ", step_words(step)[1])
    paste0(sentence_start(words), ".")
  }
}

# The rules behind the numbers that were made.
statistics_rules <- function(state) {
  unique(c(
    unlist(lapply(state$steps, function(s) definition_of(s)$rules)),
    unlist(lapply(charts_by_name(state$charts), `[[`, "remarks"))
  ))
}
