# One expression has one answer wherever it stands, and every answer says on
# which rows it rests.
gappy_table <- function(n = 60) {
  set.seed(9)
  d <- data.frame(
    g = sample(c("p", "q", NA), n, TRUE),
    x = round(stats::rnorm(n, 5), 1),
    y = round(stats::runif(n, 1, 9), 1),
    flag = sample(c(TRUE, FALSE, NA), n, TRUE)
  )
  d$x[sample(n, 12)] <- NA
  d$y[sample(n, 15)] <- NA
  d
}

out <- quiet(pour(airquality, subsets(h = Ozone > 50, rest = leftover())))
line <- ledger(out)[ledger(out)$name == "h", ]
o <- airquality$Ozone
test_that("subsets count yes, no and unknown as base R", {
  expect_equal(
    c(line$yes, line$no, line$unknown),
    c(sum(o > 50, na.rm = TRUE), sum(o <= 50, na.rm = TRUE), sum(is.na(o)))
  )
})

test_that("yes, no and unknown of a subset are all rows", {
  expect_equal(c(line$yes, line$no, line$unknown), c(34, 82, 37))
})

test_that("a leftover takes rows that no subset takes", {
  expect_equal(nrow(out$subsets$rest), sum(!(o > 50) | is.na(o)))
})

test_that("a note says which undecided rows a leftover takes", {
  expect_match(
    out$notes,
    "\"rest\" takes 37 rows that the other subsets could not decide (Ozone absent 37)",
    fixed = TRUE
  )
})

left <- quiet(pour(
  airquality,
  subsets(h = Ozone > 50, hot = Temp > 90, rest = leftover(unknown = FALSE))
))
test_that("a leftover may leave undecided rows out", {
  expect_identical(
    left$subsets$rest,
    airquality[which(o <= 50 & airquality$Temp <= 90), ],
    ignore_attr = "row.names"
  )
})

rest <- ledger(left)[ledger(left)$name == "rest", ]
test_that("undecided rows of a leftover are unknown", {
  expect_equal(rest$unknown, sum(is.na(o) & airquality$Temp <= 90))
})

test_that("yes, no and unknown of a leftover are all rows", {
  expect_equal(rest$yes + rest$no + rest$unknown, 153)
})

test_that("a note says how many rows a leftover leaves out", {
  expect_match(left$notes, "leaves out [0-9]+ rows")
})

test_that("a leftover with a wrong argument gets the right one", {
  expect_error(
    pour(airquality, subsets(h = Ozone > 50, leftover(unknown = "no"))),
    "leftover\\(unknown = FALSE\\)",
    class = "neatsieve_error_step"
  )
})

test_that("a leftover survives a plan file", {
  plan <- tempfile(fileext = ".yaml")
  write_sieve(left$sieve, plan)
  expect_identical(
    quiet(pour(airquality, read_sieve(plan)))$subsets, left$subsets
  )
})

test_that("an aggregate uses the rows where its arguments are present, in every place", {
  d <- gappy_table()
  with_g <- d[!is.na(d$g), ]
  texts <- c(
    "sum(x) / sum(y)", "mean(x) - mean(y)",
    "sum(x, where = present(y)) / sum(y, where = present(x))",
    "mean(x, where = flag)", "cor(x, y, where = y > 3)",
    "sum(x, y, where = flag)",
    "median(x, where = !flag) + count(y, where = x > 5)",
    "share(x > y, where = present(flag))", "sum(x, absent = \"carry\")",
    "mean(x, where = x > 0, absent = \"carry\")",
    "quantile(y, 0.2, where = present(x))", "count(where = flag)"
  )
  sum0 <- function(v) sum(v, na.rm = TRUE)
  mean0 <- function(v) if (all(is.na(v))) NA_real_ else mean(v, na.rm = TRUE)
  plain <- list(
    function(d) sum0(d$x) / sum0(d$y),
    function(d) mean0(d$x) - mean0(d$y),
    function(d) {
      d <- d[!is.na(d$x) & !is.na(d$y), ]
      sum(d$x) / sum(d$y)
    },
    function(d) mean0(d$x[d$flag %in% TRUE]),
    function(d) {
      d <- d[which(d$y > 3 & !is.na(d$x)), ]
      stats::cor(d$x, d$y)
    },
    function(d) {
      d <- d[d$flag %in% TRUE, ]
      sum0(d$x * d$y)
    },
    function(d) {
      stats::median(d$x[d$flag %in% FALSE], na.rm = TRUE) +
        sum(!is.na(d$y[which(d$x > 5)]))
    },
    function(d) {
      d <- d[!is.na(d$flag), ]
      mean0(d$x > d$y)
    },
    function(d) sum(d$x),
    function(d) mean(d$x[which(d$x > 0)]),
    function(d) unname(stats::quantile(d$y[!is.na(d$x)], 0.2, na.rm = TRUE)),
    function(d) {
      sum(d$flag, na.rm = TRUE)
    }
  )
  groups <- split(with_g, with_g$g)
  for (i in seq_along(texts)) {
    lang <- str2lang(texts[i])
    wanted <- vapply(groups, function(g) as.numeric(plain[[i]](g)), numeric(1))
    row_lang <- str2lang(gsub(
      "((?:sum|mean|cor|median|share|quantile|count)\\()",
      "\\1by = g, ",
      texts[i],
      perl = TRUE
    ))
    row_lang <- str2lang(gsub(
      "(by = g), \\)", "\\1)", paste(deparse(row_lang, 500), collapse = "")
    ))
    out <- quiet(eval(bquote(pour(
      with_g,
      work_out(beside = .(row_lang)),
      statistics(a = .(lang), by = g),
      chart_bar(x = g, y = .(lang)),
      condense(a = .(lang), by = g)
    ))))
    expect_equal(out$tables$statistics$a, unname(wanted), info = texts[i])
    expect_equal(as.numeric(out$rows$a), unname(wanted), info = texts[i])
    shown <- chart_data(out, "bar")
    expect_equal(
      shown$value, unname(wanted[is.finite(wanted)]),
      info = texts[i]
    )
    beside <- quiet(eval(bquote(pour(
      with_g, work_out(beside = .(row_lang))
    ))))$rows$beside
    expect_equal(as.numeric(beside), unname(wanted[with_g$g]), info = texts[i])
    kept <- quiet(eval(bquote(pour(with_g, include(y > .(row_lang))))))$rows
    expect_equal(
      nrow(kept),
      sum(with_g$y > wanted[with_g$g], na.rm = TRUE),
      info = texts[i]
    )
  }
})

d <- gappy_table()
out <- quiet(pour(d, statistics(r = sum(x) / sum(y), by = g)))
test_that("aggregates on different rows are noted with their rows", {
  both <- sum(!is.na(d$x) & !is.na(d$y))
  expect_match(
    out$notes,
    paste0(
      "`sum(x)` on ", sum(!is.na(d$x)), " rows and `sum(y)` on ",
      sum(!is.na(d$y)), " rows; ", both, " rows have all"
    ),
    fixed = TRUE
  )
})

test_that("a note on different rows says what makes them alike", {
  expect_match(
    out$notes,
    "`sum(x, where = present(y))` and `sum(y, where = present(x))`",
    fixed = TRUE
  )
})

test_that("a ratio counts the rows of its smaller part", {
  expect_equal(
    sum(out$tables$statistics$r_n),
    sum(pmin(
      tapply(!is.na(d$x), ifelse(is.na(d$g), "-", d$g), sum),
      tapply(!is.na(d$y), ifelse(is.na(d$g), "-", d$g), sum)
    ))
  )
})

said <- function(...) quiet(pour(d, ...))$notes
test_that("one note tells of different rows in condense()", {
  expect_length(said(condense(r = sum(x) / sum(y))), 1)
})

test_that("one note tells of different rows in bars", {
  expect_length(said(chart_bar(x = g, y = mean(x) / mean(y))), 1)
})

test_that("aggregates on the same rows need no note", {
  for (alike in list(
    quote(statistics(
      r = sum(x, where = present(y)) / sum(y, where = present(x))
    )),
    quote(statistics(r = count(x) / count())),
    quote(statistics(r = mean(x) / sd(x))),
    quote(statistics(r = mean(x, where = flag) - mean(x, where = !flag))),
    quote(include(x > mean(x, by = g) | y > mean(y, by = g)))
  )) {
    expect_false(
      any(grepl("rest on different rows", eval(bquote(said(.(alike)))))),
      info = deparse(alike)
    )
  }
})

d <- data.frame(
  g = c("a", "a", "b", "b"),
  x = c(1, NA, 3, 5),
  day = as.Date("2024-01-01") + c(0, NA, 2, 3),
  word = c("k", NA, "k", "m")
)
out <- pour(
  d,
  statistics(x, day, word, by = g, absent = "carry"),
  statistics(x, by = g, show = "mean", absent = "carry", name = "shown"),
  statistics(m = mean(x), by = g, absent = "carry", name = "own")
)
test_that("means that carry absent values are absent", {
  expect_equal(is.na(out$tables$statistics$mean), c(TRUE, FALSE))
})

test_that("dates that carry absent values are absent", {
  expect_equal(is.na(out$tables$statistics_dates$median), c(TRUE, FALSE))
})

test_that("shares that carry absent values are absent", {
  expect_equal(
    is.na(out$tables$statistics_categories$share), c(TRUE, TRUE, FALSE, FALSE)
  )
})

test_that("a chosen statistic carries absent values", {
  expect_equal(is.na(out$tables$shown$mean), c(TRUE, FALSE))
})

test_that("a statistic of one's own carries absent values", {
  expect_equal(out$tables$own$m, c(NA, 4))
})

d <- gappy_table()
test_that("a total stands last in any order", {
  for (order in list(quote(falling(mean)), "rising", "falling", quote(c(falling(n), mean)))) {
    table <- eval(bquote(pour(
      d, statistics(x, by = g, total = TRUE, order = .(order))
    )))$tables$statistics
    expect_identical(table$g[nrow(table)], "(all)")
    expect_identical(sum(table$g %in% "(all)"), 1L)
  }
})

wide <- pour(
  d,
  statistics(
    y,
    x,
    by = g,
    shape = "wide",
    order = falling(x_mean),
    total = TRUE
  )
)$tables$statistics
test_that("a wide table keeps its columns in the order written", {
  expect_identical(
    grep("_mean$", names(wide), value = TRUE), c("y_mean", "x_mean")
  )
})

inner <- wide$x_mean[-nrow(wide)]
test_that("a wide table is sorted by one of its columns", {
  expect_false(is.unsorted(-inner))
})

test_that("a wide table has the means of base R", {
  expect_equal(
    sort(inner),
    sort(as.vector(tapply(
      d$x,
      ifelse(is.na(d$g), "-", d$g),
      mean,
      na.rm = TRUE
    )))
  )
})

test_that("a wide table of one column is sorted by its statistic", {
  one <- pour(
    d, statistics(x, by = g, shape = "wide", order = falling(mean))
  )$tables$statistics
  expect_false(is.unsorted(-one$x_mean))
})

cross <- pour(
  esoph, counts(agegp, alcgp, shape = "wide", order = "falling")
)$tables$counts
test_that("the total of a cross table stands last", {
  expect_identical(cross[[1]][nrow(cross)], "(all)")
})

test_that("a cross table is sorted by its sums", {
  expect_false(is.unsorted(-cross$`(all)`[-nrow(cross)]))
})

test_that("a statistic of several columns cannot sort a wide table", {
  expect_error(
    pour(d, statistics(x, y, by = g, shape = "wide", order = mean)),
    "no column.*`mean`",
    class = "neatsieve_error_expression"
  )
})

d <- demo_study()
n <- sort(table(as.data.frame(d)$apiary), decreasing = TRUE)
test_that("counts fall by a word", {
  expect_equal(
    pour(d, counts(apiary, order = "falling"))$tables$counts$n, as.vector(n)
  )
})

test_that("counts fall by their number", {
  expect_equal(
    pour(d, counts(apiary, order = falling(n)))$tables$counts$n, as.vector(n)
  )
})

two <- pour(
  d, counts(season, temper, share = season, order = c(season, n))
)$tables$counts
test_that("counts are sorted within a key", {
  expect_true(all(tapply(two$n, two$season, function(v) !is.unsorted(v))))
})

test_that("shares of sorted counts add up", {
  expect_equal(as.vector(tapply(two$share, two$season, sum)), rep(1, 3))
})

named <- function(...) {
  sub(
    ".* for (.*): .* rows.*",
    "\\1",
    ggplot2::get_alt_text(quiet(pour(d, ...))$figures[[1]])
  )
}
t <- as.data.frame(d)
test_that("boxes are ordered by their median", {
  medians <- sort(
    -tapply(t$mites_per_100, t$season, stats::median, na.rm = TRUE)
  )
  expect_identical(
    named(chart_box(y = mites_per_100, x = season, order = falling(median))),
    neatsieve:::listed(names(medians))
  )
})

test_that("bars are ordered by their number of rows", {
  expect_identical(
    named(chart_bar(x = season, y = mean(honey_kg), order = n)),
    neatsieve:::listed(names(sort(tapply(!is.na(t$honey_kg), t$season, sum))))
  )
})

test_that("an order by a column that is not there is refused", {
  expect_error(
    pour(d, chart_box(y = honey_kg, x = apiary, order = falling(weight))),
    "no column.*weight",
    class = "neatsieve_error_expression"
  )
})

test_that("another word of order gets the right one", {
  expect_error(
    counts(apiary, order = "frequency"),
    "falling\\(n\\)",
    class = "neatsieve_error_step"
  )
})

test_that("falling() alone is refused", {
  expect_error(falling(x), "inside `order", class = "neatsieve_error_step")
})

d <- gappy_table()
t <- pour(d, statistics(x, n = count(), by = g))$tables$statistics
rows <- as.vector(table(d$g, useNA = "always"))
test_that("n = count() may stand beside picked columns", {
  expect_equal(t$n, rows)
})

test_that("present and absent add up to the rows", {
  expect_equal(t$present + t$absent, rows)
})

test_that("statistics with names have counts of their own", {
  expect_named(
    pour(d, statistics(m = mean(x), k = count(), by = g))$tables$statistics,
    c("g", "rows", "m", "m_n", "k")
  )
})

test_that("counts of statistics with names may go", {
  expect_named(
    pour(
      d, statistics(m = mean(x), rows = count(), by = g, with_n = FALSE)
    )$tables$statistics,
    c("g", "m", "rows")
  )
})

test_that("a statistic may take the name of a usual one", {
  expect_equal(
    pour(d, statistics(x, mean = sum(x)))$tables$statistics$mean,
    sum(d$x, na.rm = TRUE)
  )
})

out <- pour(
  mtcars,
  chart_scatter(
    x = wt,
    y = mpg,
    trend = "linear",
    window = list(x = c(2, 4), y = c(12, 30))
  )
)
inside <- mtcars[mtcars$wt >= 2 &
  mtcars$wt <= 4 &
  mtcars$mpg >= 12 &
  mtcars$mpg <= 30, ]
trend <- chart_data(out, part = "trend")
test_that("a trend is fitted to the rows inside the window", {
  fit <- stats::lm(mpg ~ wt, inside)
  expect_equal(trend$y, unname(stats::predict(fit, data.frame(wt = trend$x))))
})

test_that("a trend ends where the rows inside the window end", {
  expect_equal(range(trend$x), range(inside$wt))
})

test_that("the caption says what a trend is fitted to", {
  expect_match(
    caption_of(out$figures$scatter),
    paste0("fitted to the ", nrow(inside), " rows inside the window"),
    fixed = TRUE
  )
})

test_that("two conditions that exclude each other are noted", {
  expect_match(
    quiet(pour(airquality, include(hot = Temp > 90, cold = Temp < 60)))$notes,
    "\"hot\" and \"cold\" exclude each other.*`Temp > 90 | Temp < 60`"
  )
})

test_that("three conditions that exclude each other are noted", {
  three <- data.frame(
    a = c(TRUE, TRUE, FALSE),
    b = c(TRUE, FALSE, TRUE),
    c = c(FALSE, TRUE, TRUE)
  )
  expect_match(
    quiet(pour(three, include(a, b, c)))$notes, "No row passes all conditions"
  )
})

test_that("conditions that let rows through need no note", {
  expect_silent(pour(airquality, include(Temp > 70, Ozone > 40)))
})

test_that("a mean next to nothing prints without a sign", {
  printed <- utils::capture.output(print(
    pour(
      data.frame(x = c(-1, 1, -1e-17)),
      statistics(x, show = c("mean", "median"))
    )$tables$statistics
  ))
  expect_false(any(grepl("-0(\\.0*)?( |$)", printed)))
})
