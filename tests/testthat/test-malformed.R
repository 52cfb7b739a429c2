# Columns that are broken, or that no step can take, are errors of ours wherever
# they go in.

class_as <- function(x, ...) {
  attributes(x) <- list(...)
  x
}
broken <- list(
  "its codes stand for no level" = class_as(
    c(1L, 9L, 2L),
    levels = c("a", "b"),
    class = "factor"
  ),
  "its codes stand for no level" = class_as(
    c(0L, 1L, 2L),
    levels = c("a", "b"),
    class = "factor"
  ),
  "its codes stand for no level" = class_as(
    c(-1L, 1L, 2L),
    levels = c("a", "b"),
    class = "factor"
  ),
  "its codes stand for no level" = class_as(1:3, class = "factor"),
  "has the level \"a\" twice" = class_as(
    1:3,
    levels = c("a", "a", "b"),
    class = "factor"
  ),
  "levels are of type double" = class_as(
    1:3,
    levels = c(1, 2, 3),
    class = "factor"
  ),
  "a Date made of values of type character" = class_as(
    c("2024-01-01", "x", NA),
    class = "Date"
  ),
  "a date-time made of values of type character" = class_as(
    c("a", "b", NA),
    class = c("POSIXct", "POSIXt")
  ),
  "in no zone that is known (\"No/Where\")" = class_as(
    c(1, 2, 3),
    class = c("POSIXct", "POSIXt"),
    tzone = "No/Where"
  ),
  "in no zone that is known (\"5\")" = class_as(
    c(1, 2, 3),
    class = c("POSIXct", "POSIXt"),
    tzone = 5
  ),
  "text without an encoding (\"bytes\")" = `Encoding<-`(
    c("a", "\xff\xfe", "b"), "bytes"
  ),
  "text that is no UTF-8" = `Encoding<-`(c("a", "\xff\xfe", "b"), "UTF-8"),
  "has 4 values, and the table 3 rows" = 1:4
)
entries <- list(
  study,
  fingerprint,
  look,
  function(d) screening(d, id > 1),
  function(d) pour(d, include(id > 1)),
  function(d) pour(data.frame(id = 1:3), append_rows(d, columns = "all")),
  function(d) pour(data.frame(id = 1:3), look_up(d, key = id)),
  function(d) write_table(d, tempfile(fileext = ".csv")),
  function(d) write_table(d, tempfile(fileext = ".jsonl")),
  function(d) write_table(d, tempfile(fileext = ".xlsx"))
)

test_that("a broken column is named with what to do, and ends no session", {
  for (i in seq_along(broken)) {
    d <- class_as(
      list(id = 1:3, x = broken[[i]]),
      names = c("id", "x"),
      class = "data.frame",
      row.names = 1:3
    )
    for (entry in entries) {
      met <- tryCatch(quiet(entry(d)), error = identity)
      expect_s3_class(met, "neatsieve_error")
      expect_match(
        gsub("\\s+", " ", conditionMessage(met)), names(broken)[i],
        fixed = TRUE
      )
      expect_match(conditionMessage(met), "Column `x`", fixed = TRUE)
    }
  }
})

d <- data.frame(id = 1:3)
d$x <- class_as(1:3, levels = c(1, 2, 3), class = "factor")
levels(d$x) <- as.character(levels(d$x))
test_that("a factor without levels is mended as the error says", {
  expect_equal(nrow(study(d)), 3)
})

d$x <- class_as(
  c(1, 2, 3),
  class = c("POSIXct", "POSIXt"),
  tzone = "No/Where"
)
attr(d$x, "tzone") <- "UTC"
test_that("a date-time in no zone is mended as the error says", {
  expect_equal(nrow(study(d)), 3)
})

test_that("a text in bytes is mended as the error says", {
  d$x <- `Encoding<-`(c("a", "\xe9", "b"), "bytes")
  Encoding(d$x) <- "latin1"
  expect_identical(as.data.frame(study(d))$x[2], "\u00e9")
})

test_that("the number of threads is a whole number from 1 to 256, wherever it is told", {
  for (asked in list(1e9, 257, 0, -1, 2.5, NA, "x", 1:2)) {
    withr::local_options(neatsieve.threads = asked)
    expect_error(
      pour(mtcars, statistics(mpg)),
      "from 1 to 256",
      class = "neatsieve_error_run"
    )
  }
  withr::local_options(neatsieve.threads = 256)
  expect_equal(
    quiet(pour(mtcars, statistics(mpg)))$tables$statistics$mean,
    mean(mtcars$mpg)
  )
  expect_identical(
    within_r("pour", demo_file("hive-visits.csv"), "--threads", "1000")$code, 2L
  )
})

test_that("whole numbers of 64 bits are numbers where they fit, and texts of their digits else", {
  skip_if_not_installed("bit64")
  small <- quiet(study(data.frame(x = bit64::as.integer64(c(1, NA, -3)))))
  expect_identical(as.data.frame(small)$x, c(1L, NA, -3L))
  long <- bit64::as.integer64("9007199254740993") + 0:999
  out <- quiet(pour(data.frame(x = long), drop_repeats(x)))
  expect_identical(out$rows$x, as.character(long))
  expect_match(
    out$notes[1], "1,000 whole numbers of 2^53 or more",
    fixed = TRUE
  )
  expect_error(
    pour(data.frame(x = long), work_out(y = x + 1)),
    "as_number",
    class = "neatsieve_error_expression"
  )
  file <- withr::local_tempfile(fileext = ".csv")
  write_table(data.frame(x = long), file)
  expect_identical(readLines(file)[-1], as.character(long))
})

test_that("a database's long whole numbers are never rounded in silence", {
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  on.exit(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "t", data.frame(id = 1:1000))
  DBI::dbExecute(con, "ALTER TABLE t ADD COLUMN big BIGINT")
  DBI::dbExecute(con, "UPDATE t SET big = 9007199254740992 + id")
  expect_error(
    pour(study(database(con, "t")), drop_repeats(big)),
    "holds 1,000 values that are no exact number.*kinds = list\\(big = \"text\"\\)",
    class = "neatsieve_error_study"
  )
  told <- study(database(con, "t"), kinds = list(big = "text"))
  expect_equal(nrow(pour(told, drop_repeats(big))$rows), 1000)
  expect_identical(pour(told, include(big == "9007199254740995"))$rows$id, 3L)
})
