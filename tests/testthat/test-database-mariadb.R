# MariaDB: kinds of its columns, texts by code point, one state, and sieves that
# agree with memory.

test_that("random sieves give the same in MariaDB as in memory", {
  con <- mariadb()
  takes_times$now <- TRUE
  on.exit({
    takes_times$now <- FALSE
    DBI::dbDisconnect(con)
  })
  places <- NULL
  for (seed in seq_len(rounds_of(100, 4))) {
    set.seed(seed + 12000)
    both <- table_both_ways(
      con,
      sample(c(1, 30, 200), 1, prob = c(0.05, 0.35, 0.6)),
      times = TRUE
    )
    steps <- random_db_sieve()
    if (is.null(steps)) next
    place <- expect_same_answers(
      told_of_run(both$memory, steps),
      told_of_run(both$database, steps),
      steps,
      paste("seed", seed)
    )
    places <- c(places, place)
  }
  expect_gt(mean(places[!is.na(places)] == "database"), 0.6)
})

test_that("columns have the kinds that are declared, and values come as they are stored", {
  con <- mariadb()
  on.exit(DBI::dbDisconnect(con))
  run_on(
    con,
    "CREATE OR REPLACE TABLE kinds (i int primary key, b boolean, x double, ",
    "d decimal(9,3), u int unsigned, s varchar(20), e enum('lo','it''s'), day date, ",
    "ts datetime(6), f float, bytes blob)"
  )
  run_on(
    con,
    "INSERT INTO kinds VALUES (1, true, 0.1, 1.234, 4000000000, 'a ', 'it''s', ",
    "'2020-01-31', '2020-01-01 10:11:12.5', 0.1, 'xx'), (2, null, -5, null, 2, 'A', 'lo', ",
    "null, null, null, null)"
  )
  expect_message(
    there <- study(database(con, "kinds", key = "i")), "`bytes` is left out"
  )
  rows <- as.data.frame(quiet(pour(there, sieve())$rows))
  expect_identical(rows$b, c(TRUE, NA))
  expect_equal(rows$u, c(4e9, 2))
  expect_identical(rows$s, c("a ", "A"))
  expect_identical(as.character(rows$e), c("it's", "lo"))
  at <- as.numeric(as.POSIXct("2020-01-01 10:11:12", tz = "UTC")) + 0.5
  expect_equal(as.numeric(rows$ts[1]), at)
  expect_equal(rows$f[1], 0.1)
  # Capitals, and spaces at the end, are told apart.
  expect_identical(nrow(quiet(pour(there, include(s == "a"))$rows)), 0L)
  out <- quiet(pour(
    there, sieve(counts(s), include(ts > "2020-01-01 10:11:12"))
  ))
  expect_identical(out$tables$counts$s, c("A", "a "))
  expect_identical(nrow(as.data.frame(out$rows)), 1L)
})

test_that("numbers, texts, windows and statistics are worked out in MariaDB", {
  con <- mariadb()
  on.exit(DBI::dbDisconnect(con))
  expect_worked_out_there(con)
})

test_that("a transaction of the caller stands, and a limit holds", {
  con <- mariadb()
  on.exit(DBI::dbDisconnect(con))
  DBI::dbWriteTable(
    con,
    "lasting",
    data.frame(id = 1:3, x = c(1, 2, 3)),
    overwrite = TRUE
  )
  there <- study(database(con, "lasting", key = "id", time_limit = 20))
  DBI::dbBegin(con)
  run_on(con, "INSERT INTO lasting VALUES (4, 4)")
  out <- quiet(pour(there, include(x > 1)))
  expect_identical(nrow(as.data.frame(quiet(out$rows))), 3L)
  expect_error(write_table(out, database(con, "kept")), "A transaction is open")
  DBI::dbRollback(con)
  expect_identical(
    nrow(as.data.frame(quiet(pour(there, include(x > 1))$rows))), 2L
  )
  run_on(con, "SET max_statement_time = 7")
  quiet(pour(there, include(x > 2)))
  expect_equal(DBI::dbGetQuery(con, "SELECT @@max_statement_time AS s")$s, 7)
})
