# Looks for the table in a text that cannot be read as it is: titles above it,
# comments, lines below it, short lines. It tries what it finds before
# suggesting it.

# The calls that read the file, each with when it is meant. Lines that are
# shorter than the others may stand below the table, or be rows of it. layout:
# of the file that was read in vain.
calls_that_read <- function(layout) {
  reading <- layout$reading
  if (is_chain(layout$source) || is.null(reading)) return(NULL)
  result <- tryCatch(
    found_around(layout$source, reading),
    error = function(e) NULL
  )
  is_around <- length(result) > 0 && is_read_with(layout, result)
  calls <- if (is_around) {
    c("stand around the table" = call_of_study(layout, result))
  }
  if (is_around && is.null(result$footer)) return(calls)
  filled <- c(result[names(result) != "footer"], list(ragged = "fill"))
  c(
    calls,
    if (is_read_with(layout, filled)) {
      c("are rows that end early" = call_of_study(layout, filled))
    }
  )
}

# A text of one column whose lines hold several values, by another mark than the
# first line has, or none.
note_title <- function(layout, notes) {
  reading <- layout$reading
  if (length(layout$names) != 1 ||
    !is.null(reading$delimiter) ||
    is_chain(layout$source)) {
    return()
  }
  result <- tryCatch(
    found_around(layout$source, reading),
    error = function(e) NULL
  )
  if (!length(result) || !is_read_with(layout, result)) return()
  take_note(
    notes,
    paste0(
      "The first line holds one name, ", quoted(layout$names),
      ", and most lines hold several values: it may be a title."
    ),
    layout$where,
    paste0("If it is: `", call_of_study(layout, result), "`.")
  )
}

# Arguments of study() that leave out what does not fit.
found_around <- function(source, reading) {
  bytes <- first_bytes(source, 2^16)
  if (source$start > 0) bytes <- bytes[-seq_len(source$start)]
  starts <- line_starts(bytes)
  lines <- texts_of_lines(bytes, utils::head(starts, 200))
  notes <- list()
  if (!nzchar(reading$comment) && any(startsWith(lines, "#"))) {
    notes$comment <- reading$comment <- "#"
  }
  seen <- fields_of_lines(bytes, starts, reading)
  if (is.null(seen)) return(notes)
  if (is.null(reading$delimiter)) reading$delimiter <- seen$delimiter
  above <- first_usual(seen) - 1
  # Comments above the header are left out as such.
  titles <- seen$fields[seq_len(above)] > 0
  if (is.null(reading$skip) && any(titles, na.rm = TRUE)) notes$skip <- above
  below <- lines_below(source, seen, reading)
  if (is.null(reading$footer) && below > 0) notes$footer <- below
  notes
}

# How many lines at the end have another number of values than most.
lines_below <- function(source, seen, reading) {
  last <- last_bytes(source, 2^14)
  starts <- line_starts(last$bytes)
  lines <- texts_of_lines(last$bytes, c(starts, length(last$bytes) + 1))
  lines <- lines[grepl("[^[:space:]]", lines)]
  fields <- vapply(lines, function(line) {
    length(core_text_header(charToRaw(line), seen$delimiter)$fields)
  }, 0L)
  odd <- fields != seen$usual &
    !(nzchar(reading$comment) & startsWith(lines, reading$comment))
  sum(cumprod(rev(odd)))
}

# Whether the file is read whole with what is told; nothing is kept of it.
is_read_with <- function(layout, told) {
  reading <- utils::modifyList(layout$reading, told)
  path <- layout$source$shown
  tryCatch(
    {
      tried <- text_layout(path, reading, layout$where)
      bytes <- open_bytes(tried$source)
      on.exit(close_bytes(bytes))
      reader <- open_columns(tried, bytes, character())
      while (core_text_next(reader) >= 0) NULL
      facts <- facts_of_text(reader)
      facts$rows > 0 &&
        facts$open_quote == 0 &&
        length(tried$names) > 1 &&
        !any(facts$problems$what %in% c("ragged", "zero_byte"))
    },
    error = function(e) FALSE
  )
}

call_of_study <- function(layout, told) {
  words <- vapply(told, value_code, "")
  paste0(
    "study(", value_code(layout$source$shown), ", ",
    paste(names(told), "=", words, collapse = ", "), ")"
  )
}

# A last row that says it is a total: no row of the study, whatever its width.
# Packed files are not looked into for it.
note_total <- function(layout, notes) {
  if (!is.null(layout$reading$footer)) return()
  sources <- if (is_chain(layout$source)) {
    layout$source$sources
  } else {
    list(layout$source)
  }
  totals <- lapply(sources, function(source) {
    if (is.null(source$opener)) total_of_lines(source, layout)
  })
  say_totals(
    notes,
    totals,
    vapply(sources, `[[`, "", "shown"),
    layout$where,
    "leave it out with `footer = 1`"
  )
}

# Values of the last line, where one of them says so and the line before says
# nothing such.
total_of_lines <- function(source, layout) {
  bytes <- last_bytes(source, 2^12)$bytes
  starts <- c(line_starts(bytes), length(bytes) + 1)
  lines <- last_lines(bytes, utils::tail(starts, 6))
  if (length(lines) < 2) lines <- last_lines(bytes, starts)
  if (length(lines) < 2) return(NULL)
  rows <- lapply(lines, function(line) {
    core_text_header(charToRaw(line), layout$form$delimiter)$fields
  })
  of_files <- length(layout$part_columns)
  if (length(rows[[2]]) == length(layout$names) - of_files) {
    total_row(rows[[2]], rows[[1]])
  }
}

# Up to two lines that are not blank.
last_lines <- function(bytes, starts) {
  lines <- texts_of_lines(bytes, starts)
  utils::tail(lines[grepl("[^[:space:]]", lines)], 2)
}

total_row <- function(last, before) {
  says <- paste0(
    "^((grand|overall) ",
    ")?(total|totals|subtotal|sum|summe|gesamt|insgesamt|somme|",
    "totale|suma|mean|average|mittelwert|durchschnitt|moyenne|media)[ :]*$"
  )
  is_total <- function(values) grepl(says, trimws(values), ignore.case = TRUE)
  if (any(is_total(last)) && !any(is_total(before))) {
    last[!is.na(last) & nzchar(last)]
  }
}

say_totals <- function(notes, totals, files, where, way) {
  has <- lengths(totals) > 0
  if (!any(has)) return()
  example <- paste(utils::head(totals[has][[1]], 6), collapse = ", ")
  what <- if (sum(has) == 1) {
    paste0(
      "The last row", if (length(has) > 1) paste0(" of ", quoted(files[has])),
      " looks like a total, and counts as a row: "
    )
  } else {
    paste0(
      "The last rows of ", format_count(sum(has)),
      " files look like totals, and count ", "as rows: "
    )
  }
  take_note(
    notes, paste0(what, example, "."), where, paste0("If so ", way, ".")
  )
}
