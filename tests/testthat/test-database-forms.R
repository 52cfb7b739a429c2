# What is worked out where the rows are: each form alone, in each kind of
# database.

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
  for (steps in list(
    sieve(work_out(z = x^2)),
    sieve(work_out(z = x %% 7)),
    sieve(work_out(z = day + x)),
    sieve(work_out(z = x^-1))
  )) {
    a <- quiet(pour(study(d), steps))
    b <- quiet(pour(there, steps))
    expect_equal(as.data.frame(b$rows)$z, as.data.frame(a$rows)$z)
  }
})

test_that("screening asks there, and says what it says of the same table in memory", {
  for (con in list(sqlite_memory(), postgresql(), mariadb())) {
    for (seed in 1:3) {
      set.seed(seed)
      both <- table_both_ways(con, 200)
      conditions <- replicate(3, without_times(random_condition))
      conditions[[4]] <- quote(rank(num, by = kind) > 2)
      told <- lapply(both, function(data) {
        made <- unclass(quiet(eval(as.call(c(
          quote(screening), quote(data), conditions,
          pairs = TRUE
        )))))
        made$examples <- made$examples[order(names(made$examples))]
        made$together <- made$together[order(as.character(
          made$together$conditions
        )), ]
        lapply(
          made,
          function(x) {
            if (is.data.frame(x)) data.frame(x, row.names = NULL) else x
          }
        )
      })
      # Texts of categories there, and the columns that are shown.
      for (name in c("table", "pairs", "together", "rows")) {
        expect_equal(
          told$database[[name]],
          told$memory[[name]],
          info = paste(conditions, seed)
        )
      }
      shown <- intersect(
        names(told$memory$examples), names(told$database$examples)
      )
      expect_equal(
        told$database$examples[shown],
        told$memory$examples[shown],
        info = paste(conditions, seed)
      )
    }
    DBI::dbDisconnect(con)
  }
})

test_that("screening asks for groups of outcomes and first rows, never the table", {
  con <- sqlite_memory()
  on.exit(DBI::dbDisconnect(con))
  both <- table_both_ways(con, 200)
  sent <- 0
  local_watched(function(sql, answer) sent <<- sent + nrow(answer))
  quiet(screening(
    both$database, num > 1, word == "fen", upper(word) == "FEN" | count > 3
  ))
  expect_lt(sent, 90)
})
