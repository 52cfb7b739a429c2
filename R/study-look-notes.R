# Hints of look(): what is worth a look in a study.

# What an analyst would want to know before trusting a column.
#
# The most telling first: what was not read, what is nearly something else,
# slips of spelling, codes, repeats, far values, and then what columns are like
# as a whole.
worth_a_look <- function(study, columns) {
  n <- study$frame$n
  each <- function(say) {
    unlist(
      Map(say, names(columns), columns, shown_columns(study$frame)),
      use.names = FALSE
    )
  }
  texts <- function(say) {
    each(function(name, column, x) {
      if (column$kind %in% c("text", "category")) say(name, column, x)
    })
  }
  numbers <- function(say) {
    each(function(name, column, x) {
      if (column$kind %in% numeric_kinds && column$summary$n > 0) {
        say(name, x, column$summary)
      }
    })
  }
  # No row repeats another where a column has as many values as there are rows.
  has_key <- any(vapply(columns, function(c) isTRUE(c$different == n), NA))
  again <- if (!has_key) repeated_rows(study)
  c(
    vapply(study$notes, function(n) n$problem, character(1)),
    title_line(study), totals_row(study$frame, columns),
    texts(function(name, column, x) {
      c(
        left_as_text(name, column),
        if (column$kind == "text") nearly_numbers(name, column, x)
      )
    }),
    texts(
      function(name, column, x) {
        c(
          odd_spellings(name, column), rare_spellings(name, column),
          blanks_around(name, column)
        )
      }
    ),
    texts(function(name, column, x) absent_words(name, column)),
    numbers(lone_code), again,
    if (is.null(again)) {
      each(function(name, column, x) repeated_keys(name, column, x, n))
    },
    numbers(far_values), each(dates_to_come),
    each(
      function(name, column, x) {
        c(same_everywhere(name, column, n), mostly_absent(name, column, n))
      }
    ),
    absent_together(study$frame, columns)
  )
}

odd_spellings <- function(name, column) {
  values <- names(column$counts)
  if (length(values) < 2 || length(values) > 5000) return(NULL)
  # Different numbers are not spellings of one another.
  groups <- split(values, plain_spelling(values))
  groups <- Filter(
    function(g) length(g) > 1 && anyNA(numbers_from_text(g)), groups
  )
  vapply(
    utils::head(groups, 5),
    function(g) {
      paste0(
        name, ": ",
        listed(paste0(quoted(g), " (", format_count(column$counts[g]), ")")),
        " are spelled nearly alike."
      )
    },
    character(1),
    USE.NAMES = FALSE
  )
}

# Values one letter apart in a column of few, of which one is rare beside the
# other. Numbers in a name tell things apart, so a digit is no slip.
rare_spellings <- function(name, column) {
  values <- names(column$counts)[column$counts > 0]
  if (length(values) < 2 || length(values) > 60) return(NULL)
  counts <- column$counts[values]
  points <- lapply(values, utf8ToInt)
  digits <- gsub("[0-9]+", "0", values)
  plain <- plain_spelling(values)
  words <- character()
  for (i in which(nchar(values) >= 4)) {
    apart <- core_text_distance(points[i], points)
    near <- which(
      apart == 1 &
        digits != digits[i] &
        plain != plain[i] &
        counts >= 10 * counts[i]
    )
    if (!length(near)) next
    often <- near[which.max(counts[near])]
    words <- c(
      words,
      paste0(
        name, ": ", quoted(values[i]), " (", format_count(counts[i]),
        ") is one letter from ", quoted(values[often]), " (",
        format_count(counts[often]), "). A slip?"
      )
    )
  }
  utils::head(words, 5)
}

# Dates and numbers that stayed text.
left_as_text <- function(name, column) {
  form <- text_form(setdiff(
    names(column$counts)[column$counts > 0], words_for_absent
  ))
  if (is.null(form) || form$form == "numbers") return(NULL)
  such <- if (!grepl("\"", form$words, fixed = TRUE)) {
    paste0(", such as ", quoted(form$example))
  }
  paste(
    c(
      paste0(name, ": text that holds ", form$words, such, "."),
      form_way(form, name)
    ),
    collapse = " "
  )
}

absent_words <- function(name, column) {
  matches <- intersect(names(column$counts), words_for_absent)
  matches <- matches[!lies_among(matches, names(column$counts))]
  if (length(matches)) {
    counts <- column$counts[match(matches, names(column$counts))]
    paste0(
      name, ": ",
      listed(paste0(quoted(matches), " (", format_count(counts), ")")),
      if (length(matches) > 1) " look" else " looks",
      " like a code for absent; list it in `absent_codes`."
    )
  }
}

# A number between other numbers is an ordinary value.
lies_among <- function(words, values) {
  at <- numbers_from_text(words)
  all <- numbers_from_text(values)
  all <- all[!is.na(all)]
  !is.na(at) & vapply(at, function(x) any(all < x) && any(all > x), NA)
}

# One negative value among values that are otherwise 0 or more.
lone_code <- function(name, x, s) {
  if (s$min >= 0) return(NULL)
  below <- x[which(x < 0)]
  if (length(below) && length(unique(below)) == 1 && length(below) < s$n / 4) {
    paste0(
      name, ": ", value_code(as.numeric(below[1])), " stands ",
      counted(length(below), "time"),
      " among values of 0 or more. A code for absent?"
    )
  }
}

# Beyond the quartiles by more than four times their distance, and few.
far_values <- function(name, x, s) {
  reach <- 4 * (s$q3 - s$q1)
  if (!is.finite(reach) ||
    reach == 0 ||
    (s$max <= s$q3 + reach && s$min >= s$q1 - reach)) {
    return(NULL)
  }
  # A single negative value is more likely a code than an outlier.
  far <- c(
    if (s$min < s$q1 - reach) which(x < s$q1 - reach & !(x < 0 & s$q1 > 0)),
    if (s$max > s$q3 + reach) which(x > s$q3 + reach)
  )
  far <- sort(far)
  if (!length(far) || length(far) > 5) return(NULL)
  paste0(
    name, ": ",
    listed(paste0(
      vapply(as.numeric(x[far]), number_code, character(1)), " (row ",
      format_count(far), ")"
    )),
    if (length(far) > 1) " lie" else " lies",
    " far from the rest; the middle half lies between ", number_code(s$q1),
    " and ", number_code(s$q3), "."
  )
}

repeated_rows <- function(study) {
  if (!length(study$frame$columns) ||
    any(vapply(study$frame$types, function(t) t$kind == "other", logical(1)))) {
    return(NULL)
  }
  first <- alike_rows(
    new_memory_relation(study$frame), names(study$frame$types)
  )
  again <- which(first != seq_along(first))
  if (length(again)) {
    paste0(
      counted(length(again), "row repeats", "rows repeat"),
      " an earlier row in every column: row", if (length(again) > 1) "s", " ",
      listed(format_count(again), 6), "."
    )
  }
}

words_for_absent <- c(
  "", "NA", "n/a", "N/A", "na", "Na", "#N/A", "-", "--", ".", "?", "null",
  "NULL", "missing", "nan", "NaN", "-9", "-99", "999", " "
)
