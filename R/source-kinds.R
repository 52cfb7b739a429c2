# Kinds of columns, and telling them apart in text that was read from a file.

# Text columns of a file become what all their present values are. A column in which a very
# few values (at most 1 in 50) are not numbers is a number column still: those values become
# absent, and a note says which and on which line.
tell_kind <- function(x, name, asked, where, decimal = ".") {
  if (!is.null(asked)) return(as_asked_kind(x, name, asked, where, decimal))
  present <- x[!is.na(x)]
  if (!length(present)) return(list(values = x))
  distinct <- unique(present)
  if (all(distinct %in% c("TRUE", "FALSE", "true", "false"))) {
    return(list(values = x %in% c("TRUE", "true") | ifelse(is.na(x), NA, FALSE)))
  }
  if (all(!is.na(iso_days(distinct)))) return(list(values = structure(iso_days(x), class = "Date")))
  if (all(grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}[T ][0-9]{2}:[0-9]{2}", distinct))) {
    seconds <- iso_seconds(distinct, "UTC")
    if (!anyNA(seconds)) return(list(values = .POSIXct(seconds[match(x, distinct)], tz = "UTC")))
  }
  # Leading zeros are codes, not amounts.
  if (any(grepl("^[+-]?0[0-9]", distinct))) return(list(values = x))
  numbers <- numbers_from_text(distinct, decimal)
  bad <- sum(present %in% distinct[is.na(numbers)])
  if (bad > 0 && (bad > length(present) / 50 || length(present) < 50)) return(list(values = x))
  list(values = whole_if_whole(numbers, distinct)[match(x, distinct)],
       unread = which(x %in% distinct[is.na(numbers)]), text = x)
}

# Whole only where no value was written with a decimal mark or exponent.
whole_if_whole <- function(numbers, text) {
  read <- !is.na(numbers)
  plain <- !any(grepl("[.,eE]", text[read])) && all(abs(numbers[read]) <= .Machine$integer.max)
  if (plain) as.integer(numbers) else numbers
}

# A kind as it is told: its name, and for dates the pattern they are written in.
asked_kind <- function(kind, name, where) {
  if (!is_text(kind)) {
    stop_neatly("study", paste0("`kinds` must give a text for column `", name, "`."), where,
                "Write `kinds = list(hive = \"text\", day = \"date %d/%m/%Y\")`.")
  }
  pattern <- if (grepl("^date(-time)? ", kind)) sub("^date(-time)? +", "", kind)
  if (!is.null(pattern) && is.null(read_date_pattern(pattern))) {
    stop_neatly("study",
                paste0(quoted(pattern), " is not a pattern of dates, in `kinds` of column `",
                       name, "`."), where, date_pattern_usage())
  }
  list(kind = sub(" .*$", "", kind), pattern = pattern)
}

as_asked_kind <- function(x, name, kind, where, decimal = ".") {
  asked <- asked_kind(kind, name, where)
  distinct <- unique(x[!is.na(x)])
  whole <- function(v) {
    v[!is.na(v) & (v != floor(v) | abs(v) > .Machine$integer.max)] <- NA
    as.integer(v)
  }
  truths <- c(true = TRUE, yes = TRUE, `1` = TRUE, false = FALSE, no = FALSE, `0` = FALSE)
  turned <- switch(asked$kind,
    text = distinct,
    category = factor(distinct, levels = sort(distinct, method = "radix")),
    number = numbers_from_text(distinct, decimal),
    whole = whole(numbers_from_text(distinct, decimal)),
    logical = unname(truths[tolower(distinct)]),
    date = structure(days_of(distinct, asked$pattern), class = "Date"),
    `date-time` = .POSIXct(seconds_of(distinct, asked$pattern), tz = "UTC"),
    stop_neatly("study",
                paste0("`kinds` asks for kind ", quoted(kind), " for column `", name, "`."),
                where, "The kinds are number, whole, text, category, logical, date and date-time."))
  list(values = turned[match(x, distinct)], unread = which(x %in% distinct[is.na(turned)]),
       text = x)
}

# Values of a data frame that stand for absent: `codes` are texts; a number is met by its size.
without_codes <- function(x, codes) {
  kind <- kind_of_vector(x)
  hit <- switch(kind,
    text = , category = as.character(x) %in% codes,
    number = , whole = x %in% stats::na.omit(core_numbers_from_text(codes)),
    date = format(x) %in% codes,
    rep(FALSE, NROW(x)))
  hit <- hit & !is.na(x)
  if (!any(hit)) return(list(values = x, count = 0L))
  x[hit] <- NA
  if (kind == "category") x <- factor(x, setdiff(levels(x), codes), ordered = is.ordered(x))
  list(values = x, count = sum(hit))
}
