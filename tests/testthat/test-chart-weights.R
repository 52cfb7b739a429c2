# Weights of charts: those of 1 change nothing, repeats are the rows repeated,
# and what is drawn agrees with base R.

weighted_rows <- function(n, seed) {
  set.seed(seed)
  data.frame(
    x = round(stats::rnorm(n, 10, 4), 1),
    g = sample(c("a", "b", "c"), n, TRUE),
    h = sample(c("one", "two"), n, TRUE),
    w = sample(c(1:4, 0L, NA), n, TRUE),
    one = 1,
    p = round(stats::rexp(n), 2),
    t = sample(2001:2004, n, TRUE)
  )
}
weighted_charts <- function(w) {
  eval(substitute(
    list(
      bar = chart_bar(x = g, y = mean(x), colour = h, weights = w),
      heat = chart_heat(x = g, y = h, value = share(x > 9), weights = w),
      line = chart_line(x = t, y = mean(x), colour = h, weights = w),
      histogram = chart_histogram(
        x = x, colour = g, panels = h, width = 2, weights = w
      ),
      box = chart_box(y = x, x = g, order = "falling", weights = w),
      violin = chart_violin(y = x, x = g, bandwidth = 1, weights = w),
      density = chart_density(x = x, colour = g, bandwidth = 2, weights = w),
      cumulative = chart_cumulative(x = x, colour = g, panels = h, weights = w),
      interval = chart_interval(y = x, x = g, panels = h, weights = w)
    ),
    list(w = substitute(w))
  ))
}
drawn_by <- function(d, chart) {
  chart <- inner_state(quiet(pour(d, chart)))$charts[[1]]
  # Weighted quartiles are of type 2, others of type 7.
  chart$parts$quartiles <- NULL
  list(
    data = chart$data,
    parts = chart$parts,
    levels = chart$levels,
    panels = chart$panels
  )
}

test_that("weights of 1 draw what no weights draw", {
  d <- weighted_rows(400, 1)
  d$x[c(3, 90)] <- NA
  plain <- weighted_charts(NULL)
  for (kind in c("sampling", "repeats")) {
    weighed <- switch(kind,
      sampling = weighted_charts(sampling(one)),
      weighted_charts(repeats(one))
    )
    for (name in setdiff(names(plain), "box")) {
      a <- drawn_by(d, plain[[name]])
      b <- drawn_by(d, weighed[[name]])
      if (name == "histogram") {
        expect_equal(b$data$weight, as.numeric(a$data$count))
        expect_equal(b$data$n, a$data$count)
        a$data$count <- b$data$n <- b$data$weight <- NULL
      }
      expect_equal(b, a, info = paste(kind, name), tolerance = 1e-9)
    }
  }
  bar <- drawn_by(d, chart_bar(x = g, colour = h, weights = one))
  expect_equal(bar$data, drawn_by(d, chart_bar(x = g, colour = h))$data)
})

d <- weighted_rows(300, 2)
times <- ifelse(is.na(d$w), 0, d$w)
many <- d[rep(seq_len(nrow(d)), times), ]
weighed <- weighted_charts(repeats(w))
test_that("repeats draw what the rows repeated draw", {
  plain <- weighted_charts(NULL)
  for (name in setdiff(names(plain), "box")) {
    a <- drawn_by(many, plain[[name]])
    b <- drawn_by(d, weighed[[name]])
    if (name == "histogram") a$data$n <- NULL
    same <- setdiff(intersect(names(a$data), names(b$data)), c("n", "absent"))
    expect_equal(
      as.list(b$data[same]),
      as.list(a$data[same]),
      info = name,
      tolerance = 1e-9
    )
    expect_identical(b$levels, a$levels, info = name)
  }
})

test_that("boxes and bandwidths of repeats are those of the rows repeated", {
  boxes <- drawn_by(d, weighed$box)$data
  for (i in seq_len(nrow(boxes))) {
    x <- many$x[many$g == boxes$x[i]]
    q <- stats::quantile(x, 1:3 / 4, type = 2, names = FALSE)
    expect_equal(
      unlist(boxes[i, c("q1", "median", "q3")], use.names = FALSE), q
    )
    inside <- x[x >= q[1] - 1.5 * diff(q[c(1, 3)]) &
      x <= q[3] + 1.5 * diff(q[c(1, 3)])]
    expect_equal(c(boxes$lower[i], boxes$upper[i]), range(inside))
    expect_identical(boxes$n[i], sum(d$g == boxes$x[i] & !is.na(d$w)))
  }
  # Silverman's bandwidth, with quartiles of type 2.
  widths <- inner_state(quiet(pour(
    d, chart_density(x = x, weights = repeats(w))
  )))$charts[[1]]
  spread <- min(
    stats::sd(many$x),
    diff(stats::quantile(many$x, c(0.25, 0.75), type = 2, names = FALSE)) / 1.34
  )
  expect_equal(widths$parts$bandwidth$bandwidth, 0.9 * spread * nrow(many)^-0.2)
})

sums <- drawn_by(d, chart_bar(x = g, weights = w))$data
test_that("bars of weights are sums", {
  expect_equal(sums$value, as.vector(tapply(d$w, d$g, sum, na.rm = TRUE)))
})

test_that("bars of weights count rows, too", {
  expect_identical(sums$n, as.vector(tapply(!is.na(d$w), d$g, sum)))
})

d <- weighted_rows(250, 3)
there <- !is.na(d$p)
bins <- drawn_by(d, chart_histogram(x = x, width = 2, weights = p))$data
test_that("bins of weights are sums by hand", {
  expect_equal(
    bins$weight,
    vapply(seq_len(nrow(bins)), function(i) {
      last <- i == nrow(bins)
      sum(
        d$p[d$x >= bins$from[i] & (d$x < bins$to[i] | last & d$x == bins$to[i])]
      )
    }, 0)
  )
})

test_that("bins of weights hold all weight", {
  expect_equal(sum(bins$weight), sum(d$p))
})

test_that("weighted cumulative shares are by hand", {
  shares <- drawn_by(d, chart_cumulative(x = x, weights = p))$data
  expect_equal(
    shares$share, vapply(shares$x, function(v) sum(d$p[d$x <= v]) / sum(d$p), 0)
  )
})

test_that("a weighted density is the mean of kernels", {
  curve <- drawn_by(d, chart_density(x = x, bandwidth = 1.5, weights = p))$data
  expect_equal(
    curve$density,
    vapply(curve$x, function(v) {
      stats::weighted.mean(stats::dnorm(v, d$x, 1.5), d$p)
    }, 0)
  )
})

means <- drawn_by(d, chart_interval(y = x, x = g, weights = sampling(p)))$data
test_that("weighted means equal lm()", {
  fit <- stats::lm(x ~ 0 + g, d, weights = p)
  expect_equal(means$centre, unname(stats::coef(fit)))
})

test_that("weighted intervals are those of the table", {
  # The same as in a table.
  table <- pour(
    d, statistics(low = ci_low(x), by = g, weights = sampling(p))
  )$tables$statistics
  expect_equal(means$low, table$low)
})

d <- weighted_rows(60, 4)
said <- problems_of(
  out <- pour(d, chart_box(y = x, x = g, weights = sampling(w)))
)
test_that("rows without a weight are counted in a note", {
  expect_match(
    said,
    paste0("`w` is absent in ", sum(is.na(d$w)), " rows: not in the figure"),
    all = FALSE
  )
})

test_that("the caption says what a figure is weighted by", {
  caption <- inner_state(out)$charts[[1]]$caption
  expect_match(
    caption,
    paste0("Weighted by w (sum ", sum(d$w, na.rm = TRUE), ")."),
    fixed = TRUE
  )
})

test_that("panels count rows without a weight", {
  expect_identical(
    sum(inner_state(out)$charts[[1]]$panels$absent), sum(is.na(d$w))
  )
})

test_that("a note says how weights are taken", {
  expect_match(
    problems_of(pour(d, chart_interval(y = x, x = g, weights = p))),
    "taken as sampling weights",
    all = FALSE
  )
})

test_that("medians with intervals take no weights", {
  expect_error(
    pour(
      d, chart_interval(y = x, x = g, show = "median", weights = repeats(w))
    ),
    "takes no weights",
    class = "neatsieve_error_step"
  )
})

test_that("lines of rows take no weights", {
  expect_error(
    pour(d, chart_line(x = t, y = x, lines = g, weights = w)),
    "a value of each row",
    class = "neatsieve_error_step"
  )
})

d$w[2] <- -1L
test_that("a weight that is no number, and one that is negative, are refused", {
  expect_error(
    pour(d, chart_bar(x = g, weights = h)),
    "takes a number for each row",
    class = "neatsieve_error_expression"
  )
  wrong <- expect_error(
    quiet(pour(d, chart_histogram(x = x, weights = sampling(w)))),
    "negative in places",
    class = "neatsieve_error_run"
  )
  expect_match(conditionMessage(wrong), "include(w >= 0)", fixed = TRUE)
})

test_that("the condition for negative weights helps", {
  expect_no_error(quiet(pour(
    d, include(w >= 0), chart_histogram(x = x, weights = sampling(w))
  )))
})

test_that("the most frequent value takes no weights", {
  expect_error(
    quiet(pour(d, chart_bar(x = g, y = mode(x), weights = p))),
    class = "neatsieve_error"
  )
})

test_that("weighted charts stand in plans, subsets, panels of subsets and databases", {
  d <- weighted_rows(200, 5)
  charts <- weighted_charts(sampling(p))
  plain <- do.call(sieve, unname(charts))
  path <- withr::local_tempfile(fileext = ".yaml")
  write_sieve(plain, path)
  expect_identical(format(read_sieve(path)), format(plain))
  expect_output(print(plain), "weighted by sampling\\(p\\)")
  both <- subsets(low = x < 10, high = x >= 8)
  for (name in names(charts)) {
    each <- inner_state(quiet(pour(d, both, charts[[name]])))$charts[[1]]
    alone <- drawn_by(subset(d, x < 10), charts[[name]])
    if (name != "histogram") {
      expect_equal(unclass(each)$low$data, alone$data, info = name)
    }
  }
  side <- drawn_by(
    d,
    sieve(
      both, chart_bar(x = g, y = mean(x), panels = subsets(), weights = 2 * p)
    )
  )$data
  expect_equal(
    side$value[side$subset == "low"],
    as.vector(by(subset(d, x < 10), d$g[d$x < 10], function(r) {
      stats::weighted.mean(r$x, r$p)
    }))
  )
  skip_if_not_installed("RSQLite")
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "d", d)
  there <- quiet(study(database(con, table = "d")))
  for (name in names(charts)) {
    expect_equal(
      drawn_by(there, charts[[name]]), drawn_by(d, charts[[name]]),
      info = name
    )
  }
})
