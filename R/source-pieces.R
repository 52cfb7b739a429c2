# Reads a delimited text piece by piece: the kinds supposed before all was read,
# and the values of a piece.

# read_as: "text" or "number", as in first_readings(). like: a vector of no
# values that is as the column is. turn: distinct texts as values (NULL: texts
# stay). no_empty: whether the empty text in quotes is absent.
new_supposed <- function(name, read_as, like, turn = NULL, no_empty = FALSE) {
  new_record(
    "supposed",
    list(
      name = name,
      read_as = read_as,
      like = like,
      turn = turn,
      no_empty = no_empty
    )
  )
}

# What the first thousand rows promise of every column.
supposed_columns <- function(layout, reading) {
  bytes <- open_bytes(layout$source)
  on.exit(close_bytes(bytes))
  names <- layout$names
  read_as <- first_readings(layout, reading$kinds, names)
  reader <- open_columns(
    layout,
    bytes,
    stats::setNames(rep("text", length(names)), names),
    most_rows = 1000,
    block = 2^16,
    threads = 1
  )
  next_part(reader, layout)
  lapply(stats::setNames(nm = names), function(name) {
    at <- match(name, names)
    distinct <- core_text_distinct(reader, at, 1)
    is_absent <- distinct$text %in% layout$column_codes[[name]] | !validUTF8(distinct$text)
    no_empty <- empty_gone(
      core_text_column_facts(reader, at), distinct, name, reading, layout
    ) >
      0
    if (no_empty) is_absent <- is_absent | distinct$text == ""
    if (read_as[[name]] == "number") {
      return(new_supposed(
        name, "number", numbers_like(distinct$text, reading$kinds[[name]], layout)
      ))
    }
    account <- told_of_texts(
      distinct$text[!is_absent], distinct$count[!is_absent], name, reading, layout
    )
    supposed_like(name, "text", account$values, reading, layout, no_empty)
  })
}

numbers_like <- function(texts, asked, layout) {
  forms <- numbers_of_layout(texts, layout)
  decimals <- has_form(
    forms$forms[!is.na(forms$numbers)], "decimals", "beyond_int"
  )
  if (any(decimals) || identical(asked, "number")) numeric() else integer()
}

# A column whose values are like some that were told.
supposed_like <- function(
  name, read_as, values, reading, layout, no_empty = FALSE
) {
  kind <- kind_of_vector(values)
  asked <- reading$kinds[[name]]
  mark <- layout$form$mark
  turn <- if (!is.null(asked)) {
    function(texts) {
      asked_values(texts, name, asked, layout$where, mark, layout$thousands)
    }
  } else {
    switch(kind,
      text = NULL,
      logical = ,
      date = ,
      `date-time` = function(texts) values_of_kind[[kind]](texts),
      function(texts) numbers_of_layout(texts, layout)$numbers
    )
  }
  if (kind == "text") turn <- NULL
  new_supposed(name, read_as, values[0], turn, no_empty = no_empty)
}

# Whether the empty text stands in quotes in a column, and whether it is absent
# there.
empty_is_gone <- function(reader, name, layout, is_text) {
  facts <- core_text_column_facts(reader, match(name, layout$names))
  list(
    occurs = facts$quoted_empty,
    is_gone = empty_is_absent(facts, layout, is_text)
  )
}

checked_facts <- function(reader, layout) {
  facts <- facts_of_text(reader)
  check_facts(facts, layout)
  facts
}

lines_in <- function(reader) function(rows) core_text_lines(reader, rows)

# Some rows of a file as they are sieved. raw: by column, numbers or codes to
# keep; values and coded: what an expression reads; odd: rows whose text is no
# value of the column's kind.
new_piece <- function(rows, raw, values, coded, odd = list()) {
  list(
    rows = as.integer(rows),
    raw = raw,
    values = values,
    coded = coded,
    odd = odd
  )
}

# The next `rows` rows, whose values the reader forgets. texts: an environment
# that keeps, by column, the distinct texts met so far and their values.
# keeps_rows: whether rows will be kept; else nothing is made for it of columns
# whose texts are turned.
piece_of_columns <- function(
  reader, supposed, layout, texts, rows, keeps_rows
) {
  raw <- values <- odd <- list()
  coded <- list()
  for (one in supposed) {
    name <- one$name
    at <- match(name, layout$names)
    if (one$read_as == "number") {
      raw[[name]] <- values[[name]] <- as.double(core_text_piece(reader, at, rows))
      next
    }
    distinct <- texts_so_far(reader, at, one, layout, texts)
    if (!keeps_rows &&
      !is.null(one$turn) &&
      !is.character(distinct$values) &&
      !length(distinct$odd)) {
      raw[[name]] <- integer()
      values[[name]] <- core_text_piece_spread(reader, at, rows, distinct$values)
      attributes(values[[name]]) <- attributes(distinct$values)
      next
    }
    raw[[name]] <- codes <- as.integer(core_text_piece(reader, at, rows))
    if (is.null(one$turn)) {
      codes <- without(codes, distinct$gone)
      coded[[name]] <- list(codes = codes, values = distinct$text)
      # Nothing reads the texts of a piece but by their codes.
      values[[name]] <- codes
    } else {
      odd[[name]] <- odd_rows(codes, distinct$odd)
      values[[name]] <- core_text_spread(codes, distinct$values)
      attributes(values[[name]]) <- attributes(distinct$values)
    }
  }
  core_text_drop(reader, rows)
  new_piece(rows, raw, values, coded, odd)
}

# Distinct texts of a column with their values; new ones are turned when they
# are met. gone: codes of texts that mean absent; odd: codes of texts that are
# no values.
texts_so_far <- function(reader, at, one, layout, texts) {
  known <- texts[[one$name]]
  if (is.null(known)) {
    known <- list(
      text = character(),
      values = one$like,
      gone = integer(),
      odd = integer()
    )
  }
  from <- length(known$text) + 1
  more <- core_text_distinct(reader, at, from)$text
  if (!length(more)) return(known)
  if (!all(validUTF8(more))) not_as_supposed()
  is_absent <- more %in% layout$column_codes[[one$name]] |
    (one$no_empty & more == "")
  known$text <- c(known$text, more)
  known$gone <- c(known$gone, from - 1L + which(is_absent))
  if (!is.null(one$turn)) {
    values <- one$turn(more)
    values[is_absent] <- NA
    known$odd <- c(known$odd, from - 1L + which(is.na(values) & !is_absent))
    known$values <- if (length(known$values)) {
      c(known$values, values)
    } else {
      values
    }
  }
  texts[[one$name]] <- known
  known
}

# What columns are now that all was read, from the values of the rows that were
# kept: NULL where one must be read again as text.
told_when_read <- function(reader, supposed, kept, reading, layout) {
  lapply(supposed, function(one) {
    at <- match(one$name, layout$names)
    if (one$read_as == "number") {
      return(told_numbers(
        reader, at, one$name, reading, layout, kept[[one$name]]
      ))
    }
    if (!all(validUTF8(core_text_distinct(reader, at, 1)$text))) {
      not_as_supposed()
    }
    account <- told_texts(reader, at, one$name, reading, layout, kept[[one$name]])
    # A note on it names a row.
    if (!is.null(account$stays) && !has_form(account$stays$form, "leading_zero")) {
      not_as_supposed()
    }
    account
  })
}

# Of every value that was read: whether some are absent, and whether none is
# there, which is not known where the rows of some files were only counted.
absence_when_read <- function(reader, supposed, pass, layout) {
  lapply(supposed, function(one) {
    rows <- pass$rows -
      if (one$name %in% pass$counted$columns) 0 else pass$counted$rows
    at <- match(one$name, layout$names)
    facts <- core_text_column_facts(reader, at)
    there <- facts$present - facts$n_unread
    if (one$read_as == "text") {
      distinct <- core_text_distinct(reader, at, 1)
      is_absent <- distinct$text %in% layout$column_codes[[one$name]] |
        (empty_is_absent(facts, layout, is.null(one$turn)) & distinct$text == "")
      if (!is.null(one$turn)) is_absent <- is_absent | is.na(one$turn(distinct$text))
      there <- sum(distinct$count[!is_absent])
    }
    list(
      gaps = there < rows,
      empty = rows > 0 && there == 0 && rows == pass$rows
    )
  })
}

# Columns of some rows of a text (by number, ascending; NULL: all), told by all
# its values.
read_rows <- function(layout, names, rows, reading) {
  readings <- first_readings(layout, reading$kinds, names)
  notes <- list()
  while (length(readings)) {
    read <- read_some_rows(layout, readings, rows, reading)
    notes[names(read)] <- read
    again <- names(read)[vapply(read, is.null, NA)]
    readings <- stats::setNames(rep("text", length(again)), again)
  }
  notes[names]
}

read_some_rows <- function(layout, readings, rows, reading) {
  bytes <- open_bytes(layout$source)
  on.exit(close_bytes(bytes))
  reader <- open_columns(layout, bytes, readings)
  kept <- list()
  before <- 0
  read_to_end(reader, layout, function() {
    n <- core_text_rows(reader) - before
    pieces <- lapply(
      stats::setNames(match(names(readings), layout$names), names(readings)),
      core_text_piece,
      reader = reader,
      rows = n
    )
    here <- if (is.null(rows)) {
      seq_len(n)
    } else {
      rows[seq_along(rows) > findInterval(before, rows) &
        seq_along(rows) <= findInterval(before + n, rows)] -
        before
    }
    for (name in names(pieces)) {
      kept[[name]] <<- c(kept[[name]], list(pieces[[name]][here]))
    }
    before <<- before + n
    core_text_drop(reader, n)
  })
  checked_facts(reader, layout)
  supposed <- lapply(stats::setNames(nm = names(readings)), function(name) {
    new_supposed(name, readings[[name]], NULL)
  })
  told_when_read(
    reader,
    supposed,
    lapply(kept, function(k) list(values = unlist(k), odd = NULL)),
    reading,
    layout
  )
}

# Rows that the reader has and that were not given away: all of them, or as many
# as make whole pieces of `of` rows.
rows_ready <- function(reader, given, of = 1) {
  (core_text_rows(reader) - given) %/% of * of
}

# A reading in pieces ends where values are not what the first of them promised.
not_as_supposed <- function() {
  stop(structure(
    class = c("neatsieve_whole_file_needed", "error", "condition"),
    list(message = "the file must be read whole", call = NULL)
  ))
}
