# Extreme numbers, long expressions, wide tables, awkward plans: right, or an
# error that says what to do.

test_that("aggregates of extreme doubles are those of exact arithmetic or base R", {
  skip_if_not_installed("gmp")
  set.seed(31)
  hard <- c(
    1e308, -1e308, 1.7e308, -1.7e308, 5e-324, -5e-324, 1e-310, 0, -0, 1, -1,
    1e15, 1e-300, 3, 0.1
  )
  near <- function(got, wanted, digits = 13) {
    if (is.na(wanted) || is.na(got)) return(is.na(wanted) && is.na(got))
    if (is.infinite(wanted) || is.infinite(got)) {
      return(
        got == wanted ||
          (abs(wanted) > 1.79e308 &&
            is.infinite(got) &&
            sign(got) == sign(wanted))
      )
    }
    abs(got - wanted) <= 10^-digits * abs(wanted) + 1e-323
  }
  n_rounds <- rounds_of(120, 20)
  drawn <- lapply(
    seq_len(n_rounds), function(round) sample(hard, sample(2:9, 1), TRUE)
  )
  of_round <- data.frame(
    x = unlist(drawn),
    round = rep(seq_len(n_rounds), lengths(drawn))
  )
  shown <- c(
    "sum", "mean", "var", "sd", "min", "max", "median", "q1", "q3",
    "count_different", "first", "last", "skewness", "kurtosis"
  )
  all <- quiet(pour(
    of_round, statistics(x, by = round, show = .(shown))
  ))$tables$statistics
  expect_identical(all$round, seq_len(n_rounds))
  for (round in seq_len(n_rounds)) {
    x <- drawn[[round]]
    got <- as.list(as.data.frame(all)[round, ])
    q <- gmp::as.bigq(x)
    # The sum of what stands there, up to its own rounding: no digits are lost
    # to overflow on the way.
    size <- sum(abs(q))
    # A result has at most the error of its own rounding, which for the smallest
    # numbers is one of them.
    error_of <- function(v, exact) {
      if (is.finite(v)) {
        as.numeric(
          (abs(gmp::as.bigq(v) - exact) - gmp::as.bigq(5e-324)) /
            (size + gmp::as.bigq(5e-324))
        )
      } else {
        0
      }
    }
    expect_lte(error_of(got$sum, sum(q)), 1e-14)
    expect_lte(error_of(got$mean, sum(q) / length(x)), 1e-14)
    if (abs(sum(q)) < gmp::as.bigq(1.7e308)) {
      expect_true(is.finite(got$sum), info = deparse(x))
    }
    expect_true(is.finite(got$mean), info = deparse(x))
    exact <- sum((q - sum(q) / length(x))^2) / (length(x) - 1)
    limit <- gmp::as.bigq(1.79e308)
    if (exact < limit) {
      expect_true(near(got$var, as.numeric(exact), 12), info = deparse(x))
    } else {
      expect_identical(got$var, Inf, info = deparse(x))
    }
    expect_identical(c(got$min, got$max), range(x))
    expect_equal(got$median, stats::median(x), info = deparse(x))
    expect_identical(got$count_different, length(unique(x)))
    expect_identical(c(got$first, got$last), c(x[1], x[length(x)]))
    # Shapes do not depend on the measure: those of the values brought near 1.
    scaled <- x / 2^(floor(log2(max(abs(x)))))
    d <- scaled - mean(scaled)
    m <- function(k) mean(d^k)
    if (m(2) > 1e-200 && max(abs(x)) > 0) {
      expect_equal(
        got$skewness, m(3) / m(2)^1.5,
        tolerance = 1e-9, info = deparse(x)
      )
      expect_equal(
        got$kurtosis, m(4) / m(2)^2 - 3,
        tolerance = 1e-9, info = deparse(x)
      )
    }
  }
  odd <- data.frame(
    g = rep(c("inf", "both", "nan"), each = 3),
    x = c(1, Inf, 2, Inf, -Inf, 0, NaN, NA, 3)
  )
  t <- pour(
    odd,
    statistics(x, by = g, show = c("sum", "mean", "var", "min", "max", "iqr"))
  )$tables$statistics
  for (k in unique(odd$g)) {
    v <- odd$x[odd$g == k & !is.na(odd$x)]
    mine <- t[t$g == k, ]
    plain <- c(
      sum(v), mean(v), stats::var(v), min(v), max(v),
      if (length(v)) stats::IQR(v)
    )
    plain[is.nan(plain)] <- NA
    expect_equal(
      unlist(
        mine[c("sum", "mean", "var", "min", "max", "iqr")],
        use.names = FALSE
      ),
      plain,
      info = k
    )
  }
})

x <- c(
  -7.5, 7.5, 0, -0, NA, Inf, -Inf, 123456.123456789, 0.15, 2.5, -1234.56785,
  1e-7, 5.015
)
out <- quiet(pour(
  data.frame(x = x),
  work_out(
    a = x %/% Inf,
    b = x %/% -Inf,
    r = round(x, 10),
    s = round(x, 2),
    t = round(x, -2)
  )
))$rows
finite <- is.finite(x)
test_that("whole quotients by Inf are R's", {
  expect_equal(out$a[finite], ifelse(x[finite] < 0, -1, 0))
})

test_that("whole quotients by -Inf are R's", {
  expect_equal(out$b[finite], ifelse(x[finite] > 0, -1, 0))
})

test_that("rounding is R's", {
  for (d in list(c("r", 10), c("s", 2), c("t", -2))) {
    expect_identical(
      out[[d[1]]][!is.na(x)], round(x[!is.na(x)], as.numeric(d[2])),
      info = d[1]
    )
  }
})

days <- structure(c(1e300, -1e300, 1e13, NA, 0, -719528), class = "Date")
dated <- pour(
  data.frame(d = days),
  work_out(y = year(d), w = week(d), s = start_of(d, "month"))
)$rows
test_that("years beyond all calendars are absent", {
  expect_identical(dated$y, c(NA, NA, NA, NA, 1970L, 0L))
})

test_that("starts of months beyond all calendars are absent", {
  expect_identical(is.na(dated$s), c(TRUE, TRUE, TRUE, TRUE, FALSE, FALSE))
})

test_that("infinities are counted as values", {
  expect_identical(
    pour(data.frame(x = c(Inf, Inf, -Inf)), counts(x))$tables$counts$n, 1:2
  )
})

test_that("charts of extreme numbers end, with a figure or an error of ours", {
  draw <- function(x, step) {
    tryCatch(
      {
        drawn(quiet(pour(data.frame(x = x), step))$figures[[1]])
        "drawn"
      },
      neatsieve_error_run = function(e) "ours"
    )
  }
  zeros <- c(rep(0, 3000), 1e200)
  for (step in list(
    chart_density(x = x),
    chart_violin(y = x),
    chart_density(x = x, bandwidth = 1e308)
  )) expect_identical(draw(zeros, step), "ours")
  expect_identical(
    draw(c(1e18, 1e18 + 128, 1e18 + 256), chart_histogram(x = x)), "drawn"
  )
  expect_identical(
    draw(c(1e18, 1e18 + 128), chart_histogram(x = x, width = 1)), "ours"
  )
  for (x in list(1e308, c(1e308, -1e308), c(5e-324, 0), 1e306)) {
    for (step in list(
      chart_histogram(x = x),
      chart_box(y = x),
      chart_strip(y = x),
      chart_cumulative(x = x)
    )) {
      expect_true(suppressWarnings(draw(x, step)) %in% c("drawn", "ours"))
    }
  }
})

test_that("a data frame that is broken is refused before it is read", {
  broken <- structure(
    list(
      x = 1:3,
      f = structure(c(1L, 9L, 2L), levels = c("a", "b"), class = "factor")
    ),
    class = "data.frame",
    row.names = 1:3
  )
  short <- structure(
    list(x = 1:3, y = 1:2),
    class = "data.frame",
    row.names = 1:3
  )
  tall <- structure(
    list(x = 1:3, m = matrix(1:8, 4), l = list(1, 2)),
    class = "data.frame",
    row.names = 1:3
  )
  for (bad in list(broken, short, tall)) {
    expect_error(study(bad), class = "neatsieve_error_study")
    expect_error(pour(bad, include(x > 1)), class = "neatsieve_error_study")
  }
  expect_error(study(broken), "`f` is a broken category")
  expect_error(study(tall), "`m` has 4 values, and the table 3 rows")
})

d <- data.frame(x = c(1, 5, NA), y = c(TRUE, FALSE, NA))
long <- function(text, n, sep) paste(rep(text, n), collapse = sep)
test_that("thousands of parts work in a condition and survive a plan file", {
  parts <- rounds_of(5000, 300)
  for (sign in c(" & ", " | ")) {
    out <- quiet(pour(d, include(written(long("x > 2", parts, sign)))))
    expect_identical(out$rows$x, 5)
  }
  plan <- tempfile(fileext = ".yaml")
  write_sieve(out$sieve, plan)
  expect_identical(unclass(read_sieve(plan))[[1]], unclass(out$sieve)[[1]])
})

sums <- quiet(pour(
  d,
  work_out(
    a = written(long("x", 5000, " + ")),
    b = written(long("x", 301, " - ")),
    c = written(paste0(strrep("-", 5001), "x"))
  )
))$rows
test_that("a sum of thousands of parts is worked out", {
  expect_equal(sums$a, 5000 * d$x)
})

test_that("a difference of hundreds of parts is worked out", {
  expect_equal(sums$b, -299 * d$x)
})

test_that("thousands of signs are worked out", {
  expect_equal(sums$c, -d$x)
})

test_that("an even number of negations is none", {
  expect_identical(
    quiet(pour(d, include(written(paste0(strrep("!", 200), "y")))))$rows$y, TRUE
  )
})

test_that("an odd number of negations is one", {
  expect_identical(
    quiet(pour(d, include(written(paste0(strrep("!", 201), "y")))))$rows$y,
    FALSE
  )
})

test_that("brackets that are nested too deep are refused", {
  expect_error(
    pour(
      d, include(written(paste0(strrep("(", 300), "x > 1", strrep(")", 300))))
    ),
    "nested more than 50 deep",
    class = "neatsieve_error_expression"
  )
})

test_that("a condition of too many parts is refused", {
  expect_error(
    pour(d, include(written(long("x > 1", 6000, " & ")))),
    "more than 5,000 parts",
    class = "neatsieve_error_expression"
  )
})

test_that("a long sum is taken from left to right", {
  # The order of the parts of a chain is that written.
  set.seed(4)
  v <- stats::rnorm(50, 0, 10^stats::runif(50, -8, 8))
  w <- as.data.frame(t(v))
  text <- paste0(
    "V1", paste0(sample(c(" + ", " - "), 49, TRUE), "V", 2:50, collapse = "")
  )
  expect_identical(
    pour(w, work_out(s = written(text)))$rows$s, eval(str2lang(text), w)
  )
})

test_that("a long range is answered by its ends, and a range too long elsewhere is an error", {
  d <- data.frame(a = c(1, 5e8, 2.5, NA, 3e9, 0, 2e9))
  expect_identical(pour(d, include(a %in% 1:2000000000))$rows$a, c(1, 5e8, 2e9))
  expect_identical(
    quiet(pour(d, exclude(a %in% 1:2000000000)))$rows$a, c(2.5, NA, 3e9, 0)
  )
  expect_error(
    pour(d, include(a == 1:2000000000)),
    "between",
    class = "neatsieve_error_expression"
  )
})

test_that("a pattern that the matcher gives up on is an error with its row", {
  d <- data.frame(t = c("ok", "fine", paste0(strrep("a", 30), "b")))
  expect_error(
    pour(d, include(matches(t, "^(a+)+$"))),
    "limit on the text of row 3",
    class = "neatsieve_error_run"
  )
  expect_error(
    pour(d, work_out(u = replace_text(t, "^(a+)+$", "x", regex = TRUE))),
    "limit on the text of row 3",
    class = "neatsieve_error_run"
  )
})

test_that("thousands of columns are looked at and summarised, and printed within the terminal", {
  n <- rounds_of(10000L, 1500L)
  w <- as.data.frame(matrix(seq_len(3 * n) / 7, 3))
  t <- pour(w, statistics())$tables$statistics
  expect_identical(nrow(t), n)
  expect_equal(t$mean, unname(vapply(w, mean, 0)))
  expect_lt(length(utils::capture.output(print(look(w)))), 400)
  expect_true(all(
    nchar(utils::capture.output(print(pour(w, include(V1 > 0))))) <= 80
  ))
})
