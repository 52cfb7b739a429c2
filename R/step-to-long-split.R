# Splits several answers in a cell into rows: to_long() with `split`.

split_complete <- function(values) {
  usage <- "Write `to_long(signs, split = \"; \")`."
  if (length(values$picks) != 1 || length(values$sets)) {
    stop_neatly(
      "step", "`split` of `to_long()` is for one column of text.", NULL, usage
    )
  }
  if (!is.null(values$label_pattern) || !identical(values$label_as, "label")) {
    stop_neatly(
      "step", "`to_long()` with `split` makes no labels.", NULL, usage
    )
  }
  values
}

bind_split <- function(step, typing) {
  by_subset <- length(typing$scope$subsets) > 0
  typing <- typing_of_subset_rows(typing)
  column <- resolve_picks(step$picks, typing, "to_long()")
  type <- typing$scope$columns[[column[1]]]
  if (length(column) != 1 || !type$kind %in% c("text", "category")) {
    stop_neatly(
      "step",
      paste0(
        "`split` of `to_long()` is for one column of text",
        if (length(column) == 1) {
          paste0(", and `", column, "` is ", kind_words(type))
        },
        "."
      ),
      where_of(typing),
      "Pick one column whose cells hold several answers."
    )
  }
  result <- if (step$value_as == "value") column else step$value_as
  if (result != column) guard_new_name(result, without_columns(typing), "column")
  type <- new_type("text", reasons = type$reasons)
  names <- names(typing$scope$columns)
  names[names == column] <- result
  typing <- with_columns_in_order(
    typing, setdiff(names(typing$scope$columns), column)
  )
  typing$scope$columns[[result]] <- type
  typing$scope$origin[result] <- NA
  typing <- with_columns_in_order(typing, names)
  new_bound(
    step,
    typing,
    details = list(
      column = column, made = result, names = names, by_subset = by_subset
    )
  )
}

run_split <- function(bound, state) {
  details <- bound$details
  if (details$by_subset) state <- held_in_no_subset(state)
  from <- if (details$by_subset) state_of_subset_rows(state) else state
  rows <- if (is.null(from$rows)) seq_len(from$frame$n) else from$rows
  coded <- vector_codes(
    from$frame$columns[[details$column]][rows], length(rows)
  )
  answers <- answers_in(as.character(coded$values), bound$step$split)
  note_no_split(answers, bound, state)
  of <- c(
    answers, list(NA_character_)
  )[ifelse(is.na(coded$codes), length(answers) + 1L, coded$codes)]
  place <- rep(rows, lengths(of))
  stay <- setdiff(details$names, details$made)
  hidden <- reasons_in_use(from$frame$types[c(stay, details$column)])
  columns <- lapply(from$frame$columns[c(stay, hidden)], function(x) {
    if (is.null(dim(x))) x[place] else x[place, , drop = FALSE]
  })
  columns[[details$made]] <- as.character(unlist(of))
  state$record$added <- length(place) - state_row_count(state)
  types <- from$frame$types[stay]
  types[[details$made]] <- new_type("text", reasons = from$frame$types[[details$column]]$reasons)
  state <- in_new_stage(
    state,
    columns[c(details$names, hidden)],
    length(place),
    source_row_of(from$frame, place),
    types[details$names]
  )
  state["subsets"] <- list(NULL)
  state
}

# The answers in each text; a text without one is absent.
answers_in <- function(texts, split) {
  lapply(strsplit(texts, split, fixed = TRUE), function(parts) {
    parts <- trimws(parts)
    parts <- parts[nzchar(parts)]
    if (length(parts)) parts else NA_character_
  })
}

note_no_split <- function(answers, bound, state) {
  if (any(lengths(answers) > 1) || !length(answers)) return()
  take_note(
    state$notes,
    paste0(
      "No value of `", bound$details$column, "` holds ",
      quoted(bound$step$split), ": each row has one answer."
    ),
    state$where,
    "Look at how its answers are parted."
  )
}
