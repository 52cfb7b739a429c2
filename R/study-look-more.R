# More hints of look(): columns that are nearly of another kind, and columns
# that are alike.

# Text of which nearly all values are numbers, but too few to call it so without
# a word.
nearly_numbers <- function(name, column, x) {
  values <- names(column$counts)
  counts <- column$counts
  bad <- is.na(numbers_from_text(values)) & !values %in% words_for_absent
  share <- 1 -
    sum(counts[bad]) / max(1, sum(counts[!values %in% words_for_absent]))
  if (share < 0.8 || !any(bad)) return(NULL)
  shown <- utils::head(order(-counts * bad), min(4, sum(bad)))
  rows <- match(values[shown], as.character(x))
  more <- sum(bad) - length(shown)
  paste0(
    name, ": text because of ", counted(sum(counts[bad]), "value"), ": ",
    listed(c(
      paste0(quoted(values[shown]), " (row ", format_count(rows), ")"),
      if (more > 0) paste(more, "more")
    )),
    "; all others are numbers. `as_number(", lang_text(as.name(name)),
    ")` makes these absent."
  )
}

# Values that stand for a row, but for a few that stand twice.
repeated_keys <- function(name, column, x, n) {
  if (!column$kind %in% c("text", "whole") ||
    n < 20 ||
    is.na(column$different)) {
    return(NULL)
  }
  present <- n - column$absent
  again <- present - column$different
  if (present < n || again == 0 || again > present / 20) return(NULL)
  first <- which(duplicated(x))[1]
  paste0(
    name, ": nearly every row has a value of its own, but ",
    format_count(again), if (again == 1) " stands" else " stand",
    " on an earlier row too, such as ",
    if (column$kind == "text") {
      quoted(x[first])
    } else {
      number_code(as.numeric(x[first]))
    },
    " (row ", format_count(first), ")."
  )
}

same_everywhere <- function(name, column, n) {
  if (n < 2 ||
    is.na(column$different) ||
    column$different != 1 ||
    column$absent > 0) {
    return(NULL)
  }
  paste0(name, ": the same value in every row.")
}

mostly_absent <- function(name, column, n) {
  if (n < 2 || is.na(column$absent) || column$absent <= n / 2) return(NULL)
  share <- floor(100 * column$absent / n)
  paste0(
    name, ": absent in ",
    if (column$absent == n) "every row" else paste0(share, "% of the rows"), "."
  )
}

dates_to_come <- function(name, column, x) {
  if (!column$kind %in% c("date", "date-time") || column$summary$n == 0) {
    return(NULL)
  }
  today <- if (column$kind == "date") {
    as.numeric(Sys.Date())
  } else {
    as.numeric(Sys.time())
  }
  if (column$summary$max <= today) return(NULL)
  rows <- which(as.numeric(x) > today)
  if (!length(rows)) return(NULL)
  paste0(
    name, ": ", counted(length(rows), "date"), " in the future, such as ",
    format(x[rows[1]]), " (row ", format_count(rows[1]), ")."
  )
}

# Columns that are absent in the same rows, of which there are some.
absent_together <- function(frame, columns) {
  gaps <- vapply(
    columns, function(c) if (is.na(c$absent)) 0 else as.numeric(c$absent), 0
  )
  open <- names(columns)[gaps > 0 & gaps < frame$n]
  words <- character()
  for (many in split(open, gaps[open])) {
    if (length(many) < 2 || gaps[[many[1]]] < 2) next
    where <- lapply(frame$columns[many], function(x) which(is.na(x)))
    while (length(where) > 1) {
      same <- vapply(where, identical, NA, where[[1]])
      set <- names(where)[same]
      where <- where[!same]
      if (length(set) < 2) next
      words <- c(
        words,
        paste0(
          listed(set, 6), ": absent together, in the same ",
          counted(gaps[[set[1]]], "row"), "."
        )
      )
    }
  }
  utils::head(words, 5)
}

# Rows of each unit, for the first line: "121 units (hive, 3 to 33 rows each)".
rows_per_unit <- function(facts) {
  counts <- if (is.null(facts$database)) {
    coded <- unit_codes(facts)
    tabulate(coded$codes, coded$levels)
  } else {
    rows_per_value(facts$database$relation, facts$unit)
  }
  counts <- counts[counts > 0]
  if (length(counts) < 2) return("")
  counts <- range(counts)
  if (counts[1] == counts[2]) {
    return(paste0(", ", counted(counts[1], "row"), " each"))
  }
  paste0(
    ", ", format_count(counts[1]), " to ", counted(counts[2], "row"), " each"
  )
}

# Texts with blanks before or behind them, which no eye sees.
blanks_around <- function(name, column) {
  values <- names(column$counts)[column$counts > 0]
  odd <- values[nzchar(trimws(values)) & grepl("^\\s|\\s$", values)]
  # Values that are spelled like another are listed with it.
  plain <- plain_spelling(values)
  odd <- odd[!plain[match(odd, values)] %in% plain[duplicated(plain)]]
  if (!length(odd)) return(NULL)
  n <- sum(column$counts[odd])
  paste0(
    name, ": ", counted(n, "value"), if (n == 1) " has" else " have",
    " blanks before or behind the text, such as ", quoted(odd[1]), ". `trim(",
    lang_text(as.name(name)), ")` takes them off."
  )
}

# A last row that sums up the others, by its word or by its numbers.
totals_row <- function(frame, columns) {
  n <- frame$n
  if (n < 4) return(NULL)
  kinds <- vapply(columns, `[[`, "", "kind")
  texts <- names(columns)[kinds %in% c("text", "category")]
  last <- vapply(
    texts, function(name) as.character(frame$columns[[name]][n]), ""
  )
  words <- "^\\W*(grand )?(sub)?(total|totals|sum|all|overall)\\W*$"
  named <- texts[!is.na(last) & grepl(words, last, ignore.case = TRUE)]
  summed <- Filter(
    function(name) {
      x <- as.numeric(frame$columns[[name]])
      rest <- sum(x[-n], na.rm = TRUE)
      !is.na(x[n]) &&
        rest != 0 &&
        sum(!is.na(x[-n])) > 2 &&
        abs(x[n] - rest) <= 1e-9 * abs(rest)
    },
    utils::head(names(columns)[kinds %in% numeric_kinds], 50)
  )
  if (!length(named) && length(summed) < 2) return(NULL)
  why <- c(
    if (length(named)) paste0(named[1], " is ", quoted(last[[named[1]]])),
    if (length(summed)) {
      paste0(
        listed(summed, 4), if (length(summed) > 1) " are" else " is",
        " the sum of the rows above"
      )
    }
  )
  paste0(
    "The last row, ", format_count(n), ", looks like totals: ",
    paste(why, collapse = "; "), ". `exclude(totals = source_row() == ",
    number_code(n), ")` sets it aside."
  )
}

# A first line that names one or two columns of many is a title rather than
# names.
title_line <- function(study) {
  names <- names(study$frame$types)
  unnamed <- grepl("^column_[0-9]+$", names)
  few <- sum(!unnamed) <= max(1, length(names) / 4)
  if (length(names) < 3 ||
    isFALSE(study$reading$header) ||
    !few ||
    !study$frame$n) {
    return(NULL)
  }
  row <- vapply(shown_columns(study$frame), function(x) as.character(x[1]), "")
  paste0(
    "The first line names ", counted(sum(!unnamed), "column"), " of ",
    length(names), " (", listed(quoted(names[!unnamed]), 3),
    "), so it may be a title; the next line holds ",
    listed(quoted(row[!is.na(row)]), 4),
    ". Give `skip = 1` to `study()` if it is."
  )
}
