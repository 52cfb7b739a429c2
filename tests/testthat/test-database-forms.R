# What is worked out where the rows are: each form alone, in each kind of database.

test_that("numbers, texts, windows and statistics are worked out in SQLite", {
  con <- sqlite_memory()
  on.exit(DBI::dbDisconnect(con))
  expect_worked_out_there(con)
})

test_that("numbers, texts, windows and statistics are worked out in PostgreSQL", {
  con <- postgresql()
  on.exit(DBI::dbDisconnect(con))
  expect_worked_out_there(con)
})

test_that("numbers beyond what a database holds are worked out here, as in memory", {
  con <- postgresql()
  on.exit(DBI::dbDisconnect(con))
  d <- data.frame(id = 1:3, x = c(1e200, -2.5, 0), day = as.Date("2020-01-01"))
  DBI::dbWriteTable(con, "large", d, overwrite = TRUE)
  there <- study(database(con, "large", key = "id"))
  for (steps in list(sieve(work_out(z = x^2)), sieve(work_out(z = x %% 7)),
                     sieve(work_out(z = day + x)), sieve(work_out(z = x^-1)))) {
    a <- quiet(pour(study(d), steps))
    b <- quiet(pour(there, steps))
    expect_equal(as.data.frame(b$rows)$z, as.data.frame(a$rows)$z)
  }
})
