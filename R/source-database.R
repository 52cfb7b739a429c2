#' A table or query of a database as a study's data
#'
#' Names a table or a query of a database that you are connected to. In SQLite,
#' PostgreSQL (also by ODBC) and MariaDB a sieve runs in the database; tables of
#' other databases are read whole when the study is made.
#'
#' @param con A connection of the package DBI, which stays yours: it is neither
#'   opened nor closed here. Or a function without arguments that makes one: it
#'   is called now, and once more where the connection was lost before a run
#'   began (a note says so); in the middle of a run that is an error. As in
#'   `function() DBI::dbConnect(RPostgres::Postgres(), service = "hives",
#'   check_interrupts = TRUE)`. A connection made so is closed at the end of the
#'   session.
#' @param table The name of a table or view, as text; for one in another schema
#'   `c("schema", "table")`.
#' @param query Instead of it: a query in the database's own language, as text,
#'   that gives rows. It is sent as it is written.
#' @param key Columns, as text, that tell rows apart and give their order. None:
#'   the primary key of PostgreSQL or MariaDB, SQLite's number of the row.
#'   Without a key rows come in the order the database likes, and `source_row`
#'   is absent.
#'
#' @param time_limit The seconds that one query may take, or `NULL` for what the
#'   server allows; for PostgreSQL and MariaDB. It holds for our queries alone,
#'   and for tables that are written.
#'
#' @details `study(database(con, "visits"))` reads no rows. Kinds come from the
#'   types of the columns: in PostgreSQL numbers of every type and money become
#'   number (`int2`, `int4`: whole; NaN is absent), boolean becomes logical,
#'   date a date, timestamps date-times in UTC, enums ordered categories in the
#'   server's order; all others (varchar, uuid, json, ...) are texts, told apart
#'   by code point whatever their collation takes for the same. A `numeric` that
#'   has more digits than a number keeps is told in a note; `bytea` and columns
#'   that the role may not read are left out and named. Infinite dates and whole
#'   numbers of 2^53 or more are an error where they are used, with the way out:
#'   every column can be read as text, `kinds = list(valid_to = "text")`. In
#'   MariaDB BOOLEAN (`tinyint(1)`) becomes logical, other whole numbers whole
#'   (`int unsigned` and `bigint`: number), DATE a date, DATETIME and TIMESTAMP
#'   date-times in UTC, ENUM an ordered category; texts are told apart by code
#'   point, with the spaces at their end. In SQLite, where a column may hold
#'   anything, INTEGER becomes whole, REAL and DECIMAL number, TEXT text and
#'   BOOLEAN logical; of other columns, and those of a query, the database is
#'   asked what types their values have (texts in a DATE column that are all
#'   days of ISO 8601 are dates, numbers beside texts are texts, bytes are left
#'   out). That the values are what the column declares is asked once, before
#'   they are used. `kinds =` turns columns there, `absent_codes =` takes codes
#'   out there, and what became absent by either is counted in a note when a
#'   step looks at the column. `categories =` and `ordered =` of [study()] name
#'   the texts of a column in their order. A table is read whole, with a note
#'   that says why and how much that is, where a dictionary or row names are
#'   given, or dates in a pattern of their own. Rows that are fetched for a step
#'   are told in a note, too.
#'
#'   Done there: [settings()], [criteria()], [include()], [exclude()],
#'   [pick_columns()], [work_out()] (ranks, lags, runs, running sums and
#'   aggregates of groups as windows), [order_rows()], [scoop()] (random rows
#'   without weights), [drop_repeats()], [find_repeats()], [look_up()],
#'   [keep_matched()] and [drop_matched()] of a table in the same database or of
#'   one with at most 1,000 keys (for each row at most one; not the nearest),
#'   [subsets()], [statistics()], [counts()], [absences()], [condense()],
#'   [to_long()] and, with a statistic, [to_wide()]; and the numbers of all
#'   charts but scatter plots, strips and lines of rows (densities, violins and
#'   cumulative shares of at most 1,000,000 different values, densities of at
#'   most 20,000,000 rows). All functions of numbers, texts, dates, choices and
#'   rows, and all statistics, weighted ones too, are worked out there but for
#'   those of the next paragraph. Texts are compared and looked through letter
#'   for letter. Case is turned there in texts of ASCII alone; for other texts,
#'   and for regular expressions, a function is answered here for each different
#'   value of the one column that it reads (at most 100,000, with at most 1,000
#'   different results). Statistics of groups beside their rows, other than
#'   counts, sums, means and ends of numbers, are asked first and told with the
#'   query (at most 1,000 groups).
#'
#'   Not done there, and why: `cumprod()` and `prod()` (databases have no
#'   product that is exact); `log1p()` and `expm1()`, rests by a fixed number
#'   such as 0.1 (no form gives the same double); `as_text()` of numbers below
#'   0.0001 or from 1e15 on, and where 15 digits do not read back as the number
#'   in SQLite and MariaDB (digits are written in ways of their own); Kendall's
#'   correlation and errors of clusters (pairs of rows); random rows by weights,
#'   [to_wide()] without a statistic, and scatter plots, strips and lines of
#'   rows (what they give are the rows themselves); figures with subsets side by
#'   side. SQLite has date-times as texts alone, and logarithms only where it
#'   was built with them; a number that a database does not hold, as an infinite
#'   one in MariaDB, is worked out here. What is not done there is done here: a
#'   table or figure of the columns that it needs, a step of all rows that reach
#'   it, and those behind it. [check_sieve()] says so beforehand, the `place` of
#'   each step in the [ledger()] afterwards, and [as_sql()] prints the queries.
#'   `$rows` and [held_back()] fetch their rows when asked for. [write_table()]
#'   of siftings into the same database writes their rows there.
#'
#'   Answers are those of a run over the same table in memory, sums, means and
#'   functions of numbers within 1e-11 of it; so the count of values that a
#'   column changes, which takes the place of another, may differ where two
#'   values differ in their last digit. Texts are compared by code point; a
#'   division by zero is infinite; a database's negative zero is zero. All
#'   queries of a pour see one state of the table, in a transaction that only
#'   reads; a transaction of yours that is open holds instead, and a query that
#'   fails leaves it as it was. `$rows`, [held_back()] and [follow()] ask again
#'   when they are called, and a table that changed is an error. Whether it did
#'   is told by the database: nothing was written to it since, or, in
#'   PostgreSQL, the table has as many rows as then and none of a later
#'   transaction. Where that is not told (SQLite after any writing, MariaDB,
#'   views, other servers), the number of rows and, in tables of up to a million
#'   with a key, a sum over their keys are compared, and a note says so. First
#'   rows in print are then called those of now. More than 1 GB is not fetched;
#'   see [neatsieve_options].
#'
#'   Ctrl-C ends a query within a second or two, also where the driver does not
#'   listen (as RPostgres by default): a second connection asks the server for
#'   it. Where none can be made without a password, press Ctrl-C again: the
#'   connection is shut, and a server on Linux ends the query within a second.
#'   On Windows, by ODBC and in SQLite what the driver does counts; `time_limit`
#'   ends a query everywhere but in SQLite. A connection that was lost is made
#'   anew before a run, with a note, where the driver does so or `con` is a
#'   function; behind a pool that gives each transaction another session, each
#'   run is one transaction.
#'
#'   A table of PostgreSQL of which partitions, at any depth, are foreign tables
#'   is asked part by part in one statement, so that each server sends groups
#'   and not rows; small tables that are looked up go there as choices by the
#'   key. Quantiles of 20,000 rows and more are searched for by counts, in a few
#'   rounds; of fewer the column's values are sent. The highest of up to 200
#'   groups, up to 200 sets of rows that repeat a key, one row for each of up to
#'   10,000 keys (and up to 10,000 keys that repeat, where the key decides the
#'   server) and random rows are found by groups and keys, where the key of the
#'   table is one whole number; of more, and for ranks and other windows, all
#'   rows move to the server that is asked. Figures of more than 16,384 rows
#'   find bins by quantiles, not by a sample as elsewhere, so that they may be
#'   of another width. Rows held back are numbered by counting keys. Each server
#'   shows one state of its own, from the first query on.
#'
#'   In a plan: `study: {database: {driver: sqlite, file: hives.sqlite, table:
#'   visits}}`, or with `driver: postgresql` or `mariadb` and `service`, `host`,
#'   `port`, `name` and `user`; on the command line
#'   `--database service=hives --table visits`. Passwords are read by the
#'   server's client, from its service file, password file or environment, and
#'   stand in no plan.
#' @return A value for [study()], [pour()] and others that take a study, and for
#'   [write_table()]. Of a table that is read whole, 64-bit whole numbers that
#'   fit a double become numbers, others text.
#' @section Errors: Class `neatsieve_error_study` for a connection that is none
#'   or is closed, a table that is not there (with the near ones), values that
#'   are not what their column declares, and what the database says of a query.
#'   `neatsieve_error_run`, with the step, for a connection that is lost, a
#'   missing right, a table that changed, a query that was ended.
#' @seealso [study()], [as_sql()], [write_table()]
#' @examples
#' if (requireNamespace("RSQLite", quietly = TRUE)) {
#'   con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
#'   DBI::dbWriteTable(con, "visits", data.frame(hive = c("a", "a", "b"), honey_kg = c(2, 3, NA)))
#'   print(study(database(con, "visits"), unit = hive))
#'   pour(study(database(con, "visits"), unit = hive), include(present(honey_kg)), counts(hive))
#'   rich <- study(database(con, query = "SELECT * FROM visits WHERE honey_kg > 2"))
#'   DBI::dbDisconnect(con)
#' }
#' @export
database <- function(
  con, table = NULL, query = NULL, key = NULL, time_limit = NULL
) {
  local_plain()
  need_package("DBI", "Reading from a database")
  connect <- if (is.function(con)) con
  if (!is.null(connect)) con <- closed_at_end(connect())
  if (!inherits(con, "DBIConnection")) {
    stop_neatly(
      "study",
      paste0(
        "`con` must be a connection of DBI, not a value of class ",
        class(con)[1], "."
      ),
      NULL,
      paste0(
        "Write `database(DBI::dbConnect(RSQLite::SQLite(), \"hives.sqlite\"), ",
        "\"visits\")`."
      )
    )
  }
  is_name <- is.character(table) && length(table) %in% 1:3 && !anyNA(table)
  if (is.null(table) == is.null(query) || !(is_name || is_text(query))) {
    stop_neatly(
      "study",
      "`database()` takes the name of a table or a query, as text.",
      NULL,
      "Write `database(con, \"visits\")`, or `database(con, query = \"SELECT ...\")`."
    )
  }
  check_time_limit(time_limit, con)
  new_database(
    con,
    table,
    query,
    key,
    time_limit,
    connect = if (!is.null(connect)) function() closed_at_end(connect())
  )
}

# why: why it is read whole, where it is. connect: what makes the connection
# anew, or NULL.
new_database <- function(
  con, table, query, key = NULL, time_limit = NULL, why = NULL, connect = NULL
) {
  new_record(
    "database",
    list(
      con = con,
      table = table,
      query = query,
      key = key,
      time_limit = time_limit,
      why = why,
      connect = connect
    )
  )
}

check_time_limit <- function(limit, con) {
  if (is.null(limit)) return(invisible())
  if (!is.numeric(limit) ||
    length(limit) != 1 ||
    !isTRUE(limit > 0) ||
    limit > 2e6) {
    stop_neatly(
      "study",
      "`time_limit` of `database()` must be a number of seconds, above 0.",
      NULL,
      "Write `time_limit = 60`."
    )
  }
  engine <- engine_of(con)
  if (is.null(engine) || !engine$takes_limit) {
    able <- Filter(function(engine) engine$takes_limit, all_engines())
    stop_neatly(
      "study",
      paste0(
        "This database has no time limit for queries; ",
        listed(vapply(unname(able), `[[`, "", "called")), " has."
      ),
      NULL,
      "Leave `time_limit` out."
    )
  }
}

# The rows as a data frame.
read_database <- function(asked, kinds = list()) {
  called <- if (is.null(asked$query)) {
    paste(asked$table, collapse = ".")
  } else {
    "a query"
  }
  where <- database_place(asked)
  check_database_connection(asked)
  if (is.null(asked$query)) check_database_table(asked)
  dialect <- dialect_of(asked$con)
  if (!is.null(dialect)) dialect$now$time_limit <- asked$time_limit
  read <- function() {
    check_size_of_whole(asked, where)
    table_or_query(asked, dialect, kinds)
  }
  got <- tryCatch(
    if (is.null(dialect)) read() else harmless(dialect, read),
    error = function(e) {
      if (inherits(e, "neatsieve_error")) stop(e)
      stop_on_study(e, asked)
    }
  )
  repaired <- repaired_names(names(got$table))
  names(got$table) <- repaired$names
  list(
    data = as_plain_table(got$table),
    called = called,
    where = where,
    repaired = repaired$repaired,
    left_out = got$left_out,
    why = asked$why
  )
}

check_size_of_whole <- function(asked, where) {
  from <- sql_source(asked)
  columns <- names(DBI::dbGetQuery(
    asked$con, paste("SELECT * FROM", from, "WHERE 1 = 0")
  ))
  n <- as.numeric(
    DBI::dbGetQuery(asked$con, paste("SELECT count(*) AS n FROM", from))$n
  )
  refuse_large(
    n,
    rep(8, length(columns)),
    "study",
    where,
    "Ask for fewer rows or columns, `database(con, query = \"SELECT ...\")`,"
  )
}

# Why a table is read whole, and how much that is.
note_read_whole <- function(notes, data, why, where) {
  take_note(
    notes,
    paste0(
      "The table is read whole (", fetched_words(data), "), as ", why, "."
    ),
    where
  )
}

stop_on_study <- function(e, asked) {
  message <- first_line(conditionMessage(e))
  hint <- if (!is.null(asked$query) &&
    grepl("does not exist|syntax error", message)) {
    "Check the query: one SELECT, with names that the database has."
  } else {
    database_hint(message)
  }
  stop_neatly(
    "study",
    paste0("The database says: ", sub("[.]$", "", message), "."),
    database_place(asked),
    hint
  )
}

table_or_query <- function(asked, dialect, kinds) {
  if (!is.null(dialect$whole)) {
    whole <- dialect$whole(asked, kinds)
    return(list(
      table = DBI::dbGetQuery(asked$con, whole$sql),
      left_out = whole$left_out
    ))
  }
  list(
    table = if (!is.null(asked$query)) {
      DBI::dbGetQuery(asked$con, asked$query)
    } else {
      DBI::dbReadTable(asked$con, table_identifier(asked), check.names = FALSE)
    }
  )
}

note_left_out <- function(notes, left_out, where) {
  for (why in unique(left_out)) {
    names <- names(left_out)[left_out == why]
    several <- length(names) > 1
    take_note(
      notes,
      paste0(
        "Column", if (several) "s", " ", listed(ticked(names)), " ",
        if (several) "are" else "is", " left out: ",
        if (several) {
          sub("it holds", "they hold", sub("it$", "them", why))
        } else {
          why
        },
        "."
      ),
      where
    )
  }
}

database_place <- function(asked) {
  paste0(
    "In ",
    if (is.null(asked$query)) {
      paste("table", quoted(paste(asked$table, collapse = ".")))
    } else {
      "a query"
    },
    "."
  )
}
