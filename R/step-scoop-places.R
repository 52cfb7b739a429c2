# Rows by position, and notes on groups with too few rows.

#' @export
place_over.neatsieve_memory <- function(relation, bound, state, size) {
  at <- bound$step$at
  place <- places_in_groups(relation, bound$keys)
  group <- group_numbers(relation, bound$keys)
  size <- if (is.null(group)) {
    rep(length(place), length(place))
  } else {
    tabulate(group)[group]
  }
  note_short_of_places(at, size, is.null(group), state)
  as.raw(!(place %in% at[at > 0] | (place - size - 1) %in% at[at < 0]))
}

#' @export
place_over.neatsieve_sql <- function(relation, bound, state, size) {
  note_short_of_places(
    bound$step$at, size[size > 0], !length(bound$keys), state
  )
  placed_in_database(relation, bound$keys, bound$step$at)
}

# size: rows of each group, once or more often.
note_short_of_places <- function(at, size, is_whole, state) {
  far <- max(abs(at))
  if (!any(size < far)) return()
  take_note(
    state$notes,
    paste0(
      "There is no row ", listed(place_words(at[abs(at) == far]), 4),
      if (is_whole) {
        ": there are only "
      } else {
        " in every group: the smallest has only "
      },
      counted(min(size), "row"), "."
    ),
    state$where
  )
}

note_larger_scoop <- function(step, size, state) {
  if (is.null(step$n) || !any(size < step$n)) return()
  small <- sum(size < step$n)
  take_note(
    state$notes,
    if (length(step$keys)) {
      paste0(
        "A scoop of ", counted(step$n, "row"), " is larger than ",
        format_count(small), " of ", counted(length(size), "group"),
        ": all rows of ", if (small == 1) "it" else "these", " are let through."
      )
    } else {
      paste0(
        "A scoop of ", counted(step$n, "row"), " is larger than the ",
        counted(sum(size), "row"), " there are."
      )
    },
    state$where
  )
}
