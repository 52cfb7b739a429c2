# Reads a delimited text file. Columns are read as numbers or coded texts. All
# values decide the kind; a column that differs from what its first values
# promised is read again.

# Texts of a file as numbers, and the forms they are written in.
numbers_of_layout <- function(texts, layout) {
  mark <- layout$form$mark
  core_read_numbers(without_thousands(texts, layout$thousands, mark), mark)
}

# How a text is written, and what is said of it; NULL for files of several
# forms.
open_text <- function(path, reading) {
  layout <- if (is_files(path)) {
    chained_layout(path, reading)
  } else {
    text_layout(path, reading, paste0("In file ", quoted(path), "."))
  }
  if (!is.null(layout)) opened_text(layout, reading)
}

# The same of a layout that is known.
opened_text <- function(layout, reading) {
  where <- layout$where
  if (is.null(reading$dictionary)) {
    check_known_columns(names(reading$kinds), layout$names, "kinds", where)
    check_known_columns(
      names(reading$column_codes), layout$names, "absent_codes", where
    )
  }
  notes <- new_notebook()
  if (layout$source$more_marks > 0) {
    take_note(
      notes,
      "The file begins with more than one byte order mark; all are left out.",
      where
    )
  }
  note_header(notes, layout)
  note_title(layout, notes)
  note_total(layout, notes)
  is_told <- !is.null(reading$decimal) ||
    isTRUE(reading$thousands %in% c(",", "."))
  if (!is_told) layout <- with_found_mark(layout, notes)
  list(layout = layout, notes = notes)
}

read_delimited <- function(path, reading) {
  read_opened(open_text(path, reading), reading)
}

read_opened <- function(opened, reading) {
  layout <- opened$layout
  notes <- opened$notes
  read <- read_columns(
    layout, first_readings(layout, reading$kinds, layout$names), reading
  )
  again <- names(read$columns)[vapply(read$columns, is.null, NA)]
  if (length(again)) {
    second <- read_columns(
      layout, stats::setNames(rep("text", length(again)), again), reading
    )
    read$columns[again] <- second$columns[again]
  }
  for (told in read$columns) note_told(notes, told, layout$where)
  note_problems(notes, read, layout)
  columns <- lapply(read$columns, `[[`, "values")
  list(
    decimal = layout$form$mark,
    data = structure(
      columns,
      class = "data.frame",
      row.names = .set_row_names(read$rows)
    ),
    notes = notes$notes,
    account = reading_problems(read, layout),
    texts = lapply(read$columns, `[[`, "coded"),
    reasons = lapply(read$columns, `[[`, "reasons"),
    rows = read$facts$parts$rows
  )
}

note_header <- function(notes, layout) {
  repaired <- layout$repaired
  if (!length(repaired)) return()
  words <- paste0(
    ifelse(
      trimws(repaired) == "",
      paste("the empty name of column", match(names(repaired), layout$names)),
      quoted(repaired)
    ),
    " became `", names(repaired), "`"
  )
  take_note(
    notes,
    paste0("The header was mended: ", listed(words, 6), "."),
    layout$where,
    "Mend the file to choose other names."
  )
}

# Where commas do not part the values they may stand before decimals: so they do
# where a column's first values are numbers with one, and none has numbers with
# a point. Groups of three digits behind every mark may be thousands as well.
with_found_mark <- function(layout, notes) {
  if (layout$form$delimiter == ",") return(layout)
  uses <- Filter(Negate(is.null), lapply(first_texts(layout), column_marks))
  with_comma <- Filter(function(use) any(use$comma$decimals), uses)
  with_point <- Filter(function(use) any(use$point$any), uses)
  if (!length(with_comma)) return(layout)
  first <- with_comma[[1]]
  example <- first$texts[first$comma$decimals][1]
  if (!length(with_point)) {
    layout$form$mark <- ","
    take_note(
      notes,
      paste0(
        "Numbers are read with a decimal comma: ", quoted(example),
        " in column `", names(with_comma)[1], "`."
      ),
      layout$where,
      "If a comma is no decimal mark there, give `decimal = \".\"`."
    )
    return(layout)
  }
  if (!any(vapply(with_point, function(use) any(use$point$decimals), NA))) {
    note_points(with_point, example, names(with_comma)[1], layout, notes)
  }
  layout
}

# What commas and points do in the texts of a column, where nearly all are
# numbers of some mark.
column_marks <- function(texts) {
  if (!length(texts)) return(NULL)
  comma <- mark_uses(texts, ",", ".")
  point <- mark_uses(texts, ".", ",")
  is_one <- comma$any | point$any | grepl("^[-+]?[0-9]+$", texts)
  if (mean(is_one) < 0.9 || !any(comma$any | point$any)) return(NULL)
  list(texts = texts, comma = comma, point = point)
}

# Points before groups of three digits, where another column has decimal commas:
# read as decimals, and said, for they may be thousands.
note_points <- function(with_point, comma, column, layout, notes) {
  use <- with_point[[1]]
  text <- use$texts[use$point$any][1]
  take_note(
    notes,
    paste0(
      "Column `", names(with_point)[1], "`: ", quoted(text), " is read as ",
      if (is.na(numbers_from_text(text))) {
        "text"
      } else {
        number_code(numbers_from_text(text))
      },
      ", and column `", column, "` has commas before decimals (",
      quoted(comma), "), so that it may be ",
      number_code(numbers_from_text(text, ",", ".")), "."
    ),
    layout$where,
    c(
      "If points part thousands, give `decimal = \",\", thousands = \".\"`.",
      "If they stand before decimals, give `decimal = \".\"`."
    )
  )
}

# Distinct texts of every column in the first thousand rows.
first_texts <- function(layout) {
  bytes <- open_bytes(layout$source)
  on.exit(close_bytes(bytes))
  all <- stats::setNames(rep("text", length(layout$names)), layout$names)
  reader <- open_columns(
    layout,
    bytes,
    all,
    most_rows = 1000,
    block = 2^16,
    threads = 1
  )
  next_part(reader, layout)
  texts <- lapply(
    seq_along(layout$names), function(at) core_text_distinct(reader, at, 1)$text
  )
  stats::setNames(
    lapply(texts, function(t) trimws(t[validUTF8(t)])), layout$names
  )
}

# As what each column is read at first: by the kinds told, or by its first
# thousand rows.
first_readings <- function(layout, kinds, wanted) {
  readings <- stats::setNames(rep("text", length(wanted)), wanted)
  # Codes of single columns are compared as text.
  kinds <- kinds[setdiff(
    names(kinds), c(names(layout$column_codes), names(layout$part_columns))
  )]
  facts <- vapply(
    kinds[intersect(names(kinds), wanted)],
    function(kind) is_text(kind) && kind %in% c("number", "whole"),
    NA
  )
  readings[names(facts)[facts]] <- "number"
  open <- setdiff(
    wanted,
    c(names(kinds), names(layout$column_codes), names(layout$part_columns))
  )
  if (!length(open)) return(readings)
  bytes <- open_bytes(layout$source)
  on.exit(close_bytes(bytes))
  reader <- open_columns(
    layout,
    bytes,
    stats::setNames(rep("text", length(open)), open),
    most_rows = 1000,
    block = 2^16,
    threads = 1
  )
  next_part(reader, layout)
  check_zero_bytes(facts_of_text(reader), layout)
  # Uses positions, because looking up names one by one is slow for very many.
  places <- match(open, layout$names)
  of_numbers <- vapply(places, function(at) {
    distinct <- core_text_distinct(reader, at, 1)
    is_number <- !is.na(numbers_from_text(distinct$text, layout$form$mark))
    any(is_number) && sum(distinct$count[is_number]) >= 0.9 * sum(distinct$count)
  }, NA)
  readings[match(open[of_numbers], wanted)] <- "number"
  readings
}

# together: how many blocks are read and scanned at a time, for each thread.
# counted: files of which only the rows are counted.
open_columns <- function(
  layout, bytes, readings, most_rows = -1, block = block_bytes(),
  together = 2L, threads = thread_count(), counted = new_counted_files()
) {
  how <- rep(0L, length(layout$names))
  how[match(
    names(readings), layout$names
  )] <- match(readings, c("text", "number"))
  how_counted <- ifelse(layout$names %in% counted$columns, how, 0L)
  of_files <- layout$names %in% names(layout$part_columns)
  part_columns <- layout$part_columns
  part_columns[how[of_files] == 0] <- list(character())
  # Checked last, because evaluating `readings` may read the file.
  check_unchanged(layout$source)
  core_text_open(
    bytes,
    layout$form,
    how[!of_files],
    layout$codes,
    layout$in_quotes,
    layout$skip,
    layout$first_line[1],
    most_rows,
    threads,
    block,
    together,
    unname(part_columns),
    unclass(layout$around),
    list(parts = counted$parts, readings = how_counted[!of_files])
  )
}

# How many bytes are a block, which one thread scans: no answer depends on it.
block_bytes <- function() getOption("neatsieve.block_bytes", 2^20)
