# PostgreSQL: conditions have a type of their own, dates are dates, and numbers
# of arbitrary precision are read as doubles, as in memory.

define_engine(
  class = "PqConnection",
  dialect = function(con) dialect_postgresql(con),
  driver = "postgresql",
  package = "RPostgres",
  called = "PostgreSQL",
  connect = function(parts, where) {
    args <- list(
      dbname = parts$name,
      host = parts$host,
      port = parts$port,
      user = parts$user,
      service = parts$service
    )
    do.call(
      DBI::dbConnect,
      c(
        list(RPostgres::Postgres(), check_interrupts = TRUE),
        Filter(Negate(is.null), args)
      )
    )
  },
  finds = function(con, name) finds_postgresql(con, name),
  takes_limit = TRUE,
  in_transaction = function(con) is_in_transaction(con),
  session = function(con) {
    DBI::dbGetQuery(con, "SELECT pg_backend_pid() AS id")$id
  },
  end_session = function(con, session) {
    DBI::dbGetQuery(con, paste0("SELECT pg_terminate_backend(", session, ")"))
  }
)

finds_postgresql <- function(con, name) {
  name <- DBI::dbQuoteString(con, name)
  !is.na(
    DBI::dbGetQuery(
      con, paste0("SELECT to_regclass(", name, ")::text AS found")
    )$found
  )
}

dialect_postgresql <- function(con) {
  new_dialect(
    name = "PostgreSQL",
    con = con,
    forms = postgresql_forms,
    number = function(x) {
      if (is.infinite(x)) {
        return(if (x > 0) "'Infinity'::float8" else "'-Infinity'::float8")
      }
      text <- number_digits(x)
      is_whole <- abs(x) <= .Machine$integer.max && x == floor(x)
      if (is_whole) number_of_whole(x) else paste0("'", text, "'::float8")
    },
    date = function(x) paste0("DATE '", format(x, "%Y-%m-%d"), "'"),
    real = function(sql) paste0("(", sql, ")::float8"),
    present = function(sql) postgresql_present(sql),
    text = identity,
    ranked = function(sql) paste0("(", sql, " COLLATE \"C\")"),
    same = function(a, b) paste(a, "IS NOT DISTINCT FROM", b),
    days = function(sql) paste0("(", sql, " - DATE '1970-01-01')"),
    variance = function(sql) paste0("var_samp(", sql, ")"),
    quantile = function(sql, p) {
      paste0(
        "percentile_cont(", number_digits(p), ") WITHIN GROUP (ORDER BY ", sql,
        ")"
      )
    },
    tally = function(sql) paste0("count(*) FILTER (WHERE ", sql, ")"),
    kept_apart = "OFFSET 0",
    mark = postgresql_mark,
    bits = function(sql, n) {
      bytes <- paste0("get_byte(float8send(", sql, "), ", seq_len(n) - 1, ")")
      paste0(
        "(",
        paste0(
          bytes, "::int8 * ", sprintf("%.0f", 256^(n - seq_len(n))),
          collapse = " + "
        ),
        ")"
      )
    },
    hash = postgresql_hash,
    describe = function(base, kinds) describe_postgresql(con, base, kinds),
    key = function(base) postgresql_key(con, base),
    parts = function(base) postgresql_parts(con, base),
    split_by = function(base) postgresql_split_by(con, base),
    place = function() {
      about <- DBI::dbGetInfo(con)
      list(
        driver = "postgresql",
        host = about$host,
        port = as.integer(about$port),
        name = about$dbname,
        user = about$username
      )
    },
    begin = function() postgresql_begin(con),
    end = function() DBI::dbExecute(con, "ROLLBACK", immediate = TRUE),
    session = function() postgresql_session(con),
    state = function(base) postgresql_state(con),
    estimate = function(base) postgresql_estimate(con, base),
    later = function(base, since) postgresql_later(con, base, since),
    limit = function(text) postgresql_limit(con, text),
    point = postgresql_point(con),
    whole = function(asked, kinds) postgresql_whole(con, asked, kinds),
    times = postgresql_times(),
    math = postgresql_math(),
    letters = postgresql_letters(),
    keeping = postgresql_keeping(con)
  )
}

postgresql_times <- function() {
  utc <- function(sql) paste0("(", sql, " AT TIME ZONE 'UTC')")
  new_sql_times(
    moment = function(x) {
      paste0(
        "'", format(.POSIXct(as.numeric(x), tz = "UTC"), "%Y-%m-%d %H:%M:%S"),
        "+00'::timestamptz"
      )
    },
    day = function(sql) paste0(utc(sql), "::date"),
    start = function(sql, days = 0) {
      paste0(
        "((", sql, if (days > 0) paste(" +", days),
        ")::timestamp AT TIME ZONE 'UTC')"
      )
    },
    seconds = function(sql) paste0("extract(epoch FROM ", sql, ")::float8"),
    part = function(how, sql) paste0("extract(", how, " FROM ", utc(sql), ")"),
    shifted = function(sql, seconds) {
      paste0("(", sql, " + make_interval(secs => ", seconds, "))")
    }
  )
}

postgresql_math <- function() {
  of <- function(name) function(x) paste0(name, "(", x, ")")
  new_sql_math(
    floor = of("floor"),
    power = function(x, y) paste0("power(", x, ", ", y, ")"),
    ln = of("ln"),
    log10 = of("log"),
    sqrt = of("sqrt"),
    exp = of("exp"),
    beyond = function(x, kind) {
      if (kind == "date") {
        paste0("(DATE '2000-01-01' + (", x, " * 1e10)::int)")
      } else {
        paste0("(", x, " * 1e200::float8 * 1e200::float8)")
      }
    },
    shifted = function(day, days) paste0("(", day, " + (", days, ")::int)"),
    as_text = function(sql) paste0("(", sql, ")::text"),
    # A numeric of a double has its first 15 digits.
    digits = function(sql) paste0("(", sql, ")::numeric::text")
  )
}

postgresql_keeping <- function(con) {
  new_sql_keeping(
    types = c(
      number = "float8", whole = "int4", text = "text", category = "text",
      logical = "boolean", date = "date", `date-time` = "timestamptz"
    ),
    create = function(name, columns, key, labels, query) {
      c(
        paste("CREATE TABLE", name, "AS", query),
        if (length(key)) {
          paste0(
            "ALTER TABLE ", name, " ADD PRIMARY KEY (",
            paste(key, collapse = ", "), ")"
          )
        },
        sprintf(
          "COMMENT ON COLUMN %s.%s IS %s",
          name,
          names(labels),
          as.character(DBI::dbQuoteString(con, enc2utf8(as.character(labels))))
        )
      )
    },
    as_stored = TRUE
  )
}

postgresql_letters <- function() {
  of <- function(name) function(sql) paste0(name, "(", sql, " COLLATE \"C\")")
  new_sql_letters(
    ascii = function(sql) {
      paste0("(octet_length(", sql, ") = char_length(", sql, "))")
    },
    lower = of("lower"),
    upper = of("upper"),
    trimmed = function(sql, letters) paste0("btrim(", sql, ", ", letters, ")")
  )
}

postgresql_point <- function(con) {
  run <- function(sql) {
    function() DBI::dbExecute(con, paste(sql, "neatsieve_before"))
  }
  new_save_point(
    set = run("SAVEPOINT"),
    back = run("ROLLBACK TO SAVEPOINT"),
    drop = run("RELEASE SAVEPOINT")
  )
}

postgresql_limit <- function(con, text) {
  before <- DBI::dbGetQuery(con, "SHOW statement_timeout")[[1]]
  DBI::dbGetQuery(
    con,
    paste0(
      "SELECT set_config('statement_timeout', ", DBI::dbQuoteString(con, text),
      ", false)"
    )
  )
  before
}

# NaN is absent. Written as a CASE expression, which is sent to foreign servers,
# too.
postgresql_present <- function(sql) {
  paste0("CASE WHEN ", sql, " <> 'NaN'::float8 THEN ", sql, " END")
}

number_of_whole <- function(x) {
  text <- format(x, scientific = FALSE, trim = TRUE)
  if (x < 0) paste0("(", text, ")") else text
}

# A transaction of one's own that sees one state of the tables throughout and
# changes nothing; where the caller has one, that one holds. What is sent
# outside of a transaction is sent as it is: prepared first, it would be two
# statements, for which a pool may take two sessions.
postgresql_begin <- function(con) {
  if (is_in_transaction(con)) return(FALSE)
  DBI::dbExecute(
    con, "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY",
    immediate = TRUE
  )
  TRUE
}
# A single statement begins its own transaction. If the transaction began
# earlier, the caller has opened one.
is_in_transaction <- function(con) {
  told_truth(
    DBI::dbGetQuery(
      con, "SELECT now() <> statement_timestamp() AS is_open",
      immediate = TRUE
    )$is_open
  )
}

postgresql_date_part <- function(how) {
  function(node, q) {
    x <- sql_day_argument(node, q)
    if (is.null(x)) return(NULL)
    spread <- postgresql_spread_part(how, x, q)
    if (is.null(spread)) {
      paste0("extract(", how, " FROM ", x, ")::int")
    } else {
      spread
    }
  }
}
whole_clock_part <- function(sql) if (!is.null(sql)) paste0(sql, "::int")
postgresql_forms <- c(
  text_forms(
    length_of = "char_length",
    holds = function(x, pattern, letters) {
      paste0("(strpos(", x, ", ", pattern, ") > 0)")
    },
    starts = function(x, pattern, letters) {
      paste0("(left(", x, ", ", letters, ") = ", pattern, ")")
    },
    ends = function(x, pattern, letters) {
      paste0("(right(", x, ", ", letters, ") = ", pattern, ")")
    },
    like = function(x, pattern, escape, dialect) {
      paste0(
        "(", x, " LIKE ", quote_text(dialect, pattern), " ESCAPE ",
        quote_text(dialect, if (is.null(escape)) "" else escape), ")"
      )
    }
  ),
  list(
    year = postgresql_date_part("year"),
    month = postgresql_date_part("month"),
    day = postgresql_date_part("day"),
    quarter = postgresql_date_part("quarter"),
    weekday = postgresql_date_part("isodow"),
    week = postgresql_date_part("week"),
    iso_year = postgresql_date_part("isoyear"),
    hour = function(node, q) whole_clock_part(sql_clock_part("hour")(node, q)),
    minute = function(node, q) {
      whole_clock_part(sql_clock_part("minute")(node, q))
    },
    start_of = function(node, q) {
      x <- sql_day_argument(node, q)
      unit <- node$args$unit$value
      if (is.null(x)) return(NULL)
      spread <- postgresql_spread_start(unit, x, q)
      if (is.null(spread)) {
        paste0("date_trunc('", unit, "', ", x, "::timestamp)::date")
      } else {
        spread
      }
    }
  )
)
