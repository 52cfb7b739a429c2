# Reads texts as numbers, and describes the form of the texts of a column and
# each way to read them. If there are two ways, messages give both; nothing is
# read in one of them silently.

# Marks that may part the thousands of a number; a blank stands for narrow and
# fixed ones too.
thousands_marks <- c(",", ".", " ", "'")
thousands_regex <- function(mark) {
  switch(mark,
    " " = "[ \u00a0\u2009\u202f]",
    "'" = "['\u2019]",
    literal_regex(mark)
  )
}

# Texts whose thousands are parted by `thousands`: groups of exactly three
# digits behind each mark.
has_thousands <- function(text, thousands, decimal) {
  shape <- paste0(
    "^\\s*[-+]?[0-9]{1,3}(", thousands_regex(thousands), "[0-9]{3})+(",
    literal_regex(decimal), "[0-9]+)?\\s*$"
  )
  stringi::stri_detect_regex(text, shape) %in% TRUE
}
without_thousands <- function(text, thousands, decimal) {
  if (is.null(thousands)) return(text)
  at <- has_thousands(text, thousands, decimal)
  text[at] <- stringi::stri_replace_all_regex(text[at], thousands_regex(thousands), "")
  text
}

# Each text as a number, absent where it is none; `decimal` is the mark before
# the decimals. With a comma as mark a point has no meaning, so a text that
# holds one is no number, unless `thousands` says that it parts them.
numbers_from_text <- function(text, decimal = ".", thousands = NULL) {
  core_read_numbers(
    without_thousands(text, thousands, decimal), decimal
  )$numbers
}

# The mark between thousands as it was given, which is not the one before
# decimals.
check_thousands <- function(
  thousands, decimal, what, where, family = "expression"
) {
  if (!is_text(thousands) || !thousands %in% thousands_marks) {
    stop_neatly(
      family,
      paste0(
        what, " is the mark between thousands: \",\", \".\", \" \" or ",
        "\"'\"."
      ),
      where,
      "Write `thousands = \",\"` for numbers such as 1,200."
    )
  }
  if (thousands != decimal) return(thousands)
  other <- if (decimal == ",") "." else ","
  stop_neatly(
    family,
    paste0(
      what, " is ", quoted(thousands),
      ", which is the mark before the decimals as well."
    ),
    where,
    paste0(
      "Write `decimal = \"", other, "\", thousands = \"", thousands, "\"`."
    )
  )
}
# What most of some texts (the share `least` of them) hold, when that is more
# than text.
#
# form: which of them. words: what they are. ways: how they can be read, each a
# new_way(). pattern: the first of the patterns of dates.
new_text_form <- function(form, words, example, ways, pattern = NULL) {
  new_record(
    "text_form",
    list(
      form = form,
      words = words,
      example = example,
      ways = ways,
      pattern = pattern
    )
  )
}

# One way to read texts. code(column): the expression; told(column): the
# argument of study() that does it (NULL: none). when: what then is so, to be
# told where there are several ways.
new_way <- function(code, told = function(column) NULL, when = "") {
  new_record("way", list(code = code, told = told, when = when))
}

text_form <- function(values, least = 0.9) {
  values <- utils::head(values[!is.na(values) & nzchar(values)], 2000)
  if (!length(values)) return(NULL)
  is_number <- !is.na(numbers_from_text(values))
  if (mean(is_number) >= least) {
    way <- new_way(
      function(column) paste0("as_number(", column, ")"),
      function(column) paste0("kinds = list(", column, " = \"number\")")
    )
    return(new_text_form(
      "numbers", "numbers written as text", values[is_number][1], list(way)
    ))
  }
  for (find in list(marks_form, dates_form, limits_form, signs_form)) {
    matches <- find(values, least)
    if (!is.null(matches)) return(matches)
  }
  NULL
}

# as_number() of a column, or of an expression of it, with marks of their own.
number_way <- function(
  decimal = NULL, thousands = NULL, of = identity, when = "",
  told = !is.null(decimal) || !is.null(thousands)
) {
  marks <- c(
    if (!is.null(decimal)) paste0("decimal = \"", decimal, "\""),
    if (!is.null(thousands)) paste0("thousands = \"", thousands, "\"")
  )
  new_way(
    function(column) {
      paste0("as_number(", paste(c(of(column), marks), collapse = ", "), ")")
    },
    if (told) {
      function(column) paste(marks, collapse = ", ")
    } else {
      function(column) NULL
    },
    when
  )
}

# Numbers with a mark that stands before decimals or between thousands. Groups
# of exactly three digits behind every mark may be both; what the other values
# are decides.
marks_form <- function(values, least) {
  comma <- mark_uses(values, ",", ".")
  point <- mark_uses(values, ".", ",")
  is_plain <- !is.na(numbers_from_text(values))
  parted <- parted_form(values, is_plain | comma$any, least)
  if (!is.null(parted)) return(parted)
  is_marked <- comma$any | point$any
  if (mean(is_plain | is_marked) < least) return(NULL)
  if (!any(is_marked & !is_plain)) return(NULL)
  if (any(comma$decimals) && any(point$decimals)) {
    return(both_marks_form(
      values[comma$decimals][1], values[point$decimals][1]
    ))
  }
  if (any(comma$any)) return(comma_form(values, comma, point))
  example <- values[point$thousands][1]
  if (any(point$decimals)) return(either_form(example, "."))
  thousands_form(example, ".", ",")
}

# Thousands parted by blanks or apostrophes, or NULL.
parted_form <- function(values, is_number, least) {
  for (mark in c(" ", "'")) {
    with_comma <- has_thousands(values, mark, ",")
    with_point <- has_thousands(values, mark, ".")
    has_comma <- any(with_comma & !with_point)
    parted <- if (has_comma) with_comma else with_point
    if (any(parted) && mean(is_number | parted) >= least) {
      return(thousands_form(values[parted][1], mark, if (has_comma) ","))
    }
  }
}

# Numbers with commas, of which none has a point before decimals for sure where
# another has a comma there.
comma_form <- function(values, comma, point) {
  parts_thousands <- any(comma$thousands) || any(point$decimals)
  is_decimal <- any(comma$decimals)
  example <- values[comma$any][1]
  if (parts_thousands == is_decimal) return(either_form(example, ","))
  if (parts_thousands) return(thousands_form(example, ",", NULL))
  if (any(point$any)) return(thousands_form(values[point$any][1], ".", ","))
  new_text_form(
    "decimal commas",
    "numbers with a comma before the decimals",
    values[comma$decimals][1],
    list(number_way(","))
  )
}

# What a mark does in each text: it parts thousands for sure, stands before
# decimals for sure, or may do either. `other` is the mark before decimals where
# this one parts thousands.
mark_uses <- function(values, mark, other) {
  grouped <- has_thousands(values, mark, other)
  single <- stringi::stri_detect_regex(
    values,
    paste0(
      "^\\s*[-+]?[0-9]*", literal_regex(mark), "[0-9]+([eE][-+]?[0-9]+)?\\s*$"
    )
  )
  leading <- stringi::stri_detect_regex(values, "^\\s*[-+]?0")
  list(
    any = grouped | single,
    thousands = grouped & !single,
    decimals = single & (!grouped | leading),
    either = grouped & single & !leading
  )
}

thousands_form <- function(example, mark, decimal) {
  name <- c(
    `,` = "commas", `.` = "points", ` ` = "blanks", `'` = "apostrophes"
  )[[mark]]
  words <- paste0(
    "numbers with ", name, " between the thousands",
    if (!is.null(decimal)) " and a comma before the decimals"
  )
  new_text_form("thousands", words, example, list(number_way(decimal, mark)))
}

either_form <- function(example, mark) {
  name <- c(`,` = "comma", `.` = "point")[[mark]]
  digits <- gsub(mark, "", example, fixed = TRUE)
  first <- sub(mark, ".", example, fixed = TRUE)
  words <- paste0(
    "numbers in which a ", name,
    " may stand between thousands or before decimals (", quoted(example),
    " is ", trimws(digits),
    if (!is.na(numbers_from_text(first))) {
      paste0(" or ", vapply(numbers_from_text(first), number_code, ""))
    },
    ")"
  )
  other <- if (mark == ".") "," else NULL
  new_text_form(
    "thousands or decimals",
    words,
    example,
    list(
      number_way(other, mark, when = paste0("if a ", name, " parts thousands")),
      number_way(
        if (mark == ",") mark,
        when = paste0("if it stands before decimals")
      )
    )
  )
}

both_marks_form <- function(with_comma, with_point) {
  words <- paste0(
    "numbers with a comma before the decimals, such as ", quoted(with_comma),
    ", beside numbers with a point, such as ", quoted(with_point)
  )
  new_text_form("both marks", words, with_comma, list(both_marks_way()))
}
both_marks_way <- function() {
  number_way(
    of = function(column) paste0("replace_text(", column, ", \",\", \".\")")
  )
}

# Numbers beside values that lie below or above what can be measured: "<0.5".
limits_form <- function(values, least) {
  shape <- "^\\s*[<>\u2264\u2265]=?\\s*"
  is_limit <- stringi::stri_detect_regex(values, shape)
  if (!any(is_limit)) return(NULL)
  bare <- stringi::stri_replace_first_regex(values, shape, "")
  if (mean(!is.na(numbers_from_text(bare))) < least) return(NULL)
  first <- values[is_limit][1]
  way <- number_way(
    of = function(column) {
      paste0(
        "replace_text(", column, ", \"[<>\u2264\u2265=]\", \"\", regex = TRUE)"
      )
    },
    when = "to take the limit in place of such a value"
  )
  words <- paste0(
    "numbers beside values below or above a limit, such as ", quoted(first)
  )
  values_here <- c(any(grepl("^[<\u2264]", values)), any(grepl("^[>\u2265]", values)))
  signs <- paste0(c("<", ">")[values_here], collapse = "")
  kept <- new_way(
    function(column) paste0("as_number(", column, ")"),
    function(column) {
      paste0("kinds = list(", column, " = \"number ", signs, "\")")
    },
    when = "to have such values absent, with the limit as the reason,"
  )
  new_text_form("limits", words, first, list(kept, way))
}

# Numbers with signs around them: a sign of money before them, or a unit behind
# them. What is in front of other texts names things, as in "plot 3", and tells
# nothing of amounts.
signs_form <- function(values, least) {
  shape <- paste0(
    "^(\\s*[\\p{Sc}~<>=\u2264\u2265]+)?([-+]?[0-9][0-9.,' ]*?)",
    "(\\s*[^0-9\\s.,+-][^0-9]{0,11})?$"
  )
  parts <- stringi::stri_match_first_regex(values, shape)
  bare <- stringi::stri_trim_both(parts[, 3])
  is_there <- !is.na(bare)
  units <- unique(c(parts[is_there, 2], parts[is_there, 4]))
  units <- units[!is.na(units)]
  if (mean(is_there) < least || !length(units) || !are_units(units)) return(NULL)
  inner <- text_form(bare[is_there], least)
  known <- c("numbers", "decimal commas", "thousands", "thousands or decimals")
  if (is.null(inner) || !inner$form %in% known) return(NULL)
  is_one <- length(units) == 1
  strip <- function(column) {
    if (is_one) {
      return(paste0(
        "replace_text(", column, ", ", value_code(units), ", \"\")"
      ))
    }
    paste0("replace_text(", column, ", \"[^-+0-9.,]\", \"\", regex = TRUE)")
  }
  marked <- is_there & (!is.na(parts[, 2]) | !is.na(parts[, 4]))
  new_text_form(
    if (is_one) "numbers with a unit" else "numbers with signs",
    signs_words(trimws(units), units %in% parts[is_there, 2], inner),
    values[marked][1],
    lapply(inner$ways, function(way) {
      # Plain numbers with one sign are a kind of their own.
      words <- if (is_one && inner$form == "numbers") {
        function(column) {
          paste0(
            "kinds = list(", column, " = ",
            value_code(paste("number", trimws(units))), ")"
          )
        }
      } else {
        function(column) NULL
      }
      new_way(
        function(column) way$code(strip(column)),
        words,
        when = paste0(
          if (!is_one) "where these signs mean the same",
          if (!is_one && nzchar(way$when)) " and ", way$when
        )
      )
    })
  )
}

# Several endings are units where some are money or a share, or else letters of
# house numbers.
are_units <- function(units) {
  if (length(units) == 1) return(TRUE)
  length(units) <= 4 &&
    any(stringi::stri_detect_regex(units, "[\\p{Sc}%]|\\b[A-Z]{3}\\b"))
}

signs_words <- function(units, is_before, inner) {
  words <- if (length(units) > 1) {
    paste0(
      "numbers with different signs around them: ",
      listed(quoted(unique(units)), 5)
    )
  } else {
    paste0(
      "numbers ", if (is_before) "behind " else "followed by ", quoted(units)
    )
  }
  paste0(words, if (inner$form != "numbers") paste0("; ", inner$words))
}

# Code that reads column `name` by each way of a form.
form_codes <- function(form, name) {
  column <- lang_text(as.name(name))
  vapply(form$ways, function(way) way$code(column), "")
}

# "write `as_date(day, "%d/%m/%Y")`", or each way with the case that it is for;
# `wrap` puts the code of a way into a longer one.
ways_words <- function(form, name, wrap = identity) {
  codes <- ticked(wrap(form_codes(form, name)))
  when <- vapply(form$ways, `[[`, "", "when")
  paste(
    paste0(when, ifelse(nzchar(when), " ", ""), "write ", codes),
    collapse = "; "
  )
}

# "Write `as_date(day, "%d/%m/%Y")`, or give `study()` `kinds = ...`."; each way
# a sentence.
form_way <- function(form, name) {
  column <- lang_text(as.name(name))
  vapply(form$ways, function(way) {
    note <- way$told(column)
    words <- paste0(
      if (nzchar(way$when)) paste0(way$when, " "), "write `", way$code(column),
      "`", if (!is.null(note)) paste0(", or give `study()` `", note, "`"), "."
    )
    paste0(toupper(substr(words, 1, 1)), substring(words, 2))
  }, "")
}
