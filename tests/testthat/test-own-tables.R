# A table in a database that rows were read from is no place for what came of
# them.

test_that("the study's own table, and one that a step reads, is never replaced", {
  file <- withr::local_tempfile(fileext = ".sqlite")
  con <- DBI::dbConnect(RSQLite::SQLite(), file)
  twin <- DBI::dbConnect(RSQLite::SQLite(), file)
  elsewhere <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  on.exit(for (one in list(con, twin, elsewhere)) DBI::dbDisconnect(one))
  d <- data.frame(id = 1:10, x = c(1:9, NA))
  DBI::dbWriteTable(con, "t", d)
  DBI::dbWriteTable(con, "keys", data.frame(id = 1:10, y = 1))
  s <- study(database(con, "t"))
  kept <- pour(s, include(x > 3))
  of_query <- pour(
    study(database(con, query = "SELECT * FROM t WHERE x > 1")), include(x > 3)
  )
  of_file <- pour(quiet(study(file, table = "t")), include(x > 3))
  read_whole <- quiet(pour(
    study(database(con, "t"), absent_codes = "5"), include(x > 3)
  ))
  looked_up <- pour(s, look_up(database(con, "keys"), key = id))
  refused <- function(x, to) {
    expect_error(
      write_table(x, to, replace = TRUE),
      "is one that these rows were read from",
      class = "neatsieve_error_run"
    )
  }
  for (x in list(s, kept, of_query, of_file, read_whole, looked_up)) {
    refused(x, database(con, "t"))
    refused(x, database(twin, "T"))
  }
  refused(looked_up, database(twin, "keys"))
  expect_equal(DBI::dbReadTable(con, "t"), d)
  # Other tables, and tables of that name in other databases, are replaced, and
  # what goes is said.
  write_table(kept, database(con, "kept"))
  expect_message(
    write_table(kept, database(con, "kept"), replace = TRUE),
    "indexes, keys, grants and comments, went with it",
    class = "neatsieve_note"
  )
  write_table(kept, database(elsewhere, "t"), replace = TRUE)
  expect_equal(DBI::dbReadTable(elsewhere, "t"), DBI::dbReadTable(con, "kept"))
  expect_equal(DBI::dbReadTable(con, "kept")$id, 4:9)
})

test_that("what is known of a table holds for one run: rows that came since are counted", {
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  on.exit(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "t", data.frame(id = 1:3, g = c("old", "old", "mid")))
  s <- study(database(con, "t"))
  expect_equal(nrow(pour(s, include(g == "old"))$rows), 2)
  for (n in 4:6) {
    DBI::dbExecute(con, "INSERT INTO t VALUES (?, 'knew')", list(n))
    out <- quiet(pour(s, include(g == "knew")))
    expect_equal(ledger(out)$rows_in[1], n)
    expect_equal(out$rows$id, 4:n)
    expect_equal(nrow(held_back(out)), 3)
    expect_match(capture.output(print(out))[1], paste(n - 3, "of", n, "rows"))
    counts <- pour(s, counts(g))$tables$counts
    expect_equal(counts$n[counts$g == "knew"], n - 3)
    expect_equal(quiet(pour(s, statistics(id)))$tables$statistics$n, n)
    # Where the table is read whole.
    expect_equal(
      nrow(quiet(pour(s, include(id > mean(id, over = "study"))))$rows),
      sum(seq_len(n) > mean(seq_len(n)))
    )
  }
})
