# Asks the database whether it was written to since a run began; works for
# tables of any length.

# token: the same text as long as nobody wrote anything; NULL where that cannot
# be told. since: what a dialect tells rows by that were written later, or NULL.
new_table_state <- function(token, since = NULL) {
  new_record("table_state", list(token = token, since = since))
}
remember_state <- function(relation) {
  relation$base$known$state <- live_dialect(
    relation$dialect
  )$state(relation$base)
}

is_same_state <- function(relation) {
  before <- relation$base$known$state$token
  !is.null(before) &&
    identical(before, live_dialect(relation$dialect)$state(relation$base)$token)
}

# What can be said, before rows of an account are asked for, of those in the
# table now: that they are the "same", the same "rows" if their sum over keys
# is, of values that may be others, or as many if their "number" is. A table
# that is known to have changed is an error.
compare_state <- function(relation) {
  now <- relation$dialect$now
  # Within a run the state does not change.
  is_asked <- is.null(now$of_no_rows) &&
    is.null(now$in_run) &&
    !is.null(relation$known$rows)
  if (!is_asked ||
    is.null(relation$base$known$state) ||
    is_same_state(relation)) {
    return("same")
  }
  changed <- has_changed(relation)
  if (isFALSE(changed)) return("same")
  if (length(row_mark(relation)) && !is.null(relation$known$mark)) {
    return("rows")
  }
  if (isTRUE(changed)) {
    stop_on_changed_table(relation, "rows were written, or are gone")
  }
  "number"
}
say_of_state <- function(relation, alike) {
  if (alike == "same") return(invisible())
  known <- if (alike == "rows") {
    "these are the same rows, by number and keys; their values are those of now."
  } else if (alike == "some") {
    "whether these rows are those of then cannot be told."
  } else {
    "these are as many rows as then; whether they are the same cannot be told."
  }
  show_notes(list(list(
    problem = paste0(
      "The database may have been written to since ",
      called_table(relation$base), " was poured: ", known
    ),
    where = NULL,
    instead = "To be sure, pour again."
  )))
}

# Whether the table has: rows that were written later, or another number of
# rows. NA: not told.
has_changed <- function(relation) {
  base <- relation$base
  if (is.null(base$known$state$since)) return(NA)
  sql <- live_dialect(relation$dialect)$later(base, base$known$state$since)
  if (is.null(sql)) return(NA)
  got <- tryCatch(
    ask_database(relation$dialect, sql),
    neatsieve_error_run = function(e) NULL
  )
  if (is.null(got)) return(NA)
  got$later > 0 || (!is.null(base$known$rows) && got$n != base$known$rows)
}

# Compares rows that are not fetched now with their account, by a count where
# need be.
compare_with_account <- function(relation) {
  alike <- compare_state(relation)
  if (alike == "same") return(alike)
  mark <- if (alike == "rows") row_mark(relation) else character()
  asked <- c(n = relation$dialect$real("count(*)"), sum_of_marks(mark, "mark"))
  got <- ask_database(
    relation$dialect,
    paste0(
      "SELECT ", paste(asked, "AS", names(asked), collapse = ", "), " FROM ",
      from_relation(relation, asked)
    )
  )
  check_fetched(got$n, got[["mark"]], relation$known, relation)
  alike
}
