# What a study over a table in a database is told of its values is done there:
# no row is read.

# No query until the test ends gives more than `most` rows.
local_few_rows <- function(most, env = parent.frame()) {
  met <- new.env()
  met$most <- 0
  local_watched(
    function(sql, answer) met$most <- max(met$most, nrow(answer)), env
  )
  met
}
kinds_of <- function(study) vapply(unclass(study)$frame$types, `[[`, "", "kind")
coded_rows <- data.frame(
  id = 1:40,
  amount = c(-9, 2.5, 7, NA),
  place = c("-9", "ash", "", "oak"),
  day = c("2024-02-29", "2024-12-31", NA, "2023-01-01"),
  count = c("12", " 7", "-9", "x"),
  sure = c("yes", "No", "TRUE", NA)
)

test_that("codes and kinds are those of the same table in memory, and no row is read for them", {
  there <- list(sqlite_memory(), postgresql())
  withr::defer(for (con in there) DBI::dbDisconnect(con))
  steps <- sieve(
    include(amount > 2 | is_unknown(amount > 2)),
    counts(place),
    statistics(amount, by = place),
    absences()
  )
  for (con in there) {
    is_sqlite <- inherits(con, "SQLiteConnection")
    DBI::dbWriteTable(con, "coded", coded_rows, overwrite = TRUE)
    kinds <- list(
      id = "number",
      day = "date",
      count = if (!is_sqlite) "number",
      sure = if (!is_sqlite) "logical"
    )
    kinds <- Filter(Negate(is.null), kinds)
    codes <- list("", "-9", count = "7")
    met <- local_few_rows()
    here <- quiet(study(coded_rows, kinds = kinds, absent_codes = codes))
    given <- study(
      database(con, "coded", key = "id"),
      kinds = kinds,
      absent_codes = codes
    )
    expect_identical(kinds_of(given), kinds_of(here))
    memory <- quiet(pour(here, steps))
    database <- quiet(pour(given, steps))
    expect_identical(
      as.data.frame(database$tables$counts), as.data.frame(memory$tables$counts)
    )
    expect_equal(
      as.data.frame(database$tables$statistics),
      as.data.frame(memory$tables$statistics),
      tolerance = 1e-12
    )
    expect_identical(
      database$tables$absences$absent, memory$tables$absences$absent
    )
    expect_identical(unique(na.omit(ledger(database)$place)), "database")
    expect_lt(met$most, 10)
    expect_equal(quiet(database$rows), memory$rows, ignore_attr = TRUE)
    # What became absent is told once, where a step looks at the column.
    expect_match(
      notes_of(pour(given, include(present(amount)))),
      "`absent_codes` made 10 values of `amount` absent",
      fixed = TRUE
    )
    if (!is_sqlite) {
      expect_match(
        notes_of(pour(given, include(present(count)))),
        "`count`: 10 values are no number and absent: \"x\"",
        fixed = TRUE
      )
    }
    DBI::dbRemoveTable(con, "coded")
  }
})

test_that("columns that say nothing of their values, and bytes, are no reason to read a table", {
  con <- sqlite_memory()
  withr::defer(DBI::dbDisconnect(con))
  run_on(
    con,
    "CREATE TABLE odd (id INTEGER PRIMARY KEY, day DATE, bad DATE, at DATETIME, ",
    "price DECIMAL(10,2), free, raw BLOB, none DATE, mixed)"
  )
  run_on(
    con,
    "INSERT INTO odd VALUES (1, '2024-01-05', '2024-02-30', '2024-01-05 10:00', 12.5, ",
    "'a', x'01', NULL, 1), (2, NULL, '2024-01-05', NULL, 3, 'b', NULL, NULL, 'x')"
  )
  met <- local_few_rows()
  expect_message(
    found <- study(database(
      con,
      query = paste(
        "SELECT id, day, bad, at, price, free, raw, none, id + 0.5 AS half FROM odd"
      )
    )),
    "`raw` is left out: it holds bytes",
    class = "neatsieve_note"
  )
  expect_identical(
    unname(kinds_of(found)),
    c("whole", "text", "text", "text", "number", "text", "text", "number")
  )
  run_on(con, "CREATE TABLE plain AS SELECT * FROM odd")
  run_on(con, "ALTER TABLE odd DROP COLUMN mixed")
  declared <- quiet(study(database(con, "odd")))
  expect_identical(kinds_of(declared)[["day"]], "date")
  expect_identical(kinds_of(declared)[["bad"]], "text")
  expect_identical(kinds_of(declared)[["price"]], "number")
  expect_lt(met$most, 2)
  expect_identical(
    quiet(pour(declared, include(day >= "2024-01-01")))$rows$id, 1L
  )
  # Where it is read whole, that is told with the reason and the size.
  dated <- list(mixed = "text", at = "date-time %Y-%m-%d %H:%M")
  expect_match(
    notes_of(study(database(con, "plain"), kinds = dated)),
    "read whole \\(2 rows of 8 columns, .*B\\), as kinds are told .*`at` \"date-time %Y"
  )
  mixed <- quiet(study(database(con, "plain"), kinds = dated))
  expect_identical(quiet(as.data.frame(mixed))$mixed, c("1", "x"))
  expect_identical(
    as.data.frame(quiet(study(database(con, "plain"))))$mixed, c("1", "x")
  )
  withr::local_options(neatsieve.most_fetched_bytes = 10)
  expect_error(
    study(database(con, "plain"), kinds = dated),
    "2 rows of 9 columns would be fetched",
    class = "neatsieve_error_study"
  )
})

test_that("rows that are fetched for a step are told with their number and size", {
  con <- sqlite_memory()
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "v", data.frame(g = c("a", "b", "c"), x = c(1, 2, 4)))
  given <- study(database(con, "v"))
  expect_match(
    notes_of(pour(given, statistics(m = prod(x)))),
    "fetched for this step \\(3 rows of 1 column, [0-9.]+ k?B\\).*prod"
  )
  expect_match(
    notes_of(pour(given, to_wide(label = g, value = x))),
    "fetched for this step \\(3 rows of 2 columns"
  )
  expect_match(
    notes_of(as.data.frame(given)),
    "whole of the table \"v\" is fetched: 3 rows"
  )
})

test_that("a plan names the codes of a table in a database", {
  path <- withr::local_tempfile(fileext = ".sqlite")
  con <- DBI::dbConnect(RSQLite::SQLite(), path)
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "coded", coded_rows)
  given <- study(
    database(con, "coded"),
    absent_codes = list("-9", place = "ash")
  )
  plan <- withr::local_tempfile(fileext = ".yaml", tmpdir = dirname(path))
  write_sieve(
    sieve(include(present(amount)), counts(place)),
    plan,
    study = given
  )
  again <- quiet(pour(plan))
  expect_identical(
    again$tables$counts, quiet(pour(given, read_sieve(plan)))$tables$counts
  )
  expect_identical(again$tables$counts$place, c("", NA))
})
