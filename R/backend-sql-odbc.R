# PostgreSQL by ODBC: the same dialect; the class of the connection differs. A
# driver must return numbers unchanged: SQLite's returns 2 for 2.5 in computed
# columns, so by ODBC tables of SQLite are read whole.

connect_odbc <- function(parts, where) {
  args <- list(
    dsn = parts$service,
    database = parts$name,
    server = parts$host,
    port = parts$port,
    uid = parts$user
  )
  do.call(DBI::dbConnect, c(list(odbc::odbc()), Filter(Negate(is.null), args)))
}

define_engine(
  class = "PostgreSQL",
  dialect = function(con) dialect_postgresql(con),
  driver = "odbc",
  package = "odbc",
  called = "ODBC",
  connect = connect_odbc,
  finds = function(con, name) finds_postgresql(con, name),
  takes_limit = TRUE,
  in_transaction = function(con) is_in_transaction(con),
  tells_written = FALSE
)
