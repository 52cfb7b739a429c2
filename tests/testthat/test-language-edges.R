# The language at its edges: absent aggregates, odd names, spliced values,
# words, numbers as text.
rows_of <- function(table, ...) quiet(pour(table, ...))$rows

d <- data.frame(z = as.logical(c(NA, NA, NA)), x = 1:3)
test_that("a first condition that is absent is unknown", {
  expect_identical(nrow(rows_of(d, include(!first(z)))), 0L)
})

out <- rows_of(
  d,
  work_out(
    a = absent(first(z)),
    b = last(z),
    c = most_frequent(z),
    e = first(x > 1, absent = "carry"),
    f = is_unknown(first(z))
  )
)
test_that("a first condition that is absent is absent", {
  expect_identical(out$a, rep(TRUE, 3))
})

test_that("a last condition that is absent stays so", {
  expect_identical(out$b, rep(NA, 3))
})

test_that("a most frequent condition that is absent stays so", {
  expect_identical(out$c, rep(NA, 3))
})

test_that("a first condition that is absent is known as unknown", {
  expect_identical(out$f, rep(TRUE, 3))
})

test_that("a first condition may carry what is absent", {
  expect_identical(
    rows_of(
      data.frame(x = c(NA, 1)), work_out(e = first(x > 0, absent = "carry"))
    )$e,
    c(NA, NA)
  )
})

test_that("columns keep their names in plans, whatever they read as", {
  d <- data.frame(
    `a-b` = c(1, 1, 2),
    a = c(5, 6, 7),
    b = 1,
    `my col` = c("u", "u", "v"),
    `n*` = 1:3,
    `1st` = 3:1,
    `if` = 4:6,
    `sum(a)` = 7:9,
    check.names = FALSE
  )
  s <- sieve(
    counts(`my col`, `if`),
    statistics(a, by = "a-b"),
    absences(by = `sum(a)`),
    pick_columns(`n*`, `a-b`, `my col`, a, "1st"),
    condense(n = count(), by = c("a-b", `my col`))
  )
  first <- quiet(pour(d, s))
  expect_identical(names(first$tables$counts), c("my col", "if", "n", "share"))
  expect_identical(first$rows[["a-b"]], c(1, 2))
  for (ending in c(".yaml", ".json")) {
    path <- tempfile(fileext = ending)
    write_sieve(s, path)
    again <- quiet(pour(d, read_sieve(path)))
    expect_identical(again$rows, first$rows)
    expect_identical(again$tables, first$tables)
  }
})

test_that("spliced numbers and date-times are the same after a plan, and print as written", {
  at <- as.POSIXct("2024-05-01 12:00:00.25", tz = "Europe/Berlin")
  d <- data.frame(
    x = c(0.3, 0.1 + 0.2, 1e5, 123456789.123),
    when = at + c(-1, 0, 0.5, 1)
  )
  steps <- list(
    include(x == .(0.1 + 0.2)),
    include(x > .(c(0.1 + 0.2)), when > .(at)),
    include(when == .(at)),
    work_out(y = x - .(1 / 3), z = days_between(.(at), when)),
    include(x %in% .(c(0.1 + 0.2, 1e5))),
    include(x == 123456789.123)
  )
  for (step in steps) {
    for (ending in c(".yaml", ".json")) {
      path <- tempfile(fileext = ending)
      write_sieve(sieve(step), path)
      expect_identical(
        rows_of(d, read_sieve(path)),
        rows_of(d, step),
        info = utils::capture.output(print(step))
      )
    }
  }
  expect_identical(
    utils::capture.output(print(include(x == .(0.1 + 0.2)))),
    "keep rows where x is 0.30000000000000004"
  )
})

d <- data.frame(
  t = c("31/05/2024 14:30", "31/10/2024 02:30", "x"),
  i = c("2024-05-31T14:30:10.5", "2024-05-31T14:30Z", "2024-05-31"),
  d = as.Date(c("2024-05-31", NA, "2024-12-01"))
)
out <- rows_of(
  d,
  work_out(
    a = as_date_time(t, "Europe/Berlin", "%d/%m/%Y %H:%M"),
    b = as_date_time(i, "Europe/Berlin"),
    c = as_date_time(d, "Asia/Tokyo"),
    e = hour(a)
  )
)
test_that("a text becomes a date-time in its zone", {
  expect_identical(
    out$a,
    as.POSIXct(
      c("2024-05-31 14:30", "2024-10-31 02:30", NA),
      tz = "Europe/Berlin"
    )
  )
})

test_that("a text with a zone of its own keeps it", {
  expect_equal(
    as.numeric(out$b),
    as.numeric(as.POSIXct(
      c("2024-05-31 12:30:10", "2024-05-31 14:30:00", "2024-05-30 22:00:00"),
      tz = "UTC"
    )) +
      c(0.5, 0, 0)
  )
})

test_that("a day becomes midnight in its zone", {
  expect_identical(
    out$c, as.POSIXct(c("2024-05-31", NA, "2024-12-01"), tz = "Asia/Tokyo")
  )
})

test_that("the hour is that of the zone", {
  expect_identical(out$e, c(14L, 2L, NA))
})

test_that("a zone spelled wrong gets the nearest", {
  expect_error(
    pour(d, work_out(a = as_date_time(t, "Europe/Berln"))),
    "Europe/Berlin",
    class = "neatsieve_error_expression"
  )
})

test_that("an aggregate by an expression in `it` groups each column by itself", {
  d <- data.frame(x = c(5, 1, 5, 5), y = c(1, 1, 1, 5))
  by_hand <- function(v) stats::ave(v, v > 4, FUN = length) > 2
  expect_identical(
    rows_of(d, work_out(r = row_any(x, y, count(by = it > 4) > 2)))$r,
    by_hand(d$x) | by_hand(d$y)
  )
  expect_identical(
    rows_of(d, work_out(r = row_all(x, y, count(by = it > 4) > 2)))$r,
    by_hand(d$x) & by_hand(d$y)
  )
})

test_that("a constant has no correlation", {
  expect_identical(
    pour(
      data.frame(x = rep(0.1, 7), y = 1:7),
      statistics(r = cor(x, y), s = cor(y, x, method = "spearman"))
    )$tables$statistics[c("r", "s")] |>
      unlist() |>
      unname(),
    c(NA_real_, NA_real_)
  )
})

out <- rows_of(
  data.frame(x = c(5, -5, 0)),
  work_out(
    a = x %/% 0,
    b = as_whole(x / 0),
    c = x %% 0,
    d = (-Inf)^0.5,
    e = (-Inf)^3,
    f = as_whole(as_number("1e400"))
  )
)
test_that("division by 0 has no whole result", {
  expect_true(all(is.na(unlist(out[c("a", "b", "c", "d", "f")]))))
})

test_that("infinite values keep their sign in powers", {
  expect_identical(out$e, rep(-Inf, 3))
})

test_that("values that became absent are counted", {
  expect_match(
    quiet(pour(data.frame(x = c(1, 2)), work_out(b = as_whole(x / 0))))$notes,
    "made 2 values absent"
  )
})

k <- rows_of(
  data.frame(i = c(100000, 3, NA, 1e15)),
  work_out(
    k = as_category(i, c(1e15, 100000, 3)),
    t = as_text(i),
    j = join_text(i, "kg")
  )
)
test_that("large numbers are categories in full", {
  expect_identical(
    k$k, factor(c("100000", "3", NA, "1e+15"), c("1e+15", "100000", "3"))
  )
})

test_that("large numbers are texts in full", {
  expect_identical(k$t, c("100000", "3", NA, "1e+15"))
})

test_that("large numbers are joined in full", {
  expect_identical(k$j[1], "100000kg")
})

test_that("a long text is cut whole", {
  expect_identical(
    nchar(
      rows_of(data.frame(x = strrep("a", 2e6)), work_out(s = substring(x, 2)))$s
    ),
    1999999L
  )
})

test_that("remainders are exact", {
  skip_if_not_installed("gmp")
  x <- c(1e308, 2147483647, -7.5, 1e17, 5, -5, 0.3, 123456789012345680)
  y <- c(3, -0.7, 2, 7, Inf, Inf, 0.1, -11)
  got <- rows_of(data.frame(x = x, y = y), work_out(r = x %% y))$r
  for (i in which(is.finite(y))) {
    a <- gmp::as.bigq(x[i])
    b <- gmp::as.bigq(y[i])
    q <- a / b
    whole <- gmp::as.bigz(gmp::numerator(q)) %/%
      gmp::as.bigz(gmp::denominator(q))
    expect_equal(
      got[i],
      as.numeric(a - b * whole),
      tolerance = 1e-15,
      info = paste(x[i], y[i])
    )
  }
  expect_identical(got[5:6], c(5, Inf))
})

said <- function(step) utils::capture.output(print(step))
test_that("words follow named arguments in any order", {
  expect_identical(
    said(include(between(lo = 1, hi = 2, x = x))),
    "keep rows where x is between 1 and 2"
  )
})

test_that("words follow arguments by place", {
  expect_identical(
    said(include(contains(t, "a", FALSE))),
    "keep rows where t contains \"a\" in any case"
  )
})

test_that("words follow a pattern and its case", {
  expect_identical(
    said(include(contains(case = FALSE, pattern = "a", x = t))),
    "keep rows where t contains \"a\" in any case"
  )
})

test_that("words follow a pattern at the start", {
  expect_identical(
    said(include(startsWith(pattern = "a", x = t))),
    "keep rows where t starts with \"a\""
  )
})

words <- function(step) {
  paste(utils::capture.output(print(step)), collapse = " ")
}
test_that("words put and inside or in parentheses", {
  expect_match(
    words(include(a > 1 & b == 2 | d > 3)),
    "where (a is above 1 and b is 2) or d is above 3",
    fixed = TRUE
  )
})

test_that("words are the same with parentheses that change nothing", {
  expect_identical(
    words(include((a > 1 & b == 2) | d > 3)),
    words(include(a > 1 & b == 2 | d > 3))
  )
})

test_that("words put or inside and in parentheses", {
  expect_match(
    words(include((a > 1 | b == 2) & !absent(d))),
    "where (a is above 1 or b is 2) and not (d is absent)",
    fixed = TRUE
  )
})

test_that("words of one operator need no parentheses", {
  expect_match(
    words(include(a > 1 | b == 2 | d > 3)),
    "where a is above 1 or b is 2 or d is above 3",
    fixed = TRUE
  )
})
