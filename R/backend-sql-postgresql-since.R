# What PostgreSQL knows of a table without reading it: an estimate of its rows,
# and transactions that wrote to it.

postgresql_estimate <- function(con, base) {
  is_counted <- is.null(base$table) ||
    told_truth(
      DBI::dbGetQuery(
        con,
        paste0(
          "SELECT reltuples >= 0 OR relkind <> 'r' AS is_known FROM pg_class ",
          "WHERE oid = ",
          DBI::dbQuoteString(con, base$from), "::regclass"
        )
      )$is_known
    )
  if (!is_counted) {
    return(
      DBI::dbGetQuery(
        con, paste0("SELECT count(*)::float8 AS n FROM ", base$from)
      )$n
    )
  }
  plan <- DBI::dbGetQuery(
    con, paste("EXPLAIN SELECT 1 FROM", base$from)
  )[[1]][1]
  as.numeric(sub("^.*rows=([0-9]+) .*$", "\\1", plan))
}

# since: the snapshot, of new_postgresql_snapshot(), unless this transaction
# writes itself, whose rows have one number before and after.
postgresql_state <- function(con) {
  got <- DBI::dbGetQuery(
    con,
    paste0(
      "SELECT txid_current_snapshot()::text AS snapshot, ",
      "txid_current_if_assigned() IS NOT NULL AS ",
      "writes, EXISTS (SELECT FROM pg_foreign_table) AS beyond"
    ),
    immediate = TRUE
  )
  if (told_truth(got$writes)) return(new_table_state(NULL))
  # A snapshot of this server does not show writes on another server.
  new_table_state(
    if (!told_truth(got$beyond)) got$snapshot,
    new_postgresql_snapshot(got$snapshot)
  )
}

# low, high: the first transaction that still ran, and the first that had not
# begun; open: those between that ran. As the rows tell them, without their
# epoch.
new_postgresql_snapshot <- function(text) {
  parts <- strsplit(text, ":", fixed = TRUE)[[1]]
  open <- if (length(parts) > 2) {
    strsplit(parts[3], ",", fixed = TRUE)[[1]]
  } else {
    character()
  }
  number <- function(x) sprintf("%.0f", as.numeric(x) %% 2^32)
  new_record(
    "postgresql_snapshot",
    list(low = number(parts[1]), high = number(parts[2]), open = number(open))
  )
}

# Each row stored in this database has the number of the transaction that wrote
# it.
postgresql_later <- function(con, base, since) {
  if (is.null(base$table) || !is_stored_here(con, base)) return(NULL)
  age <- function(number) paste0("age('", number, "'::xid)")
  open <- paste0(
    " OR xmin::text IN ('", paste(since$open, collapse = "', '"), "')"
  )
  paste0(
    "SELECT count(*)::float8 AS n, (count(*) FILTER (WHERE age(xmin) BETWEEN ",
    "-1000000 AND ",
    age(since$low), " AND (age(xmin) <= ", age(since$high),
    if (length(since$open)) open, ")))::float8 AS later FROM ", base$from
  )
}

# The table, and all that are parts of it, keep their rows here: none is a view
# or elsewhere.
is_stored_here <- function(con, base) {
  told_truth(
    DBI::dbGetQuery(
      con,
      paste0(
        "WITH RECURSIVE parts(oid) AS (SELECT ",
        DBI::dbQuoteString(con, base$from),
        "::regclass::oid UNION SELECT i.inhrelid FROM pg_inherits i JOIN ",
        "parts p ON i.inhparent = ",
        "p.oid) SELECT bool_and(c.relkind IN ('r', 'm', 'p')) AS here FROM ",
        "pg_class c JOIN parts p ",
        "ON c.oid = p.oid"
      )
    )$here
  ) %in%
    TRUE
}
