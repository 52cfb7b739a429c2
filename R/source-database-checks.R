# Checks that a table in a database exists and may be read.

check_database_connection <- function(asked) {
  if (tryCatch(DBI::dbIsValid(asked$con), error = function(e) FALSE)) {
    return(invisible())
  }
  stop_neatly(
    "study",
    "The connection to the database is closed.",
    database_place(asked),
    "Connect again with `DBI::dbConnect()`."
  )
}

# A table that is there, though the role may not see it.
is_hidden_table <- function(asked) {
  engine <- engine_of(asked$con)
  if (is.null(engine)) return(FALSE)
  name <- DBI::dbQuoteIdentifier(asked$con, table_identifier(asked))
  engine$finds(asked$con, as.character(name))
}

check_database_table <- function(asked) {
  there <- tryCatch(
    DBI::dbExistsTable(asked$con, table_identifier(asked)),
    error = function(e) NA
  )
  if (!identical(there, FALSE) || is_hidden_table(asked)) return()
  known <- tryCatch(
    DBI::dbListTables(asked$con),
    error = function(e) character()
  )
  name <- utils::tail(asked$table, 1)
  stop_neatly(
    "study",
    paste0("The database has no table ", quoted(name), "."),
    NULL,
    c(
      meant(name, known, quoted),
      if (length(known)) paste0("Its tables: ", listed(quoted(known), 10), ".")
    )
  )
}
