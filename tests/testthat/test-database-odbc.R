# PostgreSQL by ODBC is asked as by its own driver.

test_that("random sieves give the same by ODBC as in memory", {
  con <- odbc_postgresql()
  on.exit(DBI::dbDisconnect(con))
  places <- NULL
  for (seed in seq_len(rounds_of(60, 3))) {
    set.seed(seed + 15000)
    both <- table_both_ways(con, 60, times = TRUE)
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

test_that("rows are written there by ODBC, and a transaction of the caller stands", {
  con <- odbc_postgresql()
  on.exit(DBI::dbDisconnect(con))
  DBI::dbWriteTable(
    con,
    "by_odbc",
    data.frame(id = 1:4, x = c(1.5, -2, 3, NA)),
    overwrite = TRUE
  )
  run_on(con, "DROP TABLE IF EXISTS kept_by_odbc")
  out <- quiet(pour(
    study(database(con, "by_odbc", key = "id")), include(x > 0)
  ))
  write_table(out, database(con, "kept_by_odbc"))
  expect_identical(DBI::dbReadTable(con, "kept_by_odbc")$x, c(1.5, 3))
  DBI::dbBegin(con)
  run_on(con, "DELETE FROM by_odbc WHERE id = 1")
  again <- quiet(pour(
    study(database(con, "by_odbc", key = "id")), include(x > 0)
  ))
  expect_identical(nrow(as.data.frame(quiet(again$rows))), 1L)
  DBI::dbRollback(con)
  expect_identical(nrow(DBI::dbReadTable(con, "by_odbc")), 4L)
})
