# Columns of PostgreSQL converted to a kind that the user asks for: values that
# do not fit are absent, as in memory.

# The converted column, or NULL if only R can convert it.
postgresql_turned <- function(column, typname, told) {
  from <- if (column$type$kind == "text" && typname %in% merging_types) {
    "text"
  } else {
    column$type$kind
  }
  number <- if (from == "text") {
    text_as_number
  } else if (from %in% numeric_kinds) {
    read_as_number
  }
  turn <- switch(told,
    number = number,
    whole = if (!is.null(number)) as_whole_of(number),
    date = if (from == "text") text_as_day,
    logical = if (from %in% c("text", "whole")) text_as_truth
  )
  if (is.null(turn)) return(NULL)
  read <- function(x) turn(column$read(x))
  new_sql_column(
    column$name,
    new_type(told),
    read,
    check = column$check,
    rounds = column$rounds,
    unread = function(x) {
      paste0("(", x, " IS NOT NULL AND (", read(x), ") IS NULL)")
    },
    stored = column
  )
}

read_as_number <- function(x) paste0("(", x, ")::float8")
text_as_number <- function(x) {
  paste0(
    "CASE WHEN ", x,
    " ~ '^\\s*[-+]?([0-9]+[.]?[0-9]*|[.][0-9]+)([eE][-+]?[0-9]+)?\\s*$' ",
    "THEN btrim(", x, ")::numeric::float8 END"
  )
}
as_whole_of <- function(number) {
  function(x) {
    paste0(
      "CASE WHEN abs(", number(x), ") <= 2147483647 AND ", number(x),
      " = floor(", number(x), ") THEN (", number(x), ")::int4 END"
    )
  }
}
text_as_truth <- function(x) {
  paste0(
    "CASE WHEN lower(", x,
    "::text) IN ('true', 'yes', '1') THEN TRUE WHEN lower(", x,
    "::text) IN ('false', 'no', '0') THEN FALSE END"
  )
}
# A day in ISO 8601 that the calendar has.
text_as_day <- function(x) {
  part <- function(from, to) paste0("substr(", x, ", ", from, ", ", to, ")")
  year <- paste0(part(1, 4), "::int")
  leap <- paste0(
    year, " % 4 = 0 AND (", year, " % 100 <> 0 OR ", year, " % 400 = 0)"
  )
  last <- paste0(
    "CASE WHEN ", part(6, 2), " = '02' THEN CASE WHEN ", leap,
    " THEN '29' ELSE '28' ", "END WHEN ", part(6, 2),
    " IN ('04', '06', '09', '11') THEN '30' ELSE '31' END"
  )
  paste0(
    "CASE WHEN ", x,
    " ~ '^[0-9]{4}-(0[1-9]|1[0-2])-[0-3][0-9]$' THEN CASE WHEN ", year,
    " > 0 AND ", part(9, 2), " BETWEEN '01' AND ", last, " THEN ", x,
    "::date END END"
  )
}

# The data that another connection needs to end a query of this session; see
# new_sql_session().
postgresql_session <- function(con) {
  if (!inherits(con, "PqConnection")) return(NULL)
  about <- DBI::dbGetInfo(con)
  # With this setting the server ends a query within a second after its
  # connection was shut.
  looks <- "'client_connection_check_interval'"
  now <- DBI::dbGetQuery(
    con,
    paste0(
      "SELECT pg_backend_pid() AS id, inet_client_port() AS port, CASE WHEN ",
      "current_setting(",
      looks, ", TRUE) = '0' AND version() ~ 'linux' THEN set_config(", looks,
      ", '1s', TRUE) END AS looks"
    ),
    immediate = TRUE
  )
  new_sql_session(
    id = now$id,
    from = if (is.na(now$port)) 0L else as.integer(now$port),
    to = as.integer(about$port),
    ends = c(
      paste(
        "con <- do.call(DBI::dbConnect, c(list(RPostgres::Postgres()), place,",
        "connect_timeout = '5'))"
      ),
      paste(
        "ended <- DBI::dbGetQuery(con, paste(\"SELECT pg_cancel_backend(pid) FROM",
        "pg_stat_activity WHERE state = 'active' AND pid =\", id))"
      )
    ),
    place = list(
      host = about$host,
      port = about$port,
      dbname = about$dbname,
      user = about$username
    )
  )
}
