# Tables as delimited text.

# Absent is empty; text that is empty or NA is quoted, so that they stay apart. A column of several
# columns is written as these; lists as text.
write_csv <- function(table, path, delimiter = ",") {
  flat <- c(row_name_column(table), flat_columns(as.list(table)))
  columns <- lapply(unname(flat), csv_column)
  if (!core_write_text(path, as_utf8(as.character(names(flat))), columns, nrow(table), delimiter,
                       thread_count())) {
    stop("not every byte could be written; is the disk full?")
  }
}

# A column as the core writes it: numbers, whole numbers, logicals and days as they are, others as
# codes of texts.
csv_column <- function(x) {
  if (inherits(x, "Date")) return(structure(as.double(x), class = "Date"))
  if (!is.object(x) && (is.numeric(x) || is.logical(x))) return(x)
  if (is.factor(x)) return(list(as.integer(x), as_utf8(levels(x))))
  text <- if (is.list(x)) vapply(x, function(v) paste(format(v), collapse = " "), character(1))
    else if (inherits(x, "POSIXct")) csv_times(x) else as.character(x)
  text[is.na(x)] <- NA
  unname(core_code_text(as_utf8(text)))
}

row_name_column <- function(table) {
  names <- attr(table, "row.names")
  if (is.character(names) && !"row_name" %in% names(table)) list(row_name = names)
}

flat_columns <- function(columns) {
  out <- list()
  for (name in names(columns)) {
    x <- columns[[name]]
    if (is.null(dim(x))) {
      out[[name]] <- x
      next
    }
    inner <- if (is.null(colnames(x))) seq_len(ncol(x)) else colnames(x)
    for (k in seq_len(ncol(x))) out[[paste0(name, ".", inner[k])]] <- x[, k, drop = TRUE]
  }
  out
}

# ISO 8601, with a year of at least four digits.
iso_date_texts <- function(x) {
  parts <- as.POSIXlt(x)
  ifelse(is.na(x), NA, sprintf("%04d-%02d-%02d", parts$year + 1900L, parts$mon + 1L, parts$mday))
}

# ISO 8601 with the zone's offset, and fractions of a second where there are any.
csv_times <- function(x) {
  seconds <- as.numeric(x)
  fraction <- seconds - floor(seconds)
  whole <- x - fraction
  text <- format(whole, "%Y-%m-%dT%H:%M:%S")
  more <- ifelse(!is.na(fraction) & fraction > 0,
                 sub("^0", "",
                     sub("0+$", "",
                         formatC(fraction, digits = 6, format = "f", decimal.mark = "."))), "")
  ifelse(is.na(x), NA, paste0(text, ifelse(more == ".", "", more), format(whole, "%z")))
}
