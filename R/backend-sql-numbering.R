# Row numbers in a table by its key, without sorting the table.

# At most so many rows of a table that is spread over servers are numbered in
# this way. For more rows, moving all keys is no more work.
most_numbered <- 100000
is_worth_counting <- function(rows, relation) {
  whole <- whole_relation(relation$dialect, relation$base)
  rows <= most_numbered && rows <= max(1000, count_rows(whole) / 4)
}

# Whether servers can count how many keys come before those of a few rows.
is_numbered_by_counts <- function(relation) {
  base <- relation$base
  length(base$parts) > 0 &&
    length(base$key) == 1 &&
    isTRUE(base$whole_keys) &&
    is.null(relation$dialect$now$of_no_rows)
}

# The row numbers in an answer, or the keys from which they are counted.
source_column <- function(relation) {
  if (is_numbered_by_counts(relation)) {
    key_of_rows(relation)
  } else {
    c(source = source_alias(relation))
  }
}
source_of_answer <- function(got, relation) {
  if (!is.null(got$source)) return(plain_number(got$source))
  if (!nrow(got)) return(numeric())
  numbers_of_keys(relation, key_sql(got$key1, relation$dialect))
}

# The numbers of rows with such keys, texts of digits.
numbers_of_keys <- function(relation, keys) {
  edges <- unique(keys)[order_of_digits(unique(keys))]
  cumsum(counts_between_keys(relation, edges))[match(keys, edges)] + 1
}
# Counts the keys below the first edge, between the first two edges, and so on.
counts_between_keys <- function(relation, edges) {
  key <- key_aliases(relation)
  bucket <- paste0(
    "width_bucket(", key, "::bigint, '{", paste(edges, collapse = ","),
    "}'::bigint[])"
  )
  got <- ask_parts(
    whole_relation(relation$dialect, relation$base),
    function(part) {
      paste0(
        "SELECT b, count(*) AS n FROM (SELECT ", bucket, " AS b FROM ",
        from_relation(part, key, with_key = TRUE), ") AS s GROUP BY b"
      )
    }
  )
  added_by(plain_number(got$n), plain_number(got$b) + 1, length(edges) + 1)
}

# The keys of rows with such numbers, by halving the range of each a few times
# over; NULL where keys go beyond the whole numbers that a double holds.
keys_of_numbers <- function(relation, rows) {
  key <- key_aliases(relation)
  whole <- whole_relation(relation$dialect, relation$base)
  got <- ask_parts(
    whole,
    function(part) {
      paste0(
        "SELECT min(", key, "::bigint) AS low, max(", key,
        "::bigint) AS high FROM ", from_relation(part, key, with_key = TRUE)
      )
    }
  )
  ends <- c(plain_number(got$low), plain_number(got$high))
  if (!any(!is.na(ends)) || max(abs(ends), na.rm = TRUE) >= 2^53) return(NULL)
  # Invariant: at least as many keys as the row's number are <= `high`, and
  # fewer are <= `low`.
  low <- rep(min(ends, na.rm = TRUE) - 1, length(rows))
  high <- rep(max(ends, na.rm = TRUE), length(rows))
  while (any(high - low > 1)) {
    edges <- sort(unique(unlist(Map(function(a, b) {
      unique(c(a, floor(a + (b - a) * (1:63) / 64), b))
    }, low, high))))
    # Keys of at most an edge are below the next whole number.
    at_most <- cumsum(counts_between_keys(
      relation, vapply(edges + 1, number_digits, "")
    ))
    place <- findInterval(rows, at_most[seq_along(edges)], left.open = TRUE) + 1
    high <- pmin(high, edges[place])
    low <- pmax(low, edges[place - 1])
  }
  vapply(high, number_digits, "")
}

# The order of whole numbers of any size, given as texts.
order_of_digits <- function(texts) {
  is_below <- startsWith(texts, "-")
  digits <- sub("^-", "", texts)
  padded <- paste0(strrep("0", max(0, nchar(digits)) - nchar(digits)), digits)
  order <- order(padded, method = "radix")
  c(rev(order[is_below[order]]), order[!is_below[order]])
}

# Rows with given keys; `keys` lists the key's columns as SQL.
with_these_keys <- function(relation, keys) {
  aliases <- key_aliases(relation)
  if (length(aliases) == 1) {
    return(where_true(
      relation, paste0(aliases, " IN (", paste(keys[[1]], collapse = ", "), ")")
    ))
  }
  alike <- lapply(
    seq_along(aliases), function(i) paste(aliases[i], "=", keys[[i]])
  )
  where_true(
    relation,
    paste0(
      "(",
      paste0(
        "(", do.call(paste, c(alike, sep = " AND ")), ")",
        collapse = " OR "
      ),
      ")"
    )
  )
}

# The key of each row, and its values as SQL.
key_of_rows <- function(relation) named(key_aliases(relation), "key")
key_sql <- function(x, dialect) {
  if (inherits(x, "integer64")) return(trimws(format(x)))
  if (is.numeric(x) && !is.object(x)) return(vapply(x, number_digits, ""))
  vapply(as.character(x), quote_text, "", dialect = dialect, USE.NAMES = FALSE)
}
