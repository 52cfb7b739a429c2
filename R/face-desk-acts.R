# What a user can do at the desk. Each act takes the desk and a message, changes
# the desk, and returns what to send back. Nothing here knows of a browser.

# Views for every open page have `all = TRUE`.
desk_view <- function(view, ..., all = FALSE) {
  list(all = all, message = list(view = view, ...))
}

# Checks one message and answers it.
desk_answer <- function(desk, message) {
  act <- message$act
  if (!is_text(act) || !act %in% names(desk_acts)) return(list())
  tryCatch(
    desk_acts[[act]](desk, message),
    neatsieve_error = function(e) {
      list(desk_view(
        "refused",
        finding = unclass(finding_of_error(e)),
        act = act
      ))
    }
  )
}

message_text <- function(message, name = "text") {
  text <- message[[name]]
  is_one <- is.character(text) && length(text) == 1 && !is.na(text)
  if (!is_one || nchar(text) > 20000) {
    stop_neatly(
      "step",
      paste0(
        "The desk needs a text of at most 20,000 characters as `", name, "`."
      ),
      NULL,
      "Write it shorter."
    )
  }
  text
}
message_number <- function(message, name) {
  value <- message[[name]]
  if (is.numeric(value) && length(value) == 1 && is.finite(value)) {
    as.integer(value)
  } else {
    0L
  }
}

all_changed <- function(desk) list(sieve_view(desk, all = TRUE))

desk_acts <- list(
  hello = function(desk, message) {
    list(study_view(desk), words_view(desk), sieve_view(desk))
  },
  check = function(desk, message) {
    text <- message_text(message)
    if (!identical(desk$line, text)) end_job(desk, "count")
    desk$line <- text
    list(line_view(
      desk,
      text,
      message_number(message, "seq"),
      message_number(message, "editing")
    ))
  },
  count = function(desk, message) {
    ask_counts(
      desk,
      message_text(message),
      message_number(message, "seq"),
      message_number(message, "editing")
    )
  },
  rows = function(desk, message) {
    list(rows_view(
      desk,
      message_text(message),
      message_text(message, "outcome"),
      message_number(message, "editing")
    ))
  },
  follow = function(desk, message) {
    list(follow_view(desk, message_number(message, "row")))
  },
  spread = function(desk, message) {
    list(spread_view(desk, message_text(message, "column")))
  },
  values = function(desk, message) {
    list(values_view(
      desk,
      message_text(message, "column"),
      message_text(message),
      message_number(message, "seq")
    ))
  },
  add = function(desk, message) {
    text <- message_text(message)
    step <- with_role(typed_step(text), text, message$role, message$unknown)
    refuse_wrong(step, siftings_at_end(desk))
    change_desk(
      desk,
      c(desk$items, list(new_desk_item(step, desk))),
      paste0("Added ", step$kind, "()")
    )
    desk$line <- ""
    c(list(desk_view("line_done")), all_changed(desk))
  },
  replace = function(desk, message) {
    at <- index_of_item(desk, message_number(message, "id"))
    step <- typed_step(message_text(message))$step
    refuse_wrong(
      step, siftings_before(desk, place_of_item(desk, desk$items[[at]]$id))
    )
    items <- desk$items
    items[[at]] <- new_desk_item(step, desk, off = items[[at]]$off)
    change_desk(desk, items, paste0("Changed step ", at))
    c(list(desk_view("line_done")), all_changed(desk))
  },
  move = function(desk, message) {
    at <- index_of_item(desk, message_number(message, "id"))
    to <- min(max(message_number(message, "to"), 1L), length(desk$items))
    if (to == at) return(list())
    items <- append(desk$items[-at], desk$items[at], to - 1)
    change_desk(desk, items, paste0("Moved step ", at, " to place ", to))
    all_changed(desk)
  },
  switch = function(desk, message) {
    at <- index_of_item(desk, message_number(message, "id"))
    items <- desk$items
    items[[at]]$off <- !items[[at]]$off
    change_desk(
      desk,
      items,
      paste0("Switched step ", at, if (items[[at]]$off) " off" else " on")
    )
    all_changed(desk)
  },
  remove = function(desk, message) {
    at <- index_of_item(desk, message_number(message, "id"))
    change_desk(desk, desk$items[-at], paste0("Took out step ", at))
    all_changed(desk)
  },
  name = function(desk, message) {
    name_condition(desk, message_text(message, "name"), message_text(message))
    c(list(desk_view("line_named", name = message$name)), all_changed(desk))
  },
  rename = function(desk, message) {
    rename_criterion(
      desk, message_text(message, "from"), message_text(message, "to")
    )
    all_changed(desk)
  },
  undo = function(desk, message) {
    undo_desk(desk)
    all_changed(desk)
  },
  redo = function(desk, message) {
    redo_desk(desk)
    all_changed(desk)
  },
  kept = function(desk, message) {
    offered <- desk$offered
    desk$offered <- NULL
    if (isTRUE(message$take) && !is.null(offered)) {
      change_desk(desk, offered$items, "Took up what was left")
    }
    all_changed(desk)
  },
  outputs = function(desk, message) list(outputs_view(desk)),
  draw = function(desk, message) {
    ask_picture(desk, message_text(message, "key"))
    list()
  },
  leaving = function(desk, message) {
    desk$was_left <- TRUE
    list()
  },
  done = function(desk, message) {
    desk$ended <- TRUE
    list(desk_view("ended", all = TRUE))
  }
)

# Refuses a new step that cannot run; a step that cannot run any more stays on
# the desk.
refuse_wrong <- function(step, out) {
  wrong <- Filter(function(f) f$severity == "error", step_findings(step, out))
  if (!length(wrong)) return(invisible())
  stop_neatly("step", wrong[[1]]$problem, NULL, wrong[[1]]$instead)
}

# Makes a step of the kind that the user chose, with the choice for unknown
# rows.
with_role <- function(typed, text, role, unknown) {
  if (typed$kind == "step" || (is.null(role) && is.null(unknown))) {
    return(typed$step)
  }
  role <- if (identical(role, "exclude")) "exclude" else "include"
  more <- if (is_text(unknown) && unknown %in% c("hold", "pass", "stop")) {
    paste0(", unknown = ", quoted(unknown))
  }
  typed_call(paste0(role, "(", text, more, ")"))
}

# Adds a named condition to the criteria, before all steps that may cite it.
name_condition <- function(desk, name, text) {
  typed <- typed_step(text)
  if (is.null(typed$condition)) {
    stop_neatly(
      "step",
      "Only a condition gets a name here.",
      NULL,
      "Type a condition, as `honey_kg > 5`."
    )
  }
  if (!identical(make.names(name), name)) {
    stop_neatly(
      "step",
      paste0(quoted(name), " is no name."),
      NULL,
      paste0("Write ", ticked(make.names(name)), ".")
    )
  }
  code <- lang_text(typed$condition)
  kinds <- vapply(desk$items, function(item) item$step$kind, "")
  at <- match("criteria", kinds)
  items <- desk$items
  if (is.na(at)) {
    result <- typed_call(paste0("criteria(", name, " = ", code, ")"))
    after <- max(c(0, which(kinds == "settings")))
    items <- append(items, list(new_desk_item(result, desk)), after)
  } else {
    result <- str2lang(items[[at]]$text)
    result[[name]] <- typed$condition
    items[[at]] <- new_desk_item(typed_call(lang_text(result)), desk)
  }
  change_desk(desk, items, paste0("Named ", ticked(name)))
}

# Renames a criterion where it is defined and wherever it is cited.
rename_criterion <- function(desk, from, to) {
  known <- names_on_desk(desk, criterion_names)
  if (!from %in% known || !identical(make.names(to), to)) {
    stop_neatly(
      "step",
      paste0(
        if (from %in% known) {
          paste0(quoted(to), " is no name.")
        } else {
          paste0("There is no criterion ", quoted(from), ".")
        }
      ),
      NULL,
      "Choose a name of letters, digits and `_`."
    )
  }
  items <- lapply(desk$items, function(item) {
    if (!from %in% all.names(str2lang(item$text)) &&
      !from %in% criterion_names(item$step)) {
      return(item)
    }
    text <- renamed_in_text(item$text, from, to)
    new_desk_item(typed_call(text), desk, off = item$off)
  })
  change_desk(desk, items, paste0("Renamed ", ticked(from), " to ", ticked(to)))
}
