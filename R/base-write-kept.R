# What a format cannot hold is written as text that reads back the same, or
# named.

# A table as a format holds it. notes: what will not read back as it is here.
new_kept_table <- function(table, notes) {
  new_record("kept_table", list(table = table, notes = notes))
}

as_format_holds <- function(table, format, where) {
  table <- flat_table(table)
  held <- switch(format,
    csv = function(x, note) held_in_text(x, note, ","),
    tsv = function(x, note) held_in_text(x, note, "\t"),
    xlsx = held_in_workbook,
    parquet = held_in_parquet,
    json = ,
    jsonl = held_in_json,
    dta = ,
    sav = ,
    xpt = function(x, note) held_in_statistics(x, note, format),
    function(x, note) x
  )
  notes <- new_notebook()
  if (format == "xlsx") check_workbook_size(table, where)
  for (name in names(table)) {
    x <- table[[name]]
    if (inherits(x, "Date") && is.double(x)) x <- .Date(floor(unclass(x)))
    note <- function(count, what, then, instead = NULL) {
      if (!isTRUE(count > 0)) return()
      take_note(
        notes,
        paste0("Column `", name, "`: ", counted(count, what), " ", then, "."),
        where,
        if (!is.null(instead)) gsub("COLUMN", name, instead, fixed = TRUE)
      )
    }
    if (format != "parquet") {
      note(
        sum(odd_years(x)),
        "date",
        "of a year outside 0 to 9999 will read back as text",
        "`.parquet` holds such years."
      )
    }
    table[[name]] <- held(x, note)
  }
  if (format == "xlsx") table <- with_last_row(table, where, notes)
  new_kept_table(table, notes$notes)
}

# Infinite numbers stand in quotes, as JSON has none; such texts alone are taken
# for them.
held_in_json <- function(x, note) {
  if (!is.character(x) && !is.factor(x)) return(x)
  present <- as.character(x[!is.na(x)])
  if (length(present) &&
    all(present %in% c("Inf", "-Inf", "NaN", "NA")) &&
    any(present != "NA")) {
    note(
      length(present),
      "text",
      "will read back as a number or as absent",
      "`.parquet` keeps such texts."
    )
  }
  x
}

odd_years <- function(x) {
  if (!inherits(x, c("Date", "POSIXct"))) return(FALSE)
  days <- if (inherits(x, "Date")) as.double(x) else as.double(x) / 86400
  !is.na(days) & (days < -719528 | days >= 2932897)
}

# The empty text is told from an absent value by a field that stands without
# quotes.
held_in_text <- function(x, note, delimiter) {
  if (!is.character(x) && !is.factor(x)) return(x)
  if (anyNA(x) || !any(x == "")) return(x)
  texts <- if (is.factor(x)) levels(x) else unique(x)
  in_quotes <- grepl(
    paste0("[\"\r\n", delimiter, "]|^[ \t]|[ \t]$|^(NA)?$"),
    texts,
    useBytes = TRUE
  )
  if (!any(x %in% texts[!in_quotes])) {
    note(
      sum(x == ""),
      "empty text",
      "will read back as absent, as every text of the column stands in quotes",
      "`.jsonl` and `.parquet` tell them apart."
    )
  }
  x
}

# Files of statistics programs have numbers and texts, and a blank text is
# missing there.
held_in_statistics <- function(x, note, format) {
  if (is.logical(x)) {
    note(length(x), "logical value", "will read back as 1 and 0")
    return(as.integer(x))
  }
  if (is.factor(x) && format == "xpt") x <- as.character(x)
  if (is.character(x)) {
    note(
      sum(x == "", na.rm = TRUE),
      "empty text",
      "will read back as absent",
      "`.csv` and `.jsonl` tell them apart."
    )
  }
  x
}

held_in_parquet <- function(x, note) {
  if (!inherits(x, "POSIXct")) return(x)
  seconds <- as.double(x)
  count <- round(seconds * 1e6)
  micro <- count / 1e6
  note(
    sum(micro != seconds, na.rm = TRUE),
    "time",
    "finer than a microsecond will be rounded to it, as Parquet holds no finer ones",
    "`.csv` and `.jsonl` keep every digit."
  )
  # The writer cuts off what is behind a microsecond, which a last bit too small
  # would take along.
  short <- which(trunc(micro * 1e6) != count)
  micro[short] <- micro[short] * (1 + 2^-52)
  .POSIXct(micro, attr(x, "tzone"))
}

# A workbook has no zones, no dates before 1 March 1900, no infinite numbers
# and, as it is written, 16 digits of a number.
held_in_workbook <- function(x, note) {
  if (is.factor(x)) x <- as.character(x)
  if (inherits(x, "Date")) return(workbook_days(x, note))
  if (inherits(x, "POSIXct")) return(workbook_times(x, note))
  if (is.numeric(x)) {
    there <- as.double(x[is.finite(x)])
    note(
      sum(as.double(sprintf("%.16G", there)) != there),
      "number",
      "of 17 digits will lose the last, as a workbook is written with 16",
      "`.csv` and `.parquet` keep every digit."
    )
  }
  if (!is.character(x)) return(x)
  note(
    sum(x == "", na.rm = TRUE),
    "empty text",
    "will read back as absent",
    "`.csv` and `.jsonl` tell them apart."
  )
  note(
    sum(grepl("^[ \t\r\n]+$", x)),
    "text of blanks",
    "will read back as absent",
    "`.csv` and `.jsonl` keep them."
  )
  note(
    sum(x == "NA", na.rm = TRUE),
    "text \"NA\"",
    "will read back as absent",
    "Read it with `absent_codes = \"\"`."
  )
  # What looks like the code of a character is written with a code in place of
  # its first sign; the two characters that no XML holds are written by their
  # codes.
  x <- gsub("_(x[0-9A-Fa-f]{4}_)", "_x005F_\\1", x)
  gsub(
    "\uffff",
    "_xFFFF_",
    gsub("\ufffe", "_xFFFE_", x, fixed = TRUE),
    fixed = TRUE
  )
}

first_workbook_day <- -25508
workbook_days <- function(x, note) {
  early <- sum(x < first_workbook_day | odd_years(x), na.rm = TRUE)
  if (!early) return(x)
  note(
    early,
    "date",
    "before 1 March 1900, which no workbook holds: the column is written as text"
  )
  ifelse(is.na(x), NA, day_texts(as.POSIXlt(x)))
}
workbook_times <- function(x, note) {
  seconds <- as.double(x)
  zone <- attr(x, "tzone")[1]
  has_zone <- !isTRUE(zone %in% c("UTC", "GMT")) && any(!is.na(x))
  odd <- seconds < first_workbook_day * 86400 |
    odd_years(x) |
    abs(seconds * 1000 - round(seconds * 1000)) > 1e-6 |
    round(seconds, 3) != seconds
  if (!has_zone && !any(odd, na.rm = TRUE)) {
    note(
      all(is.na(x) | seconds %% 86400 == 0) * sum(!is.na(x)),
      "time",
      "at midnight will read back as days",
      "Read it with `kinds = list(COLUMN = \"date-time\")`."
    )
    return(x)
  }
  note(
    sum(if (has_zone) !is.na(x) else odd, na.rm = TRUE),
    "time",
    paste0(
      if (has_zone) {
        "with a zone"
      } else {
        "finer than a thousandth of a second, or too early"
      },
      ", which no workbook holds: the column is written as text"
    )
  )
  csv_times(x)
}

# A last row that is absent in every column would not be there: the default code
# for absent stands in it.
with_last_row <- function(table, where, notes) {
  n <- nrow(table)
  if (!n ||
    !length(table) ||
    !all(vapply(table, function(x) is.na(x[n]), NA))) {
    return(table)
  }
  of_text <- which(vapply(table, is.character, NA))
  if (length(of_text)) {
    table[[of_text[1]]][n] <- "NA"
    return(table)
  }
  take_note(
    notes,
    "The last row is absent in every column, and will not be there.",
    where,
    "A sheet ends before such rows; `.csv` and `.parquet` keep them."
  )
  table
}

check_workbook_size <- function(table, where) {
  longest <- max(
    0L,
    vapply(table, function(x) {
      if (is.factor(x)) x <- levels(x)
      if (is.character(x)) {
        max(0L, nchar(x, "chars", allowNA = TRUE), na.rm = TRUE)
      } else {
        0L
      }
    }, 0L)
  )
  over <- c(
    rows = nrow(table) > 1048575, columns = length(table) > 16384,
    text = longest > 32767
  )
  if (!any(over)) return(invisible())
  stop_neatly(
    "run",
    switch(names(over)[over][1],
      rows = paste0(
        "A sheet holds 1,048,575 rows below its header, and these are ",
        format_count(nrow(table)), "."
      ),
      columns = paste0(
        "A sheet holds 16,384 columns, and these are ",
        format_count(length(table)), "."
      ),
      text = paste0(
        "A cell of a workbook holds 32,767 characters, and a text has ",
        format_count(longest), "."
      )
    ),
    where,
    "Write `.csv` or `.parquet`."
  )
}
