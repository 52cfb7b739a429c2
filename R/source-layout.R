# Finds the form of a delimited text from its beginning and end.

# How a text is written: its delimiter, line end and decimal mark, and where its
# records begin. codes: what stands for absent; in_quotes: in quotes too, as
# where codes were given. around: see new_text_around(). reading: what study()
# was told. part_columns: texts of columns that hold one for each of several
# files, by name.
new_text_layout <- function(
  source, delimiter, line_end, mark, thousands, names, skip, first_line, codes,
  in_quotes, column_codes, where, repaired, around, reading,
  part_columns = list()
) {
  new_record(
    "text_layout",
    list(
      source = source,
      form = list(delimiter = delimiter, line_end = line_end, mark = mark),
      thousands = thousands,
      names = names,
      skip = skip,
      first_line = first_line,
      codes = codes,
      in_quotes = in_quotes,
      column_codes = column_codes,
      where = where,
      repaired = repaired,
      around = around,
      reading = reading,
      part_columns = part_columns
    )
  )
}

text_layout <- function(path, reading, where) {
  source <- byte_source(path, reading$encoding, where)
  top <- top_of_text(source, reading, where)
  delimiter <- reading$delimiter
  if (is.null(delimiter)) delimiter <- guess_delimiter(path, top$bytes)
  header <- header_of_text(top$bytes, delimiter, reading$header)
  bad <- which(!validUTF8(header$names))
  if (length(bad)) {
    stop_neatly(
      "study",
      "The header is not text in UTF-8.",
      where,
      "If the file is in an older encoding say so: `study(file, encoding = \"latin1\")`."
    )
  }
  whole <- repaired_names(header$names)
  bottom <- bottom_of_text(source, reading$footer, where)
  new_text_layout(
    source,
    delimiter,
    header$line_end,
    mark_of_reading(reading),
    reading$thousands,
    whole$names,
    source$start + top$before + header$bytes,
    top$lines + header$lines,
    reading$absent_codes,
    isTRUE(reading$codes_given),
    codes_of_columns(reading, whole$names),
    where,
    whole$repaired,
    around = new_text_around(
      reading, bottom$end, list(top$above), list(bottom$lines)
    ),
    reading = reading
  )
}

# What is left out around the table of each file, or filled. ends: the bytes
# that are read of each.
new_text_around <- function(reading, ends, above, below) {
  new_record(
    "text_around",
    list(
      comment = reading$comment,
      fill = reading$ragged == "fill",
      ends = ends,
      above = above,
      below = below
    )
  )
}

# The names that a header of one line, of two or of none gives, and the bytes
# and lines it takes.
header_of_text <- function(bytes, delimiter, header) {
  first <- core_text_header(bytes, delimiter)
  end <- charToRaw(first$line_end)
  if (isFALSE(header)) {
    return(list(
      names = paste0("column_", seq_along(first$fields)),
      bytes = 0,
      lines = 0,
      line_end = first$line_end
    ))
  }
  taken <- first$bytes
  names <- first$fields
  if (identical(as.numeric(header), c(1, 2))) {
    second <- core_text_header(bytes[-seq_len(taken)], delimiter)
    taken <- taken + second$bytes
    names <- joined_header(names, second$fields)
  }
  list(
    names = names,
    bytes = taken,
    lines = sum(bytes[seq_len(taken)] == end),
    line_end = first$line_end
  )
}

# The mark before decimals: where points part thousands, a comma.
mark_of_reading <- function(reading) {
  if (!is.null(reading$decimal)) {
    reading$decimal
  } else if (identical(reading$thousands, ".")) {
    ","
  } else {
    "."
  }
}

# Bytes that the whole header stands in.
header_bytes <- function(source, where) {
  size <- 2^14
  repeat {
    bytes <- first_bytes(source, size)
    is_all <- length(bytes) < size
    if (source$start > 0) bytes <- bytes[-seq_len(source$start)]
    if (is_all || core_text_header(bytes, ",")$bytes < length(bytes)) break
    size <- size * 8
  }
  check_header_bytes(bytes, where)
  bytes
}

check_header_bytes <- function(bytes, where) {
  line <- utils::head(bytes, core_text_header(bytes, ",")$bytes)
  if (!any(!line %in% charToRaw(" ,;\t|\r\n\""))) {
    stop_neatly(
      "study",
      "The file has no header line.",
      where,
      "The first line must name the columns."
    )
  }
  if (any(line == as.raw(0))) stop_for_zero_bytes("line 1", where)
}

# The delimiter that parts the first record into most fields; quotes are heeded.
guess_delimiter <- function(path, header) {
  if (grepl("\\.(tsv|tab)(\\.[a-z0-9]+)?$", path, ignore.case = TRUE)) {
    return("\t")
  }
  fields <- vapply(
    c(",", ";", "\t", "|"),
    function(d) length(core_text_header(header, d)$fields),
    integer(1)
  )
  if (max(fields) == 1) "," else names(fields)[which.max(fields)]
}

# Names that a column can be called by: blanks around and line ends within go,
# an empty name becomes column_<number>, one that was there before gets a
# number.
repaired_names <- function(names) {
  plain <- trimws(gsub("[[:cntrl:]]+", " ", enc2utf8(names)))
  empty <- which(plain == "")
  plain[empty] <- paste0("column_", empty)
  for (i in which(duplicated(plain))) {
    number <- 2
    while (paste0(plain[i], "_", number) %in% plain) number <- number + 1
    plain[i] <- paste0(plain[i], "_", number)
  }
  changed <- plain != names
  list(
    names = plain,
    repaired = if (any(changed)) stats::setNames(names[changed], plain[changed])
  )
}
