# What a pour in R takes besides steps: a plan that names its study, and how a
# file is read.

coded <- c("id,x", "a,1", "b,-9", "c,3")
mean_of <- function(out) out$tables$statistics$mean

file <- csv_of(coded)
plan <- tempfile(fileext = ".yaml")
told <- quiet(study(file, unit = id, absent_codes = c("", "-9")))
write_sieve(sieve(statistics(x)), plan, study = told)
test_that("a plan is poured by its path or as it was read, with steps behind it", {
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
})

test_that("a plan in JSON is poured by its path", {
  json <- tempfile(fileext = ".json")
  write_sieve(sieve(statistics(x)), json, study = told)
  expect_identical(mean_of(quiet(pour(json))), 2)
})

test_that("a plan without a study says so", {
  bare <- tempfile(fileext = ".yaml")
  write_sieve(sieve(statistics(x)), bare)
  expect_error(pour(bare), "names no study", class = "neatsieve_error_run")
})

test_that("a plan that is not there says so", {
  expect_error(
    pour(tempfile(fileext = ".yaml")),
    "no plan file",
    class = "neatsieve_error_plan"
  )
})

plan <- tempfile(fileext = ".yaml")
told <- quiet(study(csv_of(coded), absent_codes = c("", "-9")))
write_sieve(sieve(statistics(x)), plan, study = told)
other <- csv_of(c("id,x", "a,5", "b,-9", "c,3", "d,7"))
test_that("a file poured through a plan is read as the plan reads its own", {
  expect_identical(mean_of(quiet(pour(other, read_sieve(plan)))), 5)
})

test_that("an argument beside a plan goes before the plan's", {
  expect_equal(
    mean_of(quiet(pour(other, read_sieve(plan), absent_codes = ""))), 1.5
  )
})

test_that("without the plan a file is read as usual", {
  expect_equal(mean_of(quiet(pour(other, statistics(x)))), 1.5)
})

test_that("a study poured through a plan stays as it was read", {
  # A study that was read before is as it was read.
  expect_equal(mean_of(quiet(pour(study(other), read_sieve(plan)))), 1.5)
})

test_that("the command reads another file as the plan reads its own", {
  # The same holds for the command.
  ran <- within_r("pour", plan, "--study", other, "--json")
  told <- jsonlite::fromJSON(paste(ran$out, collapse = ""))
  expect_identical(as.numeric(told$tables$statistics$mean), 5)
})

file <- csv_of(coded)
out <- quiet(pour(
  file,
  include(x > 0),
  unit = id,
  absent_codes = c("", "-9")
))
test_that("the unit may stand beside the steps", {
  expect_equal(out$ledger$units_out[1], 2)
})

test_that("absent codes may stand beside the steps", {
  expect_identical(held_back(out, unknown = TRUE)$id, "b")
})

test_that("a unit beside the steps may be spliced", {
  column <- "id"
  expect_equal(
    quiet(pour(file, counts(id), unit = .(column)))$ledger$units_out, 3
  )
})

test_that("kinds may stand beside the steps", {
  expect_type(
    quiet(pour(file, include(id != "a"), kinds = list(x = "text")))$rows$x,
    "character"
  )
})

test_that("arguments of reading pass through a function of one's own", {
  through <- function(...) pour(file, ...)
  expect_identical(
    quiet(through(statistics(x), absent_codes = -9))$tables$statistics$mean, 2
  )
})

test_that("a data frame takes absent codes beside the steps", {
  expect_identical(
    quiet(pour(
      data.frame(x = c(1, -9)),
      statistics(x),
      absent_codes = -9
    ))$tables$statistics$absent,
    1L
  )
})

test_that("a study takes no arguments of reading beside the steps", {
  expect_error(
    quiet(pour(study(file), statistics(x), absent_codes = -9)),
    "`absent_codes` is for data that is read by this call",
    class = "neatsieve_error_run"
  )
})

test_that("a wrong argument of reading beside the steps is named", {
  expect_error(
    pour(file, statistics(x), decimal = ";"),
    "`decimal`",
    class = "neatsieve_error_study"
  )
})

test_that("a condition without its step is refused", {
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
