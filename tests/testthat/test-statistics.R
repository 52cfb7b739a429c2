# Every number again, written differently in base R.
plain_statistics <- function(table, columns, keys) {
  groups <- if (length(keys)) unique(table[keys]) else data.frame(row.names = 1)
  if (length(keys)) {
    ranks <- lapply(groups, function(k) {
      if (is.factor(k)) {
        as.integer(k)
      } else if (is.character(k)) {
        match(k, sort(unique(k), method = "radix"))
      } else {
        k
      }
    })
    groups <- groups[do.call(
      order, c(unname(ranks), na.last = TRUE)
    ), , drop = FALSE]
  }
  lines <- list()
  for (g in seq_len(nrow(groups))) {
    for (column in columns) {
      inside <- rep(TRUE, nrow(table))
      for (k in keys) {
        inside <- inside &
          ((table[[k]] == groups[[k]][g]) %in% TRUE |
            (is.na(table[[k]]) & is.na(groups[[k]][g])))
      }
      x <- table[[column]][inside]
      v <- x[!is.na(x)]
      q <- if (length(v)) {
        unname(stats::quantile(v, c(.25, .5, .75)))
      } else {
        rep(NA_real_, 3)
      }
      lines <- c(
        lines,
        list(data.frame(
          column = column,
          n = length(v),
          absent = sum(is.na(x)),
          mean = if (length(v)) mean(v) else NA,
          sd = stats::sd(v),
          min = if (length(v)) min(v) else NA,
          q1 = q[1],
          median = q[2],
          q3 = q[3],
          max = if (length(v)) max(v) else NA
        ))
      )
    }
  }
  out <- do.call(rbind, lines)
  if (length(keys)) {
    out <- cbind(
      groups[rep(
        seq_len(nrow(groups)),
        each = length(columns)
      ), , drop = FALSE],
      out
    )
  }
  rownames(out) <- NULL
  out
}
expect_statistics <- function(out, table, columns, keys) {
  expect_equal(
    as.data.frame(out$tables$statistics),
    plain_statistics(table, columns, keys),
    tolerance = 1e-13
  )
}

table <- as.data.frame(demo_study())
test_that("statistics by two keys equal base R's on the demo study", {
  out <- pour(
    demo_study(),
    include(present(hive_weight_kg)),
    exclude(hive_weight_kg > 200),
    statistics(hive_weight_kg, "mites_*", by = c(apiary, treatment))
  )
  rows <- table[!is.na(table$hive_weight_kg) & table$hive_weight_kg <= 200, ]
  expect_statistics(
    out, rows, c("hive_weight_kg", "mites_per_100"), c("apiary", "treatment")
  )
})

test_that("statistics by ordered and logical keys equal base R's", {
  expect_statistics(
    pour(table, statistics(honey_kg, by = c(temper, queen_seen))),
    table,
    "honey_kg",
    c("temper", "queen_seen")
  )
})

test_that("statistics of airquality equal base R's", {
  expect_statistics(
    pour(airquality, statistics(Ozone, Wind, by = Month)),
    airquality,
    c("Ozone", "Wind"),
    "Month"
  )
})

test_that("statistics of warpbreaks equal base R's", {
  expect_statistics(
    pour(warpbreaks, statistics(by = c(wool, tension))),
    warpbreaks,
    "breaks",
    c("wool", "tension")
  )
})

test_that("statistics of esoph equal base R's", {
  expect_statistics(
    pour(esoph, statistics(ncases, by = agegp)), esoph, "ncases", "agegp"
  )
})

test_that("statistics without groups equal base R's", {
  expect_statistics(
    pour(airquality, statistics(Ozone:Temp)),
    airquality,
    c("Ozone", "Solar.R", "Wind", "Temp"),
    character()
  )
})

table <- data.frame(
  g = rep(c("one", "none", "inf", "far", "tiny"), c(1, 3, 4, 50, 6)),
  x = c(
    5, NA, NA, NA, 1, Inf, 2, NA, 1e12 + sin(1:50),
    c(1, 2, 3, 4, 5, 6) * 5e-324
  )
)
got <- pour(table, statistics(x, by = g))$tables$statistics
row <- function(name) got[got$g == name, ]
test_that("a group of one value has a mean and no deviation", {
  expect_true(
    is.na(row("one")$sd) && row("one")$mean == 5 && row("one")$n == 1L
  )
})

test_that("a group of no value counts none", {
  expect_identical(row("none")$n, 0L)
})

test_that("a group of no value counts its absent values", {
  expect_identical(row("none")$absent, 3L)
})

test_that("a group of no value has no statistics", {
  expect_true(all(is.na(
    row("none")[c("mean", "sd", "min", "q1", "median", "q3", "max")]
  )))
})

test_that("the mean with an infinity is infinite", {
  expect_identical(row("inf")$mean, Inf)
})

test_that("the deviation around a huge mean is right", {
  expect_equal(row("far")$sd, sd(sin(1:50)), tolerance = 1e-4)
})

test_that("the largest of tiny values is right", {
  expect_identical(row("tiny")$max, 6 * 5e-324)
})

table <- data.frame(
  place = c("b", "A", "a", NA, "\u00c4"),
  day = as.Date(c(
    "2024-01-05", "2023-02-01", "2024-03-03", NA, "2023-09-09"
  )),
  x = 1:5
)
by_place <- pour(table, statistics(x, by = place))$tables$statistics
test_that("keys of text are ordered by code point, absent last", {
  expect_identical(by_place$place, c("A", "a", "b", "\u00c4", NA))
})

by_year <- pour(
  table, statistics(x, by = c(year = year(day)))
)$tables$statistics
test_that("a key may be an expression", {
  expect_identical(by_year$year, c(2023L, 2024L, NA))
})

test_that("means by an expression are right", {
  expect_equal(by_year$mean, c(3.5, 2, 4))
})

test_that("a key may be given as a text", {
  expect_identical(
    pour(table, statistics(x, by = "place"))$tables$statistics, by_place
  )
})

test_that("a key cannot have the name of a statistic", {
  expect_error(
    pour(airquality, statistics(Ozone, by = c(mean = Month))),
    "name of a statistic",
    class = "neatsieve_error_step"
  )
})

test_that("a column spelled wrong gets the nearest", {
  expect_error(
    pour(airquality, statistics(Ozon)),
    "Did you mean `Ozone`",
    class = "neatsieve_error_expression"
  )
})

test_that("a column of lists is left out and named", {
  with_list <- data.frame(x = 1:2)
  with_list$l <- list(1, 2)
  expect_message(
    pour(with_list, statistics(x, l)), "`l`.*left out",
    class = "neatsieve_note"
  )
})

test_that("a statistic may be called as a usual one", {
  expect_identical(
    pour(airquality, statistics(mean = count()))$tables$statistics$mean, 153L
  )
})

test_that("a statistic cannot have the name of an argument", {
  expect_error(
    pour(airquality, statistics(Ozone, absent = count())),
    "control argument",
    class = "neatsieve_error_step"
  )
})

test_that("a column beside an aggregate is refused", {
  expect_error(
    pour(airquality, statistics(a = sum(Ozone) / Wind)),
    "outside an aggregate",
    class = "neatsieve_error_expression"
  )
})

test_that("an aggregate inside an aggregate is refused", {
  expect_error(
    pour(airquality, statistics(a = mean(sum(Ozone)))),
    "inside an aggregate",
    class = "neatsieve_error_expression"
  )
})

test_that("a statistic spelled wrong gets the nearest", {
  expect_error(
    statistics(x, show = "meen"),
    "Did you mean \"mean\"",
    class = "neatsieve_error_step"
  )
})

test_that("a shape that is none is refused", {
  expect_error(
    statistics(x, shape = "tall"),
    "takes \"long\" or \"wide\", not \"tall\"",
    class = "neatsieve_error_step"
  )
})

test_that("a criterion with an aggregate says over which rows", {
  expect_error(
    pour(airquality, criteria(hot = Temp > mean(Temp)), include(hot)),
    "over which rows",
    class = "neatsieve_error_expression"
  )
})

test_that("a reference that is no group is refused", {
  expect_error(
    pour(airquality, statistics(Ozone, by = Month, reference = 12)),
    "no group 12",
    class = "neatsieve_error_run"
  )
})

test_that("a histogram counts what cut() counts, in the same bins for all panels", {
  check <- function(table, x, panel, ...) {
    out <- eval(bquote(pour(
      table, chart_histogram(x = .(as.name(x)), panels = .(as.name(panel)), ...)
    )))
    data <- chart_data(out)
    edges <- unique(c(data$from, data$to))
    edges <- edges[order(edges)]
    for (level in unique(data[[panel]])) {
      mine <- data[data[[panel]] %in% level, ]
      values <- table[[x]][table[[panel]] %in% level]
      expect_equal(
        mine$count,
        as.vector(table(cut(
          values,
          c(mine$from, utils::tail(mine$to, 1)),
          right = FALSE,
          include.lowest = TRUE
        )))
      )
      said <- attr(data, "panels")
      expect_identical(said$n[said[[panel]] %in% level], sum(!is.na(values)))
      expect_identical(
        said$absent[said[[panel]] %in% level], sum(is.na(values))
      )
      expect_identical(mine$from, data$from[seq_len(nrow(mine))])
    }
  }
  visits <- as.data.frame(demo_study())
  check(visits, "mites_per_100", "apiary")
  check(visits, "hive_weight_kg", "season", width = 2.5)
  check(visits, "brood_frames", "treatment")
  check(airquality, "Ozone", "Month")
  check(ChickWeight, "weight", "Diet")
})

test_that("figures are drawn silently, also of one row and of none", {
  draw <- function(out) {
    path <- tempfile(fileext = ".png")
    on.exit(unlink(path))
    ragg::agg_png(path, 400, 300)
    print(out$figures[[1]])
    grDevices::dev.off()
    file.size(path) > 0
  }
  nothing <- data.frame(x = rep(NA_real_, 4), g = letters[1:4])
  expect_silent(
    tests <- c(
      draw(pour(airquality, chart_histogram(x = Ozone, panels = Month))),
      draw(pour(airquality[1, ], chart_histogram(x = Ozone))),
      draw(pour(airquality[0, ], chart_histogram(x = Ozone, panels = Month))),
      draw(pour(nothing, chart_histogram(x = x, panels = g))),
      draw(pour(
        infert,
        chart_histogram(
          x = age,
          panels = c(education, induced),
          axes = "own",
          title = "Age"
        )
      ))
    )
  )
  expect_true(all(tests))
})

test_that("a figure is a value of the drawing package", {
  expect_s3_class(
    pour(airquality, chart_histogram(x = Wind))$figures$histogram, "ggplot"
  )
})

test_that("an infinite value is noted", {
  expect_message(
    pour(data.frame(x = c(1, 2, Inf)), chart_histogram(x = x)),
    "infinite",
    class = "neatsieve_note"
  )
})

d <- study(
  data.frame(hive = c("a", "a", "b", "c", NA), w = c(1, 2, 1, 2, 2), x = 1:5),
  unit = hive
)
test_that("units of groups are those of the rows there", {
  of_hives <- quiet(pour(
    d,
    condense(n = count(), by = c(hive, w)),
    statistics(n, by = w, units = TRUE)
  ))
  expect_identical(of_hives$tables$statistics$units, c(2L, 2L))
})

several <- data.frame(w = c(1, 1, 2), z = 1:3)
doubled <- quiet(pour(
  d,
  look_up(several, w, several = "all"),
  statistics(x, by = w, units = TRUE),
  subsets(big = x > 2)
))
test_that("units of rows that were repeated count once", {
  expect_identical(doubled$tables$statistics$units, c(2L, 2L))
})

test_that("units of overlaps count once", {
  expect_identical(as.data.frame(overlaps(doubled))$units, c(2, 1))
})

test_that("units that condensed rows do not have are refused", {
  expect_error(
    pour(d, condense(n = count(), by = w), statistics(n, units = TRUE)),
    "which the rows here do not have any more",
    class = "neatsieve_error_run"
  )
})

test_that("units of many rows that became groups are refused", {
  # Thousands of rows beside a few groups: units of the study must not be read
  # here.
  long <- study(
    data.frame(hive = rep(1:500, 20), g = rep(1:4, 2500), x = 1),
    unit = hive
  )
  expect_error(
    pour(
      long, condense(n = count(), by = g), statistics(n, by = g, units = TRUE)
    ),
    "do not have any more",
    class = "neatsieve_error_run"
  )
})
