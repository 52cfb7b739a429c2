# Writes tables as delimited text.

# Absent is empty; text that is empty or NA is quoted, so that they stay apart.
# A column of several columns is written as these; lists as text.
write_csv <- function(table, path, delimiter = ",") {
  flat <- c(row_name_column(table), flat_columns(as.list(table)))
  columns <- lapply(unname(flat), csv_column)
  if (!core_write_text(
    path,
    as_utf8(as.character(names(flat))),
    columns,
    nrow(table),
    delimiter,
    thread_count()
  )) {
    stop("not every byte could be written; is the disk full?")
  }
}

# A column as the core writes it: numbers, whole numbers, logicals and days as
# they are, others as codes of texts.
csv_column <- function(x) {
  if (inherits(x, "Date")) return(structure(as.double(x), class = "Date"))
  if (!is.object(x) && (is.numeric(x) || is.logical(x))) return(x)
  if (is.factor(x)) return(list(as.integer(x), as_utf8(levels(x))))
  text <- if (is.list(x)) {
    vapply(x, function(v) paste(format(v), collapse = " "), character(1))
  } else if (inherits(x, "POSIXct")) {
    csv_times(x)
  } else {
    as.character(x)
  }
  text[is.na(x)] <- NA
  unname(core_code_text(as_utf8(text)))
}

row_name_column <- function(table) {
  names <- attr(table, "row.names")
  if (is.character(names) && !"row_name" %in% names(table)) {
    list(row_name = names)
  }
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
    for (k in seq_len(ncol(
      x
    ))) out[[paste0(name, ".", inner[k])]] <- x[, k, drop = TRUE]
  }
  out
}

# ISO 8601, with a year of at least four digits.
iso_date_texts <- function(x) {
  ifelse(is.na(x), NA, day_texts(as.POSIXlt(x)))
}
day_texts <- function(parts) {
  year <- as.integer(parts$year + 1900)
  # Outside of four digits a year has a sign and six of them.
  odd <- !is.na(year) & (year < 0 | year > 9999)
  text <- sprintf("%04d-%02d-%02d", year, parts$mon + 1L, parts$mday)
  text[odd] <- sprintf("%+07d-%02d-%02d", year, parts$mon + 1L, parts$mday)[odd]
  text
}

# ISO 8601 with the zone's offset (its seconds, too, where it has some), and as
# many decimals of a second as it takes to read back the same.
csv_times <- function(x) {
  seconds <- as.double(x)
  is_time <- is.finite(seconds)
  seconds[!is_time] <- 0
  parts <- as.POSIXlt(.POSIXct(floor(seconds), attr(x, "tzone")[1]))
  behind <- seconds - floor(seconds)
  decimals <- rep("", length(seconds))
  left <- which(behind > 0)
  for (digits in c(3, 6, 7, 8, 9, 12, 17)) {
    text <- sprintf("%.*f", digits, behind[left])
    same <- floor(seconds[left]) + as.double(text) == seconds[left]
    done <- (startsWith(text, "0") & same) | digits == 17
    decimals[left[done]] <- sub("[.]?0+$", "", substring(text[done], 2))
    left <- left[!done]
  }
  offset <- if (is.null(parts$gmtoff)) {
    rep(0L, length(seconds))
  } else {
    parts$gmtoff
  }
  text <- sprintf(
    "%sT%02d:%02d:%02d%s%s",
    day_texts(parts),
    parts$hour,
    parts$min,
    as.integer(parts$sec),
    decimals,
    offset_texts(offset)
  )
  ifelse(is_time, text, NA)
}

# A time in UTC has no offset of its own.
offset_texts <- function(offset) {
  size <- abs(offset)
  paste0(
    ifelse(offset < 0, "-", "+"),
    sprintf("%02d%02d", size %/% 3600L, size %/% 60L %% 60L),
    ifelse(size %% 60L > 0, sprintf("%02d", size %% 60L), "")
  )
}
