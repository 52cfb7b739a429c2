# Notes on rows without a match, with similar spellings in the other table.

# How many rows have no match, and which of their values are spelled nearly like
# one there.
note_unmatched <- function(match, bound, state) {
  n_absent <- sum(is.na(match))
  if (!n_absent) return()
  key <- names(bound$step$key)
  rows <- (if (is.null(state$rows)) {
    seq_len(state$frame$n)
  } else {
    state$rows
  })[is.na(match)]
  values <- state$frame$columns[[key[1]]][rows]
  say_unmatched(
    n_absent, sum(is.na(values)), unique(values[!is.na(values)]), bound, state
  )
}
# absent: in how many rows the key's first column is; distinct: its values.
say_unmatched <- function(gone, absent, distinct, bound, state) {
  step <- bound$step
  key <- names(step$key)
  words <- paste0(
    counted(gone, "row"), if (gone == 1) " has" else " have", " no row in ",
    quoted(bound$details$other$name)
  )
  shown <- if (length(key) == 1 && absent < gone) {
    paste0(
      ": `", key, "` is ",
      listed(vapply(utils::head(distinct, 6), value_shown, ""), 5, "or"),
      if (length(distinct) > 6) " and others"
    )
  }
  because <- if (absent) {
    paste0(" (", key[1], " absent in ", format_count(absent), ")")
  }
  problem <- paste0(words, shown, because, ".")
  near <- nearly_matched(
    distinct, bound$details$other$frame$columns[[step$key[[1]]]]
  )
  if (step$unmatched == "stop") {
    stop_neatly(
      "run",
      problem,
      state$where,
      c(near, "Mend them, or write `unmatched = \"keep\"` or `\"hold\"`.")
    )
  }
  take_note(
    state$notes,
    problem,
    state$where,
    c(
      near,
      if (step$unmatched == "keep") {
        "Their new columns are absent; `unmatched = \"hold\"` holds such rows back."
      }
    )
  )
}

# Values without a match that are spelled nearly like one there.
nearly_matched <- function(values, there) {
  if (!is.character(values) && !is.factor(values)) return(NULL)
  there <- unique(as.character(there))
  strange <- setdiff(unique(as.character(values)), c(there, NA))
  strange <- strange[nchar(strange) > 2]
  near <- lapply(utils::head(strange, 200), nearest, among = there, most = 1)
  matches <- lengths(near) > 0
  if (!any(matches)) return(NULL)
  words <- paste0(
    quoted(utils::head(strange, 200)[matches]), " is near to ",
    quoted(unlist(near))
  )
  paste0(
    listed(utils::head(words, 4), 4),
    "; `relabel()` in `work_out()` makes one of two."
  )
}
