# Reads dates in POSIX patterns, independent of the locale.

# A pattern such as "%d/%m/%Y" as a regular expression and the letters of its
# groups, or NULL where it is none: unknown letters, no day, month or year, or
# one of them twice.
read_date_pattern <- function(pattern) {
  signs <- strsplit(pattern, "", fixed = TRUE)[[1]]
  regex <- ""
  letters <- character()
  at <- 1
  while (at <= length(signs)) {
    if (signs[at] != "%") {
      regex <- paste0(regex, literal_regex(signs[at]))
      at <- at + 1
      next
    }
    letter <- if (at < length(signs)) signs[at + 1] else ""
    if (letter != "%" && is.null(date_pattern_parts[[letter]])) return(NULL)
    regex <- paste0(
      regex, if (letter == "%") "%" else date_pattern_parts[[letter]]
    )
    if (letter != "%") letters <- c(letters, letter)
    at <- at + 2
  }
  means <- c(
    d = "day", e = "day", m = "month", b = "month", B = "month", Y = "year",
    y = "year", H = "hour", M = "minute", S = "second"
  )[letters]
  if (anyDuplicated(means) || !all(c("day", "month", "year") %in% means)) {
    return(NULL)
  }
  list(regex = paste0("^", regex, "$"), letters = letters)
}

# Days and seconds of the day of texts in a pattern, absent where a text is not
# in it. Two-digit years are POSIX's: 69 to 99 are 1969 to 1999, 00 to 68 are
# 2000 to 2068.
dates_by_pattern <- function(text, pattern) {
  read <- read_date_pattern(pattern)
  matches <- regmatches(text, regexec(read$regex, text, perl = TRUE))
  part <- function(wanted, default) {
    at <- match(TRUE, read$letters %in% wanted)
    if (is.na(at)) return(rep(default, length(text)))
    vapply(
      matches,
      function(f) if (length(f)) f[at + 1] else NA_character_,
      character(1)
    )
  }
  whole <- function(x) suppressWarnings(as.integer(x))
  year <- whole(part(c("Y", "y"), NA))
  if ("y" %in% read$letters) year <- year + ifelse(year >= 69, 1900L, 2000L)
  named <- any(c("b", "B") %in% read$letters)
  month <- if (named) {
    month_number(part(c("b", "B"), NA))
  } else {
    whole(part("m", NA))
  }
  day <- whole(part(c("d", "e"), NA))
  written <- sprintf("%04d-%02d-%02d", year, month, day)
  hour <- whole(part("H", "0"))
  minute <- whole(part("M", "0"))
  second <- suppressWarnings(as.numeric(part("S", "0")))
  good <- !is.na(year) &
    !is.na(month) &
    !is.na(day) &
    hour %in% 0:23 &
    minute %in% 0:59 &
    second < 61
  days <- rep(NA_real_, length(text))
  days[good] <- as.numeric(as.Date(written[good], format = "%Y-%m-%d"))
  list(days = days, seconds = hour * 3600 + minute * 60 + second)
}

month_number <- function(text) {
  short <- match(tolower(text), tolower(month.abb))
  full <- match(tolower(text), tolower(month.name))
  ifelse(is.na(short), full, short)
}

date_pattern_usage <- function() {
  "A pattern names day, month and year once each, as in \"%d/%m/%Y\", \"%d %b %y\" or \"%Y%m%d\"."
}

literal_regex <- function(text) {
  gsub("([\\\\^$.|?*+(){}\\[\\]])", "\\\\\\1", text, perl = TRUE)
}

# The parts a date pattern may hold, by their letter: POSIX's, read strictly.
# Names of months are English whatever the locale, in full or by three letters.
date_pattern_parts <- list(
  d = "([0-9]{1,2})",
  e = " ?([0-9]{1,2})",
  m = "([0-9]{1,2})",
  Y = "([0-9]{4})",
  y = "([0-9]{2})",
  b = "([A-Za-z]{3,9})",
  B = "([A-Za-z]{3,9})",
  H = "([0-9]{1,2})",
  M = "([0-9]{2})",
  S = "([0-9]{2}(?:[.][0-9]+)?)"
)
