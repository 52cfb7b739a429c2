#' One table in a file
#'
#' Writes a table to a file; the extension chooses the format. [study()] reads
#' back the same table.
#'
#' @param x A data frame, such as `out$tables$statistics` or [held_back()];
#'   siftings, whose rows that went all the way are written; or a [study()].
#' @param path A table of a [database()]; or the file: `.csv` or `.tsv` (RFC
#'   4180), `.jsonl` (JSON Lines: one record a line), `.json`, `.parquet`,
#'   `.xlsx`, or of a statistics program, `.dta`, `.sav` or `.xpt`. Text may be
#'   packed: `.csv.gz`. `"clipboard"`: columns parted by tabs, for pasting into
#'   a spreadsheet.
#' @param replace For a table in a database: `TRUE` takes the place of one that
#'   is there.
#' @param append For a table in a database: `TRUE` adds the rows to one that is
#'   there, by the names of its columns; where none is, it is made.
#' @param formulas What becomes of texts in `.csv` and `.tsv` that a spreadsheet
#'   takes for a formula (that begin with `=`, `+`, `-` or `@` and are no
#'   numbers): `"kept"` as they are, so that they read back the same, or
#'   `"text"`, behind an apostrophe, for a file that is opened there; a note
#'   counts them.
#' @param reasons What is written of why values are absent: `"none"`, with a
#'   note, `"beside"`, in a column `<column>_absent_reason` behind each, or
#'   `"codes"`, the codes in place of the values. Files of statistics programs
#'   have missing values of their own for them.
#' @return The path, invisibly. In a database numbers, texts, dates and logicals
#'   are columns of their own types; categories are texts, and in SQLite dates
#'   are ISO texts. A note names the columns of which a format does not hold
#'   every value: a workbook knows no zones, no dates before 1 March 1900 (such
#'   columns are written as text) and 16 digits of a number, tells no empty text
#'   from an absent value, and ends before a last row without values; Parquet
#'   counts in microseconds; in delimited text a column whose texts all stand in
#'   quotes has no empty text. In text an absent value is empty, and the texts
#'   `NA` and `""` stand in quotes; numbers have the fewest digits that read
#'   back the same; dates are ISO 8601, date-times with their fraction and
#'   offset. Parquet keeps kinds and the order of categories, text and XLSX do
#'   not. Text that begins with `=` stands in CSV as it is, and a spreadsheet
#'   may take it for a formula: see `formulas`. A matrix column `m` is written
#'   as `m.1`, `m.2`, ..., row names as `row_name`.
#' @section In a database: All of the table is written, or none of it: in a
#'   transaction of its own, or up to a point of one that is open. Rows of
#'   siftings or of a study of the same database do not leave it: they are
#'   written there by one query, with the columns of the key as primary key and
#'   labels as comments (PostgreSQL, MariaDB); in PostgreSQL columns that no
#'   step changed keep their types and digits. In MariaDB making a table ends a
#'   transaction, so there it is an error within one that is open. Rows from
#'   elsewhere are written 250,000 at a time.
#' @section Errors: Class `neatsieve_error_run` for an ending that is no format,
#'   a folder that is not there, a file that a run reads, a table that is there
#'   already, and where the disk is full; no partial file is left. Parquet needs
#'   the package nanoparquet, XLSX the package writexl, files of statistics
#'   programs the package haven: the message says how to install them.
#' @seealso [write_siftings()] for everything of a run, [study()] to read it
#'   again.
#' @examples
#' out <- pour(demo_file("hive-visits.csv"), statistics(honey_kg, by = apiary))
#' file <- file.path(tempdir(), "honey.csv")
#' write_table(out$tables$statistics, file)
#' readLines(file, 3)
#' @export
write_table <- function(
  x, path, replace = FALSE, formulas = "kept", reasons = "none", append = FALSE
) {
  local_plain()
  if (inherits(path, "neatsieve_database")) {
    return(write_database_table(x, path, replace, reasons, isTRUE(append)))
  }
  if (isTRUE(append)) {
    stop_neatly(
      "run",
      "`append` is for tables of a database.",
      NULL,
      "Write `write_table(out, database(con, \"kept\"), append = TRUE)`."
    )
  }
  if (!is_text(path)) {
    stop_neatly(
      "run",
      "`write_table()` needs the path of a file.",
      NULL,
      "Write `write_table(out$tables$statistics, \"small.csv\")`."
    )
  }
  if (path == "clipboard") {
    write_to_clipboard(
      with_reasons_written(
        table_to_write(x), x, reasons, "tsv", "On the clipboard."
      ),
      formulas
    )
    return(invisible(path))
  }
  table_writer(ending_of(path))
  source <- if (inherits(x, "neatsieve_siftings")) {
    siftings_parts(x)$state$study$source
  } else if (inherits(x, "neatsieve_study")) {
    study_facts(x)$source
  }
  full <- function(p) normalizePath(p, mustWork = FALSE)
  if (file.exists(path) && full(path) %in% full(as.character(source))) {
    stop_neatly(
      "run",
      paste0(
        quoted(path), " is ", if (length(source) > 1) "a" else "the",
        " file that the study was read from."
      ),
      NULL,
      "Give another path."
    )
  }
  table <- with_reasons_written(
    table_to_write(x),
    x,
    reasons,
    ending_of(path),
    paste0("In file ", quoted(path), ".")
  )
  if (writes_as_text(formulas) && ending_of(path) %in% c("csv", "tsv")) {
    table <- without_formulas(table, paste0("In file ", quoted(path), "."))
  }
  write_whole(path, function(to) write_table_to(table, path, to))
  invisible(path)
}

writes_as_text <- function(formulas) {
  if (is_text(formulas) && formulas %in% c("kept", "text")) {
    return(formulas == "text")
  }
  stop_neatly(
    "run",
    "`formulas` is \"kept\" or \"text\".",
    NULL,
    "Write `formulas = \"text\"` for a file that a spreadsheet opens."
  )
}

# Texts that a spreadsheet takes for formulas, behind an apostrophe.
without_formulas <- function(table, where) {
  table <- flat_table(table)
  notes <- new_notebook()
  for (name in names(table)) {
    x <- table[[name]]
    if (!is.character(x) && !is.factor(x)) next
    text <- as.character(x)
    is_one <- grepl("^[=+@\t\r-]", text, useBytes = TRUE) &
      is.na(numbers_from_text(text))
    if (!any(is_one)) next
    table[[name]] <- ifelse(is_one, paste0("'", text), text)
    take_note(
      notes,
      paste0(
        "Column `", name, "`: ", counted(sum(is_one), "text"),
        " that a spreadsheet may take for a formula, such as ",
        quoted(text[is_one][1]), ", stand behind an apostrophe."
      ),
      where
    )
  }
  show_notes(notes$notes)
  table
}

table_to_write <- function(x) {
  if (is.data.frame(x)) {
    check_columns(x, "In the table to write.", "run")
    return(x)
  }
  if (inherits(x, c("neatsieve_siftings", "neatsieve_study", "neatsieve_look"))) {
    return(as.data.frame(x))
  }
  stop_neatly(
    "run",
    paste0("A value of class ", class(x)[1], " is no table."),
    NULL,
    "Give a data frame, siftings or a study."
  )
}
