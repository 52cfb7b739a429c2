# Tables written in the format that the ending of a path says.

statistics_formats <- c("dta", "sav", "xpt")
table_endings <- c(
  "csv", "tsv", "jsonl", "json", "parquet", "xlsx", statistics_formats
)

ending_of <- function(path) {
  tolower(sub(".*[.]", "", sub("[.]gz$", "", basename(path))))
}

# The function that writes a data frame to a path with such an ending.
table_writer <- function(ending) {
  switch(ending,
    csv = write_csv,
    tsv = function(table, path) write_csv(table, path, "\t"),
    jsonl = ,
    ndjson = write_json_lines,
    json = write_json_records,
    parquet = write_parquet_file,
    xlsx = write_workbook,
    dta = ,
    sav = ,
    xpt = function(table, path) write_statistics_file(table, path, ending),
    stop_neatly(
      "run",
      paste0("No format of tables ends in ", quoted(paste0(".", ending)), "."),
      NULL,
      c(
        meant(ending, table_endings, function(e) quoted(paste0(".", e))),
        paste0(
          "The endings are ", listed(paste0(".", table_endings), 10),
          ", and `.gz` behind those of text."
        )
      )
    )
  )
}

need_writer <- function(package, what) {
  if (requireNamespace(package, quietly = TRUE)) return()
  stop_neatly(
    "run",
    paste0(
      "Writing ", what, " needs the R package ", package,
      ", which is not installed."
    ),
    NULL,
    paste0(
      "Install it with `install.packages(\"", package, "\")`, or write CSV."
    )
  )
}

# Row names as a column, columns of columns as these, lists as text: what every
# format can hold.
flat_table <- function(table) {
  flat <- c(row_name_column(table), flat_columns(as.list(table)))
  flat <- lapply(flat, function(x) {
    if (inherits(x, "integer64")) return(exact_wholes(x))
    if (!is.list(x)) return(x)
    vapply(x, function(v) paste(format(v), collapse = " "), character(1))
  })
  structure(flat, class = "data.frame", row.names = .set_row_names(nrow(table)))
}

# Records as JSON texts (RFC 8259), one for each row: numbers in as many digits
# as it takes to read back the same, which the usual package cuts at 15; null
# where a value is absent.
json_records <- function(table) {
  if (!length(table)) return(rep("{}", nrow(table)))
  cells <- lapply(names(table), function(name) {
    paste0(json_texts(name), ":", json_cells(table[[name]]))
  })
  paste0("{", do.call(paste, c(cells, sep = ",")), "}")
}

json_cells <- function(x) {
  text <- if (is.logical(x)) {
    ifelse(x, "true", "false")
  } else if (is.numeric(x) && !is.object(x)) {
    number_texts(as.double(x))
  } else {
    json_texts(
      if (inherits(x, "POSIXct")) {
        csv_times(x)
      } else if (inherits(x, "Date")) {
        iso_date_texts(x)
      } else {
        as.character(x)
      }
    )
  }
  # A zero below zero is no whole number, to keep its sign.
  if (is.double(x) && !is.object(x)) {
    text[!is.na(x) & x == 0 & 1 / x < 0] <- "-0.0"
    text[is.infinite(x)] <- json_texts(trimws(text[is.infinite(x)]))
    # A decimal point marks a long whole number as a double.
    long <- grepl("^-?[0-9]{16,}$", text)
    text[long] <- paste0(text[long], ".0")
  }
  text[is.na(x)] <- "null"
  text
}

json_texts <- function(x) {
  x <- as_utf8(x)
  x <- gsub("\"", "\\\"", gsub("\\", "\\\\", x, fixed = TRUE), fixed = TRUE)
  for (i in which(grepl("[\001-\037]", x))) {
    points <- utf8ToInt(x[i])
    signs <- intToUtf8(points, multiple = TRUE)
    low <- points < 32
    signs[low] <- sprintf("\\u%04x", points[low])
    x[i] <- paste(signs, collapse = "")
  }
  paste0("\"", x, "\"")
}

write_json_lines <- function(table, path) write_text(json_records(table), path)
write_json_records <- function(table, path) {
  records <- json_records(table)
  ends <- c(rep(",", max(0, length(records) - 1)), if (length(records)) "")
  write_text(c("[", paste0(records, ends), "]"), path)
}

# Names in these files may have only letters, digits and `_`, and must be short.
write_statistics_file <- function(table, path, format) {
  need_writer("haven", "a file of a statistics program")
  longest <- if (format == "sav") 64 else 32
  form <- if (format == "sav") {
    "^[A-Za-z_][A-Za-z0-9_.]*$"
  } else {
    "^[A-Za-z_][A-Za-z0-9_]*$"
  }
  odd <- names(
    table
  )[!grepl(form, names(table)) | nchar(names(table)) > longest]
  if (length(odd)) {
    stop_neatly(
      "run",
      paste0(
        "Column ", listed(ticked(odd), 4), " cannot have such a name in a file ",
        "of this format."
      ),
      NULL,
      paste0(
        "Names have at most ", longest, " letters, digits and `_`: write ",
        "`pick_columns(rest(), recase = \"underscore\")` before, or rename ",
        "them."
      )
    )
  }
  switch(format,
    dta = haven::write_dta(table, path),
    sav = haven::write_sav(table, path),
    xpt = haven::write_xpt(table, path, name = "TABLE")
  )
}

write_parquet_file <- function(table, path) {
  need_writer("nanoparquet", "Parquet")
  nanoparquet::write_parquet(table, path)
  # The writer reports no error on a full disk, but the file then ends too
  # early.
  if (!ends_with(path, charToRaw("PAR1"))) {
    stop("only a part of it could be written; is the disk full?")
  }
}

# The writer of workbooks listens to no interrupt, so a large one is written by
# a process of its own, which is ended when one comes.
write_workbook <- function(table, path) {
  need_writer("writexl", "XLSX")
  if (.Platform$OS.type != "unix" ||
    nrow(table) * length(table) < large_workbook) {
    return(writexl::write_xlsx(table, path))
  }
  writer <- parallel::mcparallel(
    writexl::write_xlsx(table, path),
    silent = TRUE
  )
  on.exit({
    tools::pskill(writer$pid, tools::SIGKILL)
    parallel::mccollect(writer, wait = TRUE)
  })
  repeat {
    ended <- parallel::mccollect(writer, wait = FALSE, timeout = 0.2)
    if (!is.null(ended)) break
  }
  on.exit()
  if (inherits(ended[[1]], "try-error")) stop(attr(ended[[1]], "condition"))
  if (is.null(ended[[1]])) {
    stop("the process that writes it was ended; is there enough memory?")
  }
}
large_workbook <- 5e5

# Text is packed where the path ends in .gz.
write_table_to <- function(table, path, to, format = ending_of(path)) {
  write <- table_writer(format)
  held <- as_format_holds(table, format, paste0("In file ", quoted(path), "."))
  if (!grepl("[.]gz$", path, ignore.case = TRUE)) {
    write(held$table, to)
  } else {
    plain <- tempfile()
    on.exit(unlink(plain))
    write(held$table, plain)
    pack_file(plain, to)
  }
  show_notes(held$notes)
}

# The compressor reports no error on a full disk, so the result is read again
# and compared.
pack_file <- function(plain, to) {
  con <- gzfile(to, "wb")
  suppressWarnings(tryCatch(
    each_piece(plain, function(piece) {
      writeBin(piece, con)
      TRUE
    }),
    finally = close(con)
  ))
  packed <- gzfile(to, "rb")
  on.exit(close(packed))
  same <- suppressWarnings(each_piece(plain, function(piece) {
    identical(readBin(packed, "raw", length(piece)), piece)
  }))
  if (!same || packed_size(to) != file.size(plain) %% 2^32) {
    stop("only a part of it could be written; is the disk full?")
  }
}

# The last four bytes hold the size of what was packed, from the low byte to the
# high one.
packed_size <- function(path) {
  con <- file(path, "rb")
  on.exit(close(con))
  seek(con, max(0, file.size(path) - 4))
  sum(as.integer(readBin(con, "raw", 4)) * 256^(0:3))
}

# Whether `is_good` says so of each piece of a file's bytes.
each_piece <- function(path, is_good, size = 2^22) {
  con <- file(path, "rb")
  on.exit(close(con))
  while (length(
    piece <- readBin(con, "raw", size)
  )) if (!is_good(piece)) return(FALSE)
  TRUE
}
