# Functions of text in SQL, by code point. Upper and lower case in SQL is for
# ASCII letters; other texts, and regular expressions, are computed in R for
# each different value (see sql_by_distinct()).

# SQL of a column of text or a fixed text, for a literal search; NULL for
# others.
sql_plain_text <- function(node, q) {
  if (!node$kind %in% c("text", "category")) return(NULL)
  if (node$kind == "category" && is.null(node$labels)) return(NULL)
  sql_value(node, q)
}

# how(x, pattern, letters): SQL of a test of a text.
sql_text_test <- function(how) {
  function(node, q) {
    pattern <- node$args$pattern$value
    x <- sql_plain_text(node$args$x, q)
    if (is.null(x) || !nzchar(pattern)) return(NULL)
    test <- function(x, pattern) {
      how(x, quote_text(q$dialect, pattern), nchar(pattern, "chars"))
    }
    if (!identical(node$args$case$value, FALSE)) return(test(x, pattern))
    if (!is_ascii(pattern)) return(NULL)
    where_ascii(node, q, x, test(q$dialect$letters$lower(x), tolower(pattern)))
  }
}
is_ascii <- function(x) all(utf8ToInt(enc2utf8(x)) < 128)

# ascii(sql): whether a text is of ASCII alone; lower(sql), upper(sql): of such
# a text; trimmed(sql, letters): without these letters at its ends;
# joined(texts): one after the other.
new_sql_letters <- function(
  ascii, lower, upper, trimmed, joined = joined_by_bars
) {
  new_record(
    "sql_letters",
    list(
      ascii = ascii,
      lower = lower,
      upper = upper,
      trimmed = trimmed,
      joined = joined
    )
  )
}
joined_by_bars <- function(texts) {
  paste0("(", paste(texts, collapse = " || "), ")")
}

# In SQL for ASCII texts, by distinct values for others.
where_ascii <- function(node, q, x, sql) {
  test <- q$dialect$letters$ascii(x)
  paste0(
    "CASE WHEN ", test, " THEN ", sql, " ELSE ",
    sql_by_distinct(node, q, among = paste("NOT", test)), " END"
  )
}
sql_case <- function(how) {
  function(node, q) {
    x <- sql_plain_text(node$args$x, q)
    if (!is.null(x)) where_ascii(node, q, x, q$dialect$letters[[how]](x))
  }
}

# What \\h and \\v stand for in regular expressions.
white_letters <- intToUtf8(c(
  0x9:0xd, 0x20, 0x85, 0xa0, 0x1680, 0x180e, 0x2000:0x200a, 0x2028, 0x2029,
  0x202f, 0x205f, 0x3000
))
sql_trim <- function(node, q) {
  x <- sql_plain_text(node$args$x, q)
  if (!is.null(x)) {
    q$dialect$letters$trimmed(x, quote_text(q$dialect, white_letters))
  }
}
sql_replace_text <- function(node, q) {
  x <- sql_plain_text(node$args$x, q)
  find <- node$args$find$value
  if (is.null(x) || isTRUE(node$args$regex$value)) return(NULL)
  if (!nzchar(find)) return(x)
  paste0(
    "replace(", x, ", ", quote_text(q$dialect, find), ", ",
    quote_text(q$dialect, node$args$with$value), ")"
  )
}

sql_relabel <- function(node, q) {
  x <- sql_plain_text(node$args$x, q)
  labels <- node$args$labels$value
  if (is.null(x) || (node$kind == "category" && is.null(node$labels))) {
    return(NULL)
  }
  of_text <- function(texts) {
    vapply(texts, quote_text, "", dialect = q$dialect, USE.NAMES = FALSE)
  }
  paste0(
    "(CASE ", x, " ",
    paste0(
      "WHEN ", of_text(unname(labels)), " THEN ", of_text(names(labels)),
      collapse = " "
    ),
    " ELSE ", x, " END)"
  )
}

sql_join_text <- function(node, q) {
  parts <- rest_args(node$args)
  texts <- lapply(parts, sql_plain_text, q = q)
  if (!length(texts) || any(vapply(texts, is.null, NA))) return(NULL)
  sep <- node$args$sep$value
  texts <- unlist(texts)
  if (nzchar(sep)) {
    parted <- c(rbind(texts, quote_text(q$dialect, sep)))
    texts <- parted[-length(parted)]
  }
  q$dialect$letters$joined(texts)
}

# Places counted from the start.
sql_substring <- function(node, q) {
  first <- node$args$first$value
  last <- node$args$last$value
  x <- sql_plain_text(node$args$x, q)
  if (is.null(x) || !is_whole_value(first) || first < 1) return(NULL)
  if (is.null(last)) return(paste0("substr(", x, ", ", first, ")"))
  if (!is_whole_value(last) || last < first) return(NULL)
  paste0("substr(", x, ", ", first, ", ", last - first + 1, ")")
}

# length_of: the function that counts letters. starts, ends, holds: as how() of
# sql_text_test(). like(x, pattern, escape): SQL of a pattern of SQL's own, or
# NULL.
text_forms <- function(length_of, holds, starts, ends, like) {
  list(
    contains = sql_text_test(holds),
    startsWith = sql_text_test(starts),
    endsWith = sql_text_test(ends),
    like = function(node, q) {
      x <- sql_plain_text(node$args$x, q)
      if (!is.null(x)) {
        like(x, node$args$pattern$value, node$args$escape$value, q$dialect)
      }
    },
    text_length = function(node, q) {
      x <- sql_plain_text(node$args$x, q)
      if (!is.null(x)) paste0(length_of, "(", x, ")")
    },
    lower = sql_case("lower"),
    upper = sql_case("upper"),
    trim = sql_trim,
    replace_text = sql_replace_text,
    relabel = sql_relabel,
    join_text = sql_join_text,
    substring = sql_substring
  )
}
