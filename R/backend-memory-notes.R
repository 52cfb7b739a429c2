# Notes on which rows aggregates use.

# Aggregates that one expression calculates with, but that rest on different
# rows because other columns are absent there. Conditions joined by and / or are
# looked at one by one; `where` says that the rows are meant to differ.
note_different_rows <- function(node, frame, rows, notes, where) {
  if (is.null(notes) || node$node != "call") return(invisible())
  if (node$fn %in% c("&", "|", "!", "first_true")) {
    for (arg in node$args) note_different_rows(arg, frame, rows, notes, where)
    return(invisible())
  }
  matches <- Filter(function(n) is.null(n$where), aggregates_in(node))
  if (all(vapply(matches, `[[`, "", "fn") %in% c("count", "count_true"))) {
    return(invisible())
  }
  alike <- split(
    matches,
    vapply(
      matches,
      function(n) {
        paste(c(vapply(n$by, node_key, ""), n$over), collapse = "\r")
      },
      character(1)
    )
  )
  for (group in alike) {
    over <- switch(if (is.null(group[[1]]$over)) "" else group[[1]]$over,
      study = NULL,
      play = rows_in_play(frame, rows)$rows,
      rows
    )
    note_rows_of(group, node, frame, over, notes, where)
  }
}

note_rows_of <- function(found, node, frame, rows, notes, where) {
  args <- lapply(
    found,
    function(n) unique_nodes(Filter(function(m) m$node != "constant", n$args))
  )
  alike <- duplicated(lapply(args, function(x) vapply(x, node_key, "")))
  found <- found[!alike]
  args <- args[!alike]
  if (length(found) < 2) return()
  counted_rows <- complete_rows(args, frame, rows)
  if (is.null(counted_rows)) return()
  counts <- counted_rows$each
  both <- counted_rows$both
  if (all(counts == both)) return()
  texts <- vapply(found, `[[`, "", "text")
  words <- paste0("`", texts, "` on ", vapply(counts, counted, "", one = "row"))
  take_note(
    notes,
    paste0(
      "The aggregates of `", node$text, "` rest on different rows: ",
      listed(words, 4), "; ", counted(both, "row"), " have all."
    ),
    where,
    paste0(
      "To take all over the same rows write ",
      listed(ticked(with_where(found, args)), 4), "."
    )
  )
}

#' @export
complete_rows.default <- function(args, frame, rows) {
  a <- new_aggregation(frame, rows, group_rows(list(), frame, rows))
  if (all(vapply(
    unlist(args, recursive = FALSE),
    function(n) sum(moments_of(n, a)$absent) == 0,
    NA
  ))) {
    return()
  }
  used <- lapply(args, function(x) {
    present <- rep(TRUE, frame$n)
    for (n in x) present <- present & !is.na(aggregate_vector(n, a))
    if (is.null(rows)) present else present[rows]
  })
  list(each = vapply(used, sum, numeric(1)), both = sum(Reduce(`&`, used)))
}
# Code of aggregates with `where =` for the columns that the others need.
with_where <- function(found, args) {
  all <- unique_nodes(unlist(args, recursive = FALSE))
  vapply(
    seq_along(found),
    function(i) {
      mine <- vapply(args[[i]], node_key, "")
      others <- Filter(function(n) !node_key(n) %in% mine, all)
      if (!length(others)) return(found[[i]]$text)
      present <- paste0(
        "present(", vapply(others, `[[`, "", "text"), ")",
        collapse = " & "
      )
      lang <- str2lang(found[[i]]$text)
      lang$where <- str2lang(present)
      lang_text(lang)
    },
    character(1)
  )
}

note_aggregate <- function(node, a, r, rows) {
  if (is.null(r$notes)) return()
  over <- rows_taken(a$frame, rows)
  if (over$held > 0) {
    take_note(
      r$notes,
      paste0(
        "`", node$text, "` is taken over the ", counted(over$taken, "row"),
        " that entered this step, after ", format_count(over$held),
        if (over$held == 1) " was" else " were", " held back."
      ),
      r$where,
      paste0(
        "Move the step before the rows are held back, or write `over = ",
        "\"study\"`, ",
        "for all rows as loaded."
      )
    )
  }
  if (isTRUE(node$carry)) return()
  n_absent <- sum(vapply(
    Filter(function(n) n$node != "constant", node$args),
    function(arg) sum(moments_of(arg, a)$absent),
    numeric(1)
  ))
  if (n_absent > 0 && !node$fn %in% c("count", "count_true", "share")) {
    take_note(
      r$notes,
      paste0(
        "`", node$text, "` leaves out ", counted(n_absent, "absent value"), "."
      ),
      r$where,
      "Write `absent = \"carry\"` to make the result absent instead."
    )
  }
}

#' @export
rows_taken.default <- function(frame, rows) {
  play <- rows_in_play(frame, rows)
  all_there <- is.null(rows) || is.null(play$rows)
  list(
    taken = length(rows),
    held = if (all_there) 0 else rows_in_table(play$frame) - length(play$rows)
  )
}
