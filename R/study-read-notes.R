# Notes on values that became absent, or another day, when a study was made.

note_codes <- function(notes, counts, where) {
  counts <- counts[counts > 0]
  if (!length(counts)) return()
  words <- paste0("`", names(counts), "` ", format_count(counts))
  take_note(
    notes,
    paste0(
      "`absent_codes` made ", counted(sum(counts), "value"), " absent: ",
      listed(words, 8), "."
    ),
    where
  )
}

# Notes texts that would be codes for absent in other formats.
note_codes_kept <- function(notes, data, codes, where) {
  for (name in names(data)) {
    x <- data[[name]]
    counts <- if (is.character(x)) {
      vapply(codes, function(code) sum(x == code, na.rm = TRUE), 0L)
    }
    counts <- counts[counts > 0]
    if (!length(counts)) next
    words <- paste0(quoted(names(counts)), " (", format_count(counts), ")")
    take_note(
      notes,
      paste0(
        "Column `", name, "`: ", listed(words), " stand",
        if (length(words) == 1) "s", " as text, as absent is null there."
      ),
      where,
      paste0(
        "If ", if (length(words) == 1) "it means" else "they mean",
        " absent, give `absent_codes = ", value_code(names(counts)), "`."
      )
    )
  }
}

# A date is a day. R's dates may hold a fraction of one that no print shows, and
# that makes two equal days differ; it is dropped, and said.
whole_days <- function(x, column, notes, where) {
  if (!inherits(x, "Date") || !is.double(x)) return(x)
  odd <- core_count_fractions(x)
  if (odd == 0) return(x)
  take_note(
    notes,
    paste0(
      "Column `", column, "`: ", counted(odd, "date"),
      " held a fraction of a day, which was dropped."
    ),
    where,
    paste0(
      "A date is a day; for the time of day make the column a date-time, with ",
      "`as.POSIXct()`."
    )
  )
  structure(floor(unclass(x)), class = class(x))
}
