# Kinds of columns, and telling them apart in text that was read from a file.

kind_of_vector <- function(x) {
  if (is.factor(x)) return("category")
  if (inherits(x, "Date")) return("date")
  if (inherits(x, "POSIXct")) return("date-time")
  if (!is.null(dim(x)) || (is.object(x) && !inherits(x, "AsIs"))) return("other")
  switch(typeof(x), double = "number", integer = "whole", character = "text", logical = "logical", "other")
}

type_of_vector <- function(x) {
  kind <- kind_of_vector(x)
  switch(kind,
    category = list(kind = kind, labels = enc2utf8(levels(x)), ordered = is.ordered(x)),
    `date-time` = list(kind = kind, tz = if (is.null(attr(x, "tzone"))) "" else attr(x, "tzone")[1]),
    other = list(kind = kind, class = class(x)[1]),
    list(kind = kind))
}

# Text columns of a file become what all their present values are. A column in which a very
# few values (at most 1 in 50) are not numbers is a number column still: those values become
# absent, and a note says which and on which line.
tell_kind <- function(x, name, asked, where) {
  if (!is.null(asked)) return(as_asked_kind(x, name, asked, where))
  present <- x[!is.na(x)]
  if (!length(present)) return(list(values = x))
  distinct <- unique(present)
  if (all(distinct %in% c("TRUE", "FALSE", "true", "false"))) return(list(values = x %in% c("TRUE", "true") | ifelse(is.na(x), NA, FALSE)))
  if (all(!is.na(iso_days(distinct)))) return(list(values = structure(iso_days(x), class = "Date")))
  if (all(grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}[T ][0-9]{2}:[0-9]{2}", distinct))) {
    seconds <- iso_seconds(distinct, "UTC")
    if (!anyNA(seconds)) return(list(values = .POSIXct(seconds[match(x, distinct)], tz = "UTC")))
  }
  if (any(grepl("^[+-]?0[0-9]", distinct))) return(list(values = x))  # leading zeros are codes, not amounts
  numbers <- core_numbers_from_text(distinct)
  bad <- sum(present %in% distinct[is.na(numbers)])
  if (bad > 0 && (bad > length(present) / 50 || length(present) < 50)) return(list(values = x))
  list(values = whole_if_whole(numbers, distinct)[match(x, distinct)], unread = which(x %in% distinct[is.na(numbers)]), text = x)
}

# Whole only where no value was written with a decimal point or exponent.
whole_if_whole <- function(numbers, text) {
  read <- !is.na(numbers)
  plain <- !any(grepl("[.eE]", text[read])) && all(abs(numbers[read]) <= .Machine$integer.max)
  if (plain) as.integer(numbers) else numbers
}

as_asked_kind <- function(x, name, kind, where) {
  distinct <- unique(x[!is.na(x)])
  turned <- switch(kind,
    text = distinct,
    category = factor(distinct, levels = sort(distinct, method = "radix")),
    number = core_numbers_from_text(distinct),
    whole = { v <- core_numbers_from_text(distinct); v[!is.na(v) & v != floor(v)] <- NA; as.integer(v) },
    logical = unname(c(true = TRUE, false = FALSE, yes = TRUE, no = FALSE, `1` = TRUE, `0` = FALSE)[tolower(distinct)]),
    date = structure(iso_days(distinct), class = "Date"),
    `date-time` = .POSIXct(iso_seconds(distinct, "UTC"), tz = "UTC"),
    stop_neatly("study", paste0("`kinds` asks for kind ", quoted(kind), " for column `", name, "`."), where,
                "The kinds are number, whole, text, category, logical, date and date-time."))
  list(values = turned[match(x, distinct)], unread = which(x %in% distinct[is.na(turned)]), text = x)
}
