# Notes on columns of a file that was read.

note_told <- function(notes, told, where) {
  if (length(told$rows)) note_unread(notes, told, where)
  if (!is.null(told$stays)) note_stays(notes, told, where)
}

# Whole numbers with leading zeros are codes to everybody: that they stay text
# needs no word.
note_stays <- function(notes, told, where) {
  form <- told$stays$form
  if (has_form(form, "leading_zero")) return()
  why <- if (has_form(form, "too_long")) {
    "has more digits than a number holds"
  } else if (has_form(form, "leading_plus")) {
    "has a plus sign that a number does not keep"
  } else {
    "may be a code as well as a number with an exponent"
  }
  take_note(
    notes,
    paste0(
      "Column `", told$name, "` stays text: ", quoted(told$stays$text),
      " on row ", format_count(told$stays$row), " ", why, "."
    ),
    where,
    paste0(
      "If these are amounts, give `kinds = list(",
      lang_text(as.name(told$name)), " = \"number\")`."
    )
  )
}

note_unread <- function(notes, told, where) {
  kind <- switch(kind_of_vector(told$values),
    number = "a number",
    whole = "a whole number",
    paste("a", kind_of_vector(told$values))
  )
  examples <- where_texts_stand(told)
  form <- text_form(unique(told$texts))
  many <- length(told$rows) >= told$present / 9
  column <- lang_text(as.name(told$name))
  form <- if (!is.null(form) &&
    form$form != "numbers" &&
    (many || is.null(form$pattern))) {
    form
  }
  way <- if (!is.null(form)) {
    c(paste0("These are ", form$words, "."), unread_ways(form, told, many))
  } else {
    paste0(
      "Mend the file, list a code for absent in `absent_codes`, or keep the ",
      "text with ",
      "`kinds = list(", column, " = \"text\")`."
    )
  }
  take_note(
    notes,
    paste0(
      "Column `", told$name, "`: ", counted(length(told$rows), "value"),
      " could not be read as ", kind, " and became absent: ", listed(examples),
      "."
    ),
    where,
    way
  )
}

# What to give study() so that values in a form of their own are read, or what
# to write behind it. A decimal comma for all would lose the others, where those
# are many.
unread_ways <- function(form, met, many) {
  column <- lang_text(as.name(met$name))
  vapply(form$ways, function(way) {
    note <- way$told(column)
    # A kind that was told with a sign is not told with another.
    if (is_text(met$asked) && any(startsWith(as.character(note), "kinds"))) {
      note <- NULL
    }
    if (!many && any(grepl("decimal = \",\"", note, fixed = TRUE))) {
      way <- both_marks_way()
      note <- NULL
    }
    words <- paste0(
      if (nzchar(way$when)) paste0(way$when, " "),
      if (!is.null(note)) {
        paste0("give `", note, "`.")
      } else {
        paste0(
          "keep the text with `kinds = list(", column,
          " = \"text\")` and write `", way$code(column), "`."
        )
      }
    )
    paste0(toupper(substr(words, 1, 1)), substring(words, 2))
  }, "")
}

# "31,5" on row 183, or "n/a" on rows 198, 248, 322 and 14 more: four texts,
# three rows of each.
where_texts_stand <- function(told) {
  distinct <- unique(told$texts)
  words <- vapply(utils::head(distinct, 4), function(text) {
    rows <- told$rows[told$texts == text]
    first <- format_count(utils::head(rows, 3))
    more <- length(rows) - length(first)
    paste0(
      quoted(text), if (length(rows) > 1) " on rows " else " on row ",
      listed(c(first, if (more > 0) paste(format_count(more), "more")))
    )
  }, "", USE.NAMES = FALSE)
  rest <- length(distinct) - 4
  c(words, if (rest > 0) counted(rest, "more text"))
}
