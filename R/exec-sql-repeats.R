# Repeated rows in a database.

# Groups are numbered in the order of their first rows.
#' @export
find_repeats_over.neatsieve_sql <- function(relation, bound, state) {
  by_groups <- repeats_found_over_parts(relation, bound$details$columns)
  if (!is.null(by_groups)) {
    return(with_repeats_by_groups(by_groups, relation, bound, state))
  }
  q <- new_query(relation)
  alike <- vapply(bound$details$columns, function(name) {
    sql_column(column_node(name, type_in_relation(relation, name)), q)
  }, "")
  whole <- new_type("whole")
  beside <- function(rows, name, sql) {
    with_rows_of(with_sql_column(rows, name, sql, whole), rows)
  }
  rows <- beside(relation, "(size)", paste("count(*)", over_sql(alike, NULL)))
  rows <- beside(
    rows, "(place)", paste("row_number()", over_sql(NULL, row_order(relation)))
  )
  place <- rows$columns[["(place)"]]$alias
  rows <- beside(
    rows, "(first)", paste0("min(", place, ") ", over_sql(alike, NULL))
  )
  size <- rows$columns[["(size)"]]$alias
  first <- rows$columns[["(first)"]]$alias
  fates <- new_sql_fates(
    rows, paste0("CASE WHEN ", size, " > 1 THEN 0 ELSE 1 END")
  )
  state <- hold_rows(
    state, fates,
    because = "no repeat", reads = bound$details$columns
  )
  rows <- beside(
    state$rows, "repeat_group", paste("dense_rank()", over_sql(NULL, first))
  )
  rows <- beside(rows, "repeat_size", size)
  with_repeat_columns(
    without_sql_columns(rows, c("(place)", "(first)", "(size)")), state
  )
}

with_repeat_columns <- function(rows, state) {
  rows$order <- c(rows$columns[["repeat_group"]]$alias, rows$order)
  rows$types <- rows$types[c(
    repeat_columns, setdiff(names(rows$types), repeat_columns)
  )]
  put_in_play(rows, state)
}

# Over servers the groups themselves are known, in the order of their first
# rows.
with_repeats_by_groups <- function(found, relation, bound, state) {
  is_any <- if (length(found$tests)) {
    paste(found$tests, collapse = " OR ")
  } else {
    "1 = 0"
  }
  fates <- new_sql_fates(relation, fate_by(is_any))
  state <- hold_rows(
    state, fates,
    because = "no repeat", reads = bound$details$columns
  )
  rows <- state$rows
  of_group <- function(numbers) {
    if (!length(found$tests)) return("0")
    paste(
      "CASE", paste("WHEN", found$tests, "THEN", numbers, collapse = " "), "END"
    )
  }
  whole <- new_type("whole")
  rows <- with_rows_of(
    with_sql_column(
      rows, "repeat_group", of_group(seq_along(found$tests)), whole
    ),
    rows
  )
  rows <- with_rows_of(
    with_sql_column(rows, "repeat_size", of_group(found$size), whole), rows
  )
  with_repeat_columns(rows, state)
}
