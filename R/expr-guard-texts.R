# Notes on text that looks like numbers or dates, where its order or values are
# used.

# A comparison of a text column goes letter by letter.
guard_numbers_as_text <- function(column, node, typing) {
  constant <- Filter(function(a) a$node == "constant", node$args[1:2])
  looks_dated <- length(constant) && !anyNA(iso_days(constant[[1]]$value))
  # ISO 8601 texts stand in the order of their days, where all of them are days.
  if (looks_dated && !anyNA(iso_days(distinct_texts(typing, column$name)))) {
    return()
  }
  note_disguise(
    column, paste0("`", node$text, "` compares letter by letter"), typing
  )
}

# Sorting, extremes and ranks of a text column: `what` is what is done with it.
guard_text_order <- function(node, what, typing) {
  if (node$node != "column" || node$kind != "text") return()
  form <- text_form(distinct_texts(typing, node$name))
  if (identical(form$pattern, "%Y-%m-%d") &&
    length(form$ways) == 1 &&
    !anyNA(iso_days(distinct_texts(typing, node$name)))) {
    return()
  }
  note_disguise(node, paste0(what, " goes letter by letter"), typing, form)
}

note_disguise <- function(
  column, so, typing, form = text_form(distinct_texts(typing, column$name))
) {
  if (is.null(form)) return()
  example <- if (is.null(form$pattern)) ": \"10\" comes before \"9\"" else ""
  take_note(
    typing$notes,
    paste0(
      "Column `", column$name, "` holds ", form$words, ", so ", so, example, "."
    ),
    where_of(typing),
    form_way(form, column$name)
  )
}

# Statistics of a text column count its values.
guard_text_statistics <- function(names, typing) {
  for (name in names) {
    form <- text_form(distinct_texts(typing, name))
    if (is.null(form)) next
    take_note(
      typing$notes,
      paste0(
        "Column `", name, "` holds ", form$words,
        ", but is text: its values are ", "counted, and it has no mean."
      ),
      where_of(typing),
      paste0(
        "Before this step ",
        ways_words(form, name, function(code) {
          paste0("work_out(", lang_text(as.name(name)), " = ", code, ")")
        }),
        "."
      )
    )
  }
}
