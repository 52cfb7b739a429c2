# Recognises whether a table changed since a run: the number of rows and a sum
# over their keys, asked with the counts and again with the rows. For large
# tables and tables without a key see backend-sql-since.R.

most_marked_rows <- 1e6

# A whole number of each row, so small that sums are exact; none without a key.
row_mark <- function(relation) {
  base <- relation$base
  rows <- relation$known$rows
  if (is.null(rows) || rows > most_marked_rows) return(character())
  if (!length(base$key) || has_parts(relation)) return(character())
  of_keys <- vapply(seq_along(base$key), function(i) {
    relation$dialect$mark(key_aliases(relation)[i], base$whole_keys[i])
  }, "")
  more <- seq_along(of_keys) > 1
  of_keys[more] <- paste(seq_along(of_keys)[more], "*", of_keys[more], recycle0 = TRUE)
  c(mark = paste(of_keys, collapse = " + "))
}
# The sum of the rows where `when` is true, by a name of its own.
sum_of_marks <- function(mark, name, when = NULL) {
  if (!length(mark)) return(character())
  if (!is.null(when)) mark <- paste("CASE WHEN", when, "THEN", mark, "END")
  stats::setNames(paste0("coalesce(sum(", mark, "), 0)"), name)
}
told_mark <- function(got, name) {
  if (name %in% names(got)) plain_number(got[[name]])
}

with_known_rows <- function(relation, rows, mark) {
  relation$known$rows <- rows
  relation$known$mark <- mark
  relation
}
# A relation with the same rows as another one whose number of rows is known.
with_rows_of <- function(relation, other) {
  with_known_rows(relation, other$known$rows, other$known$mark)
}

# Rows in a database that entered a step and were held back; NULL elsewhere.
rows_left <- function(came, went_on) {
  if (!is_in_database(went_on)) return(NULL)
  mark <- if (!is.null(came$known$mark)) came$known$mark - went_on$known$mark
  list(rows = came$known$rows - went_on$known$rows, mark = mark)
}

# Compares fetched rows with the account; marks: of each row, or NULL.
check_fetched <- function(n, marks, known, relation) {
  if (is.null(known$rows)) return(invisible())
  is_alike <- is.null(known$mark) ||
    is.null(marks) ||
    sum(plain_number(marks)) == known$mark
  if (n == known$rows && is_alike) return(invisible())
  stop_on_changed_table(
    relation,
    if (n == known$rows) {
      "other rows than then are met"
    } else {
      paste0(counted(known$rows, "row"), " then, ", format_count(n), " now")
    }
  )
}
stop_on_changed_table <- function(relation, how) {
  called <- called_table(relation$base)
  stop_neatly(
    "run",
    paste0(
      toupper(substr(called, 1, 1)), substring(called, 2),
      " has changed since it was poured: ", how, "."
    ),
    NULL,
    "Pour again, so that rows and account are from one state."
  )
}
called_table <- function(base) {
  if (is.null(base$table)) {
    "what the query gives"
  } else {
    paste("the table", quoted(paste(base$table, collapse = ".")))
  }
}
