# PostgreSQL by ODBC: the dialect is the same, and the class of the connection
# says which it is. A driver has to give numbers as they are: that of SQLite
# gives 2 for 2.5 where a column is worked out, so tables of SQLite are read
# whole by ODBC.

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
