# OpenDocument workbooks and Arrow files.

# All cells come as text, and are what the texts of a column together are.
read_open_workbook <- function(path, reading, where) {
  sheets <- readODS::list_ods_sheets(path)
  sheet <- if (is.null(reading$sheet)) 1 else reading$sheet
  if (is.character(sheet) && !sheet %in% sheets) {
    stop_for_sheet(sheet, sheets, where)
  }
  table <- readODS::read_ods(
    path,
    sheet = sheet,
    range = reading$range,
    col_types = NA,
    col_names = !isFALSE(reading$header),
    na = character(),
    .name_repair = "minimal",
    trim_ws = FALSE,
    as_tibble = FALSE,
    progress = FALSE
  )
  names <- names(table)
  stats::setNames(
    Map(
      function(texts, name) open_column(as.character(texts), name, reading),
      unclass(table),
      names
    ),
    names
  )
}

stop_for_sheet <- function(sheet, sheets, where) {
  stop_neatly(
    "study",
    paste0("The workbook has no sheet ", quoted(sheet), "."),
    where,
    c(
      meant(sheet, sheets, quoted),
      paste0("Its sheets: ", listed(quoted(sheets), 10), ".")
    )
  )
}

open_column <- function(texts, name, reading) {
  distinct <- unique(texts)
  distinct <- distinct[!is.na(distinct) &
    !distinct %in% c("", reading$absent_codes)]
  texts[texts %in% c("", reading$absent_codes)] <- NA
  if (!length(distinct)) return(rep(NA, length(texts)))
  at <- match(texts, distinct)
  account <- told_of_texts(
    distinct,
    tabulate(at, length(distinct)),
    name,
    list(kinds = list()),
    list(form = list(mark = "."), thousands = NULL)
  )
  # One text among numbers makes the column text, as in every workbook.
  if (length(account$unread)) texts else account$values[at]
}

# Streams, and files, which are a stream between two marks. Whole numbers of 64
# bits are exact, or an error.
read_arrow_file <- function(path, reading, where) {
  bytes <- readBin(path, "raw", file.size(path))
  mark <- charToRaw("ARROW1")
  if (length(bytes) > 8 && identical(bytes[1:6], mark)) bytes <- bytes[-(1:8)]
  stream <- nanoarrow::read_nanoarrow(bytes)
  table <- as.data.frame(stream)
  for (name in names(table)) {
    if (is_rounded(table[[name]]) &&
      !identical(reading$kinds[[name]], "number")) {
      stop_for_rounded(name, where)
    }
  }
  table
}
