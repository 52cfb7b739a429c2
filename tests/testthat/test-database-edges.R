# Tables in databases at their edges: transactions of the caller, tables that
# change after a run, types that other tables do not have, tables that are wide,
# locked, or beyond 2^31 rows.

fetched <- function(con, sql) DBI::dbGetQuery(con, sql)

test_that("a query that fails leaves the caller's transaction as it was, and is answered here", {
  con <- postgresql()
  withr::defer(DBI::dbDisconnect(con))
  run_on(con, "CREATE TEMP TABLE large (id int PRIMARY KEY, x float8, y int)")
  run_on(
    con,
    "INSERT INTO large VALUES (1, 1e200, 2000000000), (2, 5, 7), (3, NULL, 1)"
  )
  large <- study(database(con, "large"))
  steps <- sieve(include(x * x > 3), statistics(y), include(y > 1), counts(y))
  alone <- quiet(pour(large, steps))
  expect_identical(alone$rows$id, 1:2)
  expect_true("here" %in% ledger(alone)$place)
  log <- list.files(servers[["0"]]$folder, "[.]log$", full.names = TRUE)
  plain <- function(sql) function(con) run_on(con, sql)
  for (way in list(
    list(begin = DBI::dbBegin, end = DBI::dbRollback),
    list(begin = plain("BEGIN"), end = plain("ROLLBACK"))
  )) {
    way$begin(con)
    run_on(con, "CREATE TEMP TABLE mine AS SELECT 1 AS a")
    large <- study(database(con, "large"))
    within <- quiet(pour(large, steps))
    expect_identical(within$tables, alone$tables)
    expect_identical(within$rows, alone$rows)
    expect_identical(quiet(held_back(within)), quiet(held_back(alone)))
    expect_error(
      study(database(con, "no_such_table")),
      class = "neatsieve_error_study"
    )
    expect_error(
      study(database(con, query = "SELECT no_such FROM large")),
      "Check the query",
      class = "neatsieve_error_study"
    )
    run_on(con, "ALTER TABLE large RENAME TO larger")
    expect_error(
      pour(large, include(x > 1)),
      "does not exist",
      class = "neatsieve_error_run"
    )
    run_on(con, "ALTER TABLE larger RENAME TO large")
    expect_identical(fetched(con, "SELECT a FROM mine")$a, 1L)
    way$end(con)
  }
  DBI::dbBegin(con)
  expect_error(fetched(con, "SELECT 1 / 0"))
  expect_error(
    pour(large, include(x > 1)),
    "dbRollback\\(con\\)",
    class = "neatsieve_error_run"
  )
  DBI::dbRollback(con)
  expect_identical(quiet(pour(large, include(x > 6)))$rows$id, 1L)
  said <- unlist(lapply(log, readLines, warn = FALSE))
  expect_false(any(grepl("only be used in transaction blocks", said)))
})

changing <- function(con, values) {
  if (DBI::dbExistsTable(con, "changing")) DBI::dbRemoveTable(con, "changing")
  key <- if (inherits(con, "SQLiteConnection")) "INTEGER" else "int"
  run_on(
    con, "CREATE TABLE changing (id ", key, " PRIMARY KEY, g text, x REAL)"
  )
  DBI::dbWriteTable(con, "changing", values, append = TRUE)
  study(database(con, "changing"))
}
values <- data.frame(id = 1:8, g = rep(c("a", "b"), 4), x = c(1:7, NA))

test_that("rows fetched after the table changed are no rows of the account", {
  there <- list(sqlite_memory(), postgresql())
  withr::defer(for (con in there) DBI::dbDisconnect(con))
  steps <- sieve(include(x > 2), drop_repeats(g), statistics(x))
  changes <- c(
    more = "INSERT INTO changing VALUES (9, 'c', 9)",
    other = "UPDATE changing SET id = 20 WHERE id = 3",
    fewer = "DELETE FROM changing WHERE id = 4"
  )
  for (con in there) {
    for (change in names(changes)) {
      out <- quiet(pour(changing(con, values), steps))
      run_on(con, changes[[change]])
      expect_error(
        out$rows,
        "has changed since it was poured",
        class = "neatsieve_error_run"
      )
      expect_error(
        follow(out, 3),
        "has changed since it was poured",
        class = "neatsieve_error_run"
      )
      expect_identical(out$tables$statistics$n, 2)
    }
  }
  # Rows that were held are asked for by themselves.
  held <- c(
    "DELETE FROM changing WHERE id = 1",
    "INSERT INTO changing VALUES (0, 'a', 1)",
    "UPDATE changing SET id = 30 WHERE id = 2"
  )
  for (con in there) {
    for (change in held) {
      out <- quiet(pour(changing(con, values), steps))
      run_on(con, change)
      expect_error(
        quiet(held_back(out, 1)),
        "has changed since it was poured",
        class = "neatsieve_error_run"
      )
    }
  }
  # Keys that are texts, and several; a table that did not change is as it was.
  for (con in there) {
    for (key in list("g", c("g", "id"))) {
      changing(con, transform(values, g = paste0("kept \u00e9", letters[1:8])))
      out <- quiet(pour(
        study(database(con, "changing", key = key)), include(x > 2)
      ))
      expect_identical(sort(out$rows$id), 3:7)
      expect_identical(sort(quiet(held_back(out))$id), c(1L, 2L, 8L))
      again <- quiet(pour(
        study(database(con, "changing", key = key)), include(x > 2)
      ))
      run_on(con, "UPDATE changing SET g = 'kept \u00e9z' WHERE id = 5")
      expect_error(
        again$rows, "other rows than then",
        class = "neatsieve_error_run"
      )
    }
  }
})

test_that("types that only this server has are read as what they mean, or named", {
  con <- postgresql()
  withr::defer(DBI::dbDisconnect(con))
  run_on(con, "CREATE TYPE mood AS ENUM ('sad', 'ok', 'happy')")
  run_on(
    con,
    "CREATE COLLATION merging (provider = icu, locale = 'und-u-ks-level2', ",
    "deterministic = false)"
  )
  withr::defer(
    run_on(con, "DROP TABLE odd; DROP TYPE mood; DROP COLLATION merging"),
    priority = "first"
  )
  run_on(
    con,
    "CREATE TABLE odd (id int PRIMARY KEY, m mood, t text COLLATE merging, price money, ",
    "d date, at timestamptz, n numeric(38,10), small numeric(10,2), raw bytea)"
  )
  run_on(
    con,
    "INSERT INTO odd VALUES (1, 'happy', 'Ash', 12.5, 'infinity', 'infinity', ",
    "12345678901234567890.0123456789, 1.25, '\\001'), (2, 'sad', 'ash', 1234, '2024-01-05', ",
    "now(), 0.1234567891, 3, NULL), (3, 'ok', 'oak', NULL, NULL, '-infinity', 5, 7, NULL)"
  )
  expect_message(
    odd <- study(database(con, "odd")),
    "`raw` is left out: it holds bytes",
    class = "neatsieve_note"
  )
  rows_of <- function(..., from = odd) quiet(pour(from, ...))
  picked <- function(...) rows_of(..., pick_columns(id, m, t, price, n, small))
  expect_identical(
    as.character(rows_of(counts(m))$tables$counts$m), c("sad", "ok", "happy")
  )
  expect_identical(picked(include(m >= "ok"), order_rows(m))$rows$id, c(3L, 1L))
  expect_identical(rows_of(counts(t))$tables$counts$n, c(1L, 1L, 1L))
  expect_identical(picked(include(t == "ash"))$rows$id, 2L)
  expect_identical(picked(include(t %in% c("ash", "oak")))$rows$id, 2:3)
  expect_identical(picked(include(matches(t, "^a")))$rows$id, 2L)
  expect_identical(picked(drop_repeats(t))$rows$id, 1:3)
  expect_identical(picked(include(price > 100))$rows$price, 1234)
  # Digits that a number does not keep are told; as text all are there.
  expect_message(
    pour(odd, statistics(n, small)),
    "`n` has 1 value with more digits than a number",
    class = "neatsieve_note"
  )
  exact <- study(
    database(con, "odd"),
    kinds = list(n = "text", d = "text", at = "text")
  )
  expect_identical(
    rows_of(from = exact, order_rows(id))$rows$n[1],
    "12345678901234567890.0123456789"
  )
  # A date that is none is never read as one.
  for (use in list(include(d > "2020-01-01"), statistics(d), work_out(y = year(d)), counts(at))) {
    expect_error(
      pour(odd, use),
      "that (is|are) no date.*infinity.*kinds = list",
      class = "neatsieve_error_study"
    )
  }
  out <- rows_of(include(price > 100))
  expect_error(
    out$rows, "no date: \"infinity\"",
    class = "neatsieve_error_study"
  )
  expect_output(
    print(out), "Not shown: Column `d` holds 1 value that is no date"
  )
  expect_error(
    as.data.frame(study(database(con, "odd"), absent_codes = "zz")),
    "no date: \"infinity\"",
    class = "neatsieve_error_study"
  )
  coded <- quiet(study(
    database(con, "odd"),
    absent_codes = "oak",
    kinds = list(d = "text", at = "text")
  ))
  expect_identical(as.data.frame(coded)$d, c("infinity", "2024-01-05", NA))
  expect_identical(as.data.frame(coded)$t, c("Ash", "ash", NA))
})

test_that("columns a role may not read, remarks behind a query and a lock are no dead ends", {
  con <- postgresql()
  withr::defer(DBI::dbDisconnect(con))
  run_on(con, "CREATE TABLE granted (id int PRIMARY KEY, a int, secret text)")
  run_on(con, "INSERT INTO granted VALUES (1, 2, 'x'), (2, 3, 'y')")
  run_on(
    con, "CREATE ROLE clerk LOGIN; GRANT SELECT (id, a) ON granted TO clerk"
  )
  clerk <- DBI::dbConnect(
    RPostgres::Postgres(),
    host = "127.0.0.1",
    port = postgresql_port(),
    dbname = "postgres",
    user = "clerk"
  )
  withr::defer(
    {
      DBI::dbDisconnect(clerk)
      run_on(con, "DROP TABLE granted; DROP ROLE clerk")
    },
    priority = "first"
  )
  expect_message(
    mine <- study(database(clerk, "granted")),
    "`secret` is left out: the role may not read it",
    class = "neatsieve_note"
  )
  expect_message(
    whole <- study(database(clerk, "granted"), absent_codes = "9"),
    "`secret` is left out",
    class = "neatsieve_note"
  )
  out <- quiet(pour(mine, include(a > 2)))
  expect_identical(out$rows, data.frame(id = 2L, a = 3L))
  expect_identical(names(as.data.frame(whole)), c("id", "a"))
  expect_true(length(as_sql(sieve(include(a > 2)), mine)) > 0)
  behind <- c(
    "-- a remark", ";", "; -- 'a remark'", "/* one /* in one */ */ ;;",
    "\n;\n-- x\n"
  )
  for (end in behind) {
    asked <- paste(
      "SELECT id, a, '--;' AS s, $x$ ; -- $x$ AS q FROM granted", end
    )
    out <- quiet(pour(database(con, query = asked), include(a > 2)))
    expect_identical(out$rows$s, "--;")
    expect_identical(out$rows$q, " ; -- ")
  }
  other <- postgresql()
  withr::defer(DBI::dbDisconnect(other), priority = "first")
  DBI::dbBegin(other)
  run_on(other, "LOCK TABLE granted IN ACCESS EXCLUSIVE MODE")
  for (codes in list(NULL, "9")) {
    expect_error(
      do.call(
        study,
        c(
          list(database(con, "granted", time_limit = 0.2)),
          if (length(codes)) list(absent_codes = codes)
        )
      ),
      "statement timeout.*locks the table",
      class = "neatsieve_error_study"
    )
  }
  DBI::dbRollback(other)
  expect_identical(fetched(con, "SHOW statement_timeout")[[1]], "0")
})

test_that("a table of a thousand columns is asked in parts", {
  con <- postgresql()
  withr::defer(DBI::dbDisconnect(con))
  set.seed(3)
  wide <- as.data.frame(matrix(stats::rnorm(700 * 6), 6))
  wide$id <- 1:6
  DBI::dbWriteTable(con, "wide", wide, temporary = TRUE)
  there <- study(database(con, "wide", key = "id"))
  out <- quiet(pour(there, statistics("V*", by = c(half = id > 3))))
  expect_identical(ledger(out)$place[1], "database")
  expect_equal(
    out$tables,
    quiet(pour(wide, statistics("V*", by = c(half = id > 3))))$tables
  )
  made <- quiet(pour(there, work_out(each("V*", it * 2))))
  expect_equal(made$rows$V700, wide$V700 * 2)
})

test_that("more than the limit is not fetched, and the message says what to write", {
  skip_if_not_installed("RSQLite")
  con <- sqlite_memory()
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "v", data.frame(x = 1:1000 / 2, t = "a", k = 1:1000))
  there <- study(database(con, "v"))
  withr::local_options(neatsieve.most_fetched_bytes = 10000)
  expect_error(
    pour(there, chart_scatter(y = x, x = k)),
    "1,000 rows of 2 columns would be fetched.*In step 1, chart_scatter",
    class = "neatsieve_error_run"
  )
  out <- quiet(pour(there, include(x > 100), statistics(x)))
  expect_identical(out$tables$statistics$n, 800)
  said <- tryCatch(out$rows, neatsieve_error_run = conditionMessage)
  expect_match(said, "800 rows of 3 columns would be fetched")
  expect_identical(nrow(quiet(pour(there, include(x > 499)))$rows), 2L)
  expect_error(pour(there, pick_columns(k))$rows, NA)
  # What the message says runs.
  eval(str2lang(regmatches(
    gsub("\\s+", " ", said),
    regexpr("options\\([^)]*\\)", gsub("\\s+", " ", said))
  )))
  expect_identical(nrow(out$rows), 800L)
  options(neatsieve.most_fetched_bytes = "much")
  expect_error(
    pour(there, include(x > 499))$rows,
    "is no number of bytes",
    class = "neatsieve_error_run"
  )
})

test_that("a server behind the server that does not answer is named with the step", {
  con <- postgresql(postgresql_port(2))
  withr::defer(DBI::dbDisconnect(con))
  behind <- postgresql(postgresql_port(2) + 1)
  run_on(behind, "CREATE TABLE far (id int)")
  DBI::dbDisconnect(behind)
  run_on(
    con,
    "CREATE FOREIGN TABLE far (id int) SERVER server_1 OPTIONS (table_name 'far')"
  )
  withr::defer(
    run_on(
      con,
      "DROP FOREIGN TABLE far; ALTER SERVER server_1 OPTIONS (SET port '",
      postgresql_port(2) + 1,
      "')"
    ),
    priority = "first"
  )
  far <- study(database(con, "far"))
  run_on(con, "ALTER SERVER server_1 OPTIONS (SET port '1')")
  DBI::dbBegin(con)
  run_on(con, "CREATE TEMP TABLE mine AS SELECT 1 AS a")
  expect_error(
    pour(far, include(id > 1)),
    "server_1.*In step 1, include.*does not answer: nothing was computed",
    class = "neatsieve_error_run"
  )
  expect_identical(fetched(con, "SELECT a FROM mine")$a, 1L)
  DBI::dbRollback(con)
})

test_that("counts beyond 2^31 hold in prints, shares, notes and the ledger", {
  skip_if_not_installed("RSQLite")
  con <- sqlite_memory()
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(
    con, "v", data.frame(g = c("a", "a", "b", NA, "b"), x = c(1, 2, 3, NA, 5))
  )
  # Each row stands for so many: counts are answered a thousand million times as
  # large.
  local_answers(function(got) {
    is_count <- grepl("^(n|[ycpfa][0-9]+|g[0-9]+|units)$", names(got)) &
      vapply(got, is.numeric, NA)
    got[is_count] <- lapply(got[is_count], function(x) as.numeric(x) * 1e9)
    got
  })
  out <- quiet(pour(
    study(database(con, "v"), unit = g),
    include(x > 1),
    counts(g),
    absences(),
    chart_bar(x = g),
    chart_flow()
  ))
  account <- ledger(out)
  expect_identical(account$rows_in[1], 5e9)
  expect_identical(
    unlist(account[2, c("yes", "no", "unknown", "held")], use.names = FALSE),
    c(3, 1, 1, 2) * 1e9
  )
  expect_identical(account$rows_out[nrow(account)], 3e9)
  expect_equal(out$tables$counts$share, c(1, 2) / 3)
  expect_identical(out$tables$absences$rows, rep(3e9, 3))
  expect_identical(as.numeric(chart_data(out, "bar")$value), c(1e9, 2e9))
  expect_identical(max(chart_data(out, "flow")$rows), 5e9)
  shown <- paste(utils::capture.output(print(out, rows = 0)), collapse = "\n")
  expect_match(shown, "3,000,000,000 of 5,000,000,000 rows went all the way")
  expect_no_match(shown, "NA")
  # States of pieces are added up as numbers, too.
  added <- asNamespace("neatsieve")$added_at(.Machine$integer.max, 1L, 10)
  expect_identical(added, 2147483657)
})

test_that("whole numbers of 64 bits in Parquet are exact, text, or an error with the way out", {
  skip_if_not_installed("nanoparquet")
  skip_if_not_installed("bit64")
  path <- withr::local_tempfile(fileext = ".parquet")
  digits <- c(
    "1", "9007199254740993", "9007199254740992", "-9223372036854775807", NA
  )
  nanoparquet::write_parquet(
    data.frame(a = bit64::as.integer64(digits), b = 1:5 + 0), path
  )
  for (out in list(quiet(pour(path, include(b > 0))), quiet(pour(study(path), include(b > 0))))) {
    expect_identical(out$rows$a, digits)
  }
  expect_identical(quiet(pour(path, drop_repeats(a)))$rows$b, 1:5 + 0)
  bare <- function(values) {
    nanoparquet::write_parquet(
      data.frame(a = values, b = seq_along(values)),
      path,
      schema = nanoparquet::parquet_schema(
        a = list("INT64", repetition_type = "OPTIONAL"),
        b = "INT32"
      ),
      options = nanoparquet::parquet_options(write_arrow_metadata = FALSE)
    )
  }
  bare(c(1, 2^53 + 2, -3, NA))
  for (use in list(function() study(path), function() pour(path, include(b > 2)))) {
    expect_error(
      use(),
      "of which only the nearest.*kinds = list\\(a = \"number\"\\)",
      class = "neatsieve_error_study"
    )
  }
  expect_identical(
    as.data.frame(quiet(study(path, kinds = list(a = "number"))))$a[2], 2^53 + 2
  )
  bare(c(1, -5e9, NA, 7))
  expect_identical(quiet(pour(path, include(b > 1)))$rows$a, c(-5e9, NA, 7))
})

test_that("numbers that are huge or tiny print in few digits", {
  d <- data.frame(
    x = c(1e200, 5, NA, 1e-200),
    y = c(1e15, 123456789012345678, 1, 2)
  )
  shown <- utils::capture.output(print(quiet(pour(d, statistics(x, y)))))
  expect_true(all(nchar(shown) <= 80))
  expect_match(shown, "1e\\+200", all = FALSE)
  expect_match(shown, "1.23457e\\+17", all = FALSE)
})

# A table whose rows no number tells apart, so that no sum over them is made.
changing_keyless <- function(con, values) {
  if (DBI::dbExistsTable(con, "changing")) DBI::dbRemoveTable(con, "changing")
  if (inherits(con, "SQLiteConnection")) {
    run_on(
      con,
      "CREATE TABLE changing (id INTEGER, g text, x REAL, PRIMARY KEY (id, g)) ",
      "WITHOUT ROWID"
    )
  } else {
    run_on(con, "CREATE TABLE changing (id int, g text, x REAL)")
  }
  DBI::dbWriteTable(con, "changing", values, append = TRUE)
  study(database(con, "changing"))
}
table_has_changed <- "Not shown: The table \"changing\" has changed"
printed_first_rows <- function(out) {
  paste(capture.output(print(out)), collapse = "\n")
}

test_that("what was written to a table without a key is told by the database", {
  there <- list(sqlite_file = NULL, postgresql = postgresql())
  path <- withr::local_tempfile(fileext = ".sqlite")
  there$sqlite_file <- DBI::dbConnect(RSQLite::SQLite(), path)
  withr::defer(for (con in there) DBI::dbDisconnect(con))
  steps <- sieve(include(x > 2), statistics(x))
  is_sqlite <- c(TRUE, FALSE)
  for (i in 1:2) {
    con <- there[[i]]
    # Nothing was written: nothing is said, and the first rows are those of the
    # account.
    out <- quiet(pour(changing_keyless(con, values), steps))
    expect_silent(rows <- out$rows)
    expect_setequal(rows$id, 3:7)
    expect_match(printed_first_rows(out), "First rows\n", fixed = TRUE)
    # A row with the same key and another value, or as many rows of other keys.
    for (change in c(
      "UPDATE changing SET x = 60 WHERE id = 6",
      "UPDATE changing SET id = 20 WHERE id = 3"
    )) {
      out <- quiet(pour(changing_keyless(con, values), steps))
      run_on(con, change)
      if (is_sqlite[i]) {
        expect_match(
          printed_first_rows(out), "First rows, as they are now",
          fixed = TRUE
        )
        expect_message(
          out$rows, "as many rows as then.*pour again",
          class = "neatsieve_note"
        )
      } else {
        expect_error(
          out$rows,
          "has changed since it was poured",
          class = "neatsieve_error_run"
        )
        expect_match(printed_first_rows(out), table_has_changed, fixed = TRUE)
        expect_error(
          pour(out, include(x > 3)),
          "has changed since it was poured",
          class = "neatsieve_error_run"
        )
      }
    }
    # A row more, or fewer, that the steps let through.
    for (change in c(
      "DELETE FROM changing WHERE id = 4",
      "INSERT INTO changing VALUES (9, 'c', 9)"
    )) {
      out <- quiet(pour(changing_keyless(con, values), steps))
      run_on(con, change)
      expect_match(printed_first_rows(out), table_has_changed, fixed = TRUE)
      expect_error(
        out$rows,
        "has changed since it was poured",
        class = "neatsieve_error_run"
      )
    }
  }
  # What another table is given changes nothing here, where rows tell it.
  out <- quiet(pour(changing_keyless(there$postgresql, values), steps))
  run_on(there$postgresql, "CREATE TABLE other AS SELECT 1 AS a")
  withr::defer(run_on(there$postgresql, "DROP TABLE other"), priority = "first")
  expect_silent(rows <- out$rows)
  expect_setequal(rows$id, 3:7)
})

test_that("first rows in print are compared with the account", {
  con <- sqlite_memory()
  withr::defer(DBI::dbDisconnect(con))
  steps <- sieve(include(x > 2))
  out <- quiet(pour(changing(con, values), steps))
  run_on(con, "UPDATE changing SET x = 60 WHERE id = 6")
  expect_match(
    printed_first_rows(out), "First rows, as they are now",
    fixed = TRUE
  )
  expect_message(
    out$rows, "the same rows, by number and keys",
    class = "neatsieve_note"
  )
  out <- quiet(pour(changing(con, values), steps))
  run_on(con, "UPDATE changing SET id = 20 WHERE id = 3")
  expect_match(printed_first_rows(out), table_has_changed, fixed = TRUE)
})

test_that("a proxy that gives each transaction another session changes nothing", {
  port <- postgresql_port()
  skip_if_not(
    nzchar(Sys.which("pgbouncer")) || file.exists("/usr/sbin/pgbouncer"),
    "there is no proxy here"
  )
  folder <- servers[["0"]]$folder
  proxy <- port + 7
  started <- system2(
    file.path("..", "..", "tools", "cluster"),
    c("pool", folder, proxy),
    stdout = FALSE,
    stderr = FALSE
  )
  expect_identical(started, 0L)
  direct <- postgresql()
  pooled <- lapply(1:3, function(i) postgresql(proxy))
  withr::defer(for (con in c(list(direct), pooled)) DBI::dbDisconnect(con))
  changing(direct, values)
  steps <- sieve(
    include(x > 2),
    work_out(y = rank(x, by = g)),
    statistics(x, by = g),
    drop_repeats(g),
    chart_histogram(x)
  )
  expected <- quiet(pour(study(database(direct, "changing")), steps))
  sessions <- integer()
  # Transactions side by side make the proxy open more sessions.
  for (what in c("BEGIN", "SELECT 1", "ROLLBACK")) {
    for (con in pooled) {
      DBI::dbExecute(con, what, immediate = TRUE)
    }
  }
  session_of <- function(con) {
    DBI::dbGetQuery(con, "SELECT pg_backend_pid() AS pid", immediate = TRUE)$pid
  }
  for (round in 1:12) {
    con <- pooled[[round %% 3 + 1]]
    sessions <- c(sessions, session_of(con))
    out <- quiet(pour(study(database(con, "changing", time_limit = 20)), steps))
    expect_identical(out$tables$statistics, expected$tables$statistics)
    expect_identical(out$rows, expected$rows)
    expect_identical(quiet(held_back(out)), quiet(held_back(expected)))
  }
  expect_gt(length(unique(sessions)), 1)
})

test_that("long conditions are asked for their reasons, too", {
  con <- sqlite_memory()
  withr::defer(DBI::dbDisconnect(con))
  d <- data.frame(
    id = 1:3000,
    t = sprintf("text number %05d", 1:3000),
    x = c(1, NA, 3)
  )
  DBI::dbWriteTable(con, "long", d)
  taken <- d$t[seq(1, 3000, by = 2)]
  out <- quiet(pour(
    study(database(con, "long", key = "id")),
    include(t %in% .(taken), x > 0),
    chart_flow()
  ))
  held <- chart_data(out, "flow", part = "reasons")
  expect_equal(sum(held$rows), sum(!(d$t %in% taken) | is.na(d$x)))
})

test_that("a connection that was lost before a run is made anew, and one lost within is an error", {
  admin <- postgresql()
  withr::defer(DBI::dbDisconnect(admin))
  changing(admin, values)
  port <- postgresql_port()
  sessions <- list()
  connect <- function() {
    con <- postgresql(port)
    sessions[[length(sessions) + 1]] <<- con
    con
  }
  withr::defer(
    for (con in sessions) if (DBI::dbIsValid(con)) DBI::dbDisconnect(con)
  )
  end_others <- function() {
    fetched(
      admin,
      paste(
        "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE pid <>",
        "pg_backend_pid() AND backend_type = 'client backend'"
      )
    )
  }
  steps <- sieve(include(x > 2), statistics(x, by = g))
  for (con in list(connect, connect())) {
    there <- study(database(con, "changing", key = "id"))
    out <- pour(there, steps)
    end_others()
    expect_message(
      rows <- out$rows, "was lost and is made anew",
      class = "neatsieve_note"
    )
    expect_identical(rows$id, 3:7)
    end_others()
    again <- quiet(pour(there, steps))
    expect_identical(again$tables$statistics, out$tables$statistics)
    end_others()
    expect_identical(quiet(follow(out, 3))$outcome[1], "yes")
    # In the middle of a run another session would see another state.
    met <- 0
    local({
      local_watched(function(sql, answer) {
        met <<- met + 1
        if (met == 1) end_others()
      })
      expect_error(
        quiet(pour(there, steps)),
        "connection is lost",
        class = "neatsieve_error_run"
      )
    })
  }
})

test_that("a role that only reads, and some columns alone, sieves like any other", {
  admin <- postgresql()
  withr::defer(DBI::dbDisconnect(admin))
  changing(admin, values)
  run_on(admin, "CREATE ROLE some_columns LOGIN")
  run_on(admin, "GRANT SELECT (id, x) ON changing TO some_columns")
  con <- DBI::dbConnect(
    RPostgres::Postgres(),
    host = "127.0.0.1",
    port = postgresql_port(),
    dbname = "postgres",
    user = "some_columns"
  )
  withr::defer({
    DBI::dbDisconnect(con)
    run_on(admin, "DROP OWNED BY some_columns")
    run_on(admin, "DROP ROLE some_columns")
  })
  run_on(con, "SET default_transaction_read_only = on")
  expect_message(
    there <- study(database(con, "changing", key = "id")),
    "`g` is left out: the role may not read it",
    class = "neatsieve_note"
  )
  out <- quiet(pour(
    there, include(x > 2), work_out(y = rank(x)), statistics(x)
  ))
  expect_identical(out$rows$id, 3:7)
  expect_identical(quiet(held_back(out))$id, c(1L, 2L, 8L))
  expect_error(
    write_table(out, database(con, "kept")),
    "read-only|may make tables",
    class = "neatsieve_error_run"
  )
})

test_that("what a column holds is asked again once the database was written to", {
  con <- sqlite_memory()
  on.exit(DBI::dbDisconnect(con))
  DBI::dbWriteTable(
    con, "kept", data.frame(id = 1:3, x = c(1.5, 2, NA), day = "2024-02-28")
  )
  kept <- study(database(con, "kept", key = "id"), kinds = list(day = "date"))
  steps <- sieve(include(x > 1, day >= "2024-01-01"))
  checks <- function() {
    asked <- character()
    local_watched(function(sql, answer) asked <<- c(asked, sql))
    tryCatch(quiet(pour(kept, steps)), neatsieve_error_study = function(e) NULL)
    sum(grepl("AS c1", asked, fixed = TRUE) & !grepl("o1", asked, fixed = TRUE))
  }
  expect_identical(c(checks(), checks()), c(1L, 0L))
  DBI::dbExecute(con, "UPDATE kept SET x = 'two' WHERE id = 2")
  expect_error(
    quiet(pour(kept, steps)),
    "`x` holds 1 value that is no number",
    class = "neatsieve_error_study"
  )
  DBI::dbExecute(con, "UPDATE kept SET x = 2, day = '2024-02-30' WHERE id = 2")
  expect_error(
    quiet(pour(kept, steps)), "2024-02-30",
    class = "neatsieve_error_study"
  )
  DBI::dbExecute(con, "UPDATE kept SET day = '2024-2-3' WHERE id = 2")
  expect_error(
    quiet(pour(kept, steps)), "2024-2-3",
    class = "neatsieve_error_study"
  )
  DBI::dbExecute(con, "UPDATE kept SET day = x'41' WHERE id = 2")
  expect_error(quiet(pour(kept, steps)), class = "neatsieve_error_study")
  DBI::dbExecute(con, "UPDATE kept SET day = '2024-02-29' WHERE id = 2")
  expect_identical(c(checks(), checks()), c(1L, 0L))
})
