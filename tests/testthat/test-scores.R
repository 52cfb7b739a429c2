# Scores over several columns of one row, against base R.

scored_table <- function(n = 300, seed = 1) {
  set.seed(seed)
  column <- function() replace(sample(0:5, n, TRUE) / 2, sample(n, n %/% 3), NA)
  data.frame(
    a = column(),
    b = column(),
    c = column(),
    d = column(),
    e = column()
  )
}

d <- scored_table()
out <- quiet(pour(
  d,
  work_out(
    k = row_count(a:e, it >= 1.5),
    low = row_count(a:e, it >= 1.5, unknown = "no"),
    high = row_count(a:e, it >= 1.5, unknown = "yes")
  )
))$rows
yes <- d >= 1.5
test_that("columns that say yes are counted, unknown if any is", {
  expect_equal(out$k, unname(rowSums(yes)))
})

test_that("columns that say yes are counted, unknown as no", {
  expect_equal(out$low, unname(rowSums(yes, na.rm = TRUE)))
})

test_that("columns that say yes are counted, unknown as yes", {
  expect_equal(out$high, unname(rowSums(yes | is.na(yes))))
})

test_that("at least so many of the columns is decided by Kleene's logic", {
  d <- scored_table(400, 2)
  yes <- rowSums(d >= 1.5, na.rm = TRUE)
  open <- rowSums(is.na(d))
  for (n in 1:5) {
    got <- quiet(pour(
      d, work_out(y = row_at_least(.(n), a:e, it >= 1.5))
    ))$rows$y
    expect_identical(
      got, unname(ifelse(yes >= n, TRUE, ifelse(yes + open < n, FALSE, NA)))
    )
    # Every way to fill the absent values agrees with what is known.
    for (value in c(0, 2)) {
      full <- rowSums(replace(d, is.na(d), value) >= 1.5) >= n
      expect_true(all(got == full, na.rm = TRUE))
    }
  }
})

d <- scored_table(500, 3)
present <- rowSums(!is.na(d))
of <- function(f) apply(d, 1, function(x) f(x[!is.na(x)]))
out <- quiet(pour(
  d,
  work_out(
    sum = row_sum(a:e, needs = 3),
    mean = row_mean(a:e, needs = 4),
    sd = row_sd(a:e),
    sd4 = row_sd(a:e, needs = 4),
    median = row_median(a:e),
    median5 = row_median(a:e, needs = 5)
  )
))
out <- out$rows
test_that("a sum of a row needs as many values as told", {
  expect_equal(out$sum, unname(ifelse(present >= 3, of(sum), NA)))
})

test_that("a mean of a row needs as many values as told", {
  expect_equal(out$mean, unname(ifelse(present >= 4, of(mean), NA)))
})

test_that("a deviation of a row needs two values", {
  expect_equal(out$sd, unname(ifelse(present >= 2, of(stats::sd), NA)))
})

test_that("a deviation of a row needs as many values as told", {
  expect_equal(out$sd4, unname(ifelse(present >= 4, of(stats::sd), NA)))
})

test_that("a median of a row needs one value", {
  expect_equal(out$median, unname(ifelse(present >= 1, of(stats::median), NA)))
})

test_that("a median of a row needs as many values as told", {
  expect_equal(out$median5, unname(ifelse(present >= 5, of(stats::median), NA)))
})

test_that("scores stand in plans, files that are read in pieces, and databases alike", {
  d <- scored_table(200, 4)
  steps <- sieve(
    include(row_at_least(2, a:e, it >= 1)),
    work_out(
      k = row_count(a:e, it >= 1, unknown = "no"),
      m = row_mean(a:e, needs = 3),
      s = row_sd(a:e),
      md = row_median(a:e)
    )
  )
  plain <- quiet(pour(d, steps))$rows
  plan <- tempfile(fileext = ".yaml")
  write_sieve(steps, plan)
  expect_identical(quiet(pour(d, read_sieve(plan)))$rows, plain)
  path <- tempfile(fileext = ".csv")
  write_table(d, path)
  withr::with_options(list(neatsieve.sieve_file_bytes = 1), {
    expect_equal(
      quiet(pour(path, steps))$rows, plain,
      ignore_attr = "row.names"
    )
  })
  skip_if_not_installed("RSQLite")
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "d", d)
  expect_equal(
    quiet(pour(study(database(con, "d")), steps))$rows,
    plain,
    ignore_attr = "row.names"
  )
})

test_that("slips in scores are told", {
  d <- data.frame(a = 1, b = 2)
  refused <- function(step, said) {
    expect_error(pour(d, step), said, class = "neatsieve_error_expression")
  }
  refused(work_out(k = row_count(a, b)), "needs a condition on `it`")
  refused(work_out(k = row_count(a, b, it + 1)), "is not a condition")
  refused(
    work_out(k = row_count(a, b, it > 1, unknown = "maybe")),
    "`unknown` of `row_count"
  )
  refused(
    work_out(k = row_at_least(3, a, b, it > 1)), "asks for 3 of 2 columns"
  )
  refused(work_out(k = row_at_least(a, b, it > 1)), "begins with how many")
  refused(work_out(k = row_mean(a, b, needs = 3)), "from 1 to 2")
})
