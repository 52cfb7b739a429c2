# What a pour in R takes besides steps: a plan that names its study, and how a
# file is read.

coded <- c("id,x", "a,1", "b,-9", "c,3")
mean_of <- function(out) out$tables$statistics$mean

test_that("a plan is poured by its path or as it was read, with steps behind it", {
  file <- csv_of(coded)
  plan <- tempfile(fileext = ".yaml")
  told <- quiet(study(file, unit = id, absent_codes = c("", "-9")))
  write_sieve(sieve(statistics(x)), plan, study = told)
  for (data in list(plan, read_sieve(plan))) {
    out <- quiet(pour(data))
    expect_identical(mean_of(out), 2)
    expect_equal(out$ledger$units_out, 3)
    expect_identical(quiet(pour(data, include(x > 1)))$rows$x, 3L)
    # What is given beside it goes before what the plan says.
    expect_equal(
      mean_of(quiet(pour(data, absent_codes = ""))), mean(c(1, -9, 3))
    )
  }
  json <- tempfile(fileext = ".json")
  write_sieve(sieve(statistics(x)), json, study = told)
  expect_identical(mean_of(quiet(pour(json))), 2)
  bare <- tempfile(fileext = ".yaml")
  write_sieve(sieve(statistics(x)), bare)
  expect_error(pour(bare), "names no study", class = "neatsieve_error_run")
  expect_error(
    pour(tempfile(fileext = ".yaml")),
    "no plan file",
    class = "neatsieve_error_plan"
  )
})

test_that("a file poured through a plan is read as the plan reads its own", {
  plan <- tempfile(fileext = ".yaml")
  told <- quiet(study(csv_of(coded), absent_codes = c("", "-9")))
  write_sieve(sieve(statistics(x)), plan, study = told)
  other <- csv_of(c("id,x", "a,5", "b,-9", "c,3", "d,7"))
  expect_identical(mean_of(quiet(pour(other, read_sieve(plan)))), 5)
  expect_equal(
    mean_of(quiet(pour(other, read_sieve(plan), absent_codes = ""))), 1.5
  )
  expect_equal(mean_of(quiet(pour(other, statistics(x)))), 1.5)
  # A study that was read before is as it was read.
  expect_equal(mean_of(quiet(pour(study(other), read_sieve(plan)))), 1.5)
  # The same holds for the command.
  ran <- within_r("pour", plan, "--study", other, "--json")
  told <- jsonlite::fromJSON(paste(ran$out, collapse = ""))
  expect_identical(as.numeric(told$tables$statistics$mean), 5)
})

test_that("how a file or data frame is read stands beside the steps", {
  file <- csv_of(coded)
  out <- quiet(pour(
    file,
    include(x > 0),
    unit = id,
    absent_codes = c("", "-9")
  ))
  expect_equal(out$ledger$units_out[1], 2)
  expect_identical(held_back(out, unknown = TRUE)$id, "b")
  column <- "id"
  expect_equal(
    quiet(pour(file, counts(id), unit = .(column)))$ledger$units_out, 3
  )
  expect_type(
    quiet(pour(file, include(id != "a"), kinds = list(x = "text")))$rows$x,
    "character"
  )
  through <- function(...) pour(file, ...)
  expect_identical(
    quiet(through(statistics(x), absent_codes = -9))$tables$statistics$mean, 2
  )
  expect_identical(
    quiet(pour(
      data.frame(x = c(1, -9)),
      statistics(x),
      absent_codes = -9
    ))$tables$statistics$absent,
    1L
  )
  expect_error(
    quiet(pour(study(file), statistics(x), absent_codes = -9)),
    "`absent_codes` is for data that is read by this call",
    class = "neatsieve_error_run"
  )
  expect_error(
    pour(file, statistics(x), decimal = ";"),
    "`decimal`",
    class = "neatsieve_error_study"
  )
  expect_error(
    pour(file, x > 3),
    "A step could not be read",
    class = "neatsieve_error_step"
  )
})

test_that("a large file is sieved while it is read with what was told", {
  file <- csv_of(coded)
  withr::local_options(neatsieve.sieve_file_bytes = 1)
  expect_identical(
    mean_of(quiet(pour(file, statistics(x), absent_codes = c("", "-9")))), 2
  )
  expect_identical(
    quiet(pour(file, include(x > 0), absent_codes = c("", "-9")))$rows$x,
    c(1L, 3L)
  )
})
