# Matches rows in memory with rows of another table by key.

#' @export
matched_rows.neatsieve_memory <- function(
  relation, key, other, nearest, within
) {
  n <- count_rows(relation)
  exact <- if (nearest == "no") key else key[-length(key)]
  if (nearest == "no" &&
    length(key) == 1 &&
    is_textual(relation$frame, names(key))) {
    return(matched_texts(relation, key, other))
  }
  match <- if (!length(exact)) {
    rep(1L, n)
  } else {
    match_exactly(relation, exact, other)
  }
  if (nearest == "no") return(match)
  match_nearest(relation, key, other, match, nearest, within)
}

is_textual <- function(frame, column) {
  frame$types[[column]]$kind %in% c("text", "category")
}

# One column of texts: each distinct text is looked for once.
matched_texts <- function(relation, key, other) {
  coded <- frame_codes(relation$frame, names(key))
  there <- as_utf8(as.character(other$frame$columns[[key]]))
  place <- match(coded$values, there)[as.integer(coded$codes)]
  if (is.null(relation$rows)) place else place[relation$rows]
}

# Finds, for each row in play, the first row of the other table with the same
# key.
match_exactly <- function(relation, key, other) {
  sides <- lapply(seq_along(key), function(i) {
    if (!is_textual(relation$frame, names(key)[i])) {
      return(list(
        plain_numbers(relation$frame$columns[[names(key)[i]]]),
        plain_numbers(other$frame$columns[[key[[i]]]])
      ))
    }
    coded <- frame_codes(relation$frame, names(key)[i])
    there <- frame_codes(other$frame, key[[i]])
    at <- match(there$values, coded$values)
    # Texts that do not occur here have codes of their own.
    at[is.na(at)] <- length(coded$values) + seq_len(sum(is.na(at)))
    list(as.integer(coded$codes), at[as.integer(there$codes)])
  })
  core_match_rows(
    lapply(sides, `[[`, 1),
    relation$rows,
    relation$frame$n,
    lapply(sides, `[[`, 2),
    other$frame$n,
    thread_count()
  )
}

# The nearest row there among those of the same exact key: both tables in one
# order of key and place, each row here between the two of the other table that
# are nearest.
match_nearest <- function(relation, key, other, match, nearest, within) {
  last <- length(key)
  here <- plain_numbers(relation$frame$columns[[names(key)[last]]])
  if (!is.null(relation$rows)) here <- here[relation$rows]
  there <- plain_numbers(other$frame$columns[[key[[last]]]])
  of_key <- if (last == 1) {
    rep(1L, length(there))
  } else {
    alike_rows(other, unname(key)[-last])
  }
  if (inherits(relation$frame$columns[[names(key)[last]]], "POSIXct") &&
    !is.null(within)) {
    within <- within * 86400
  }
  n <- length(here)
  group <- c(match, of_key)
  find_one <- function(back) {
    # Among equal places, rows of the other table come first; going backwards,
    # last.
    side <- c(
      rep(if (back) 0L else 1L, n), rep(if (back) 1L else 0L, length(there))
    )
    index <- c(rep(NA_integer_, n), ifelse(is.na(there), NA, seq_along(there)))
    core_running(
      "fill",
      as.integer(index),
      as_groups(group),
      max(group, 1L, na.rm = TRUE) + 1,
      list(as.numeric(c(here, there)), side),
      c(FALSE, FALSE),
      0,
      back,
      FALSE,
      thread_count()
    )[seq_len(n)]
  }
  before <- if (nearest != "after") find_one(FALSE)
  after <- if (nearest != "before") find_one(TRUE)
  chosen <- if (is.null(after)) {
    before
  } else if (is.null(before)) {
    after
  } else {
    ifelse(
      is.na(before) |
        (!is.na(after) & there[after] - here < here - there[before]),
      after,
      before
    )
  }
  chosen[is.na(here) | is.na(match)] <- NA
  if (!is.null(within)) chosen[abs(there[chosen] - here) > within] <- NA
  chosen
}
# Group numbers from 1; rows without a key get groups of their own.
as_groups <- function(group) {
  ifelse(is.na(group), max(group, 1L, na.rm = TRUE) + 1L, group)
}

#' @export
absent_keys.neatsieve_memory <- function(relation, columns) {
  is_absent <- Reduce(`|`, lapply(relation$frame$columns[columns], is.na))
  if (is.null(relation$rows)) is_absent else is_absent[relation$rows]
}
