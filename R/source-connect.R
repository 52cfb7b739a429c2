# Connects to databases that a plan or the command line names. These hold no
# password: the server's client reads it from its service file, password file or
# environment.

connection_keys <- c(
  "driver", "file", "service", "host", "port", "name", "user"
)
database_keys <- c(connection_keys, "table", "key", "time_limit")

# The database that a plan names; told: its keys. Each is connected to once in a
# session.
named_database <- function(told, where) {
  check_database_keys(told, where)
  parts <- told[intersect(connection_keys, names(told))]
  limit <- told$time_limit
  if (is_text(limit)) limit <- suppressWarnings(as.numeric(limit))
  database(
    function() connection_of(parts, where),
    table = as.character(unlist(told$table)),
    key = unlist(told$key),
    time_limit = limit
  )
}

check_database_keys <- function(told, where) {
  strange <- setdiff(names(told), database_keys)
  if (any(c("password", "passwd", "pass") %in% strange)) {
    stop_neatly(
      "plan",
      "A password does not belong in a plan or a command.",
      where,
      paste0(
        "Leave it to the server's client: a service file (`service: hives`), ",
        "~/.pgpass, or the environment variable PGPASSWORD."
      )
    )
  }
  if (length(strange)) {
    stop_neatly(
      "plan",
      paste0("Unknown key `", strange[1], "` of the database."),
      where,
      c(
        meant(strange[1], database_keys),
        paste0("Known keys: ", listed(ticked(database_keys), 12), ".")
      )
    )
  }
  if (!length(told$table)) {
    stop_neatly(
      "plan",
      "The database needs the name of a table.",
      where,
      "Write `table: visits` beside it, or `--table visits`."
    )
  }
}

opened_connections <- new.env(parent = emptyenv())

connection_of <- function(parts, where) {
  name <- paste(names(parts), vapply(parts, as.character, ""), collapse = "\r")
  kept <- opened_connections[[name]]
  if (!is.null(kept) && DBI::dbIsValid(kept)) return(kept)
  driver <- if (is.null(parts$driver)) {
    (if (is.null(parts$file)) "postgresql" else "sqlite")
  } else {
    parts$driver
  }
  engine <- engine_of_driver(driver)
  if (is.null(engine)) {
    stop_neatly(
      "plan",
      paste0("No driver of databases is called ", quoted(driver), "."),
      where,
      paste0("The drivers are ", listed(quoted(rev(engine_drivers()))), ".")
    )
  }
  need_package(engine$package, engine$called)
  con <- tryCatch(
    engine$connect(parts, where),
    error = function(e) {
      if (inherits(e, "neatsieve_error")) stop(e)
      stop_on_connecting(e, where)
    }
  )
  opened_connections[[name]] <- con
  closed_at_end(con)
}

# Connections that are made here are closed at the end of the session.
made_connections <- new.env(parent = emptyenv())
closed_at_end <- function(con) {
  if (!inherits(con, "DBIConnection")) return(con)
  if (is.null(made_connections$all)) {
    reg.finalizer(made_connections, function(made) {
      for (one in made$all) {
        if (DBI::dbIsValid(one)) try(DBI::dbDisconnect(one), silent = TRUE)
      }
    }, onexit = TRUE)
  }
  is_known <- vapply(made_connections$all, identical, NA, con)
  if (!any(is_known)) made_connections$all <- c(made_connections$all, list(con))
  con
}

stop_on_connecting <- function(e, where) {
  stop_neatly(
    "run",
    paste0(
      "The database does not answer: ", first_line(conditionMessage(e)), "."
    ),
    where,
    "Check that it runs, and its name, service or file."
  )
}
