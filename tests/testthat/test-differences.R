# Differences of groups against published examples, base R, and formulas written
# out again.

differences_of <- function(...) quiet(pour(...))$tables$differences

test_that("differences of shares are those of Newcombe's own examples", {
  # Newcombe (1998), Statistics in Medicine 17, 873-890, table II, method 10.
  examples <- data.frame(
    a = c(56, 9, 6, 5, 0, 0, 10, 10),
    m = c(70, 10, 7, 56, 10, 10, 10, 10),
    b = c(48, 3, 2, 0, 0, 0, 0, 0),
    n = c(80, 10, 7, 29, 20, 10, 20, 10),
    low = c(0.0524, 0.1705, 0.0582, -0.0381, -0.1611, -0.2775, 0.6791, 0.6075),
    high = c(0.3339, 0.8090, 0.8062, 0.1926, 0.2775, 0.2775, 1, 1)
  )
  for (i in seq_len(nrow(examples))) {
    e <- examples[i, ]
    d <- data.frame(
      g = rep(c("new", "old"), c(e$m, e$n)),
      yes = c(seq_len(e$m) <= e$a, seq_len(e$n) <= e$b)
    )
    line <- differences_of(
      d, differences(yes, by = g, reference = "old", ratio = TRUE)
    )
    expect_equal(round(c(line$ci_low, line$ci_high), 4), c(e$low, e$high))
    expect_equal(line$difference, e$a / e$m - e$b / e$n)
    expect_identical(line$interval, "Newcombe")
    if (e$b > 0) {
      expect_equal(line$ratio, (e$a / e$m) / (e$b / e$n))
    } else {
      expect_true(is.na(line$ratio))
    }
  }
  # Katz and others: the interval of the logarithm.
  d <- data.frame(
    g = rep(c("new", "old"), c(70, 80)),
    yes = c(1:70 <= 56, 1:80 <= 48)
  )
  line <- differences_of(
    d, differences(yes, by = g, reference = "old", ratio = TRUE, level = 0.9)
  )
  half <- stats::qnorm(0.95) * sqrt(1 / 56 - 1 / 70 + 1 / 48 - 1 / 80)
  expect_equal(
    log(c(line$ratio_low, line$ratio_high)), log(0.8 / 0.6) + c(-half, half)
  )
})

line <- differences_of(
  datasets::mtcars,
  differences(mpg, by = am, reference = 0, ratio = TRUE, level = 0.9)
)
test <- stats::t.test(mpg ~ am, datasets::mtcars, conf.level = 0.9)
test_that("the interval of a difference of means is Welch's", {
  expect_equal(c(line$ci_low, line$ci_high), -rev(as.vector(test$conf.int)))
})

a <- datasets::mtcars$mpg[datasets::mtcars$am == 1]
b <- datasets::mtcars$mpg[datasets::mtcars$am == 0]
# Both ends of Fieller's interval solve (a - r b)^2 = t^2 (va + r^2 vb).
t <- stats::qt(0.95, test$parameter)
off <- function(r) {
  (mean(a) - r * mean(b))^2 -
    t^2 * (stats::var(a) / length(a) + r^2 * stats::var(b) / length(b))
}
test_that("the lower end of a ratio of means is Fieller's", {
  expect_equal(
    line$ratio_low, stats::uniroot(off, c(0.5, line$ratio), tol = 1e-12)$root
  )
})

test_that("the upper end of a ratio of means is Fieller's", {
  expect_equal(
    line$ratio_high, stats::uniroot(off, c(line$ratio, 3), tol = 1e-12)$root
  )
})

test_that("a standardised difference has the pooled deviation", {
  expect_equal(
    line$standardized,
    (mean(a) - mean(b)) /
      sqrt(
        ((length(a) - 1) * stats::var(a) + (length(b) - 1) * stats::var(b)) /
          (nrow(datasets::mtcars) - 2)
      )
  )
})

sleep <- data.frame(
  group = as.character(datasets::sleep$group),
  id = as.integer(datasets::sleep$ID),
  extra = datasets::sleep$extra
)
line <- differences_of(
  study(sleep, unit = id),
  differences(extra, by = group, reference = "1", compare = "pairs")
)
test_that("the interval of a difference of pairs is Student's", {
  paired <- stats::t.test(sleep$extra[11:20] - sleep$extra[1:10])
  expect_equal(c(line$ci_low, line$ci_high), as.vector(paired$conf.int))
})

test_that("pairs count units", {
  expect_equal(line$n, 10L)
})

test_that("the interval of pairs is named", {
  expect_identical(line$interval, "pairs, Student")
})

test_that("units count once, with the mean of their rows, in each group of further keys", {
  hives <- demo_study()
  d <- as.data.frame(hives)
  table <- differences_of(
    hives,
    differences(
      mites_per_100,
      queen_seen,
      by = c(treatment, season),
      reference = "none",
      compare = "units"
    )
  )
  for (i in seq_len(nrow(table))) {
    line <- table[i, ]
    of <- d[d$season %in% line$season, ]
    means <- function(treatment) {
      rows <- of[of$treatment %in% treatment, ]
      m <- tapply(
        as.numeric(rows[[line$column]]),
        rows$hive,
        mean,
        na.rm = TRUE
      )
      m[!is.na(m)]
    }
    a <- means(line$treatment)
    b <- means("none")
    expect_equal(line$n, length(a))
    expect_equal(line$estimate, mean(a))
    if (length(a) > 1 && stats::var(a) + stats::var(b) > 0) {
      test <- stats::t.test(a, b)
      expect_equal(c(line$ci_low, line$ci_high), as.vector(test$conf.int))
    }
  }
  expect_match(
    problems_of(pour(
      hives, differences(honey_kg, by = treatment, reference = "none")
    )),
    "2,345 rows as independent, and they are of 121 units.*19 rows each",
    all = FALSE
  )
  expect_length(
    problems_of(pour(
      hives,
      differences(
        honey_kg,
        by = treatment, reference = "none", compare = "units"
      )
    )),
    0
  )
})

d <- data.frame(
  g = rep(c("a", "b"), c(31, 40)),
  x = round(c(stats::qexp(1:31 / 32) + 1, stats::qnorm(1:40 / 41) + 8), 3)
)
line <- differences_of(
  d, differences(x, by = g, reference = "a", show = "median", ratio = TRUE)
)
x <- split(d$x, d$g)
test_that("a difference of medians equals base R", {
  expect_equal(line$difference, stats::median(x$b) - stats::median(x$a))
})

spread <- function(x) {
  x <- sort(x)
  n <- length(x)
  c <- max(1, round((n + 1) / 2 - sqrt(n)))
  z <- stats::qnorm(1 - sum(choose(n, 0:(c - 1))) * 0.5^(n - 1) / 2 * 2 / 2)
  ((x[n - c + 1] - x[c]) / (2 * z))^2
}
test_that("the interval of a difference of medians is by order statistics", {
  half <- stats::qnorm(0.975) * sqrt(spread(x$a) + spread(x$b))
  expect_equal(c(line$ci_low, line$ci_high), line$difference + c(-half, half))
})

test_that("the interval of a ratio of medians is by order statistics", {
  half <- stats::qnorm(0.975) * sqrt(spread(log(x$a)) + spread(log(x$b)))
  expect_equal(
    log(c(line$ratio_low, line$ratio_high)), log(line$ratio) + c(-half, half)
  )
})

test_that("intervals of medians cover the difference", {
  set.seed(8)
  met <- vapply(1:300, function(i) {
    d <- data.frame(
      g = rep(c("a", "b"), each = 25),
      x = stats::rexp(50) + rep(c(0, 1), each = 25)
    )
    line <- differences_of(
      d, differences(x, by = g, reference = "a", show = "median")
    )
    line$ci_low <= 1 && 1 <= line$ci_high
  }, NA)
  expect_gt(mean(met), 0.91)
})

test_that("the interval of medians of pairs is by order statistics", {
  pairs <- data.frame(
    id = rep(1:20, 2),
    g = rep(c("a", "b"), each = 20),
    x = c(1:20, (1:20)^1.2)
  )
  line <- differences_of(
    study(pairs, unit = id),
    differences(x, by = g, reference = "a", compare = "pairs", show = "median")
  )
  change <- sort((1:20)^1.2 - 1:20)
  below <- stats::qbinom(0.025, 20, 0.5)
  expect_equal(
    c(line$difference, line$ci_low, line$ci_high),
    c(stats::median(change), change[c(below, 21 - below)])
  )
})

test_that("a figure of differences shows the numbers of the table", {
  hives <- demo_study()
  for (show in c("mean", "median")) {
    out <- quiet(pour(
      hives,
      chart_interval(
        y = mites_per_100,
        x = treatment,
        panels = season,
        show = show,
        reference = "none",
        level = 0.9
      ),
      differences(
        mites_per_100,
        by = c(treatment, season),
        reference = "none",
        show = show,
        level = 0.9
      )
    ))
    drawn <- chart_data(out, "interval")
    table <- out$tables$differences
    table <- table[match(
      paste(drawn$x, drawn$season), paste(table$treatment, table$season)
    ), ]
    expect_equal(drawn$centre, table$difference)
    expect_equal(drawn$low, table$ci_low)
    expect_equal(drawn$high, table$ci_high)
    expect_equal(drawn$n, table$n)
    expect_false("none" %in% drawn$x)
    figure <- out$figures$interval
    expect_match(figure$labels$title, "from none, by treatment")
  }
  expect_error(
    pour(hives, chart_interval(y = honey_kg, x = treatment, reference = "non")),
    "Did you mean \"none\"",
    class = "neatsieve_error_run"
  )
  expect_error(
    pour(hives, chart_interval(y = honey_kg, reference = "none")),
    "there is none",
    class = "neatsieve_error_step"
  )
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(
    con, "v", as.data.frame(hives)[c("visit_id", "treatment", "mites_per_100")]
  )
  step <- chart_interval(y = mites_per_100, x = treatment, reference = "none")
  there <- quiet(pour(
    study(database(con, table = "v", key = "visit_id")), step
  ))
  expect_equal(
    chart_data(there, "interval"),
    chart_data(quiet(pour(hives, step)), "interval")
  )
})

test_that("differences stand in plans, subsets, files and databases, and slips are told", {
  hives <- demo_study()
  plan <- sieve(differences(
    mites_per_100,
    queen_seen,
    season,
    by = treatment,
    reference = "none",
    ratio = TRUE,
    compare = "units",
    show = "median",
    level = 0.9
  ))
  out <- differences_of(hives, plan)
  path <- withr::local_tempfile(fileext = ".yaml")
  write_sieve(plan, path)
  expect_identical(differences_of(hives, read_sieve(path)), out)
  expect_identical(
    differences_of(hives, eval(parse(text = as.character(as_code(plan))))), out
  )
  step <- differences(mites_per_100, by = treatment, reference = "none")
  both <- differences_of(
    hives, subsets(s = season == "spring", t = queen_seen), step
  )
  alone <- differences_of(hives, include(season == "spring"), step)
  expect_equal(
    as.data.frame(both[both$subset == "s", -1]),
    as.data.frame(alone),
    ignore_attr = TRUE
  )
  file <- withr::local_tempfile(fileext = ".csv")
  utils::write.csv(as.data.frame(hives), file, row.names = FALSE, na = "")
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(
    con, "v", as.data.frame(hives)[c("visit_id", "treatment", "mites_per_100")]
  )
  there <- differences_of(
    study(database(con, table = "v", key = "visit_id")), step
  )
  withr::local_options(neatsieve.sieve_file_bytes = 0)
  here <- differences_of(hives, step)
  expect_equal(as.data.frame(there), as.data.frame(here), ignore_attr = TRUE)
  expect_equal(
    as.data.frame(differences_of(file, step)),
    as.data.frame(here),
    ignore_attr = TRUE
  )
  bad <- function(step, problem, class = "neatsieve_error_step") {
    expect_error(pour(hives, step), problem, class = class)
  }
  bad(
    differences(honey_kg, by = treatment, reference = "non"),
    "Did you mean \"none\"",
    "neatsieve_error_run"
  )
  bad(differences(visit_date, by = treatment, reference = "none"), "is a date")
  expect_error(
    differences(honey_kg, by = treatment),
    "needs `reference`",
    class = "neatsieve_error_step"
  )
  expect_error(
    differences(honey_kg, reference = "none"),
    "needs `by`",
    class = "neatsieve_error_step"
  )
  expect_error(
    differences(
      honey_kg,
      by = g, reference = 1, compare = "pairs", ratio = TRUE
    ),
    "no ratio",
    class = "neatsieve_error_step"
  )
  expect_error(
    pour(
      data.frame(g = 1:2, x = 1:2),
      differences(x, by = g, reference = 1, compare = "units")
    ),
    "study with a unit",
    class = "neatsieve_error_step"
  )
  # One row a group, no rows, and values that are all the same.
  one <- differences_of(
    data.frame(g = 1:2, x = 1:2), differences(x, by = g, reference = 1)
  )
  expect_identical(one$difference, 1)
  expect_true(is.na(one$ci_low))
  same <- differences_of(
    data.frame(g = rep(1:2, 3), x = 5), differences(x, by = g, reference = 1)
  )
  expect_identical(c(same$difference, same$ci_low, same$ci_high), c(0, 0, 0))
})
