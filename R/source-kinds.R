# Kinds of columns, and how they are found in text.

# A kind as it is told: its name, for dates the pattern they are written in, for
# numbers the sign beside them, or the signs of limits ("<", ">", "<>").
asked_kind <- function(kind, name, where) {
  if (!is_text(kind)) {
    stop_neatly(
      "study",
      paste0("`kinds` must give a text for column `", name, "`."),
      where,
      "For example `kinds = list(hive = \"text\", day = \"date %d/%m/%Y\")`."
    )
  }
  pattern <- if (grepl("^date(-time)? ", kind)) sub("^date(-time)? +", "", kind)
  if (!is.null(pattern) && is.null(read_date_pattern(pattern))) {
    stop_neatly(
      "study",
      paste0(
        quoted(pattern), " is not a pattern of dates, in `kinds` of column `",
        name, "`."
      ),
      where,
      date_pattern_usage()
    )
  }
  sign <- if (grepl("^(number|whole) +[^ ]", kind)) {
    sub("^(number|whole) +", "", kind)
  }
  list(kind = sub(" .*$", "", kind), pattern = pattern, sign = sign)
}

# The signs beside numbers of some kinds: what they are measured in.
signs_of_kinds <- function(kinds) {
  signs <- lapply(Filter(is_text, kinds), function(kind) {
    sign <- asked_kind(kind, "", NULL)$sign
    if (!is.null(sign) && !is_limit(sign)) sign
  })
  compact(signs)
}
is_limit <- function(sign) !is.null(sign) && sign %in% c("<", ">", "<>")

# Texts without the sign that stands before or behind a number; others stay as
# they are.
without_sign <- function(texts, sign) {
  if (is.null(sign) || is_limit(sign)) return(texts)
  ends <- endsWith(texts, sign)
  starts <- !ends & startsWith(texts, sign)
  texts[ends] <- trimws(substr(texts[ends], 1, nchar(texts[ends]) - nchar(sign)))
  texts[starts] <- trimws(substring(texts[starts], nchar(sign) + 1))
  # The minus comes before the sign in -$5.
  minus <- startsWith(texts, paste0("-", sign))
  texts[minus] <- paste0("-", trimws(substring(texts[minus], nchar(sign) + 2)))
  texts
}

# Texts that tell a limit in place of a number, as codes for absent: "<0.5" is
# below 0.5.
limit_codes <- function(texts, kind, decimal = ".", thousands = NULL) {
  sign <- if (!is.null(kind)) asked_kind(kind, "", NULL)$sign
  if (!is_limit(sign)) return(NULL)
  form <- paste0("^[", sign, "]=? *(.+)$")
  codes <- texts[grepl(form, texts) & !is.na(texts)]
  number <- sub(form, "\\1", codes)
  codes <- codes[!is.na(numbers_from_text(number, decimal, thousands))]
  number <- sub(form, "\\1", codes)
  words <- ifelse(
    substr(codes, 1, 1) == "<",
    ifelse(substr(codes, 2, 2) == "=", "at most", "below"),
    ifelse(substr(codes, 2, 2) == "=", "at least", "above")
  )
  stats::setNames(codes, paste(words, number)[seq_along(codes)])
}

as_asked_kind <- function(
  x, name, kind, where, decimal = ".", thousands = NULL
) {
  distinct <- unique(x[!is.na(x)])
  turned <- asked_values(distinct, name, kind, where, decimal, thousands)
  unread <- which(x %in% distinct[is.na(turned)])
  new_told(
    name,
    turned[match(x, distinct)],
    kind,
    rows = unread,
    texts = x[unread]
  )
}

# Distinct texts as values of the kind asked for, absent where they are none.
asked_values <- function(
  distinct, name, kind, where, decimal = ".", thousands = NULL
) {
  asked <- asked_kind(kind, name, where)
  whole <- function(v) {
    v[!is.na(v) & (v != floor(v) | abs(v) > .Machine$integer.max)] <- NA
    as.integer(v)
  }
  truths <- c(
    true = TRUE, yes = TRUE, `1` = TRUE, false = FALSE, no = FALSE, `0` = FALSE
  )
  switch(asked$kind,
    text = distinct,
    category = factor(distinct, levels = sort(distinct, method = "radix")),
    number = numbers_from_text(
      without_sign(distinct, asked$sign), decimal, thousands
    ),
    whole = whole(numbers_from_text(
      without_sign(distinct, asked$sign), decimal, thousands
    )),
    logical = unname(truths[tolower(distinct)]),
    date = structure(days_of(distinct, asked$pattern), class = "Date"),
    `date-time` = .POSIXct(seconds_of(distinct, asked$pattern), tz = "UTC"),
    stop_neatly(
      "study",
      paste0(
        "`kinds` names the kind ", quoted(kind), " for column `", name, "`."
      ),
      where,
      "The kinds are number, whole, text, category, logical, date and date-time."
    )
  )
}

# Finds the values of a data frame that equal a code (a text); numbers are
# compared by size.
is_absent_code <- function(x, codes) {
  hit <- switch(kind_of_vector(x),
    text = ,
    category = as.character(x) %in% codes,
    number = ,
    whole = x %in% stats::na.omit(numbers_from_text(codes)),
    date = format(x) %in% codes,
    rep(FALSE, NROW(x))
  )
  hit & !is.na(x)
}

# Values of a data frame without those that stand for absent.
without_codes <- function(x, codes) {
  if (!length(codes)) return(list(values = x, count = 0L))
  kind <- kind_of_vector(x)
  hit <- is_absent_code(x, codes)
  if (!any(hit)) return(list(values = x, count = 0L))
  x[hit] <- NA
  if (kind == "category") {
    x <- factor(x, setdiff(levels(x), codes), ordered = is.ordered(x))
  }
  list(values = x, count = sum(hit))
}
