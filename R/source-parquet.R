# Reads Parquet: 64-bit whole numbers become exact numbers, text, or an error.
# The package that reads gives them exactly only for some of the types.

read_parquet_file <- function(path, reading, where) {
  options <- nanoparquet::parquet_options()
  # Newer versions of the package have this option.
  exact <- "read_int64_type" %in% names(options) &&
    requireNamespace("bit64", quietly = TRUE)
  if (exact) options$read_int64_type <- "integer64"
  table <- as.data.frame(nanoparquet::read_parquet(path, reading$only, options))
  for (name in intersect(long_whole_columns(path), names(table))) {
    if (is_rounded(table[[name]]) &&
      !identical(reading$kinds[[name]], "number")) {
      stop_for_rounded(name, where)
    }
  }
  table
}

stop_for_rounded <- function(name, where) {
  stop_neatly(
    "study",
    paste0(
      "Column `", name, "` holds whole numbers of 2^53 or more, of which ",
      "only the nearest number can be read from this file."
    ),
    where,
    paste0(
      "Write them as text into the file to keep every digit, or `kinds = list(",
      lang_text(as.name(name)), " = \"number\")` for numbers that are rounded."
    )
  )
}

is_rounded <- function(x) {
  is.double(x) && !is.object(x) && any(abs(x) >= 2^53, na.rm = TRUE)
}

# Columns of whole numbers of 64 bits that would be read as numbers.
long_whole_columns <- function(path) {
  long_wholes_of(nanoparquet::read_parquet_schema(path))
}

long_wholes_of <- function(schema) {
  is_whole <- is.na(schema$converted_type) |
    schema$converted_type %in% c("", "INT_64", "UINT_64")
  schema$name[schema$type %in% "INT64" & schema$r_type %in% "double" & is_whole]
}

# Whether, by the file's own account of parts of columns, one of these may hold
# 2^53 or more.
may_hold_long_wholes <- function(chunks, names) {
  of <- chunks$path_in_schema %in% names
  if (!any(of)) return(FALSE)
  ends <- c(chunks$min_value[of], chunks$max_value[of])
  # Column chunks without a present value have no minimum and maximum.
  empty <- rep(chunks$null_count[of] %in% chunks$num_values[of], 2) &
    lengths(ends) != 8
  known <- ends[!empty]
  any(lengths(known) != 8) || any(abs(vapply(known, whole_of_bytes, 0)) >= 2^53)
}

# A whole number of 64 bits from its bytes, the lowest first.
whole_of_bytes <- function(bytes) {
  halves <- readBin(bytes, "integer", 2, endian = "little")
  halves[is.na(halves)] <- -2^31
  halves[2] * 2^32 + halves[1] + if (halves[1] < 0) 2^32 else 0
}
