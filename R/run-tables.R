# Reads other tables for steps.

# The table as a study's facts: a value of the session, or a file, read when the
# run is checked.
study_of_table <- function(table, where, notes) {
  if (is.data.frame(table$value)) {
    return(unclass(new_study(table$value, name = table_name(table))))
  }
  if (!is.null(table$value)) return(unclass(table$value))
  if (!is.null(table$study)) {
    return(unclass(with_notes_to(notes, where, study_from_plan(table$study))))
  }
  if (is.null(table$path)) {
    return(study_facts(named_database(
      table$database, "In `database` of the table."
    )))
  }
  if (!file.exists(table$path) && !is_pattern(table$path)) {
    folder <- dirname(table$path)
    near <- if (dir.exists(folder)) {
      nearest(basename(table$path), list.files(folder))
    }
    stop_neatly(
      "step",
      paste0("There is no file ", quoted(path_from_here(table$path)), "."),
      where,
      if (length(near)) {
        paste0(
          "In that folder there is ", listed(quoted(near), last = "or"), "."
        )
      } else {
        "Paths in a plan are relative to the plan, others to the working directory."
      }
    )
  }
  result <- with_notes_to(notes, where, study_facts(table$path))
  result$name <- basename(table$path)
  result
}

# What is said while an expression is read goes among other notes.
with_notes_to <- function(notes, where, reading) {
  withCallingHandlers(
    reading,
    neatsieve_note = function(note) {
      words <- note$note
      take_note(notes, words$problem, c(where, words$where), words$instead)
      invokeRestart("muffleMessage")
    }
  )
}

# What the key of a step is there, or an error: columns on both sides, of kinds
# that agree.
check_match <- function(key, other, typing) {
  for (i in seq_along(key)) {
    pick_name(names(key)[i], typing)
    there <- other$frame$types
    if (!key[[i]] %in% names(there)) {
      stop_neatly(
        "expression",
        paste0(
          "The table ", quoted(other$name), " has no column `", key[[i]], "`."
        ),
        where_of(typing),
        c(
          meant(key[[i]], names(there)),
          paste0("Its columns: ", listed(ticked(names(there)), 12), "."),
          if (key[[i]] == names(key)[i]) {
            paste0(
              "Where it is called otherwise there write `key = list(",
              key[[i]], " = \"...\")`."
            )
          }
        )
      )
    }
    check_key_kinds(
      typing$scope$columns[[names(key)[i]]],
      there[[key[[i]]]],
      key[i],
      other$name,
      typing
    )
  }
}

kinds_alike <- function(kind) {
  switch(kind,
    whole = "number",
    category = "text",
    kind
  )
}
check_key_kinds <- function(here, there, key, table, typing) {
  if (isTRUE(here$empty) || isTRUE(there$empty)) return()
  if (kinds_alike(here$kind) == kinds_alike(there$kind) &&
    here$kind != "other") {
    return()
  }
  as <- switch(kinds_alike(there$kind),
    text = "as_text",
    number = "as_number",
    date = "as_date"
  )
  stop_neatly(
    "expression",
    paste0(
      "Column `", names(key), "` is ", kind_words(here), ", and `", key,
      "` of the table ", quoted(table), " is ", kind_words(there), "."
    ),
    where_of(typing),
    if (is.null(as)) {
      "Make both of one kind first."
    } else {
      paste0(
        "Make both of one kind, as with `work_out(", names(key), " = ", as,
        "(", names(key), "))` before."
      )
    }
  )
}

# Rows of the other table with a key that another row has too: an error that
# shows them.
check_one_per_key <- function(key, other, several, typing) {
  again <- if (is.null(other$database)) {
    keys_again(other$frame, unname(key))
  } else {
    keys_again_in_database(other, unname(key))
  }
  keys <- length(again$rows)
  if (!keys) return()
  values <- vapply(seq_len(min(4, keys)), function(k) {
    parts <- vapply(again$values, function(v) value_shown(v[k]), "")
    paste0(
      paste(parts, collapse = " / "), " (", counted(again$rows[k], "row"), ")"
    )
  }, "")
  stop_neatly(
    "step",
    paste0(
      "The table ", quoted(other$name), " has several rows for ",
      counted(keys, "key"), ": ", listed(values, 4), "."
    ),
    where_of(typing),
    several
  )
}
# Keys of several rows, and how many rows each.
keys_again <- function(frame, key) {
  first <- alike_rows(new_memory_relation(frame), key)
  is_absent <- Reduce(`|`, lapply(frame$columns[key], is.na))
  shown <- unique(first[first != seq_along(first) & !is_absent])
  list(
    values = lapply(frame$columns[key], `[`, shown),
    rows = vapply(shown, function(row) sum(first == row), 0)
  )
}

value_shown <- function(x) {
  if (is.na(x)) return("(absent)")
  if (is.character(x) || is.factor(x)) {
    quoted(as.character(x))
  } else {
    format(x, digits = 12)
  }
}

# Tables of the session among a sieve's steps, and files: each as its step's
# number and field.
tables_of_sieve <- function(sieve) {
  matches <- list()
  for (i in seq_along(sieve)) {
    for (field in names(definition_of(sieve[[i]])$fields)) {
      value <- sieve[[i]][[field]]
      if (inherits(value, "neatsieve_other_table")) {
        matches <- c(matches, list(list(step = i, field = field, table = value)))
      }
    }
  }
  matches
}
session_tables <- function(sieve) {
  Filter(
    function(one) {
      all(vapply(one$table[c("path", "database", "study")], is.null, NA))
    },
    tables_of_sieve(sieve)
  )
}

# The run with those rows alone where the condition of an output is yes.
rows_narrowed <- function(state, where) {
  if (is.null(where)) return(state)
  matches <- screened(
    relation_of(state),
    list(where = where),
    FALSE,
    FALSE,
    state$notes,
    state$where
  )
  unknown <- matches$counts[, "unknown"]
  if (unknown > 0) {
    take_note(
      state$notes,
      paste0(
        "`where` is unknown in ", counted(unknown, "row"),
        ", which this table leaves out."
      ),
      state$where,
      paste0(
        "To take them along write `where = ", where$text, " | is_unknown(",
        where$text, ")`."
      )
    )
  }
  put_in_play(matches$rows, state)
}
