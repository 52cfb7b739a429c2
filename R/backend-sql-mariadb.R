# MariaDB: conditions are 0 and 1, texts are compared as their column says
# unless they are told to be by code point, numbers with a point are decimals
# unless they have an exponent, and no number is infinite. Moments are seconds
# since 1970, as doubles.

define_engine(
  class = "MariaDBConnection",
  dialect = function(con) dialect_mariadb(con),
  driver = "mariadb",
  package = "RMariaDB",
  called = "MariaDB",
  connect = function(parts, where) {
    args <- list(
      dbname = parts$name,
      host = parts$host,
      port = parts$port,
      username = parts$user,
      group = parts$service
    )
    do.call(
      DBI::dbConnect,
      c(list(RMariaDB::MariaDB()), Filter(Negate(is.null), args))
    )
  },
  column = function(x) {
    list(
      values = x,
      type = if (is.logical(x)) {
        "BOOLEAN"
      } else if (inherits(x, "POSIXct")) {
        "DATETIME(6)"
      }
    )
  },
  takes_limit = TRUE,
  in_transaction = function(con) is_mariadb_transacting(con),
  tells_written = FALSE,
  session = function(con) {
    DBI::dbGetQuery(con, "SELECT connection_id() AS id")$id
  },
  end_session = function(con, session) {
    DBI::dbExecute(con, paste("KILL", session), immediate = TRUE)
  }
)

dialect_mariadb <- function(con) {
  new_dialect(
    name = "MariaDB",
    con = con,
    forms = mariadb_forms,
    number = mariadb_number,
    date = function(x) paste0("DATE '", format(x, "%Y-%m-%d"), "'"),
    real = function(sql) paste0("CAST(", sql, " AS DOUBLE)"),
    present = identity,
    text = mariadb_text,
    ranked = mariadb_text,
    same = function(a, b) paste(a, "<=>", b),
    days = function(sql) paste0("(TO_DAYS(", sql, ") - 719528)"),
    variance = function(sql) paste0("var_samp(", sql, ")"),
    quantile = NULL,
    tally = function(sql) paste0("count(CASE WHEN ", sql, " THEN 1 END)"),
    kept_apart = "LIMIT 18446744073709551615",
    mark = function(key, is_whole) {
      if (is_whole) whole_mark(key) else paste0("CRC32(", key, ")")
    },
    bits = NULL,
    hash = NULL,
    describe = function(base, kinds) describe_mariadb(con, base, kinds),
    key = function(base) mariadb_key(con, base),
    parts = function(base) NULL,
    place = function() {
      about <- DBI::dbGetInfo(con)
      user <- DBI::dbGetQuery(con, "SELECT user() AS u")$u
      list(
        driver = "mariadb",
        host = sub(" via.*$", "", about$host),
        name = about$dbname,
        port = as.integer(DBI::dbGetQuery(con, "SELECT @@port AS p")$p),
        user = sub("@.*$", "", user)
      )
    },
    begin = function() mariadb_begin(con),
    end = function() DBI::dbRollback(con),
    session = function() mariadb_session(con),
    # This database does not report writes of others without a read.
    state = function(base) new_table_state(NULL),
    estimate = function(base) mariadb_estimate(con, base),
    limit = function(text) mariadb_limit(con, text),
    whole = function(asked, kinds) mariadb_whole(con, asked, kinds),
    times = mariadb_times(),
    math = mariadb_math(),
    letters = mariadb_letters(),
    infinite = FALSE,
    # The driver reports numbers out of range without a message.
    beyond_words = "out of range|overflow|^ *\\[0\\]$",
    keeping = mariadb_keeping(con),
    parts_windows = TRUE
  )
}

# A literal with an exponent is a double. MariaDB has no infinite numbers: a
# result that should be infinite stops the query, and the step runs in R.
mariadb_number <- function(x) {
  if (is.infinite(x)) return(paste0("(", sign(x), " * exp(1000 + 0 * rand()))"))
  is_whole <- abs(x) <= .Machine$integer.max && x == floor(x)
  if (is_whole) return(number_of_whole(x))
  text <- number_digits(x)
  text <- if (grepl("e", text)) text else paste0(text, "e0")
  if (x < 0) paste0("(", text, ")") else text
}

# By code point, with the spaces at the end.
mariadb_text <- function(sql) paste0("(", sql, " COLLATE utf8mb4_nopad_bin)")

mariadb_math <- function() {
  of <- function(name) function(x) paste0(name, "(", x, ")")
  new_sql_math(
    floor = of("floor"),
    power = function(x, y) paste0("pow(", x, ", ", y, ")"),
    ln = of("ln"),
    log10 = of("log10"),
    sqrt = of("sqrt"),
    exp = of("exp"),
    beyond = function(x, kind) {
      sql <- paste0("exp(1000 + abs(", x, "))")
      if (kind == "date") {
        paste0("DATE_ADD('2000-01-01', INTERVAL ", sql, " DAY)")
      } else {
        sql
      }
    },
    shifted = function(day, days) {
      paste0("DATE_ADD(", day, ", INTERVAL CAST(", days, " AS SIGNED) DAY)")
    },
    as_text = function(sql) paste0("CAST(", sql, " AS CHAR)"),
    digits = mariadb_digits,
    absent_last = function(x) paste0("(", x, " IS NULL), ", x)
  )
}

# The shortest digits that read back, where they are as few as ours.
mariadb_digits <- function(sql) {
  text <- paste0("CAST(", sql, " AS CHAR)")
  digits <- paste0("replace(replace(", text, ", '.', ''), '-', '')")
  few <- paste0("length(trim(LEADING '0' FROM ", digits, ")) <= 15")
  paste0(
    "CASE WHEN ", few, " THEN ", text, " ELSE exp(1000 + abs(", sql, ")) END"
  )
}

mariadb_keeping <- function(con) {
  new_sql_keeping(
    types = c(
      number = "DOUBLE", whole = "INT", text = "TEXT", category = "TEXT",
      logical = "BOOLEAN", date = "DATE", `date-time` = "DATETIME(6)"
    ),
    create = function(name, columns, key, labels, query) {
      # A text without a maximum length cannot be a key.
      key <- if (!any(columns[key] == "TEXT")) key
      facts <- names(columns) %in% names(labels)
      columns[facts] <- paste(
        columns[facts], "COMMENT",
        as.character(DBI::dbQuoteString(
          con, enc2utf8(as.character(labels[names(columns)[facts]]))
        ))
      )
      paste0(
        "CREATE TABLE ", name, " (", declared_columns(columns),
        primary_key(key), ") CHARACTER SET utf8mb4 ", query
      )
    },
    value = function(sql, kind) {
      if (kind != "date-time") return(sql)
      paste0(
        "DATE_ADD('1970-01-01', INTERVAL CAST(", sql,
        " AS DECIMAL(20, 6)) SECOND)"
      )
    },
    commits = TRUE
  )
}

mariadb_letters <- function() {
  new_sql_letters(
    ascii = function(sql) {
      paste0("(length(", sql, ") = char_length(", sql, "))")
    },
    lower = function(sql) paste0("lower(", sql, ")"),
    upper = function(sql) paste0("upper(", sql, ")"),
    trimmed = function(sql, letters) {
      paste0(
        "regexp_replace(", sql, ", concat('^[', ", letters, ", ']+|[', ",
        letters, ", ']+$'), '')"
      )
    },
    joined = function(texts) {
      paste0("concat(", paste(texts, collapse = ", "), ")")
    }
  )
}

mariadb_times <- function() {
  day <- function(sql) {
    paste0(
      "DATE_ADD(DATE '1970-01-01', INTERVAL CAST(floor(", sql,
      " / 86400) AS SIGNED) DAY)"
    )
  }
  of_day <- function(sql) {
    paste0("(", sql, " - floor(", sql, " / 86400) * 86400)")
  }
  new_sql_times(
    moment = function(x) {
      paste0("CAST(", sprintf("%.0f", as.numeric(x)), " AS DOUBLE)")
    },
    day = day,
    start = function(sql, days = 0) {
      paste0(
        "CAST((TO_DAYS(", sql, ") - 719528 + ", days, ") * 86400 AS DOUBLE)"
      )
    },
    seconds = identity,
    part = function(how, sql) {
      switch(how,
        hour = paste0("floor(", of_day(sql), " / 3600)"),
        minute = paste0(
          "floor((", of_day(sql), " - floor(", of_day(sql),
          " / 3600) * 3600) / 60)"
        )
      )
    },
    shifted = function(sql, seconds) paste0("(", sql, " + ", seconds, ")")
  )
}

# Begins a transaction that sees one state of the tables, unless the caller has
# one. The driver ends transactions that it did not begin.
mariadb_begin <- function(con) {
  if (is_mariadb_transacting(con)) return(FALSE)
  DBI::dbBegin(con)
  TRUE
}
# Savepoints exist only within a transaction.
is_mariadb_transacting <- function(con) {
  DBI::dbExecute(con, "SAVEPOINT neatsieve_open", immediate = TRUE)
  tryCatch(
    {
      DBI::dbExecute(con, "RELEASE SAVEPOINT neatsieve_open", immediate = TRUE)
      TRUE
    },
    error = function(e) FALSE
  )
}

# Seconds, as "0.5"; of other dialects' texts in milliseconds.
mariadb_limit <- function(con, text) {
  before <- DBI::dbGetQuery(con, "SELECT @@max_statement_time AS s")$s
  seconds <- if (grepl("ms$", text)) {
    as.numeric(sub("ms$", "", text)) / 1000
  } else {
    as.numeric(text)
  }
  DBI::dbExecute(
    con,
    paste("SET max_statement_time =", number_digits(seconds)),
    immediate = TRUE
  )
  number_digits(before)
}

mariadb_date_part <- function(how) {
  function(node, q) {
    x <- sql_day_argument(node, q)
    if (!is.null(x)) sprintf(how, x)
  }
}
mariadb_clock_part <- function(how) {
  function(node, q) sql_clock_part(how)(node, q)
}
mariadb_start_of <- function(node, q) {
  x <- sql_day_argument(node, q)
  if (is.null(x)) return(NULL)
  switch(node$args$unit$value,
    day = x,
    week = paste0("DATE_SUB(", x, ", INTERVAL WEEKDAY(", x, ") DAY)"),
    month = paste0("DATE_SUB(", x, ", INTERVAL DAY(", x, ") - 1 DAY)"),
    quarter = paste0(
      "DATE_ADD(MAKEDATE(YEAR(", x, "), 1), INTERVAL 3 * (QUARTER(", x,
      ") - 1) MONTH)"
    ),
    year = paste0("MAKEDATE(YEAR(", x, "), 1)")
  )
}
mariadb_forms <- c(
  text_forms(
    length_of = "char_length",
    holds = function(x, pattern, letters) {
      paste0("(locate(", pattern, ", ", x, ") > 0)")
    },
    starts = function(x, pattern, letters) {
      paste0("(left(", x, ", ", letters, ") = ", pattern, ")")
    },
    ends = function(x, pattern, letters) {
      paste0("(right(", x, ", ", letters, ") = ", pattern, ")")
    },
    like = function(x, pattern, escape, dialect) {
      # A backslash is a plain character unless it is the escape character.
      if (is.null(escape) && grepl("\\", pattern, fixed = TRUE)) return(NULL)
      paste0(
        "(", x, " LIKE ", quote_text(dialect, pattern), " ESCAPE ",
        quote_text(dialect, if (is.null(escape)) "\\" else escape), ")"
      )
    }
  ),
  list(
    year = mariadb_date_part("YEAR(%s)"),
    month = mariadb_date_part("MONTH(%s)"),
    day = mariadb_date_part("DAY(%s)"),
    quarter = mariadb_date_part("QUARTER(%s)"),
    weekday = mariadb_date_part("(WEEKDAY(%s) + 1)"),
    week = mariadb_date_part("WEEK(%s, 3)"),
    iso_year = mariadb_date_part("(YEARWEEK(%s, 3) DIV 100)"),
    hour = mariadb_clock_part("hour"),
    minute = mariadb_clock_part("minute"),
    start_of = mariadb_start_of,
    # Subqueries cannot read columns of the outer row here.
    row_median = function(node, q) NULL
  )
)
