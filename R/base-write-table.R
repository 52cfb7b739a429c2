# Tables written in the format that the ending of a path says.

table_endings <- c("csv", "tsv", "jsonl", "json", "parquet", "xlsx")

ending_of <- function(path) tolower(sub(".*[.]", "", sub("[.]gz$", "", basename(path))))

# The function that writes a data frame to a path with such an ending.
table_writer <- function(ending) {
  switch(ending, csv = write_csv, tsv = function(table, path) write_csv(table, path, "\t"),
         jsonl = , ndjson = write_json_lines, json = write_json_records,
         parquet = write_parquet_file, xlsx = write_workbook,
         stop_neatly("run", paste0("No format of tables ends in ", quoted(paste0(".", ending)),
                                   "."), NULL,
                     c(meant(ending, table_endings, function(e) quoted(paste0(".", e))),
                       paste0("The endings are ", listed(paste0(".", table_endings), 10),
                              ", and `.gz` behind those of text."))))
}

need_writer <- function(package, what) {
  if (requireNamespace(package, quietly = TRUE)) return()
  stop_neatly("run", paste0("Writing ", what, " needs the R package ", package,
                            ", which is not installed."), NULL,
              paste0("Install it with `install.packages(\"", package, "\")`, or write CSV."))
}

# Row names as a column, columns of columns as these, lists as text: what every format can hold.
flat_table <- function(table) {
  flat <- c(row_name_column(table), flat_columns(as.list(table)))
  flat <- lapply(flat, function(x) {
    if (!is.list(x)) return(x)
    vapply(x, function(v) paste(format(v), collapse = " "), character(1))
  })
  structure(flat, class = "data.frame", row.names = .set_row_names(nrow(table)))
}

# Records as JSON texts (RFC 8259), one for each row: numbers in as many digits as it takes to read
# back the same, which the usual package cuts at 15; null where a value is absent.
json_records <- function(table) {
  table <- flat_table(table)
  if (!length(table)) return(rep("{}", nrow(table)))
  cells <- lapply(names(table), function(name) {
    paste0(json_texts(name), ":", json_cells(table[[name]]))
  })
  paste0("{", do.call(paste, c(cells, sep = ",")), "}")
}

json_cells <- function(x) {
  text <- if (is.logical(x)) ifelse(x, "true", "false")
    else if (is.numeric(x) && !is.object(x)) number_texts(as.double(x))
    else json_texts(if (inherits(x, "POSIXct")) csv_times(x)
                    else if (inherits(x, "Date")) iso_date_texts(x) else as.character(x))
  endless <- is.numeric(x) & is.infinite(x)
  text[endless] <- json_texts(text[endless])
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

write_parquet_file <- function(table, path) {
  need_writer("nanoparquet", "Parquet")
  nanoparquet::write_parquet(flat_table(table), path)
}

# Dates stand as dates; what a workbook has no word for (Inf, categories) as text.
write_workbook <- function(table, path) {
  need_writer("writexl", "XLSX")
  table <- flat_table(table)
  table[] <- lapply(table, function(x) if (is.factor(x)) as.character(x) else x)
  writexl::write_xlsx(table, path)
}

# Text is packed where the path ends in .gz.
write_table_to <- function(table, path, to, format = ending_of(path)) {
  write <- table_writer(format)
  if (!grepl("[.]gz$", path, ignore.case = TRUE)) return(write(table, to))
  plain <- tempfile()
  on.exit(unlink(plain))
  write(table, plain)
  con <- gzfile(to, "wb")
  tryCatch(writeBin(readBin(plain, "raw", file.size(plain)), con), finally = close(con))
}
