# Weights: frequencies against rows repeated, sampling weights against formulas
# written out again and a regression's own sandwich, clusters and strata against
# closed forms.

weighted_table <- function(seed, n = 80) {
  set.seed(seed)
  gone <- function(x, k) replace(x, sample(n, k), NA)
  data.frame(
    g = gone(sample(c("a", "b"), n, TRUE), 5),
    x = gone(round(stats::rnorm(n, 10, 3), 2), 8),
    k = gone(sample(6L, n, TRUE), 6),
    yes = gone(sample(c(TRUE, FALSE), n, TRUE), 7),
    w = gone(sample(0:4, n, TRUE), 4),
    p = round(stats::runif(n, 0.5, 5), 2),
    cl = sample(12, n, TRUE),
    st = NA
  )
}
stats_of <- function(...) as.data.frame(quiet(pour(...))$tables$statistics)

test_that("frequencies give what the rows repeated give", {
  for (seed in 1:6) {
    d <- weighted_table(seed)
    long <- d[rep(seq_len(nrow(d)), ifelse(is.na(d$w), 0, d$w)), ]
    mine <- stats_of(
      d,
      statistics(
        m = mean(x, weights = repeats(w)),
        v = var(x, weights = repeats(w)),
        s = sd(k, weights = repeats(w)),
        e = se(x, weights = repeats(w)),
        lo = ci_low(x, weights = repeats(w)),
        hi = ci_high(k, level = 0.9, weights = repeats(w)),
        sh = share(yes, weights = repeats(w)),
        plo = ci_low(yes, weights = repeats(w)),
        phi = ci_high(yes, weights = repeats(w)),
        by = g,
        with_n = FALSE
      )
    )
    plain <- stats_of(
      long,
      statistics(
        m = mean(x),
        v = var(x),
        s = sd(k),
        e = se(x),
        lo = ci_low(x),
        hi = ci_high(k, level = 0.9),
        sh = share(yes),
        plo = ci_low(yes),
        phi = ci_high(yes),
        by = g,
        with_n = FALSE
      )
    )
    expect_equal(mine[-(1:2)], plain[-(1:2)])
    table <- stats_of(d, statistics(x, k, weights = repeats(w), by = g))
    whole <- stats_of(long, statistics(x, k, by = g))
    for (name in c("mean", "sd", "min", "max")) {
      expect_equal(table[[name]], whole[[name]])
    }
    expect_equal(table$weight, as.numeric(whole$n))
    expect_equal(table$n, stats_of(d, statistics(x, k, by = g))$n)
    medians <- vapply(seq_len(nrow(whole)), function(i) {
      v <- long[[whole$column[i]]][if (is.na(whole$g[i])) is.na(long$g) else long$g %in% whole$g[i]]
      unname(stats::quantile(v, 0.5, type = 2, na.rm = TRUE))
    }, 0)
    expect_equal(table$median, medians)
  }
})

test_that("sampling weights have the linearised error, which is a regression's sandwich", {
  for (seed in 1:5) {
    d <- weighted_table(seed)
    mine <- stats_of(
      d,
      statistics(
        m = mean(x, weights = sampling(p)),
        v = var(x, weights = sampling(p)),
        e = se(x, weights = sampling(p)),
        lo = ci_low(x, weights = sampling(p)),
        plo = ci_low(yes, weights = sampling(p)),
        by = g,
        with_n = FALSE
      )
    )
    for (i in seq_len(nrow(mine))) {
      of <- d[if (is.na(mine$g[i])) is.na(d$g) else d$g %in% mine$g[i], ]
      there <- of[!is.na(of$x), ]
      n <- nrow(there)
      fit <- stats::lm(x ~ 1, there, weights = p)
      r <- there$p * stats::residuals(fit)
      sandwich <- sqrt(sum(r^2) / sum(there$p)^2 * n / (n - 1))
      expect_equal(mine$m[i], unname(stats::coef(fit)))
      expect_equal(mine$e[i], sandwich)
      expect_equal(
        mine$v[i],
        sum(there$p * stats::residuals(fit)^2) / sum(there$p) * n / (n - 1)
      )
      expect_equal(mine$lo[i], mine$m[i] - stats::qt(0.975, n - 1) * sandwich)
      known <- of[!is.na(of$yes), ]
      share <- sum(known$p[known$yes]) / sum(known$p)
      error <- sqrt(
        sum((known$p * (known$yes - share))^2) * nrow(known) / (nrow(known) - 1)
      ) /
        sum(known$p)
      size <- if (share %in% 0:1) nrow(known) else share * (1 - share) / error^2
      z <- stats::qnorm(0.975)
      expect_equal(
        mine$plo[i],
        (share + z^2 / (2 * size)) / (1 + z^2 / size) -
          z /
            (1 + z^2 / size) *
            sqrt(share * (1 - share) / size + z^2 / (4 * size^2))
      )
    }
  }
  # Equal weights are no weights.
  d <- weighted_table(9)
  d$one <- 2.5
  same <- stats_of(
    d,
    statistics(
      a = se(x),
      b = se(x, weights = sampling(one)),
      c = sd(k),
      d = sd(k, weights = sampling(one)),
      by = g
    )
  )
  expect_equal(same$b, same$a)
  expect_equal(same$d, same$c)
})

test_that("clusters and strata have the closed forms of their designs", {
  # Stratified draws: the error of a mean is that of the strata's means, weighed
  # by their size.
  set.seed(4)
  d <- data.frame(
    st = rep(c("s", "t", "u"), c(10, 20, 15)),
    x = round(stats::rnorm(45, 5), 2)
  )
  size <- c(s = 500, t = 300, u = 900)
  d$w <- size[d$st] / as.vector(table(d$st)[d$st])
  mine <- stats_of(
    d,
    statistics(
      e = se(x, weights = sampling(w), strata = st),
      lo = ci_low(x, weights = sampling(w), strata = st),
      m = mean(x, weights = w)
    )
  )
  of <- split(d$x, d$st)
  share <- size / sum(size)
  error <- sqrt(sum(share^2 * vapply(of, stats::var, 0) / lengths(of)))
  expect_equal(mine$e, error)
  expect_equal(mine$lo, mine$m - stats::qt(0.975, 45 - 3) * error)
  # One-stage clusters of one size: the spread of their means.
  d <- data.frame(
    cl = rep(1:9, each = 4),
    x = rep(stats::rnorm(9), each = 4) + stats::rnorm(36) / 5
  )
  mine <- stats_of(d, statistics(e = se(x, cluster = cl), plain = se(x)))
  expect_equal(mine$e, stats::sd(tapply(d$x, d$cl, mean)) / 3)
  expect_gt(mine$e, 1.5 * mine$plain)
  # Groups as domains: clusters without a row of the group count with nothing.
  d <- weighted_table(3)
  d$st <- ifelse(d$cl <= 5, "s", "t")
  mine <- stats_of(
    d,
    statistics(
      e = se(x, weights = sampling(p), cluster = cl, strata = st),
      by = g
    )
  )
  for (i in seq_len(nrow(mine))) {
    is_in <- if (is.na(mine$g[i])) is.na(d$g) else d$g %in% mine$g[i]
    is_in <- is_in & !is.na(d$x)
    mean <- sum(d$p[is_in] * d$x[is_in]) / sum(d$p[is_in])
    u <- ifelse(is_in, d$p * (d$x - mean), 0)
    sums <- tapply(u, d$cl, sum)
    strata <- ifelse(as.integer(names(sums)) <= 5, "s", "t")
    v <- sum(vapply(split(sums, strata), function(s) {
      length(s) / (length(s) - 1) * sum((s - base::mean(s))^2)
    }, 0))
    expect_equal(mine$e[i], sqrt(v) / sum(d$p[is_in]))
  }
})

test_that("weights of a step go to what has none of its own, and slips are told", {
  d <- weighted_table(5)
  one <- stats_of(
    d,
    statistics(
      x,
      m = mean(k),
      s = share(yes),
      n_yes = count_true(yes),
      own = mean(k, weights = p),
      weights = sampling(w),
      by = g,
      with_n = FALSE
    )
  )
  apart <- stats_of(
    d,
    statistics(
      m = mean(k, weights = w),
      s = share(yes, weights = w),
      n_yes = count_true(yes),
      own = mean(k, weights = p),
      by = g,
      with_n = FALSE
    )
  )
  for (name in c("m", "s", "n_yes", "own")) {
    expect_equal(one[[name]], apart[[name]])
  }
  tables <- quiet(pour(
    d, statistics(yes, weights = sampling(p), by = g)
  ))$tables
  of <- tables$statistics_categories
  known <- d[d$g %in% "a" & !is.na(d$yes), ]
  expect_equal(
    of$share[of$g %in% "a" & of$value %in% "yes"],
    sum(known$p[known$yes]) / sum(known$p)
  )
  said <- function(...) paste(problems_of(pour(d, ...)), collapse = " ")
  expect_match(said(statistics(x, weights = w)), "`w` is absent in 4 rows")
  expect_match(
    said(statistics(s = sd(x, weights = p))),
    "taken as sampling weights.*repeats\\(p\\)"
  )
  expect_false(grepl(
    "taken as", said(statistics(s = sd(x, weights = sampling(p))))
  ))
  expect_error(
    pour(d, statistics(s = mad(x), weights = w)),
    "`mad\\(\\)` takes no weights",
    class = "neatsieve_error_step"
  )
  expect_error(
    pour(d, statistics(x, by = g, reference = "a", weights = w)),
    "no `reference`",
    class = "neatsieve_error_step"
  )
  expect_error(
    pour(d, statistics(s = se(x, weights = p - 3))),
    "negative",
    class = "neatsieve_error_run"
  )
  plan <- sieve(
    statistics(x, k, by = g, weights = repeats(w)),
    statistics(e = se(x, weights = sampling(p), cluster = cl), name = "e")
  )
  path <- withr::local_tempfile(fileext = ".yaml")
  write_sieve(plan, path)
  out <- quiet(pour(d, plan))
  expect_identical(quiet(pour(d, read_sieve(path)))$tables, out$tables)
  file <- withr::local_tempfile(fileext = ".csv")
  utils::write.csv(d, file, row.names = FALSE, na = "")
  withr::local_options(neatsieve.sieve_file_bytes = 0)
  expect_equal(
    lapply(quiet(pour(file, plan))$tables, as.data.frame),
    lapply(out$tables, as.data.frame)
  )
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(
    con, "v", cbind(id = seq_len(nrow(d)), d[c("g", "x", "k", "w", "p", "cl")])
  )
  there <- quiet(pour(
    study(database(con, table = "v", key = "id")), plan
  ))$tables
  expect_equal(lapply(there, as.data.frame), lapply(out$tables, as.data.frame))
  sets <- quiet(pour(
    d,
    subsets(big = x > 10, all = present(w)),
    statistics(k, weights = repeats(w))
  ))
  alone <- stats_of(d, include(x > 10), statistics(k, weights = repeats(w)))
  expect_equal(as.data.frame(sets$tables$statistics)[1, -1], alone)
})

d <- weighted_table(6)
out <- quiet(pour(
  d,
  characteristics(
    x,
    yes,
    by = g,
    weights = sampling(p),
    numbers = c("mean (sd)", "median")
  ),
  statistics(x, yes, by = g, weights = sampling(p))
))
numbers <- as.data.frame(out$tables$characteristics_numbers)
of <- function(column, statistic, level = "") {
  numbers$value[
    numbers$g == "a" &
      numbers$column == column &
      numbers$statistic == statistic &
      numbers$level == level
  ]
}
test_that("characteristics with weights are those of statistics", {
  table <- as.data.frame(out$tables$statistics)
  line <- table[table$g %in% "a", ]
  for (s in c("mean", "sd", "median")) expect_equal(of("x", s), line[[s]])
})

test_that("characteristics show the sum of weights", {
  expect_equal(of("(weight)", "sum"), sum(d$p[d$g %in% "a"]))
})

test_that("shares with weights are those of statistics", {
  shares <- as.data.frame(out$tables$statistics_categories)
  expect_equal(
    of("yes", "share", "yes"),
    shares$share[shares$g %in% "a" & shares$value %in% "yes"]
  )
})

test_that("the line of weights has its name", {
  expect_true(
    "sum of weights" %in% as.data.frame(out$tables$characteristics)[[1]]
  )
})

test_that("characteristics with weights survive a plan file", {
  path <- withr::local_tempfile(fileext = ".yaml")
  plan <- sieve(characteristics(x, yes, by = g, weights = sampling(p)))
  write_sieve(plan, path)
  expect_identical(
    quiet(pour(d, read_sieve(path)))$tables, quiet(pour(d, plan))$tables
  )
})

d <- weighted_table(8)
test_that("correlations with weights equal base R's", {
  table <- stats_of(
    d,
    statistics(
      r = cor(x, k, weights = p),
      f = cor(x, k, weights = repeats(w)),
      by = g
    )
  )
  long <- d[rep(seq_len(nrow(d)), ifelse(is.na(d$w), 0, d$w)), ]
  for (i in seq_len(nrow(table))) {
    of <- function(rows) {
      rows[if (is.na(table$g[i])) is.na(rows$g) else rows$g %in% table$g[i], ]
    }
    both <- stats::na.omit(of(d)[c("x", "k", "p")])
    expect_equal(
      table$r[i], stats::cov.wt(both[1:2], both$p, cor = TRUE)$cor[1, 2]
    )
    again <- of(long)
    expect_equal(table$f[i], stats::cor(again$x, again$k, "complete.obs"))
  }
})

test_that("correlations of ranks take no weights", {
  expect_error(
    pour(d, statistics(r = cor(x, k, "spearman", weights = p))),
    "Pearson's correlation",
    class = "neatsieve_error_expression"
  )
})

few <- data.frame(
  g = c("a", "a", "a", "b", "b", "b"),
  t = c("u", "u", "v", "u", "v", NA)
)
test_that("ties of the most frequent value are told", {
  said <- problems_of(pour(few, statistics(m = most_frequent(t), by = g)))
  expect_match(said, "in 1 group several values are met as often", all = FALSE)
})

test_that("a single most frequent value needs no note", {
  expect_length(
    problems_of(pour(few[1:3, ], statistics(m = most_frequent(t), by = g))), 0
  )
})
