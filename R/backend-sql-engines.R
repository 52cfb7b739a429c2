# The registry of SQL databases. Each database is one file with its engine and
# dialect; no other file names a database.

# class: of its connections; dialect(con): of new_dialect(). driver: its name in
# plans; package, called: what connects to it, and what it is called.
# connect(parts): a connection that only reads, of what a plan tells. column(x):
# a column of a data frame as it is written: `values`, and the `type` that is
# declared for it, or NULL. finds(con, name): whether a table is there that the
# role does not see. takes_limit: whether a query can be given a time limit.
# session(con): what the server calls the session of a connection, or NULL;
# end_session(con, session): ends another one of the same user, with what it
# asks. in_transaction(con): whether one is open. tells_written: whether a
# statement tells how many rows it wrote.
new_engine <- function(
  class, dialect, driver, package, called, connect,
  column = function(x) list(values = x, type = NULL),
  finds = function(con, name) FALSE, takes_limit = FALSE,
  session = function(con) NULL, end_session = function(con, session) NULL,
  in_transaction = function(con) FALSE, tells_written = TRUE
) {
  new_record(
    "engine",
    list(
      class = class,
      dialect = dialect,
      driver = driver,
      package = package,
      called = called,
      connect = connect,
      column = column,
      finds = finds,
      takes_limit = takes_limit,
      session = session,
      end_session = end_session,
      in_transaction = in_transaction,
      tells_written = tells_written
    )
  )
}

sql_engines <- new.env(parent = emptyenv())
define_engine <- function(...) {
  engine <- new_engine(...)
  assign(engine$class, engine, envir = sql_engines)
}
all_engines <- function() mget(sort(ls(sql_engines)), envir = sql_engines)

# The engine of a connection, or NULL for a database that has none here: it is
# read whole then.
engine_of <- function(con) {
  result <- intersect(class(con), ls(sql_engines))
  if (length(result)) sql_engines[[result[1]]]
}
dialect_of <- function(con) {
  engine <- engine_of(con)
  if (!is.null(engine)) engine$dialect(con)
}
engine_drivers <- function() {
  unique(vapply(unname(all_engines()), `[[`, "", "driver"))
}
engine_of_driver <- function(driver) {
  result <- Filter(function(engine) engine$driver == driver, all_engines())
  if (length(result)) result[[1]]
}
