# Values looked up by the interval they lie in.

test_that("a value takes the row whose interval holds it, as found one by one", {
  withr::local_seed(2)
  cuts <- lapply(c("a", "b", "c"), function(hive) {
    from <- sort(sample(1:200, 8))
    to <- pmin(from + sample(0:20, 8, TRUE), c(from[-1] - 1, NA))
    to[8] <- if (hive == "b") NA else from[8] + 5
    data.frame(hive, from, to, treatment = sample(letters, 8))
  })
  periods <- do.call(rbind, cuts)[sample(24), ]
  visits <- data.frame(
    hive = sample(c("a", "b", "c", "d", NA), 300, TRUE),
    day = sample(c(1:230, NA), 300, TRUE)
  )
  one <- function(hive, day) {
    holds <- periods$from <= day & (is.na(periods$to) | day <= periods$to)
    at <- which(periods$hive == hive & holds)
    if (length(at) == 1) periods$treatment[at] else NA_character_
  }
  expected <- unlist(Map(one, visits$hive, visits$day), use.names = FALSE)
  step <- look_up(
    periods,
    key = list(hive = "hive", day = "from"),
    nearest = "before",
    up_to = to
  )
  out <- quiet(pour(visits, step))$rows
  expect_identical(out$treatment, expected)
  expect_identical(names(out), c("hive", "day", "treatment"))
  dates <- transform(
    periods,
    from = as.Date("2024-01-01") + from,
    to = as.Date("2024-01-01") + to
  )
  dated <- transform(visits, day = as.Date("2024-01-01") + day)
  path <- tempfile(fileext = ".csv")
  write_table(dates, path)
  steps <- sieve(look_up(
    path,
    key = list(hive = "hive", day = "from"),
    nearest = "before",
    up_to = "to",
    unmatched = "hold"
  ))
  expect_identical(
    quiet(pour(dated, steps))$rows$treatment, expected[!is.na(expected)]
  )
  plan <- tempfile(fileext = ".yaml")
  write_sieve(steps, plan)
  expect_identical(
    quiet(pour(dated, read_sieve(plan)))$rows$treatment,
    expected[!is.na(expected)]
  )
})

test_that("intervals that overlap, end too early or are none are told", {
  d <- data.frame(x = 5)
  look <- function(table, ...) {
    look_up(table, key = list(x = "from"), nearest = "before", ...)
  }
  refused <- function(step, said) {
    expect_error(pour(d, step), said, class = "neatsieve_error")
  }
  two <- data.frame(from = c(1, 4), to = c(6, 9), v = c("a", "b"))
  refused(look(two, up_to = to), "reaches into the next: rows 1 and 2")
  expect_identical(
    quiet(pour(d, look(two, up_to = to, several = "first")))$rows$v, "b"
  )
  refused(
    look(data.frame(from = 3, to = 1, v = 1), up_to = to),
    "ends before it begins"
  )
  refused(look(two, up_to = end), "has no column `end`")
  refused(
    look(data.frame(from = 3, to = "z", v = 1), up_to = to),
    "Make both of one kind"
  )
  expect_error(
    look_up(two, key = list(x = "from"), up_to = "to"),
    "needs `nearest",
    class = "neatsieve_error_step"
  )
})
