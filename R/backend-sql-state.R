# Transactions and limits around queries: one state throughout, nothing of the caller's lost.

# What is asked by `ask` may take as long as the study says; afterwards the connection's own limit
# holds again.
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

# set(), back(), drop(): a point in a transaction that what fails is taken back to.
new_save_point <- function(set, back, drop) {
  new_record("save_point", list(set = set, back = back, drop = drop))
}

# What is asked by `ask` leaves a transaction that is open as it was, also where a query fails: what
# the caller did in it before stands, and more can be asked.
harmless <- function(dialect, ask) {
  is_safe <- is.null(dialect$point) || isTRUE(dialect$now$has_point)
  if (is_safe) ask() else in_transaction(dialect, ask)
}

# One's own transaction, or a point in that of the caller. All of it is one session also where a
# pool between the server and here changes them.
in_transaction <- function(dialect, ask) {
  began <- tryCatch(dialect$begin(), error = function(e) stop_on_database(e, dialect))
  if (began) on.exit(tryCatch(dialect$end(), error = function(e) NULL))
  within_time(dialect, function() {
    if (is.null(dialect$point)) return(ask())
    dialect$point$set()
    dialect$now$has_point <- TRUE
    on.exit({
      turn_back(dialect)
      dialect$now$has_point <- FALSE
      tryCatch(dialect$point$drop(), error = function(e) NULL)
    })
    ask()
  })
}

# After a query that failed, or that was ended.
turn_back <- function(dialect) {
  if (isTRUE(dialect$now$has_point)) tryCatch(dialect$point$back(), error = function(e) NULL)
}

# What is asked by `ask` sees one state of the tables, that of the transaction in which it is asked.
in_its_state <- function(dialect, ask) {
  if (isTRUE(dialect$now$has_point)) ask() else in_transaction(dialect, ask)
}

# All queries of a run see one state of the table, and change nothing. What goes on from rows of an
# earlier run goes on from these.
in_one_state <- function(state, run) {
  relation <- state$rows
  if (!is_in_database(relation)) return(run())
  in_transaction(relation$dialect, function() {
    if (is.null(relation$base$known$state)) remember_state(relation)
    else say_of_state(relation, compare_with_account(relation))
    now <- relation$dialect$now
    now$in_run <- TRUE
    on.exit(now$in_run <- NULL)
    run()
  })
}
