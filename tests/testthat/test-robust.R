# Trimmed means, Kendall's tau, and draws by weight, against base R and closed
# forms.

test_that("trimmed means and Kendall's tau are those of base R, group by group", {
  for (seed in 1:5) {
    set.seed(seed)
    n <- 120
    d <- data.frame(
      g = sample(c("a", "b", NA), n, TRUE),
      x = round(stats::rnorm(n), 1),
      y = sample(6L, n, TRUE)
    )
    d$x[sample(n, 15)] <- NA
    d$y[sample(n, 10)] <- NA
    table <- quiet(pour(
      d,
      statistics(
        t1 = trimmed_mean(x),
        t3 = trimmed_mean(x, 0.3),
        t5 = trimmed_mean(y, 0.5),
        t0 = trimmed_mean(x, 0),
        tau = cor(x, y, method = "kendall"),
        by = g
      )
    ))$tables$statistics
    for (i in seq_len(nrow(table))) {
      of <- d[if (is.na(table$g[i])) is.na(d$g) else d$g %in% table$g[i], ]
      expect_equal(table$t1[i], mean(of$x, trim = 0.1, na.rm = TRUE))
      expect_equal(table$t3[i], mean(of$x, trim = 0.3, na.rm = TRUE))
      expect_equal(table$t5[i], stats::median(of$y, na.rm = TRUE))
      expect_equal(table$t0[i], mean(of$x, na.rm = TRUE))
      expect_equal(
        table$tau[i], stats::cor(of$x, of$y, "complete.obs", "kendall")
      )
    }
  }
  # swiss: the published value of base R's own test.
  s <- pour(
    datasets::swiss,
    statistics(tau = cor(Fertility, Agriculture, method = "kendall"))
  )
  expect_equal(
    s$tables$statistics$tau,
    unname(
      stats::cor.test(
        datasets::swiss$Fertility,
        datasets::swiss$Agriculture,
        method = "kendall",
        exact = FALSE
      )$estimate
    )
  )
  expect_error(
    pour(d, statistics(t = trimmed_mean(x, 0.6))),
    "between 0 and 0.5",
    class = "neatsieve_error_expression"
  )
  expect_error(
    pour(d, statistics(t = cor(x, y, method = "tau"))),
    "\"kendall\"",
    class = "neatsieve_error_expression"
  )
})

test_that("rows are drawn in proportion to their weights", {
  d <- data.frame(id = 1:4, w = c(1, 2, 3, 4))
  first <- vapply(1:1500, function(seed) {
    quiet(pour(d, scoop(1, seed = seed, weights = w)))$rows$id
  }, 1L)
  share <- tabulate(first, 4) / 1500
  # Of one draw the chances are the weights; four standard errors.
  expect_true(all(
    abs(share - d$w / 10) < 4 * sqrt(d$w / 10 * (1 - d$w / 10) / 1500)
  ))
})

test_that("equal weights draw the rows drawn without", {
  large <- data.frame(id = 1:500, g = rep(c("a", "b"), 250), w = 1)
  expect_identical(
    pour(large, scoop(30, seed = 7, weights = w, by = g))$rows,
    pour(large, scoop(30, seed = 7, by = g))$rows
  )
})

d <- data.frame(id = 1:6, w = c(0, 0, 5, NA, 1, 2))
test_that("rows without a weight are told and held back, and weight 0 is never drawn", {
  expect_match(
    problems_of(out <- pour(d, scoop(5, seed = 1, weights = w))),
    "absent in 1 row",
    all = FALSE
  )
  expect_identical(out$rows$id, c(3L, 5L, 6L))
  expect_identical(
    held_back(out)$held_because, c("not scooped", "not scooped", "unknown")
  )
})

test_that("a draw by weights survives a plan file", {
  path <- withr::local_tempfile(fileext = ".yaml")
  write_sieve(sieve(scoop(2, seed = 3, weights = w)), path)
  expect_identical(
    quiet(pour(d, read_sieve(path)))$rows,
    quiet(pour(d, scoop(2, seed = 3, weights = w)))$rows
  )
})

test_that("negative weights are refused", {
  expect_error(
    pour(d, scoop(2, seed = 3, weights = w - 3)),
    "negative",
    class = "neatsieve_error_run"
  )
})

test_that("weights beside an order are refused", {
  expect_error(
    scoop(2, highest = w, weights = w),
    "are for random rows",
    class = "neatsieve_error_step"
  )
})
