# The value of a desk: a study and a list of steps, with results and undo.

# study: its facts. items: the steps in order, see new_desk_item(). past,
# future: earlier and undone lists, each with what was done. chain: what every
# step gives, see new_link(). said: what the last change did. line: the text in
# the line when it was last sent. kept: the file of the session. save: a plan
# file that is written after each change, or NULL. copy: where the session that
# waits finds the sieve; session: its process. place: how a plan names the study
# in its database, once that was asked. offered: a list of steps that an earlier
# session left, or NULL. sockets: who looks on; speaker: whose message is
# answered. jobs: what is done beside. figures: charts and their pictures by
# key; to_draw: those that wait. ended: whether Done was pressed; leaving: when
# a page was left, was_left: whether all were closed, met_socket: whether one
# was ever there. spreads, samples: what was counted already.
new_desk <- function(study, sieve, save = NULL, kept = NULL) {
  desk <- list2env(
    list(
      study = study,
      items = list(),
      past = list(),
      future = list(),
      chain = list(),
      base = NULL,
      said = "",
      line = "",
      kept = kept,
      save = save,
      offered = NULL,
      sockets = list(),
      jobs = list(),
      figures = list(),
      to_draw = character(),
      ended = FALSE,
      spreads = list(),
      samples = list(),
      last_id = 0L,
      leaving = NULL,
      was_left = FALSE,
      met_socket = FALSE,
      speaker = "",
      copy = NULL,
      session = NULL,
      place = NULL
    ),
    parent = emptyenv()
  )
  desk$items <- lapply(unclass(sieve), new_desk_item, desk = desk)
  desk$base <- quiet_run(pour(as_study_object(study)))$value
  run_desk(desk)
  desk
}

# A step on the desk. text: as it is shown and edited; off: whether it is left
# out.
new_desk_item <- function(step, desk, text = text_of_step(step), off = FALSE) {
  desk$last_id <- desk$last_id + 1L
  new_record(
    "desk_item", list(id = desk$last_id, step = step, text = text, off = off)
  )
}

# What one step gives behind those before it: siftings or, where it fails, a
# finding.
new_link <- function(item, out, findings) {
  new_record("desk_link", list(item = item, out = out, findings = findings))
}

# Evaluates code and returns its value with the notes; an error is returned as a
# finding.
quiet_run <- function(code) {
  notes <- list()
  value <- withCallingHandlers(
    code,
    neatsieve_note = function(n) {
      notes <<- c(notes, list(finding_of_note(n$note)))
      invokeRestart("muffleMessage")
    }
  )
  list(value = value, notes = notes)
}

active_items <- function(desk) Filter(function(item) !item$off, desk$items)
sieve_of_desk <- function(desk) {
  as_sieve(lapply(active_items(desk), `[[`, "step"))
}

# Runs steps from the first changed one on; earlier results are kept.
run_desk <- function(desk) {
  chain <- list()
  before <- desk$base
  is_same <- TRUE
  for (item in active_items(desk)) {
    k <- length(chain) + 1
    old <- if (k <= length(desk$chain)) desk$chain[[k]]
    is_same <- is_same && !is.null(old) && identical(old$item$step, item$step)
    link <- if (is_same) {
      old
    } else if (is.null(before)) {
      new_link(item, NULL, list())
    } else {
      run_link(item, before)
    }
    link$item <- item
    chain[[k]] <- link
    before <- link$out
  }
  desk$chain <- chain
  invisible(desk)
}

run_link <- function(item, before) {
  tryCatch(
    {
      run <- quiet_run(pour(before, item$step))
      new_link(item, run$value, run$notes)
    },
    neatsieve_error = function(e) {
      new_link(item, NULL, list(finding_of_error(e)))
    }
  )
}

# What came before a place among the active steps (1: the study), as far as it
# runs.
siftings_before <- function(desk, place) {
  links <- utils::head(desk$chain, place - 1)
  outs <- Filter(Negate(is.null), lapply(links, `[[`, "out"))
  if (length(outs)) outs[[length(outs)]] else desk$base
}
siftings_at_end <- function(desk) siftings_before(desk, length(desk$chain) + 1)

# The position of an item among the active steps; after all of them if it is not
# active.
place_of_item <- function(desk, id) {
  at <- match(id, vapply(active_items(desk), `[[`, 0L, "id"))
  if (length(at) && !is.na(at)) at else length(desk$chain) + 1
}
index_of_item <- function(desk, id) {
  at <- match(id, vapply(desk$items, `[[`, 0L, "id"))
  if (!length(at) || is.na(at)) {
    stop_neatly(
      "step",
      "That step is no longer on the desk.",
      NULL,
      "Look at the list again."
    )
  }
  at
}

# Changes the list, runs it, and says what that did to the rows.
change_desk <- function(desk, items, what) {
  from <- totals_of_desk(desk)
  desk$past <- c(desk$past, list(list(items = desk$items, what = what)))
  desk$future <- list()
  desk$items <- items
  run_desk(desk)
  desk$said <- paste0(
    what, ": ", change_words(from, totals_of_desk(desk), desk$study$unit), "."
  )
  keep_desk(desk)
}

undo_desk <- function(desk) step_in_time(desk, "past", "future", "Undone")
redo_desk <- function(desk) step_in_time(desk, "future", "past", "Done again")
step_in_time <- function(desk, from, to, word) {
  stack <- desk[[from]]
  if (!length(stack)) return(invisible())
  last <- stack[[length(stack)]]
  before <- totals_of_desk(desk)
  desk[[from]] <- stack[-length(stack)]
  desk[[to]] <- c(desk[[to]], list(list(items = desk$items, what = last$what)))
  desk$items <- last$items
  run_desk(desk)
  desk$said <- paste0(
    word, " (", tolower(substr(last$what, 1, 1)), substring(last$what, 2),
    "): ", change_words(before, totals_of_desk(desk), desk$study$unit), "."
  )
  keep_desk(desk)
}

totals_of_desk <- function(desk) {
  last <- utils::tail(ledger_by_step(desk)[c("rows_out", "units_out")], 1)
  if (!nrow(last)) {
    c(desk$study$frame$n, units_of_desk(desk))
  } else {
    as.numeric(last)
  }
}
units_of_desk <- function(desk) {
  if (is.null(desk$study$unit)) NA_real_ else as.numeric(study_units(desk))
}
study_units <- function(desk) siftings_parts(desk$base)$state$units

# "41 rows fewer, 3 hives fewer"
change_words <- function(from, to, unit) {
  one <- function(k, word) {
    by <- to[k] - from[k]
    if (is.na(by)) return(NULL)
    if (by == 0) {
      paste0("as many ", word, "s")
    } else {
      paste(counted(abs(by), word), if (by < 0) "fewer" else "more")
    }
  }
  listed(c(one(1, "row"), if (!is.null(unit)) one(2, unit)))
}
