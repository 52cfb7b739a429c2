# Months between dates, and numbers under names.

test_that("months are counted as calendars do", {
  withr::local_seed(1)
  some <- function(n) as.Date("2019-12-01") + sample(2500, n, TRUE)
  d <- data.frame(from = some(400), to = some(400))
  d$from[3] <- NA
  # The number of anniversaries of the day of the month, walked one by one.
  passed <- function(from, to) {
    if (is.na(from) || is.na(to)) return(NA_real_)
    if (to < from) return(-passed(to, from))
    day <- as.POSIXlt(from)$mday
    month <- as.POSIXlt(from)$mon + 12 * as.POSIXlt(from)$year
    n <- 0
    repeat {
      next_month <- month + n + 1
      first <- ISOdate(1900 + next_month %/% 12, next_month %% 12 + 1, 1)
      if (as.Date(first) + day - 1 > to &&
        as.POSIXlt(to)$mon + 12 * as.POSIXlt(to)$year <= next_month) {
        return(n)
      }
      n <- n + 1
    }
  }
  out <- quiet(pour(
    d,
    work_out(m = months_between(from, to), t = months_between("2021-06-15", to))
  ))$rows
  expect_equal(out$m, unlist(Map(passed, d$from, d$to)) + 0)
  expect_equal(
    out$t, vapply(d$to, function(to) passed(as.Date("2021-06-15"), to), 0) + 0
  )
  edges <- data.frame(
    from = as.Date(c("2024-01-31", "2024-01-31", "2023-02-28", "2024-03-01")),
    to = as.Date(c("2024-02-29", "2024-03-01", "2024-02-28", "2024-01-31"))
  )
  expect_equal(
    quiet(pour(edges, work_out(m = months_between(from, to))))$rows$m,
    c(0, 1, 12, -1)
  )
  skip_if_not_installed("RSQLite")
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  path <- tempfile(fileext = ".csv")
  write_table(d, path)
  DBI::dbWriteTable(
    con, "d", transform(d, from = as.character(from), to = as.character(to))
  )
  there <- study(database(con, "d"), kinds = list(from = "date", to = "date"))
  expect_equal(
    quiet(pour(there, work_out(m = months_between(from, to))))$rows$m, out$m
  )
})

d <- data.frame(k = c(0, 1, 2.5, NA, 1))
test_that("numbers are put under names, and others stay as texts", {
  out <- quiet(pour(d, work_out(l = relabel(k, c("no" = 0, "yes" = 1)))))$rows$l
  expect_identical(out, c("no", "yes", "2.5", NA, "yes"))
})

test_that("numbers need new names", {
  expect_error(
    pour(d, work_out(l = relabel(k, c(0, 1)))),
    "needs a new name",
    class = "neatsieve_error_expression"
  )
})

test_that("two numbers need two names", {
  expect_error(
    pour(d, work_out(l = relabel(k, c("a" = 1, "b" = 1)))), "needs a new name"
  )
})

test_that("months are added to the clock of a zone, and to its calendar", {
  for (zone in c("UTC", "Europe/Berlin", "America/New_York", "Australia/Lord_Howe", "")) {
    withr::local_seed(2)
    at <- as.POSIXct("2020-01-01", tz = "UTC") +
      sort(stats::runif(500)) * 86400 * 900
    attr(at, "tzone") <- zone
    d <- data.frame(at, k = sample(-13:14, 500, TRUE))
    made <- quiet(pour(d, work_out(y = add_months(at, k))))$rows$y
    expect_identical(attr(made, "tzone"), zone)
    # By the parts of the clock, put together again.
    lt <- as.POSIXlt(at, tz = zone)
    month <- lt$mon + d$k
    year <- lt$year + 1900 + month %/% 12
    month <- month %% 12 + 1
    last <- as.POSIXlt(
      as.Date(ISOdate(year + (month == 12), month %% 12 + 1, 1)) - 1
    )$mday
    wanted <- sprintf(
      "%04d-%02d-%02d %s",
      as.integer(year),
      as.integer(month),
      as.integer(pmin(lt$mday, last)),
      format(at, "%H:%M:%S", tz = zone)
    )
    other <- format(made, "%Y-%m-%d %H:%M:%S", tz = zone) != wanted
    # Those alone differ whose hour the clocks skip: they are moved on.
    skipped <- is.na(as.POSIXct(wanted, tz = zone, optional = TRUE)) |
      format(as.POSIXct(wanted, tz = zone), "%Y-%m-%d %H:%M:%S") != wanted
    expect_lte(sum(other), 3)
    expect_true(all(skipped[other]))
  }
  berlin <- function(text) as.POSIXct(text, tz = "Europe/Berlin")
  d <- data.frame(
    at = berlin(c(
      "2023-09-29 02:30", "2023-02-26 02:30", "2024-02-29 12:00", NA
    ))
  )
  out <- quiet(pour(
    d,
    work_out(
      a = add_months(at, 1),
      b = add_months(at, 12),
      half = add_months(at, 0.5)
    )
  ))$rows
  # Of an hour shown twice the first, which is that of summer time.
  expect_identical(format(out$a[1], "%H:%M %z"), "02:30 +0200")
  expect_identical(format(out$a[2], "%F %H:%M"), "2023-03-26 03:30")
  expect_identical(format(out$b[3], "%F %H:%M"), "2025-02-28 12:00")
  expect_true(all(is.na(out$half)) && is.na(out$a[4]))
  late <- quiet(pour(d, include(add_months(at, 12) > "2024-10-01")))$rows
  expect_identical(nrow(late), 1L)
})
