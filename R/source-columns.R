# Decides the kinds of columns of a delimited text from all their values.

# values: the vector. coded: for text that stays text, its codes and distinct
# texts. rows, texts: where values became absent, and what they were. stays: why
# a column of numbers stays text, with an example. present: how many values are
# there, those that were not kept among them. reasons: why values are absent, a
# category, where codes tell it.
new_told <- function(
  name, values, asked = NULL, coded = NULL, rows = numeric(),
  texts = character(), stays = NULL, present = sum(!is.na(values)),
  reasons = NULL
) {
  new_record(
    "told",
    list(
      name = name,
      values = values,
      asked = asked,
      coded = coded,
      rows = rows,
      texts = texts,
      stays = stays,
      present = present,
      reasons = reasons
    )
  )
}

# Told columns by name (NULL: to be read again as text), and what was met on the
# way.
read_columns <- function(layout, readings, reading) {
  bytes <- open_bytes(layout$source)
  on.exit(close_bytes(bytes))
  reader <- open_columns(layout, bytes, readings)
  read_to_end(reader, layout)
  facts <- facts_of_text(reader)
  check_facts(facts, layout)
  columns <- Map(
    function(name, at, read_as) {
      account <- if (read_as == "number") told_numbers else told_texts
      account(reader, at, name, reading, layout)
    },
    names(readings),
    match(names(readings), layout$names),
    readings
  )
  list(
    columns = stats::setNames(columns, names(readings)),
    rows = facts$rows,
    facts = facts,
    lines_of = lines_in(reader)
  )
}

# Reads all, with a bar for a person who waits; `each` is called after each
# part.
read_to_end <- function(reader, layout, each = function() NULL) {
  size <- layout$source$bytes
  has_bar <- is_watched() && !is.null(layout$source$path) && isTRUE(size > 5e7)
  if (has_bar) bar <- cli::cli_progress_bar("Reading", total = size)
  while ((done <- next_part(reader, layout)) >= 0) {
    check_unchanged(part_being_read(layout$source, reader))
    each()
    if (has_bar) cli::cli_progress_update(set = done, id = bar)
  }
  check_unchanged(layout$source)
  if (has_bar) cli::cli_progress_done(id = bar)
}

# The file that is read now, of many: all of them are looked at when all was
# read.
part_being_read <- function(source, reader) {
  if (!is_chain(source)) return(source)
  source$sources[[min(
    length(core_text_parts(reader)$rows) + 1, length(source$sources)
  )]]
}

# What stops a reading: records of another length than the header, a quote that
# is never closed, and bytes that no text has.
check_facts <- function(facts, layout) {
  problems <- facts$problems
  check_zero_bytes(facts, layout)
  if (facts$open_quote > 0) {
    stop_neatly(
      "study",
      paste0(
        "A quote opens on ", line_words(facts$open_quote, layout, facts$parts),
        " and is never closed: the rest of the file would be one value."
      ),
      layout$where,
      "Close it, or double it where it is part of the text (`\"\"`, in a quoted value)."
    )
  }
  ragged <- which(problems$what == "ragged")
  if (!length(ragged)) return()
  more <- facts$counts[["ragged"]] - 1
  stop_neatly(
    "study",
    paste0(
      line_words(problems$line[ragged[1]], layout, facts$parts, "Line "),
      " has another number of ", "values than the header: ",
      problems$fields[ragged[1]], " where there should be ",
      length(layout$names), "."
    ),
    c(
      layout$where,
      if (more > 0) {
        paste0(
          counted(more, "more line"), " like it",
          lines_words(problems$line[ragged[-1]], layout, facts$parts), "."
        )
      }
    ),
    c(
      "A value that holds the separator must stand in double quotes.",
      ways_around(layout)
    )
  )
}

# What reads a file whose lines differ, where something does.
ways_around <- function(layout) {
  calls <- calls_that_read(layout)
  if (length(calls)) {
    return(paste0("If lines that differ ", names(calls), ": `", calls, "`."))
  }
  if (length(layout$names) == 1) {
    paste0(
      "If ", quoted(layout$names),
      " is a title, give the number of lines above the header, ",
      "as `skip = 1`."
    )
  }
}

check_zero_bytes <- function(facts, layout) {
  zero <- which(facts$problems$what == "zero_byte")
  if (length(zero)) {
    stop_for_zero_bytes(
      line_words(facts$problems$line[zero[1]], layout, facts$parts),
      layout$where
    )
  }
}

lines_words <- function(lines, layout, parts) {
  if (!length(lines)) return("")
  paste0(": ", listed(line_words(utils::head(lines, 6), layout, parts, ""), 5))
}

stop_for_zero_bytes <- function(line, where) {
  stop_neatly(
    "study",
    paste0("The file is not text: it holds a zero byte, first on ", line, "."),
    where,
    "Give a text file; if it is in UTF-16 write `encoding = \"UTF-16LE\"`."
  )
}

# Bits of core_read_numbers(): how a number is written.
number_forms <- c(
  number = 1L, decimals = 2L, beyond_int = 4L, leading_zero = 8L,
  leading_plus = 16L, bare_exponent = 32L, too_long = 64L, mark = 128L
)
has_form <- function(forms, ...) bitwAnd(forms, sum(number_forms[c(...)])) > 0
# Which of some forms are those of codes: 1e5 beside 0.5 or 1e-3 is a number.
is_code_form <- function(forms) {
  amounts <- any(has_form(forms, "mark"))
  has_form(
    forms,
    "leading_zero",
    "leading_plus",
    "too_long",
    if (!amounts) "bare_exponent"
  )
}

# A column in which a very few values (at most 1 in 50) are no numbers is one of
# numbers still; so with dates, date-times and logicals.
few_unread <- function(unread, present) {
  unread == 0 || (unread <= present / 50 && present >= 50)
}

# Whether all values, or all but few, are numbers as they are written.
can_be_numbers <- function(facts, asked, layout) {
  unread <- facts$unread$text
  has_quoted_texts <- facts$quoted_empty && facts$plain_empty &&
    "" %in% layout$codes
  if (has_quoted_texts || facts$n_unread > length(unread)) return(FALSE)
  mark <- layout$thousands
  if (!is.null(mark) && any(has_thousands(unread, mark, layout$form$mark))) {
    return(FALSE)
  }
  if (!is.null(asked)) return(TRUE)
  facts$present != facts$n_unread && !is_code_form(facts$forms) &&
    few_unread(facts$n_unread, facts$present)
}

# kept: where only some rows are kept, what was kept of them while the file was
# read.
told_numbers <- function(reader, at, name, reading, layout, kept = NULL) {
  facts <- core_text_column_facts(reader, at)
  asked <- reading$kinds[[name]]
  bad <- which(!validUTF8(facts$unread$text))
  if (length(bad)) stop_for_bytes(facts$unread$row[bad[1]], name, layout)
  is_whole <- !has_form(facts$forms, "decimals", "beyond_int")
  if (!can_be_numbers(facts, asked, layout)) return(NULL)
  if (identical(asked, "whole") && !is_whole) return(NULL)
  as_whole <- is_whole && !identical(asked, "number")
  values <- if (is.null(kept)) {
    core_text_numbers(reader, at, as_whole)
  } else if (as_whole) {
    as.integer(kept$values)
  } else {
    kept$values
  }
  new_told(
    name,
    values,
    asked,
    rows = facts$unread$row,
    texts = facts$unread$text,
    present = facts$present - facts$n_unread
  )
}

told_texts <- function(reader, at, name, reading, layout, kept = NULL) {
  facts <- core_text_column_facts(reader, at)
  distinct <- core_text_distinct(reader, at, 1)
  absent_values <- empty_gone(facts, distinct, name, reading, layout)
  distinct$count[absent_values] <- 0
  codes <- if (is.null(kept)) {
    core_text_codes(reader, at, absent_values)
  } else {
    without(kept$values, absent_values)
  }
  check_utf8(distinct$text, codes, name, layout)
  absent_codes <- c(
    layout$column_codes[[name]],
    limit_codes(
      distinct$text, reading$kinds[[name]], layout$form$mark, layout$thousands
    )
  )
  is_met <- distinct$count > 0 & !distinct$text %in% absent_codes
  account <- told_of_texts(
    distinct$text[is_met], distinct$count[is_met], name, reading, layout
  )
  values <- account$values
  if (!all(is_met)) {
    at_met <- cumsum(is_met)
    at_met[!is_met] <- NA
    values <- values[at_met]
  }
  vector <- core_text_spread(codes, values)
  attributes(vector) <- attributes(account$values)
  stays <- if (!is.null(account$stays)) {
    c(account$stays, row = match(match(account$stays$text, distinct$text), codes))
  }
  odd <- if (is.null(kept)) {
    odd_rows(codes, match(account$unread, distinct$text))
  } else {
    kept$odd
  }
  new_told(
    name,
    vector,
    reading$kinds[[name]],
    rows = odd$row,
    texts = distinct$text[odd$code],
    coded = if (is.character(vector) && all(is_met)) {
      list(codes = codes, values = distinct$text)
    },
    stays = stays,
    present = sum(distinct$count[is_met][!is.na(account$values)]),
    reasons = reasons_of_codes(codes, distinct$text, absent_codes)
  )
}

# In quotes the empty text is absent too where nothing tells it from one that
# is: in a column all of whose values are in quotes, and in one that is no text,
# unless it has empty fields without.
empty_is_absent <- function(facts, layout, is_text) {
  facts$quoted_empty &&
    "" %in% layout$codes &&
    !(if (is_text) facts$plain else facts$plain_empty)
}

# The place of the empty text among those met, where it is absent, else 0.
empty_gone <- function(facts, met, name, reading, layout) {
  if (!empty_is_absent(facts, layout, FALSE)) return(0L)
  others <- met$text != "" &
    met$count > 0 &
    !met$text %in% layout$column_codes[[name]] &
    validUTF8(met$text)
  account <- told_of_texts(
    met$text[others], met$count[others], name, reading, layout
  )
  is_text <- is.character(account$values) || is.factor(account$values)
  if (empty_is_absent(facts, layout, is_text)) {
    match("", met$text, nomatch = 0L)
  } else {
    0L
  }
}
without <- function(codes, gone) {
  gone <- gone[gone > 0]
  if (length(gone)) replace(codes, codes %in% gone, NA) else codes
}

# The rows with one of these codes, and the code.
odd_rows <- function(codes, odd) {
  rows <- if (length(odd)) which(codes %in% odd) else integer()
  list(row = rows, code = codes[rows])
}

check_utf8 <- function(texts, codes, name, layout) {
  bad <- which(!validUTF8(texts))
  if (length(bad)) stop_for_bytes(match(TRUE, codes %in% bad), name, layout)
}

stop_for_bytes <- function(row, name, layout) {
  stop_neatly(
    "study",
    paste0(
      "Column `", name, "` holds text that is not UTF-8, first on row ",
      format_count(row), "."
    ),
    layout$where,
    "If the file is in an older encoding say so: `study(file, encoding = \"latin1\")`."
  )
}

# Distinct texts of a column and how often each stands there, as what the column
# is.
told_of_texts <- function(texts, counts, name, reading, layout) {
  asked <- reading$kinds[[name]]
  if (!is.null(asked)) {
    values <- asked_values(
      texts, name, asked, layout$where, layout$form$mark, layout$thousands
    )
    return(list(values = values, unread = texts[is.na(values)]))
  }
  if (!length(texts)) return(list(values = character()))
  for (kind in names(values_of_kind)) {
    values <- values_of_kind[[kind]](texts)
    bad <- is.na(values)
    if (!all(bad) && few_unread(sum(counts[bad]), sum(counts))) {
      return(list(values = values, unread = texts[bad]))
    }
  }
  told_numbers_of_texts(texts, counts, layout)
}

# Converts texts to kinds other than number; absent if a text does not fit.
values_of_kind <- list(
  logical = function(texts) {
    truths <- c(TRUE, FALSE, TRUE, FALSE)
    truths[match(texts, c("TRUE", "FALSE", "true", "false"))]
  },
  date = function(texts) structure(iso_days(texts), class = "Date"),
  `date-time` = function(texts) .POSIXct(iso_seconds(texts), tz = "UTC")
)

told_numbers_of_texts <- function(texts, counts, layout) {
  read <- numbers_of_layout(texts, layout)
  bad <- is.na(read$numbers)
  if (all(bad) || !few_unread(sum(counts[bad]), sum(counts))) {
    return(list(values = texts))
  }
  if (any(is_code_form(read$forms))) {
    odd <- which(is_code_form(read$forms))[1]
    return(list(
      values = texts,
      stays = list(text = texts[odd], form = read$forms[odd])
    ))
  }
  whole <- !any(has_form(read$forms, "decimals", "beyond_int"))
  list(
    values = if (whole) as.integer(read$numbers) else read$numbers,
    unread = texts[bad]
  )
}
