# Transactions and time limits around queries: all queries of a run see one
# state, and a transaction of the caller stays as it was.

# Runs `ask` with the study's time limit; afterwards the connection's own limit
# is set again.
within_time <- function(dialect, ask) {
  seconds <- dialect$now$time_limit
  if (is.null(seconds) || isTRUE(dialect$now$is_limited)) return(ask())
  before <- dialect$limit(paste0(ceiling(1000 * seconds), "ms"))
  dialect$now$is_limited <- TRUE
  on.exit({
    dialect$now$is_limited <- FALSE
    tryCatch(dialect$limit(before), error = function(e) NULL)
  })
  ask()
}

# A savepoint: set(), back() (roll back to it), drop().
new_save_point <- function(set, back, drop) {
  new_record("save_point", list(set = set, back = back, drop = drop))
}

# Runs `ask` so that an open transaction stays usable, also if a query fails:
# the caller's earlier work is kept.
harmless <- function(dialect, ask) {
  dialect <- live_dialect(dialect)
  is_safe <- is.null(dialect$point) || isTRUE(dialect$now$has_point)
  if (is_safe) ask() else in_transaction(dialect, ask)
}

# Runs in a transaction of its own, or at a savepoint in the caller's. All of it
# is one session, also behind a pool.
in_transaction <- function(dialect, ask) {
  dialect <- live_dialect(dialect)
  began <- tryCatch(
    dialect$begin(),
    error = function(e) {
      fresh <- connected_anew(dialect, conditionMessage(e))
      if (is.null(fresh)) stop_on_database(e, dialect)
      dialect <<- fresh
      fresh$begin()
    }
  )
  if (began) on.exit(tryCatch(dialect$end(), error = function(e) NULL))
  within_time(dialect, function() {
    if (is.null(dialect$point)) return(while_watched(dialect, ask))
    dialect$point$set()
    dialect$now$has_point <- TRUE
    on.exit({
      turn_back(dialect)
      dialect$now$has_point <- FALSE
      tryCatch(dialect$point$drop(), error = function(e) NULL)
    })
    while_watched(dialect, ask)
  })
}

# The dialect of the connection that is there now.
live_dialect <- function(dialect) {
  if (is.null(dialect$now$anew)) dialect else dialect$now$anew
}
# Where a connection was lost before anything was begun: the dialect of a new
# one, which the driver made itself or which is made as the first was. NULL
# elsewhere. said: by the database.
connected_anew <- function(dialect, said) {
  now <- dialect$now
  now$fine <- NULL
  if (is_alive(dialect$con)) {
    if (!is_lost(said)) return(NULL)
    note_new_connection(dialect)
    return(dialect)
  }
  con <- if (!is.null(now$connect)) {
    tryCatch(now$connect(), error = function(e) NULL)
  }
  if (is.null(con) || !identical(class(con), class(dialect$con))) return(NULL)
  fresh <- dialect_of(con)
  fresh["now"] <- list(now)
  now$anew <- fresh
  note_new_connection(dialect)
  fresh
}
is_lost <- function(said) {
  grepl(
    "terminating connection|server closed|no connection|bad_weak_ptr|gone away|Lost connection",
    said
  )
}
note_new_connection <- function(dialect) {
  show_notes(list(new_note(
    paste0(
      "The connection to ", dialect$name,
      " was lost and is made anew: what was open in it, ",
      "as a transaction or a temporary table, is gone."
    ),
    NULL,
    NULL
  )))
}
is_alive <- function(con) {
  tryCatch(
    DBI::dbIsValid(con) && is.data.frame(DBI::dbGetQuery(con, "SELECT 1")),
    error = function(e) FALSE
  )
}

# Cleans up after a query that failed or was ended.
turn_back <- function(dialect) {
  dialect <- live_dialect(dialect)
  if (isTRUE(dialect$now$has_point)) {
    tryCatch(dialect$point$back(), error = function(e) NULL)
  }
}

# Runs `ask` in the transaction that sees one state of the tables.
in_its_state <- function(dialect, ask) {
  dialect <- live_dialect(dialect)
  if (isTRUE(dialect$now$has_point)) ask() else in_transaction(dialect, ask)
}

# All queries of a run see one state of the table, and change nothing. What goes
# on from rows of an earlier run goes on from these.
in_one_state <- function(state, run) {
  relation <- state$rows
  if (!is_in_database(relation)) return(run())
  in_transaction(relation$dialect, function() {
    if (is.null(relation$base$known$state)) {
      remember_state(relation)
    } else {
      say_of_state(relation, compare_with_account(relation))
    }
    now <- relation$dialect$now
    now$in_run <- TRUE
    on.exit(now$in_run <- now$where <- NULL)
    run()
  })
}
