#' A table or query of a database as a study's data
#'
#' Names what [study()] is to read through a connection of your own: a table, or what a query gives.
#' It is read whole when the study is made.
#'
#' @param con A connection of the package DBI, which stays yours: it is neither opened nor closed
#'   here.
#' @param table The name of a table or view, as text; for one in another schema
#'   `c("schema", "table")`.
#' @param query Instead of it: a query in the database's own language, as text, that gives rows.
#'   It is sent as it is written.
#' @return A value for [study()], [pour()] and others that take a study. Kinds are those of the
#'   columns as DBI gives them: 64-bit whole numbers that fit a double become numbers, others text;
#'   dates that a database keeps as text (SQLite does) stay text unless `kinds` says more, as in
#'   `study(database(con, "visits"), kinds = list(visit_date = "date"))`.
#' @section Errors: Class `neatsieve_error_study` for a connection that is none or is closed, a
#'   table that is not there (with the near ones), and what the database says of a query.
#' @seealso [study()]
#' @examples
#' if (requireNamespace("RSQLite", quietly = TRUE)) {
#'   con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
#'   DBI::dbWriteTable(con, "visits", data.frame(hive = c("a", "a", "b"), honey_kg = c(2, 3, NA)))
#'   print(study(database(con, "visits"), unit = hive))
#'   rich <- study(database(con, query = "SELECT * FROM visits WHERE honey_kg > 2"))
#'   DBI::dbDisconnect(con)
#' }
#' @export
database <- function(con, table = NULL, query = NULL) {
  local_plain()
  need_package("DBI", "Reading from a database")
  if (!inherits(con, "DBIConnection")) {
    stop_neatly("study", paste0("`con` must be a connection of DBI, not a value of class ",
                                class(con)[1], "."), NULL,
                paste0("Write `database(DBI::dbConnect(RSQLite::SQLite(), \"hives.sqlite\"), ",
                       "\"visits\")`."))
  }
  is_name <- is.character(table) && length(table) %in% 1:3 && !anyNA(table)
  if (is.null(table) == is.null(query) || !(is_name || is_text(query))) {
    stop_neatly("study", "`database()` takes the name of a table or a query, as text.", NULL,
                "Write `database(con, \"visits\")`, or `database(con, query = \"SELECT ...\")`.")
  }
  new_record("database", list(con = con, table = table, query = query))
}

# The rows as a data frame.
read_database <- function(asked) {
  called <- if (is.null(asked$query)) paste(asked$table, collapse = ".") else "a query"
  where <- paste0("In ", if (is.null(asked$query)) paste("table", quoted(called)) else called, ".")
  if (!tryCatch(DBI::dbIsValid(asked$con), error = function(e) FALSE)) {
    stop_neatly("study", "The connection to the database is closed.", where,
                "Connect again with `DBI::dbConnect()`.")
  }
  if (is.null(asked$query)) check_database_table(asked, where)
  table <- tryCatch(
    if (is.null(asked$query)) {
      DBI::dbReadTable(asked$con, table_identifier(asked), check.names = FALSE)
    } else DBI::dbGetQuery(asked$con, asked$query),
    error = function(e) {
      stop_neatly("study", paste0("The database says: ", first_line(conditionMessage(e)), "."),
                  where, "Check the query, and that the connection still stands.")
    })
  repaired <- repaired_names(names(table))
  names(table) <- repaired$names
  list(data = as_plain_table(table), called = called, where = where, repaired = repaired$repaired)
}

table_identifier <- function(asked) {
  if (length(asked$table) == 1) asked$table else do.call(DBI::Id, as.list(stats::setNames(
    asked$table, utils::tail(c("catalog", "schema", "table"), length(asked$table)))))
}

check_database_table <- function(asked, where) {
  there <- tryCatch(DBI::dbExistsTable(asked$con, table_identifier(asked)), error = function(e) NA)
  if (!identical(there, FALSE)) return()
  known <- tryCatch(DBI::dbListTables(asked$con), error = function(e) character())
  name <- utils::tail(asked$table, 1)
  stop_neatly("study", paste0("The database has no table ", quoted(name), "."), NULL,
              c(meant(name, known, quoted),
                if (length(known)) paste0("Its tables: ", listed(quoted(known), 10), ".")))
}
