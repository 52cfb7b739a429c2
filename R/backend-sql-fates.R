# Fates of rows in a database that depend on other rows: a column of the query,
# computed over the rows that entered the step.

# rows: the relation with that column; fates: its name there. 0 goes on.
new_sql_fates <- function(relation, sql) {
  alias <- free_alias("fate", all_aliases(relation), relation$dialect)
  rows <- with_layer(relation, "columns", stats::setNames(sql, alias))
  rows <- with_rows_of(rows, relation)
  new_record("sql_fates", list(rows = rows, fates = alias))
}

# Counts rows per fate up to `most`, and sums the marks of rows that go on.
count_sql_fates <- function(fates, most) {
  dialect <- fates$rows$dialect
  asked <- c(
    named(dialect$tally(paste(fates$fates, "=", seq_len(most))), "f"),
    sum_of_marks(row_mark(fates$rows), "m", paste(fates$fates, "= 0"))
  )
  asked <- paste(asked, "AS", names(asked), collapse = ", ")
  query <- function(rows) {
    paste0("SELECT ", asked, " FROM ", from_relation(rows, asked))
  }
  got <- if (has_parts(fates$rows)) {
    added_parts(ask_parts(fates$rows, query))
  } else {
    ask_database(dialect, query(fates$rows))
  }
  counts <- vapply(got[paste0("f", seq_len(most))], plain_number, 0)
  list(counts = ifelse(is.na(counts), 0, counts), mark = told_mark(got, "m"))
}

#' @export
passing_rows.neatsieve_sql <- function(relation, fates) {
  where_true(fates$rows, paste(fates$fates, "= 0"))
}

# The current order of the rows: the sort keys, then the key of the table.
row_order <- function(relation) {
  if (!length(relation$base$key)) {
    cannot_in_database("the rows have no key that orders them")
  }
  c(relation$order, key_aliases(relation))
}
turned_round <- function(terms) {
  ifelse(grepl(" DESC$", terms), sub(" DESC$", "", terms), paste(terms, "DESC"))
}

over_sql <- function(keys, order) {
  paste0(
    "OVER (",
    paste(
      c(
        if (length(keys)) paste("PARTITION BY", paste(keys, collapse = ", ")),
        if (length(order)) paste("ORDER BY", paste(order, collapse = ", "))
      ),
      collapse = " "
    ),
    ")"
  )
}

# Keeps one of the rows that are equal in some columns: the first or last in an
# order.
repeats_in_database <- function(relation, columns, nodes, keep) {
  by_groups <- if (!length(nodes)) repeats_over_parts(relation, columns, keep)
  if (!is.null(by_groups)) return(by_groups)
  q <- new_query(relation)
  alike <- vapply(columns, function(name) {
    sql_column(column_node(name, type_in_relation(relation, name)), q)
  }, "")
  order <- c(if (length(nodes)) order_terms(nodes, q), row_order(relation))
  if (keep == "last") order <- turned_round(order)
  new_sql_fates(
    relation,
    paste0(
      "CASE WHEN row_number() ", over_sql(alike, order),
      " = 1 THEN 0 ELSE 1 END"
    )
  )
}
#' @export
repeat_fates.neatsieve_sql <- function(relation, columns) {
  repeats_in_database(relation, columns, list(), "first")
}

# The highest or lowest of each group; share: of the group's rows, or NULL.
extremes_in_database <- function(relation, node, keys, n, share, highest, all) {
  q <- new_query(relation)
  x <- order_term(node, q)
  keys <- vapply(unname(keys), sql_value, "", q = q)
  order <- c(paste0("(", x, " IS NULL)"), paste0(x, if (highest) " DESC"))
  place <- if (all) {
    paste("rank()", over_sql(keys, order))
  } else {
    paste("row_number()", over_sql(keys, c(order, row_order(relation))))
  }
  most <- if (is.null(share)) {
    relation$dialect$number(n)
  } else {
    paste0(
      "(", relation$dialect$number(share), " * ",
      relation$dialect$real(paste("count(*)", over_sql(keys, NULL))), " + 0.5)"
    )
  }
  new_sql_fates(
    relation,
    paste0(
      "CASE WHEN ", x, " IS NULL THEN 2 WHEN ", place, " <= ", most,
      " THEN 0 ELSE 1 END"
    )
  )
}

# Rows at positions within each group; negative positions count from the end.
placed_in_database <- function(relation, keys, at) {
  keys <- vapply(unname(keys), sql_value, "", q = new_query(relation))
  order <- row_order(relation)
  place <- function(order, of) {
    if (!length(of)) return(NULL)
    paste0(
      "row_number() ", over_sql(keys, order), " IN (",
      paste(format(of, scientific = FALSE, trim = TRUE), collapse = ", "), ")"
    )
  }
  tests <- c(place(order, at[at > 0]), place(turned_round(order), -at[at < 0]))
  new_sql_fates(
    relation,
    paste("CASE WHEN", paste(tests, collapse = " OR "), "THEN 0 ELSE 1 END")
  )
}
