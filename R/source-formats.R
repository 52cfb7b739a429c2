# Reads other formats than delimited text, each with a package for it.

# One format: the endings of its files, the package that reads them and for what
# it is said to be needed, the function that reads one (path, reading, where),
# and what a file that is none is not.
new_file_format <- function(endings, package, need, read, called) {
  new_record(
    "file_format",
    list(
      endings = endings,
      package = package,
      need = need,
      read = read,
      called = called
    )
  )
}

other_formats <- function() {
  statistics <- function(format, endings = format) {
    new_file_format(
      endings,
      "haven",
      "Reading a file of a statistics program",
      function(path, reading, where) read_statistics_file(path, format),
      paste("as", toupper(format))
    )
  }
  list(
    xlsx = new_file_format(
      c("xlsx", "xls"),
      "readxl",
      "Reading a workbook",
      read_workbook,
      "as a workbook"
    ),
    ods = new_file_format(
      c("ods", "fods"),
      "readODS",
      "Reading an OpenDocument workbook",
      read_open_workbook,
      "as an OpenDocument workbook"
    ),
    json = new_file_format(
      "json", "jsonlite", "Reading JSON", read_json, "JSON"
    ),
    jsonl = new_file_format(
      c("jsonl", "ndjson"), "jsonlite", "Reading JSON", read_json_lines, "JSON"
    ),
    parquet = new_file_format(
      "parquet",
      "nanoparquet",
      "Reading Parquet",
      read_parquet_file,
      "as Parquet"
    ),
    arrow = new_file_format(
      c("arrow", "arrows", "feather"),
      "nanoarrow",
      "Reading Arrow",
      read_arrow_file,
      "as Arrow"
    ),
    sqlite = new_file_format(
      c("sqlite", "sqlite3", "db"),
      "RSQLite",
      "Reading an SQLite file",
      read_sqlite_file,
      "as an SQLite database"
    ),
    sav = statistics("sav", c("sav", "zsav")),
    dta = statistics("dta"),
    xpt = statistics("xpt")
  )
}

# The format of a file by its ending: "text" where it is none of the others.
format_of_path <- function(path) {
  ending <- tolower(sub(
    ".*[.]", "", sub("[.](gz|bz2|xz|zst)$", "", basename(path))
  ))
  matches <- format_endings()[ending]
  if (is.na(matches)) "text" else unname(matches)
}
format_endings <- function() {
  if (is.null(language_cache$format_endings)) {
    formats <- other_formats()
    language_cache$format_endings <- unlist(lapply(
      names(formats),
      function(name) {
        stats::setNames(
          rep(name, length(formats[[name]]$endings)), formats[[name]]$endings
        )
      }
    ))
  }
  language_cache$format_endings
}

# A package that only some formats need.
need_package <- function(
  package, what, family = "study", otherwise = ", or use CSV instead"
) {
  if (nzchar(system.file(package = package))) return()
  stop_neatly(
    family,
    paste0(what, " needs the R package ", package, ", which is not installed."),
    NULL,
    paste0(
      "Install it with `install.packages(\"", package, "\")`", otherwise, "."
    )
  )
}

# A file of such a format as a data frame; reading: what study() was told
# (sheet, range, table).
read_other_format <- function(path, format, reading) {
  where <- paste0("In file ", quoted(path), ".")
  check_path(path)
  about <- other_formats()[[format]]
  need_package(about$package, about$need)
  before <- core_file_state(path.expand(path))
  is_same <- function() identical(core_file_state(path.expand(path)), before)
  table <- tryCatch(
    suppressWarnings(about$read(path, reading, where)),
    error = function(e) {
      if (inherits(e, "neatsieve_error")) stop(e)
      if (!is_same()) stop_for_change(path)
      stop_neatly(
        "study",
        paste0(
          "The file is not whole ", about$called, ": ",
          first_line(conditionMessage(e)), "."
        ),
        where,
        "Check the file, and that its ending says what it is."
      )
    }
  )
  if (!is_same()) stop_for_change(path)
  repaired <- repaired_names(
    if (is.null(names(table))) rep("", length(table)) else names(table)
  )
  names(table) <- repaired$names
  list(
    data = as_plain_table(table),
    repaired = repaired$repaired,
    where = where
  )
}

# Columns as the study takes them; labels that a column carries stay in its
# attribute.
as_plain_table <- function(table) {
  columns <- lapply(unclass(table), plain_column)
  n <- if (length(columns)) NROW(columns[[1]]) else 0L
  structure(
    columns,
    names = names(table),
    class = "data.frame",
    row.names = .set_row_names(n)
  )
}

plain_column <- function(x) {
  if (inherits(x, "labelled") && !is_labelled(x)) {
    attributes(
      x
    ) <- attributes(x)[intersect(names(attributes(x)), c("label", "names"))]
  }
  x
}

# Reads cell by cell, so that mixed columns keep what was written.
read_workbook <- function(path, reading, where) {
  sheets <- readxl::excel_sheets(path)
  sheet <- if (is.null(reading$sheet)) sheets[1] else reading$sheet
  if (is.character(sheet) && !sheet %in% sheets) {
    stop_for_sheet(sheet, sheets, where)
  }
  table <- readxl::read_excel(
    path,
    sheet = sheet,
    range = reading$range,
    col_types = "list",
    col_names = !isFALSE(reading$header),
    .name_repair = "minimal",
    trim_ws = FALSE,
    progress = FALSE
  )
  lapply(unclass(table), workbook_column, codes = reading$absent_codes)
}

# A text that stands for absent, or for an infinite number, among numbers or
# dates makes no text of them.
workbook_column <- function(cells, codes) {
  is_absent <- vapply(cells, function(v) length(v) == 0 || is.na(v[1]), NA)
  is_text <- vapply(cells, is.character, NA) & !is_absent
  texts <- vapply(cells[is_text], as.character, "")
  endless <- match(texts, c("Inf", "-Inf"))
  if (any(is_text) && (!all(is_text | is_absent) || !anyNA(endless))) {
    is_absent[is_text] <- texts %in% codes
    cells[is_text] <- ifelse(is.na(endless), cells[is_text], list(Inf, -Inf)[endless])
  }
  present <- cells[!is_absent]
  all_are <- function(is) length(present) > 0 && all(vapply(present, is, NA))
  spread <- function(values, absent) {
    out <- rep(absent, length(cells))
    out[!is_absent] <- values
    out
  }
  if (all_are(is.logical)) return(spread(unlist(present), NA))
  if (all_are(is.numeric)) {
    return(whole_if_short(spread(as.numeric(unlist(present)), NA_real_)))
  }
  if (all_are(function(v) inherits(v, "POSIXct"))) {
    seconds <- spread(vapply(present, as.numeric, 0), NA_real_)
    if (all(seconds %% 86400 == 0, na.rm = TRUE)) {
      return(structure(seconds / 86400, class = "Date"))
    }
    return(.POSIXct(seconds, tz = "UTC"))
  }
  dates_of_texts(spread(vapply(present, cell_text, ""), NA_character_))
}

cell_text <- function(value) {
  if (is.numeric(value)) {
    number_texts(value)
  } else if (!inherits(value, "POSIXct")) {
    as.character(value)
  } else if (as.numeric(value) %% 86400 == 0) {
    iso_date_texts(value)
  } else {
    csv_times(value)
  }
}

read_sqlite_file <- function(path, reading, where) {
  con <- DBI::dbConnect(
    RSQLite::SQLite(),
    path,
    flags = RSQLite::SQLITE_RO,
    bigint = "integer64"
  )
  on.exit(DBI::dbDisconnect(con))
  tables <- DBI::dbListTables(con)
  table <- reading$table
  if (is.null(table) && length(tables) == 1) table <- tables
  if (is.null(table) || !table %in% tables) {
    stop_neatly(
      "study",
      if (is.null(table)) {
        "The database holds several tables."
      } else {
        paste0("The database has no table ", quoted(table), ".")
      },
      where,
      c(
        if (!is.null(table)) meant(table, tables, quoted),
        paste0(
          "Say which with `table = ...`: ", listed(quoted(tables), 10), "."
        )
      )
    )
  }
  DBI::dbReadTable(con, table, check.names = FALSE)
}

# An array of records.
read_json <- function(path, reading, where) {
  records_of_json(table_of_json(gzfile_text(path, where)), where)
}
read_json_lines <- function(path, reading, where) {
  lines <- strsplit(gzfile_text(path, where), "\r?\n")[[1]]
  lines <- lines[grepl("\\S", lines)]
  bad <- which(!vapply(lines, jsonlite::validate, NA, USE.NAMES = FALSE))
  if (length(bad)) {
    stop_neatly(
      "study",
      paste0(
        "Line ", bad[1], " is no JSON: ",
        quoted(cut_off_text(lines[bad[1]], 60)), "."
      ),
      where,
      "Each line must be one record, `{\"hive\": \"FG-03\", \"honey_kg\": 12.5}`."
    )
  }
  text <- paste0("[", paste(lines, collapse = ","), "]")
  records_of_json(table_of_json(text), where)
}

table_of_json <- function(text) {
  text <- long_numbers_quoted(text)
  table <- jsonlite::fromJSON(text, flatten = TRUE)
  # The package reads a column of "NA" texts alone as absent.
  if (!is.data.frame(table) || !grepl("\"NA\"", text, fixed = TRUE)) {
    return(table)
  }
  is_absent <- vapply(table, function(x) is.logical(x) && all(is.na(x)), NA)
  if (any(is_absent)) {
    text <- gsub("\"NA\"", "\"\\u0001NA\"", text, fixed = TRUE)
    marked <- jsonlite::fromJSON(text, flatten = TRUE)
    table[is_absent] <- lapply(marked[is_absent], function(x) {
      if (is.character(x)) sub("^\001NA$", "NA", x) else x
    })
  }
  table
}

# Whole numbers that no double holds are texts, so that every digit stays.
# Strings are passed over.
long_numbers_quoted <- function(text) {
  if (!grepl("[0-9]{16}", text)) return(text)
  at <- gregexpr(
    "\"(?:[^\"\\\\]|\\\\.)*+\"(*SKIP)(*FAIL)|(?<![0-9.eE+-])-?[0-9]{16,}(?![0-9.eE])",
    text,
    perl = TRUE
  )
  numbers <- regmatches(text, at)[[1]]
  is_long <- abs(as.numeric(numbers)) >= 2^53
  regmatches(
    text, at
  ) <- list(ifelse(is_long, paste0("\"", numbers, "\""), numbers))
  text
}

gzfile_text <- function(path, where) {
  more <- connection_opener(
    path, packed_as(readBin(path, "raw", 400), where), where
  )()
  on.exit(close_bytes(more))
  parts <- list(raw())
  while (length(part <- more())) parts <- c(parts, list(part))
  text <- rawToChar(do.call(c, parts))
  Encoding(text) <- "UTF-8"
  text
}

records_of_json <- function(table, where) {
  if (!is.data.frame(table)) {
    stop_neatly(
      "study",
      "The JSON is no list of records.",
      where,
      "It must be `[{\"hive\": \"FG-03\", \"honey_kg\": 12.5}, ...]`."
    )
  }
  lapply(table, dates_of_texts)
}

# Converts texts to dates or date-times, if all are in ISO 8601.
dates_of_texts <- function(x) {
  if (!is.character(x)) return(x)
  present <- unique(x[!is.na(x)])
  if (!length(present)) return(x)
  days <- iso_days(present)
  if (!anyNA(days)) return(structure(days[match(x, present)], class = "Date"))
  seconds <- iso_seconds(present)
  if (!anyNA(seconds)) return(.POSIXct(seconds[match(x, present)], tz = "UTC"))
  x
}
