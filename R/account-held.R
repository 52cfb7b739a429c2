#' Rows held back, and why
#'
#' Gives the rows that were held back: for each, the step and the condition that
#' removed it from the rows that go on, and the reason.
#'
#' @param out Siftings from [pour()].
#' @param ... Names of conditions or steps, or step numbers; none: all.
#' @param unknown `TRUE`: only rows held because a condition could not be
#'   decided; `FALSE`: only rows held for another reason.
#' @param because Reasons, as text: only rows held for one of them (see
#'   `held_because` below).
#' @return A data frame with `source_row` (row number in the study), `held_at`
#'   (step number), `held_by` (condition), `held_because` (`"no"`, `"unknown"`,
#'   `"yes"` for `exclude()`, or `"condensed"`) and then all columns of the
#'   study, those first that the conditions read, in the order of `source_row`.
#'   For a study of several files, `source_file` and `file_row` (the row in that
#'   file) follow `source_row`. Row names of a data frame stay. If a file was
#'   sieved while it was read (see [pour()]), it is read again for these rows.
#' @section Errors: Class `neatsieve_error_run` if no step or condition has that
#'   name, or no row was held for that reason.
#' @seealso [ledger()], [follow()], [screening()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, include(weighed = present(hive_weight_kg), mites_per_100 > 5))
#' held_back(out, "weighed")
#' held_back(out, unknown = TRUE)
#' @export
held_back <- function(out, ..., unknown = NULL, because = NULL) {
  local_plain()
  state <- siftings_parts(out)$state
  asked <- list(...)
  numbers <- vapply(unlist(asked), function(one) {
    as.numeric(held_step(one, is.numeric(asked[[1]]), state))
  }, 0)
  is_wanted <- function(at, by, because) {
    named <- !length(asked) |
      at %in% numbers |
      by %in% unlist(asked)[is.na(numbers)]
    named & (is.null(unknown) | (because == "unknown") == isTRUE(unknown))
  }
  is_all <- !length(asked) && is.null(unknown)
  held <- held_rows_of(
    out, if (!is_all) function(h) is_wanted(h$step, h$by, h$because)
  )
  held <- held[is_wanted(
    held$held_at, held$held_by, held$held_because
  ), , drop = FALSE]
  if (!is.null(because)) held <- held[of_reason(held, because), , drop = FALSE]
  # What the conditions looked at comes first.
  read <- columns_held_by(state, unique(held$held_by))
  places <- places_in_files(held$source_row, state$study$files)
  held[names(places)] <- places
  front <- c(
    "source_row", names(places), "held_at", "held_by", "held_because",
    intersect(read, names(held))
  )
  held <- held[c(front, setdiff(names(held), front))]
  if (is.null(state$study$frame$row_names)) rownames(held) <- NULL
  structure(
    held,
    class = c("neatsieve_held", "data.frame"),
    unknown_because = words_of_unknown(state, is_wanted)
  )
}

# The file of each row of a study of several, and its number there; columns of
# such names stay.
places_in_files <- function(rows, files) {
  if (is.null(files)) return(NULL)
  at <- findInterval(rows - 1, files$ends) + 1
  at[!is.na(at) & at > length(files$names)] <- NA
  data.frame(
    source_file = files$names[at],
    file_row = as.integer(rows - c(0, files$ends)[at])
  )
}

# Why rows that are asked for are unknown, where reasons are known for absent
# values.
words_of_unknown <- function(state, is_wanted) {
  if (!is.null(state$study$database) ||
    !length(kept_reasons(state$study$frame))) {
    return(NULL)
  }
  reasons <- Filter(
    function(r) length(r$why) && is_wanted(r$step, r$by, r$because),
    held_reasons(state)
  )
  vapply(reasons, function(r) {
    paste0(r$by, ": unknown because ", absence_words(r$absent, r$why))
  }, "")
}

of_reason <- function(held, because) {
  known <- unique(held$held_because)
  strange <- setdiff(because, known)
  if (length(strange) && length(known)) {
    stop_neatly(
      "run",
      paste0("No row is held back because of ", quoted(strange[1]), "."),
      NULL,
      c(
        meant(strange[1], known, quoted),
        paste0("Reasons here: ", listed(quoted(known), 10), ".")
      )
    )
  }
  held$held_because %in% because
}

# The number of a step that was asked for, or NA for a condition.
held_step <- function(one, by_number, state) {
  steps <- step_names(state$steps)
  conditions <- unlist(lapply(state$records, function(r) r$conditions$name))
  if (by_number && as.numeric(one) %in% seq_along(steps)) {
    return(as.numeric(one))
  }
  if (one %in% steps) return(match(one, steps))
  if (!by_number && one %in% conditions) return(NA)
  screens <- vapply(
    state$steps, function(s) has_effect(s, c("rows", "marks")), logical(1)
  )
  known <- unique(c(conditions, steps[screens]))
  stop_neatly(
    "run",
    paste0("No step or condition is called ", quoted(one), "."),
    NULL,
    c(
      meant(one, known, quoted),
      paste0("They are ", listed(quoted(known), 10), ".")
    )
  )
}

# Columns that conditions read, by the conditions' names.
columns_held_by <- function(state, conditions) {
  reads <- unlist(lapply(state$holdings, `[[`, "reads"), recursive = FALSE)
  unique(as.character(unlist(reads[names(reads) %in% conditions])))
}

# Computed when it is first asked for.
kept_held_rows <- function(inside) {
  if (is.null(inside$held)) inside$held <- held_rows(inside$state)
  inside$held
}

# The rows that every step held, from the table it saw; where rows became groups
# on the way, the tables differ and columns one of them lacks are absent.
# wanted: as in held_rows_of().
held_rows <- function(state, wanted = NULL) {
  frames <- lapply(
    c(lapply(state$stages, function(s) s$frame), list(state$frame)),
    without_rows
  )
  parts <- lapply(
    seq_along(frames),
    held_in_stage,
    state = state,
    frames = frames,
    wanted = wanted
  )
  parts <- parts[c(TRUE, vapply(parts[-1], nrow, integer(1)) > 0)]
  if (length(parts) == 1) return(parts[[1]])
  all <- unique(unlist(lapply(parts, names)))
  out <- do.call(
    rbind,
    lapply(parts, function(p) {
      for (c in setdiff(all, names(p))) p[[c]] <- rep(NA, nrow(p))
      p[all]
    })
  )
  rownames(out) <- NULL
  out
}

held_in_stage <- function(e, state, frames, wanted) {
  frame <- frames[[e]]
  here <- Filter(
    function(h) h$stage == e && is.null(rows_there(h$rows)), state$holdings
  )
  account <- lapply(here, function(h) {
    fates <- as.integer(h$fates)
    at <- which(fates > 0)
    held_account(
      if (is.null(h$rows)) at else h$rows[at],
      frame,
      h$step,
      h$by[fates[at]],
      h$because[fates[at]]
    )
  })
  none <- held_account(integer(), frame, integer(), character(), character())
  account <- one_below_other(c(list(none), account))
  account <- account[order(account$source_row, account$row), , drop = FALSE]
  row <- account$row
  account$row <- NULL
  first <- names(state$study$frame$types)
  columns <- union(first[first %in% names(frame$types)], names(frame$types))
  rows <- frame_rows(frame, row, columns)
  # A column that was not read has no row with a text of another kind.
  if (!length(row)) {
    for (name in columns[vapply(frame$columns[columns], is_unread, NA)]) {
      rows[[name]] <- vector_of_type(character(), frame$types[[name]])
    }
  }
  # Undoes the latest change first; values from before an earlier change then
  # overwrite it.
  for (kept in rev(Filter(function(k) k$stage == e, state$changed))) {
    before <- account$held_at < kept$step & !is.na(kept$values[row])
    if (any(before) && kept$column %in% columns) {
      rows[[kept$column]] <- with_values_before(rows[[kept$column]], kept$values[row], before)
    }
  }
  names <- if (is.null(own_row_names(rows))) {
    .set_row_names(nrow(rows))
  } else {
    attr(rows, "row.names")
  }
  rows <- structure(c(account, rows), class = "data.frame", row.names = names)
  there <- Filter(
    function(h) h$stage == e && !is.null(rows_there(h$rows)), state$holdings
  )
  if (length(there)) held_there(there, rows, frame, wanted) else rows
}

# With the rows that steps held in a database, each as it was at its step.
held_there <- function(holdings, rows, frame, wanted) {
  account <- c("source_row", "held_at", "held_by", "held_because")
  columns <- setdiff(names(rows), account)
  parts <- lapply(
    holdings, held_of,
    frame = frame, columns = columns, wanted = wanted
  )
  parts <- c(parts[vapply(parts, nrow, 0L) > 0], list(rows))
  place <- unlist(lapply(parts, function(p) {
    if (is.null(attr(p, "place"))) rep(0, nrow(p)) else attr(p, "place")
  }))
  for (name in columns) {
    like <- rows[[name]]
    is_alike <- function(x) {
      identical(class(x), class(like)) ||
        (is_plain_number(x) && is_plain_number(like))
    }
    is_other <- vapply(parts, function(p) {
      !is.null(p[[name]]) && !is_alike(p[[name]]) && !all(is.na(p[[name]]))
    }, NA)
    parts <- lapply(parts, function(p) {
      if (is.null(p[[name]]) || (!any(is_other) && !is_alike(p[[name]]))) {
        p[[name]] <- like[rep(NA_integer_, nrow(p))]
      }
      # A column that had another kind at some step becomes text.
      if (any(is_other)) p[[name]] <- told_as_text(p[[name]])
      p
    })
  }
  all <- one_below_other(lapply(parts, `[`, names(rows)))
  all <- all[order(all$source_row, place, seq_len(nrow(all))), , drop = FALSE]
  rownames(all) <- NULL
  all
}

held_of <- function(holding, frame, columns, wanted) {
  codes <- seq_along(holding$by)
  if (!is.null(wanted)) codes <- codes[wanted(holding)]
  held <- held_in_database(holding, frame$ids, codes)
  fate <- held$fate
  account <- held_account(
    seq_along(fate),
    frame,
    holding$step,
    holding$by[fate],
    holding$because[fate]
  )
  account$source_row <- if (is.null(held$source)) {
    rep(NA_integer_, length(fate))
  } else {
    held$source
  }
  account$row <- NULL
  structure(
    c(account, held$rows[intersect(columns, names(held$rows))]),
    class = "data.frame",
    row.names = .set_row_names(length(fate)),
    place = held$place
  )
}

held_account <- function(row, frame, step, by, because) {
  data.frame(
    row = row,
    source_row = source_row_of(frame, row),
    held_at = rep_len(as.integer(step), length(row)),
    held_by = by,
    held_because = because
  )
}

is_plain_number <- function(x) is.numeric(x) && !is.object(x)

told_as_text <- function(x) {
  if (!is.numeric(x) || is.object(x)) return(as.character(x))
  text <- rep(NA_character_, length(x))
  text[!is.na(x)] <- number_as_text(x[!is.na(x)])
  text
}
# Restores values that some rows had when the column was of another kind:
# categories of both kinds, or texts.
with_values_before <- function(now, then, before) {
  if (is_plain_number(now) && is_plain_number(then)) {
    now[before] <- then[before]
    return(now)
  }
  result <- told_as_text(now)
  result[before] <- told_as_text(then)[before]
  if (is.factor(now) && is.factor(then)) {
    return(factor(result, unique(c(levels(then), levels(now)))))
  }
  result
}

#' @export
print.neatsieve_held <- function(x, ...) {
  local_plain()
  if (!"held_because" %in% names(x)) return(NextMethod())
  cat(counted(nrow(x), "row"), " held back\n", sep = "")
  because <- attr(x, "unknown_because")
  if (length(because)) {
    cat(strwrap(because, console_width(), indent = 2, exdent = 4), sep = "\n")
  }
  if (nrow(x)) {
    cat(table_lines(x, rows = 10, lead = "source_row", blocks = 4), sep = "\n")
  }
  invisible(x)
}
