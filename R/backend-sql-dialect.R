# A dialect: what differs between databases. Each database has one file that
# makes its dialect; the rest of the SQL backend is shared.

# name: as people know it. con: the connection. forms: how functions of the
# language are written, by name, beside or instead of those of all databases;
# see backend-sql-forms.R. number(x), date(x): fixed values as SQL. real(sql):
# as a double. present(sql): a double that may have come out as no number, as
# one that is absent then. text(sql): a text that is compared; ranked(sql): one
# that is put in order, both by code point. same(a, b): whether two are equal or
# both absent. days(sql): a date as days since 1970. wide(n): how many values a
# list may hold. mean_square(x, mean, n): NULL where the database's own variance
# is taken about the mean, or how its parts are asked for. quantile(sql, p):
# NULL where there is none of type 7. tally(sql): in how many rows a condition
# is yes. kept_apart: the end of an inner query that is to be worked out once
# per row and not merged into the outer one. mark(key, is_whole): a whole number
# made of a key. bits(sql, n): the first n bytes of a double, as a whole number,
# and hash(sql, kind): a whole number made of a value; NULL where no table is
# spread over servers. describe(base, kinds): its columns, as new_sql_columns(),
# or NULL. key(base): what the database itself tells rows apart by, as
# new_sql_key(), or NULL. parts(base): SQL of its partitions on other servers,
# or NULL; split_by(base): the columns that decide which of them a row is on, NA
# among them where something else does. place(): where it is, as a plan tells
# it, or NULL. begin(), end(): of one consistent state. session(): of
# new_sql_session(), or NULL. state(base): of new_table_state(). estimate(base):
# how many rows it has, or about. later(base, since): the query of how many rows
# the table has, `n`, and how many were written `later`; NULL where rows do not
# tell. limit(text): sets how long a query may take, and gives what held before;
# NULL where there is no such limit. point: of new_save_point(), where a query
# that fails would end the transaction. whole(asked, kinds): the query that
# reads a table as it is, where there is more to it than all columns. times: of
# new_sql_times(), where it has moments of its own. math: of new_sql_math().
# letters: of new_sql_letters(). infinite: whether a double can be.
# beyond_words: what an error says of numbers beyond those that it holds.
# keeping: of new_sql_keeping(). parts_windows: whether windows in several
# orders go wrong beside each other. now: the step at work, queries that are
# noted, time_limit, in seconds, `fine`, see fine_at_state(), `connect`, which
# makes the connection anew, and the dialect of that one.
new_dialect <- function(
  name, con, forms, number, date, real, present, text, ranked, same, days,
  variance, quantile, tally, kept_apart, mark, bits, hash, describe, key,
  parts, split_by = NULL, place, begin, end, session = NULL, state, estimate,
  later = NULL, limit = NULL, point = NULL, whole = NULL, times = NULL, math,
  letters, infinite = TRUE, beyond_words = "out of range|overflow",
  keeping = NULL, parts_windows = FALSE
) {
  new_record(
    "dialect",
    list(
      name = name,
      con = con,
      forms = forms,
      number = number,
      date = date,
      real = real,
      present = present,
      text = text,
      ranked = ranked,
      same = same,
      days = days,
      variance = variance,
      quantile = quantile,
      tally = tally,
      kept_apart = kept_apart,
      mark = mark,
      bits = bits,
      hash = hash,
      describe = describe,
      key = key,
      parts = parts,
      split_by = split_by,
      place = place,
      begin = begin,
      end = end,
      session = session,
      state = state,
      estimate = estimate,
      later = later,
      limit = limit,
      point = point,
      whole = whole,
      times = times,
      math = math,
      letters = letters,
      infinite = infinite,
      beyond_words = beyond_words,
      keeping = keeping,
      parts_windows = parts_windows,
      now = new.env(parent = emptyenv())
    )
  )
}

# A column of a table in a database: its type, and the SQL that reads it, of its
# quoted name; check, rounds, coded, unread: SQL that is true where a value is
# not what the kind says, loses digits, is a code for absent, or is absent as no
# value of the kind that was asked for; or NULL. stored: where another kind was
# told, the column of the kind that it has there. is_big: whether whole numbers
# are stored that a double may not hold.
new_sql_column <- function(
  name, type, read, check = NULL, rounds = NULL, coded = NULL, unread = NULL,
  stored = NULL, is_big = FALSE
) {
  new_record(
    "sql_column",
    list(
      name = name,
      type = type,
      read = read,
      check = check,
      rounds = rounds,
      coded = coded,
      unread = unread,
      stored = stored,
      is_big = is_big
    )
  )
}

# A key: its SQL, and whether each column is a whole number.
new_sql_key <- function(sql, is_whole) {
  new_record("sql_key", list(sql = sql, is_whole = is_whole))
}

# Columns as a key: large whole numbers as they are stored, texts by code point.
key_of_columns <- function(columns, quote, ranked) {
  sql <- vapply(columns, function(column) {
    raw <- as.character(quote(column$name))
    if (column$is_big) return(raw)
    read <- column$read(raw)
    if (column$type$kind == "text") ranked(read) else read
  }, "", USE.NAMES = FALSE)
  new_sql_key(
    sql,
    vapply(columns, function(column) {
      column$is_big || column$type$kind == "whole"
    }, NA, USE.NAMES = FALSE)
  )
}

# columns: by name, NULL for one that says nothing of its values, so that the
# table is read whole. left_out: why others are no columns of the study, by
# name.
new_sql_columns <- function(columns, left_out = character()) {
  new_record("sql_columns", list(columns = columns, left_out = left_out))
}

# At least the first n names made of one name and a number, quoted.
quoted_numbered_names <- function(dialect, name, n) {
  known <- dialect$now$numbered
  if (is.null(known)) {
    known <- dialect$now$numbered <- new.env(parent = emptyenv())
  }
  if (length(known[[name]]) < n) {
    names <- paste(name, seq_len(2 * n))
    quoted <- DBI::dbQuoteIdentifier(live_dialect(dialect)$con, names)
    known[[name]] <- as.character(quoted)
  }
  known[[name]]
}

# Names are used repeatedly, so each is quoted only once.
quote_name <- function(dialect, name) {
  known <- dialect$now$names
  if (is.null(known)) known <- dialect$now$names <- new.env(parent = emptyenv())
  label <- paste0("name ", name)
  if (is.null(known[[label]])) {
    known[[label]] <- as.character(DBI::dbQuoteIdentifier(live_dialect(dialect)$con, name))
  }
  known[[label]]
}
quote_text <- function(dialect, text) {
  as.character(DBI::dbQuoteString(live_dialect(dialect)$con, enc2utf8(text)))
}

# Signals that the database cannot do a step; the run goes on in R. reason: in
# plain words.
cannot_in_database <- function(reason) {
  stop(structure(
    list(message = reason, call = NULL),
    class = c("neatsieve_not_in_database", "error", "condition")
  ))
}

# A fixed value as SQL.
sql_literal <- function(value, kind, dialect) {
  value <- unname(value)
  if (is.na(value)) return("NULL")
  switch(kind,
    text = ,
    category = quote_text(dialect, as.character(value)),
    logical = if (value) "TRUE" else "FALSE",
    date = dialect$date(value),
    number = ,
    whole = dialect$number(value),
    `date-time` = if (is.null(dialect$times) || !is_whole_second(value)) {
      cannot_in_database("a fixed moment with a fraction of a second")
    } else {
      dialect$times$moment(value)
    },
    cannot_in_database(paste0("a fixed value of kind ", kind))
  )
}

# Digits that read back as the same number.
number_digits <- function(x) {
  text <- formatC(x, digits = 15, format = "g", width = 1, decimal.mark = ".")
  if (as.numeric(text) == x) return(text)
  formatC(x, digits = 17, format = "g", width = 1, decimal.mark = ".")
}

# Sends a query and turns errors of the database into errors of ours. If queries
# are only shown (see as_sql()), they are recorded and sent for no rows, except
# those that look up values.
ask_database <- function(dialect, sql, of_values = FALSE) {
  dialect <- live_dialect(dialect)
  now <- dialect$now
  now$sent <- (if (is.null(now$sent)) 0L else now$sent) + 1L
  if (!is.null(now$queries)) {
    now$queries <- c(now$queries, list(list(at = now$at, sql = sql)))
  }
  if (!is.null(now$of_no_rows) && !of_values) sql <- now$of_no_rows(sql)
  harmless(dialect, function() {
    # The connection may have been replaced by a new one.
    dialect <- live_dialect(dialect)
    tryCatch(
      DBI::dbGetQuery(dialect$con, sql),
      error = function(e) {
        give_way_to_interrupt()
        turn_back(dialect)
        stop_on_database(e, dialect)
      }
    )
  })
}

stop_on_database <- function(e, dialect) {
  message <- first_line(conditionMessage(e))
  if (grepl("stack overflow|stack depth", message)) {
    cannot_in_database(paste("the query is deeper than", dialect$name, "takes"))
  }
  if (grepl(
    "packet bigger|query too large|too big", message,
    ignore.case = TRUE
  )) {
    cannot_in_database(paste("the query is longer than", dialect$name, "takes"))
  }
  if (grepl(dialect$beyond_words, message)) {
    cannot_in_database(paste0(
      "numbers go beyond what ", dialect$name, " holds"
    ))
  }
  stands <- !is_lost(message) &&
    tryCatch(
      DBI::dbIsValid(dialect$con) &&
        is.data.frame(DBI::dbGetQuery(dialect$con, "SELECT 1")),
      error = function(e) {
        grepl("current transaction is aborted", conditionMessage(e))
      }
    )
  stop_neatly(
    "run",
    paste0("The database says: ", sub("[.]$", "", message), "."),
    c(dialect$now$where, if (!stands) "The connection is lost."),
    if (stands) {
      database_hint(message)
    } else {
      paste0(
        "Check that the server runs, connect again with `DBI::dbConnect()`, ",
        "and pour again."
      )
    }
  )
}

database_hint <- function(said) {
  if (grepl("current transaction is aborted", said)) {
    return("A query of yours failed before: end its transaction, `DBI::dbRollback(con)`.")
  }
  if (grepl("could not connect to server", said)) {
    return("A server behind this one does not answer: nothing was computed. Pour when it runs.")
  }
  if (grepl("permission denied", said)) {
    return("The role may not read this table: ask for the right to select from it.")
  }
  if (grepl("timeout|canceling|interrupted", said)) {
    return(paste(
      "The query was ended: give it more time, ask for less at once, or see whether",
      "another program locks the table."
    ))
  }
  if (grepl("locked|busy", said)) {
    return("Another program holds the table: try again later.")
  }
  if (grepl("syntax error", said)) {
    return("Check the query, and that the connection still stands.")
  }
  if (grepl("does not exist|no such (table|column)", said)) {
    return("The table has changed since the study was made: make the study again.")
  }
  "See the queries with `as_sql()`."
}
