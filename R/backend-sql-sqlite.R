# SQLite: dates are ISO texts, conditions 0 and 1, and a column may hold values
# of any type, so that what its declaration says is checked before values are
# used.

define_engine(
  class = "SQLiteConnection",
  dialect = function(con) dialect_sqlite(con),
  driver = "sqlite",
  package = "RSQLite",
  called = "SQLite",
  connect = function(...) connect_sqlite(...),
  column = function(x) column_for_sqlite(x),
  in_transaction = function(con) is_sqlite_transacting(con)
)

column_for_sqlite <- function(x) {
  if (inherits(x, "Date")) x <- iso_date_texts(x)
  if (inherits(x, "POSIXct")) x <- csv_times(x)
  list(values = x, type = if (is.logical(x)) "BOOLEAN")
}
# A transaction within another is an error, which begins nothing.
is_sqlite_transacting <- function(con) {
  began <- sqlite_step(con, "BEGIN")
  if (began) sqlite_step(con, "ROLLBACK")
  !began
}

# Read only, so that a path that is no file makes none.
connect_sqlite <- function(parts, where) {
  if (!is_text(parts$file) || !file.exists(parts$file)) {
    stop_neatly(
      "plan",
      paste0("There is no SQLite file ", quoted(as.character(parts$file)), "."),
      where,
      "For example `file: hives.sqlite`."
    )
  }
  DBI::dbConnect(RSQLite::SQLite(), parts$file, flags = RSQLite::SQLITE_RO)
}

dialect_sqlite <- function(con) {
  new_dialect(
    name = "SQLite",
    con = con,
    forms = sqlite_forms,
    number = function(x) {
      if (is.infinite(x)) return(if (x > 0) "9e999" else "-9e999")
      text <- number_digits(x)
      if (grepl("[.e]", text)) text else paste0(text, if (abs(x) >= 2^53) ".0")
    },
    date = function(x) quote_text(list(con = con), format(x, "%Y-%m-%d")),
    real = function(sql) paste0("CAST(", sql, " AS REAL)"),
    present = identity,
    text = function(sql) paste(sql, "COLLATE BINARY"),
    ranked = function(sql) sql,
    same = function(a, b) paste(a, "IS", b),
    days = function(sql) {
      paste0("CAST(julianday(", sql, ") - 2440587.5 AS INTEGER)")
    },
    variance = NULL,
    quantile = NULL,
    tally = function(sql) paste0("sum(", sql, ")"),
    kept_apart = "LIMIT -1 OFFSET 0",
    mark = sqlite_mark,
    bits = NULL,
    hash = NULL,
    describe = function(base, kinds) describe_sqlite(con, base, kinds),
    key = function(base) sqlite_key(con, base),
    parts = function(base) NULL,
    place = function() {
      file <- DBI::dbGetInfo(con)$dbname
      if (file.exists(file)) list(driver = "sqlite", file = file)
    },
    begin = function() sqlite_step(con, "BEGIN"),
    end = function() sqlite_step(con, "ROLLBACK"),
    state = function(base) sqlite_state(con),
    estimate = function(base) {
      plain_number(
        DBI::dbGetQuery(con, paste("SELECT count(*) AS n FROM", base$from))$n
      )
    },
    whole = function(asked, kinds) sqlite_whole(con, asked, kinds),
    math = sqlite_math(con),
    letters = sqlite_letters(),
    keeping = sqlite_keeping()
  )
}

# A table made by a query alone has no declared types in SQLite.
sqlite_keeping <- function() {
  new_sql_keeping(
    types = c(
      number = "DOUBLE", whole = "INTEGER", text = "TEXT", category = "TEXT",
      logical = "BOOLEAN", date = "DATE"
    ),
    create = function(name, columns, key, labels, query) {
      c(
        paste0(
          "CREATE TABLE ", name, " (", declared_columns(columns),
          primary_key(key), ")"
        ),
        paste("INSERT INTO", name, query)
      )
    }
  )
}

sqlite_letters <- function() {
  new_sql_letters(
    ascii = function(sql) {
      paste0("(length(CAST(", sql, " AS BLOB)) = length(", sql, "))")
    },
    lower = function(sql) paste0("lower(", sql, ")"),
    upper = function(sql) paste0("upper(", sql, ")"),
    trimmed = function(sql, letters) paste0("trim(", sql, ", ", letters, ")")
  )
}

# Which functions of numbers there are depends on how SQLite was built, and
# log() means two things: each is tried. A floor is made of whole numbers.
sqlite_math <- function(con) {
  is_there <- function(call, value) {
    answer <- tryCatch(
      DBI::dbGetQuery(con, paste("SELECT", call, "AS x"))$x,
      error = function(e) NULL
    )
    is.numeric(answer) && isTRUE(abs(answer - value) < 1e-9)
  }
  first_of <- function(calls, values) {
    for (i in seq_along(calls)) {
      if (is_there(calls[i], values[i])) {
        name <- sub("\\(.*", "", calls[i])
        return(function(...) paste0(name, "(", paste(..., sep = ", "), ")"))
      }
    }
  }
  whole <- function(x) paste0("CAST(", x, " AS INTEGER)")
  new_sql_math(
    floor = function(x) {
      paste0(
        "CASE WHEN abs(", x, ") < 4503599627370496 THEN CAST(", whole(x),
        " - (", x, " < ", whole(x), ") AS REAL) ELSE ", x, " END"
      )
    },
    power = first_of(c("pow(2.0, 3.0)", "power(2.0, 3.0)"), c(8, 8)),
    ln = first_of(c("ln(100.0)", "log(100.0)"), rep(log(100), 2)),
    log10 = first_of("log10(100.0)", 2),
    sqrt = first_of("sqrt(2.0)", sqrt(2)),
    exp = first_of("exp(1.0)", exp(1)),
    beyond = function(x, kind) {
      paste0(
        "abs(CASE WHEN ", x, " IS NOT NULL THEN -9223372036854775807 - 1 END)"
      )
    },
    shifted = function(day, days) {
      paste0("date(", day, ", ", whole(days), " || ' days')")
    },
    as_text = function(sql) paste0("CAST(", sql, " AS TEXT)"),
    digits = sqlite_digits,
    whole_part = whole
  )
}
# SQLite rounds at the fifteenth digit in a way of its own: only digits that
# read back are sure.
sqlite_digits <- function(sql) {
  text <- paste0("printf('%.15g', ", sql, ")")
  paste0(
    "CASE WHEN CAST(", text, " AS REAL) = ", sql, " THEN ", text,
    " ELSE abs(-9223372036854775807 - 1) END"
  )
}

# What others wrote, what this connection wrote, and how tables are made.
sqlite_state <- function(con) {
  of <- function(sql) as.character(DBI::dbGetQuery(con, sql)[[1]])
  new_table_state(paste(
    of("PRAGMA data_version"), of("SELECT total_changes()"),
    of("PRAGMA schema_version")
  ))
}

# Whether one's own transaction began or ended; where the caller has one, that
# one holds.
sqlite_step <- function(con, what) {
  tryCatch(
    {
      DBI::dbExecute(con, what)
      TRUE
    },
    error = function(e) FALSE
  )
}

# The number of the row, which tables have and views have not.
sqlite_key <- function(con, base) {
  has <- tryCatch(
    is.data.frame(DBI::dbGetQuery(
      con, paste("SELECT rowid FROM", base$from, "LIMIT 0")
    )),
    error = function(e) FALSE
  )
  if (has && !"rowid" %in% tolower(names(base$columns))) {
    new_sql_key("rowid", TRUE)
  }
}

# Grows with a whole number faster than itself, so that two changes seldom make
# up for each other.
whole_mark <- function(key) {
  paste0("(", key, " % 65521 * (", key, " % 127 + 1))")
}
# The letters at the beginning and the end of a text, each with a weight of its
# own.
sqlite_mark <- function(key, is_whole) {
  if (is_whole) return(whole_mark(key))
  letters <- paste0(
    "coalesce(unicode(substr(", key, ", ", c(1:8, -1:-8), ", 1)), 0)"
  )
  paste0(
    "((", paste(letters, "*", (1:16)^3 + 30, collapse = " + "), ") % 1000003)"
  )
}

sqlite_date_part <- function(how) {
  function(node, q) {
    x <- sql_date_argument(node, q)
    if (!is.null(x)) how(x)
  }
}
sqlite_time <- function(format) {
  sqlite_date_part(
    function(x) paste0("CAST(strftime('", format, "', ", x, ") AS INTEGER)")
  )
}
# GLOB tells capitals from small letters, which LIKE does not in SQLite.
sqlite_glob <- function(x, pattern, escape, dialect) {
  if (!is.null(escape)) return(NULL)
  signs <- strsplit(pattern, "", fixed = TRUE)[[1]]
  turned <- c(
    "%" = "*", "_" = "?", "*" = "[*]", "?" = "[?]", "[" = "[[]"
  )[signs]
  signs[!is.na(turned)] <- turned[!is.na(turned)]
  paste0(
    "(", x, " GLOB ", quote_text(dialect, paste(signs, collapse = "")), ")"
  )
}
sqlite_forms <- c(
  text_forms(
    length_of = "length",
    holds = function(x, pattern, letters) {
      paste0("(instr(", x, ", ", pattern, ") > 0)")
    },
    starts = function(x, pattern, letters) {
      paste0("(substr(", x, ", 1, ", letters, ") = ", pattern, ")")
    },
    ends = function(x, pattern, letters) {
      paste0(
        "(length(", x, ") >= ", letters, " AND substr(", x, ", -", letters,
        ") = ", pattern, ")"
      )
    },
    like = sqlite_glob
  ),
  list(
    year = sqlite_time("%Y"),
    month = sqlite_time("%m"),
    day = sqlite_time("%d"),
    weekday = sqlite_date_part(
      function(x) {
        paste0("((CAST(strftime('%w', ", x, ") AS INTEGER) + 6) % 7 + 1)")
      }
    ),
    quarter = sqlite_date_part(function(x) {
      paste0("((CAST(strftime('%m', ", x, ") AS INTEGER) + 2) / 3)")
    }),
    start_of = function(node, q) {
      x <- sql_date_argument(node, q)
      if (is.null(x)) return(NULL)
      month <- paste0("CAST(strftime('%m', ", x, ") AS INTEGER)")
      switch(node$args$unit$value,
        day = x,
        month = paste0("strftime('%Y-%m-01', ", x, ")"),
        year = paste0("strftime('%Y-01-01', ", x, ")"),
        quarter = paste0(
          "(strftime('%Y-', ", x, ") || substr('01040710', ((", month,
          " + 2) / 3) * 2 - 1, 2) || '-01')"
        ),
        week = paste0("date(", x, ", '-6 days', 'weekday 1')")
      )
    }
  )
)
