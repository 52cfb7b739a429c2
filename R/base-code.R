# Writes an expression as R code that reads back as the same expression.

lang_text <- function(lang) {
  if (is.symbol(lang)) return(deparse1(lang, backtick = TRUE))
  if (!is.call(lang)) return(value_code(lang))
  lang <- plain_values(lang)
  exact <- character()
  # Numbers that R would write shorter than they are stand as marks until their
  # digits are put in.
  mark <- NULL
  marked <- rewrite_lang(lang, leaf = function(x) {
    if (!is.double(x) ||
      length(x) != 1 ||
      !is.null(attributes(x)) ||
      !is.finite(x)) {
      return(x)
    }
    if (x == floor(x) && abs(x) < 1e5) return(x)
    text <- number_code(x)
    if (identical(text, deparse(x))) return(x)
    exact <<- c(exact, text)
    if (is.null(mark)) mark <<- free_mark(lang)
    as.name(paste0(mark, length(exact), "."))
  })
  words <- paste(
    deparse(marked, width.cutoff = 500L, backtick = TRUE),
    collapse = " "
  )
  if (!length(exact)) return(words)
  matches <- gregexpr(paste0(mark, "([0-9]+)\\."), words)
  numbers <- as.integer(gsub("[^0-9]", "", regmatches(words, matches)[[1]]))
  regmatches(words, matches) <- list(exact[numbers])
  words
}

# The start of a name that the expression does not hold.
free_mark <- function(lang) {
  mark <- "Exactly_"
  held <- paste(deparse(lang), collapse = "")
  while (grepl(mark, held, fixed = TRUE)) mark <- paste0(mark, "_")
  mark
}

# Spliced values become what their text reads as: calls the language itself
# knows, a sign before a number.
plain_values <- function(lang) {
  rewrite_lang(lang, leaf = function(x) {
    if (!is.atomic(x) || is.null(x)) return(x)
    plain <- length(x) == 1 && is.null(attributes(x)) && !is.na(x)
    if (plain && (!is.numeric(x) || (x >= 0 && is.finite(x)))) return(x)
    str2lang(value_code(x))
  })
}

value_code <- function(value) {
  if (is.null(value)) return("NULL")
  one <- function(v) {
    if (is.na(v)) return("NA")
    if (inherits(v, "Date")) return(paste0("as_date(\"", format(v), "\")"))
    if (inherits(v, "POSIXct")) return(date_time_code(v))
    if (is.character(v)) return(deparse1(v))
    if (is.logical(v)) return(if (v) "TRUE" else "FALSE")
    number_code(v)
  }
  parts <- vapply(
    seq_along(value), function(i) one(unname(value[i])), character(1)
  )
  if (length(parts) == 1 && is.null(names(value))) return(parts)
  if (!is.null(names(value))) {
    parts <- paste0(quoted(names(value)), " = ", parts)
  }
  paste0("c(", paste(parts, collapse = ", "), ")")
}

# The shortest digits that read back to the same number.
number_code <- function(v) {
  if (is.infinite(v)) return(if (v > 0) "Inf" else "-Inf")
  for (digits in c(15, 16, 17)) {
    text <- formatC(
      unclass(v),
      decimal.mark = ".",
      digits = digits,
      format = "g",
      width = 1
    )
    if (as.numeric(text) == v) return(text)
  }
  text
}

# A date-time with its fraction of a second, in as many digits as read back the
# same, and its zone ("" is that of the session).
date_time_code <- function(x) {
  zone <- attr(x, "tzone")[1]
  seconds <- as.numeric(x)
  day <- format(.POSIXct(floor(seconds), tz = "UTC"), "%Y-%m-%dT%H:%M:%S")
  fraction <- seconds - floor(seconds)
  for (digits in if (fraction > 0) c(3, 6, 9, 12, 15, 18, 25) else 0) {
    more <- formatC(
      fraction,
      digits = digits, format = "f", decimal.mark = ".", width = 1
    )
    text <- paste0(
      day, if (digits > 0) sub("^0", "", sub("0+$", "", more)), "Z"
    )
    if (identical(iso_seconds(text), seconds)) break
  }
  paste0(
    "as_date_time(\"", text, "\", \"", if (is.null(zone)) "" else zone, "\")"
  )
}
