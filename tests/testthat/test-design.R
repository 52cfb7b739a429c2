# The design of a study: errors that name no clusters and strata have its own.

designed_rows <- function(n, seed) {
  set.seed(seed)
  hive <- sample(12, n, TRUE)
  d <- data.frame(
    hive = sprintf("h%02d", hive),
    yard = c("a", "b", "c")[hive %% 3 + 1],
    x = round(stats::rnorm(n, hive), 2),
    g = sample(c("u", "v"), n, TRUE),
    w = round(stats::rexp(n) + 0.2, 2),
    seen = stats::runif(n) < 0.3
  )
  d$x[sample(n, 5)] <- NA
  d
}
hive_design <- list(cluster = "hive", strata = "yard")

d <- designed_rows(200, 1)
s <- study(d, design = hive_design)
test_that("a study prints its clusters and strata", {
  expect_output(print(s), "clusters by hive in strata by yard", fixed = TRUE)
})

test_that("a design of the study equals arguments of each statistic", {
  told <- pour(
    s,
    statistics(
      a = se(x),
      b = ci_low(x),
      c = ci_high(seen, level = 0.9),
      f = se(x, weights = sampling(w)),
      by = g
    )
  )$tables$statistics
  said <- pour(
    d,
    statistics(
      a = se(x, cluster = hive, strata = yard),
      b = ci_low(x, cluster = hive, strata = yard),
      c = ci_high(seen, level = 0.9, cluster = hive, strata = yard),
      f = se(x, weights = sampling(w), cluster = hive, strata = yard),
      by = g
    )
  )$tables$statistics
  expect_equal(told[c("a", "b", "c", "f")], said[c("a", "b", "c", "f")])
})

# One that names its own has no other.
own <- pour(s, statistics(a = se(x, cluster = hive)))$tables$statistics$a
test_that("a cluster in the statistic goes before the study's", {
  expect_equal(
    own, pour(d, statistics(a = se(x, cluster = hive)))$tables$statistics$a
  )
})

test_that("a cluster without strata differs from the study's design", {
  expect_false(isTRUE(all.equal(
    own, pour(s, statistics(a = se(x)))$tables$statistics$a
  )))
})

# By hand: sums of clusters around their mean in each stratum.
there <- d[!is.na(d$x), ]
u <- tapply(there$x - mean(there$x), there$hive, sum)
of <- there$yard[match(names(u), there$hive)]
by_hand <- sqrt(sum(tapply(u, of, function(v) length(v) * stats::var(v)))) /
  nrow(there)
test_that("errors with clusters and strata equal the formula", {
  expect_equal(pour(s, statistics(a = se(x)))$tables$statistics$a, by_hand)
})

test_that("an error beside each row has the design", {
  expect_equal(quiet(pour(s, work_out(e = se(x))))$rows$e[1], by_hand)
})

s <- study(designed_rows(300, 2), unit = hive, design = hive_design)
notes <- problems_of(
  out <- pour(
    s, chart_interval(y = x, x = g), statistics(low = ci_low(x), by = g)
  )
)
test_that("the interval of a figure is that of the table", {
  expect_equal(inner_state(out)$charts[[1]]$data$low, out$tables$statistics$low)
})

test_that("the caption of an interval names the design", {
  expect_match(
    inner_state(out)$charts[[1]]$caption, "clusters by hive in strata by yard"
  )
})

test_that("an interval with a design needs no note", {
  expect_identical(notes, character())
})

test_that("an interval of an expression is that of the table", {
  only <- quiet(pour(
    s, include(g == "u"), chart_interval(y = x / mean(x), x = g)
  ))
  table <- quiet(pour(
    s, include(g == "u"), work_out(r = x / mean(x)), statistics(low = ci_low(r))
  ))$tables$statistics
  expect_equal(inner_state(only)$charts[[1]]$data$low, table$low)
})

test_that("an interval per subset is that of the table", {
  side <- pour(
    s,
    subsets(low = x < 6, high = x > 5),
    chart_interval(y = x, panels = subsets())
  )
  alone <- pour(
    s, subsets(low = x < 6, high = x > 5), statistics(low = ci_low(x))
  )
  expect_equal(
    inner_state(side)$charts[[1]]$data$low, alone$tables$statistics$low
  )
})

d <- designed_rows(150, 3)
s <- study(d, design = hive_design)
test_that("columns of a design may be renamed", {
  renamed <- pour(
    s,
    pick_columns(x, g, hive, yard, renamed = list(h = hive, y = yard)),
    statistics(a = se(x))
  )
  expect_equal(
    renamed$tables$statistics$a,
    pour(s, statistics(a = se(x)))$tables$statistics$a
  )
})

gone <- problems_of(out <- pour(s, pick_columns(x, g), statistics(a = se(x))))
test_that("a note says when columns of a design are gone", {
  expect_match(
    gone,
    "does not allow for the design of the study: `hive` and `yard`",
    all = FALSE
  )
})

test_that("without its columns a design is not allowed for", {
  expect_equal(
    out$tables$statistics$a, pour(d, statistics(a = se(x)))$tables$statistics$a
  )
})

test_that("a study made of siftings keeps its design", {
  again <- study(as_study(quiet(pour(s, include(x > 2)))), unit = hive)
  expect_identical(unclass(again)$design, hive_design)
})

test_that("a design may be given anew", {
  expect_identical(
    unclass(study(s, design = list(cluster = "g")))$design, list(cluster = "g")
  )
})

test_that("a cluster spelled wrong is named", {
  expect_error(
    study(d, design = list(cluster = "hvie")),
    "hive",
    class = "neatsieve_error_study"
  )
})

test_that("an argument of a design spelled wrong is named", {
  expect_error(
    study(d, design = list(clusters = "hive")),
    "clusters and strata",
    class = "neatsieve_error_study"
  )
})

test_that("a design must be a list", {
  expect_error(
    study(d, design = "hive"),
    "design = list\\(",
    class = "neatsieve_error_study"
  )
})

test_that("a design stands in plans, files, the shell and databases", {
  d <- designed_rows(400, 4)
  folder <- withr::local_tempdir()
  file <- file.path(folder, "visits.csv")
  write_table(d, file)
  s <- study(file, design = hive_design)
  steps <- sieve(
    include(x > 1), statistics(a = se(x), b = ci_high(seen), by = g)
  )
  expected <- pour(s, steps)$tables$statistics
  plan <- file.path(folder, "plan.yaml")
  write_sieve(steps, plan, s)
  expect_match(readLines(plan), "cluster: hive", all = FALSE)
  expect_equal(pour(plan)$tables$statistics, expected)
  code <- as_code(read_sieve(plan))
  expect_match(
    code,
    'design = list(cluster = "hive", strata = "yard")',
    fixed = TRUE,
    all = FALSE
  )
  for (bytes in c(0, Inf)) {
    withr::local_options(neatsieve.sieve_file_bytes = bytes)
    expect_equal(
      quiet(pour(file, steps, design = hive_design))$tables$statistics, expected
    )
    expect_equal(quiet(pour(plan))$tables$statistics, expected)
  }
  writeLines(
    c(
      "study:", "  file: visits.csv", "  design: {clusters: hive}", "steps:",
      "  - counts: [g]"
    ),
    plan
  )
  expect_error(read_sieve(plan), "line 3", class = "neatsieve_error_plan")
  skip_if_not_installed("RSQLite")
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "d", transform(d, seen = as.integer(seen)))
  there <- quiet(study(
    database(con, table = "d"),
    design = hive_design,
    kinds = list(seen = "logical")
  ))
  expect_equal(quiet(pour(there, steps))$tables$statistics, expected)
})

# Residents and income of 25 blocks drawn from 415: Scheaffer, Mendenhall and
# Ott, Elementary Survey Sampling, 4th edition, example 8.2: mean 8801, s
# 25,189, bound 2 se = 1617 with the correction for a finite population.
m <- c(
  8, 12, 4, 5, 6, 6, 7, 5, 8, 3, 2, 6, 5, 10, 9, 3, 6, 5, 5, 4, 6, 8, 7, 3, 8
)
income <- 1000 *
  c(
    96, 121, 42, 65, 52, 40, 75, 65, 45, 50, 85, 43, 54, 49, 53, 50, 32, 22,
    45, 37, 51, 30, 39, 47, 41
  )
residents <- data.frame(block = rep(1:25, m), income = rep(income / m, m))
out <- pour(
  study(residents, design = list(cluster = "block")),
  statistics(mean = mean(income), se = se(income))
)$tables$statistics
test_that("the mean of clusters is the book's", {
  expect_identical(round(out$mean), 8801)
})

test_that("the error of a total is the book's", {
  expect_identical(round(out$se * sqrt(25) * 151 / 25), 25189)
})

test_that("the bound of a mean is the book's", {
  expect_identical(round(2 * out$se * sqrt(1 - 25 / 415)), 1617)
})

test_that("clusters as weighted rows have the same error", {
  # The same of one row for each block.
  blocks <- data.frame(x = income / m, m)
  again <- pour(
    blocks, statistics(se = se(x, weights = sampling(m)))
  )$tables$statistics
  expect_equal(again$se, out$se)
})

d <- designed_rows(100, 6)
d$yard[d$hive == "h01"] <- "alone"
said <- problems_of(
  out <- pour(study(d, design = hive_design), statistics(e = se(x), by = g))
)
test_that("a stratum of one cluster is told", {
  expect_match(
    said,
    "is absent where rows of `yard` \"alone\" are: a stratum of one cluster",
    all = FALSE
  )
})

test_that("a stratum of one cluster makes errors absent", {
  expect_true(all(is.na(out$tables$statistics$e)))
})

test_that("strata that are joined have errors", {
  joined <- study(
    transform(d, yard = ifelse(yard == "alone", "a", yard)),
    design = hive_design
  )
  expect_false(anyNA(
    pour(joined, statistics(e = se(x), by = g))$tables$statistics$e
  ))
})
