# Ctrl-C while a database works, by drivers that hear nothing of it.

# What an R of its own says that pours a slow table, with Ctrl-C after so many
# seconds, times over: how it ended, after how long, and whether its connection
# still answers.
interrupted <- function(connect, slow, seconds, prepare = "") {
  script <- withr::local_tempfile(
    fileext = ".R",
    lines = c(
      paste0(".libPaths(", paste(deparse(.libPaths()), collapse = ""), ")"),
      "suppressMessages({library(neatsieve); library(DBI)})",
      "Sys.setenv(TZ = 'UTC')", paste("con <-", connect),
      paste0(
        "slow <- study(database(con, query = ", deparse(slow), ", key = 'id'))"
      ),
      "steps <- sieve(include(x == 1), statistics(id))",
      "invisible(suppressMessages(pour(data.frame(id = 1:3, x = 1), steps)))",
      prepare,
      paste0(
        "invisible(system(paste0('(",
        paste0(
          "sleep ", seconds, "; kill -INT ', Sys.getpid(), '",
          collapse = "; "
        ),
        ") &')))"
      ),
      "began <- proc.time()[['elapsed']]",
      "ended <- tryCatch({pour(slow, steps); 'poured'}, interrupt = function(e) 'interrupted',",
      "                  error = conditionMessage)",
      "took <- proc.time()[['elapsed']] - began",
      "answers <- tryCatch(dbGetQuery(con, 'SELECT 1 AS one')$one, error = function(e) 0)",
      "cat('\\n', ended, '|', took, '|', answers)"
    )
  )
  said <- suppressWarnings(system2(
    file.path(R.home("bin"), "Rscript"),
    c("--vanilla", script),
    stdout = TRUE,
    stderr = FALSE
  ))
  told <- trimws(strsplit(said[length(said)], "|", fixed = TRUE)[[1]])
  list(ended = told[1], took = as.numeric(told[2]), answers = told[3] == "1")
}
slow_rows <- paste(
  "SELECT g AS id, (pg_sleep(0.001) IS NOT NULL)::int AS x FROM",
  "generate_series(1, 15000) g"
)

test_that("one Ctrl-C ends a query of PostgreSQL, and the connection stands", {
  skip_on_os("windows")
  port <- postgresql_port()
  connect <- paste0(
    "dbConnect(RPostgres::Postgres(), host = '127.0.0.1', port = ", port,
    ", dbname = 'postgres', user = 'postgres'"
  )
  for (more in c(")", ", check_interrupts = TRUE)")) {
    found <- interrupted(paste0(connect, more), slow_rows, 1)
    expect_identical(found$ended, "interrupted")
    expect_lt(found$took, 10)
    expect_true(found$answers)
  }
})

test_that("where no second connection can be made, the next Ctrl-C shuts the first", {
  skip_on_os("windows")
  con <- postgresql()
  on.exit(DBI::dbDisconnect(con))
  DBI::dbExecute(con, "CREATE ROLE once LOGIN")
  port <- postgresql_port()
  connect <- paste0(
    "dbConnect(RPostgres::Postgres(), host = '127.0.0.1', port = ", port,
    ", dbname = 'postgres', user = 'once')"
  )
  no_more <- paste0(
    "other <- dbConnect(RPostgres::Postgres(), host = '127.0.0.1', port = ",
    port, ", dbname = 'postgres', user = 'postgres'); ",
    "invisible(dbExecute(other, 'ALTER ROLE once NOLOGIN'))"
  )
  found <- interrupted(connect, slow_rows, c(1, 2), no_more)
  expect_identical(found$ended, "interrupted")
  expect_lt(found$took, 12)
  expect_false(found$answers)
  # The server hears of it within a second or so.
  at_work <- function() {
    DBI::dbGetQuery(
      con,
      paste(
        "SELECT count(*)::int AS n FROM pg_stat_activity",
        "WHERE usename = 'once' AND state = 'active'"
      )
    )$n
  }
  until <- Sys.time() + 6
  while (at_work() > 0 && Sys.time() < until) Sys.sleep(0.2)
  expect_identical(at_work(), 0L)
})

test_that("one Ctrl-C ends a query of MariaDB, and the connection stands", {
  skip_on_os("windows")
  connect <- paste0(
    "dbConnect(RMariaDB::MariaDB(), host = '127.0.0.1', port = ",
    mariadb_port(), ", user = 'study', dbname = 'study')"
  )
  found <- interrupted(
    connect, "SELECT seq AS id, sleep(0.001) = 0 AS x FROM seq_1_to_12000", 1
  )
  expect_identical(found$ended, "interrupted")
  expect_lt(found$took, 10)
  expect_true(found$answers)
})
