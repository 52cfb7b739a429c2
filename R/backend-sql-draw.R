# Random rows of a database, the same as in memory: the seed alone decides which
# row numbers of the study are drawn first; the database says which of these
# rows are current.

#' @export
drawn_rows.neatsieve_sql <- function(
  relation, keys, wanted, seed, weights = NULL
) {
  if (!is.null(relation$of)) {
    cannot_in_database("rows that one row became share its number")
  }
  row_order(relation)
  grouping <- groups_of(relation, keys)
  wanted <- pmin(wanted, grouping$rows_per_group)
  n <- count_rows(whole_relation(relation$dialect, relation$base))
  many <- enough_candidates(wanted, grouping$rows_per_group, n)
  repeat {
    if (many > most_distinct) {
      cannot_in_database(
        "random rows among more than 100,000 that would be looked for"
      )
    }
    first <- first_drawn(seed, n, many)
    group <- group_of_rows_there(relation, grouping, first)
    if (many >= n || all(tabulate(group, length(wanted)) >= wanted)) break
    many <- min(n, 4 * many)
  }
  place <- stats::ave(seq_along(first), group, FUN = seq_along)
  drawn <- first[!is.na(group) & place <= wanted[group]]
  new_sql_fates(
    relation, if (!length(drawn)) "1" else fate_by(is_numbered(relation, drawn))
  )
}

is_numbered <- function(relation, rows) {
  keys <- keys_worth_counting(relation, rows)
  if (!is.null(keys)) return(key_among(relation, keys))
  paste0(
    source_alias(relation), " IN (",
    paste(format(rows, scientific = FALSE, trim = TRUE), collapse = ", "), ")"
  )
}
# The keys of a few rows over several servers, where these tell them; else NULL.
keys_worth_counting <- function(relation, rows) {
  if (!has_parts(relation) ||
    !is_numbered_by_counts(relation) ||
    !is_worth_counting(length(rows), relation)) {
    return(NULL)
  }
  asked_once(
    relation$base, rlang::hash(rows), list(keys_of_numbers(relation, rows))
  )[[1]]
}

# A number of first row numbers that most likely gives each group enough rows.
enough_candidates <- function(wanted, size, n) {
  needed <- (wanted + 4 * sqrt(wanted) + 10) * n / size
  min(n, max(1, ceiling(needed[wanted > 0])))
}

# About n row numbers that are drawn first, in drawing order.
first_drawn <- function(seed, n, many) {
  # For a table without rows, a row number that does not exist.
  if (n == 0) return(1)
  cut <- (many + 6 * sqrt(many) + 10) / n
  matches <- lapply(seq(0, n - 1, by = 1e6), function(start) {
    rows <- start + seq_len(min(1e6, n - start))
    drawn <- drawn_numbers(seed, rows)
    list(rows = rows[drawn <= cut], drawn = drawn[drawn <= cut])
  })
  rows <- unlist(lapply(matches, `[[`, "rows"))
  rows[order(unlist(lapply(matches, `[[`, "drawn")))]
}

# The group of some rows of the study; absent for rows that are not in play.
group_of_rows_there <- function(relation, grouping, rows) {
  if (!length(rows)) return(integer())
  some <- where_true(relation, is_numbered(relation, rows))
  keys <- keys_worth_counting(relation, rows)
  source <- if (is.null(keys)) source_alias(relation) else key_aliases(relation)
  got <- by_groups(
    some,
    grouping,
    c(source = source),
    c(n = "count(*)"),
    also = "source",
    with_key = !is.null(keys)
  )
  if (!is.null(keys)) {
    return(got$group[match(keys, key_sql(got$source, relation$dialect))])
  }
  got$group[match(rows, plain_number(got$source))]
}
