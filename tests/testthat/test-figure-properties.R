# What holds for the numbers of every chart, whatever the data.
random_table <- function(seed, n) {
  set.seed(seed)
  gap <- function(v, share) {
    v[runif(n) < share] <- NA
    v
  }
  data.frame(
    x = gap(round(rgamma(n, 2, 0.1), sample(0:2, 1)), 0.1),
    y = gap(sample(c(-5:40, 900), n, TRUE) + 0, 0.05),
    g = gap(sample(c("alder", "Birch", "oak", "\u00e4sp"), n, TRUE), 0.08),
    h = factor(
      gap(sample(c("low", "mid", "high"), n, TRUE), 0.03),
      levels = c("low", "mid", "high", "never")
    ),
    day = as.Date("2024-01-01") + sample(0:200, n, TRUE),
    keep = gap(runif(n) < 0.6, 0.1)
  )
}
all_steps <- function() {
  c(
    every_chart("x", "y", "g", "h"),
    list(
      dated = chart_line(
        x = start_of(day, "month"),
        y = median(x),
        colour = h,
        name = "dated"
      ),
      days = chart_histogram(x = day, panels = g, name = "days")
    )
  )
}
all_numbers <- function(out) {
  charts <- unclass(out)$inside$state$charts
  lapply(
    charts, function(c) c[c("data", "parts", "panels", "levels", "remarks")]
  )
}
run <- function(table, ...) {
  quiet(do.call(pour, c(list(table), list(...), unname(all_steps()))))
}
# Charts whose numbers name single rows.
of_rows <- c("strip", "scatter", "tiles", "smooth", "lines", "box", "boxes")

test_that("numbers do not depend on threads", {
  table <- random_table(1, rounds_of(140000, 70000))
  one <- local({
    old <- options(neatsieve.threads = 1)
    on.exit(options(old))
    all_numbers(run(table))
  })
  three <- local({
    old <- options(neatsieve.threads = 3)
    on.exit(options(old))
    all_numbers(run(table))
  })
  for (name in names(one)) {
    expect_identical(three[[name]], one[[name]], info = name)
  }
})

test_that("numbers do not depend on the order of rows, but for those that name rows", {
  for (seed in seq(2, rounds_of(4, 2))) {
    table <- random_table(seed, 700)
    there <- all_numbers(run(table))
    back <- all_numbers(run(table[sample.int(700), ]))
    for (name in setdiff(names(there), of_rows)) {
      expect_equal(back[[name]], there[[name]], info = name, tolerance = 1e-9)
    }
  }
})

test_that("charts of rows that a condition let through are charts of those rows", {
  table <- random_table(5, 900)
  kept <- table[table$keep %in% TRUE, ]
  sieved <- all_numbers(run(table, include(keep)))
  plain <- all_numbers(run(kept))
  for (name in setdiff(names(sieved), c(of_rows, "flow"))) {
    expect_equal(sieved[[name]], plain[[name]], info = name)
  }
  expect_identical(sieved$box$data, plain$box$data)
  expect_identical(
    kept$x[plain$strip$data$source_row], table$x[sieved$strip$data$source_row]
  )
})

test_that("every row is present, absent or outside, in histograms and tiles of any window", {
  for (seed in seq(6, rounds_of(15, 7))) {
    table <- random_table(seed, sample(c(1, 5, 60, 400), 1))
    ends <- sort(round(runif(2, -2, 60), 1)) + c(0, 0.1)
    out <- quiet(pour(
      table,
      eval(bquote(chart_histogram(
        x = x,
        colour = h,
        panels = g,
        window = .(ends)
      ))),
      eval(bquote(chart_scatter(
        x = x,
        y = y,
        marks = "tiles",
        panels = h,
        window = list(x = .(ends), y = c(0, 50))
      )))
    ))
    panels <- chart_data(out, "histogram", part = "panels")
    bins <- chart_data(out, "histogram")
    expect_equal(
      sum(bins$count) + sum(panels$absent) + sum(panels$outside), nrow(table)
    )
    expect_equal(
      panels$n + panels$absent,
      as.vector(table(factor(
        label_of_rows(table, "g"), label_of_rows(panels, "g")
      )))
    )
    tiles <- chart_data(out, "scatter")
    counted <- chart_data(out, "scatter", part = "panels")
    shown <- !is.na(table$x) &
      !is.na(table$y) &
      table$x >= ends[1] &
      table$x <= ends[2] &
      table$y >= 0 &
      table$y <= 50
    if ("count" %in% names(tiles)) {
      expect_equal(sum(tiles$count), sum(shown))
    } else {
      expect_equal(sum(shown), 0L)
    }
    expect_equal(
      sum(counted$outside) + sum(counted$absent) + sum(shown), nrow(table)
    )
    drawn(out$figures$histogram)
    drawn(out$figures$scatter)
  }
})

table <- random_table(16, 500)
# Half of the charts are enough where time is short.
all_steps <- function() {
  steps <- every_chart("x", "y", "g", "h")
  steps[rounds_of(TRUE, c(TRUE, FALSE))]
}
out <- quiet(do.call(
  pour,
  c(
    list(table),
    list(subsets(kept = keep, large = x > 20, some = leftover())),
    unname(all_steps())
  )
))
inside <- list(kept = table$keep %in% TRUE, large = (table$x > 20) %in% TRUE)
inside$some <- !inside$kept & !inside$large
test_that("a figure per subset is that of its rows", {
  for (s in names(inside)) {
    alone <- quiet(do.call(
      pour, c(list(table[inside[[s]], ]), unname(all_steps()))
    ))
    for (name in setdiff(names(out$figures), c(of_rows, "flow"))) {
      mine <- chart_data(out, name, s)
      # Subsets share their bins, so that these are those of all of them.
      if (!any(grepl("from$", names(mine)))) {
        expect_equal(mine, chart_data(alone, name), info = paste(s, name))
      } else {
        expect_equal(
          sum(mine$count),
          sum(chart_data(alone, name)$count),
          info = paste(s, name)
        )
      }
    }
  }
})

test_that("figures of subsets share their edges", {
  charts <- asNamespace("neatsieve")$siftings_parts(out)$charts
  for (name in names(charts)) {
    chart <- charts[[name]][["kept"]]
    if (!"from" %in% names(chart$data) ||
      identical(chart$options$axes, "own")) {
      next
    }
    edges <- lapply(names(inside), function(s) {
      unique(as.numeric(unlist(chart_data(out, name, s)[c("from", "to")])))
    })
    expect_true(all(vapply(edges, setequal, NA, edges[[1]])), info = name)
  }
})

test_that("figures of subsets with scales of their own have own bins", {
  own <- quiet(pour(
    table, subsets(kept = keep), chart_histogram(x = x, axes = "own")
  ))
  expect_equal(
    chart_data(own, subset = "kept"),
    chart_data(quiet(pour(table[inside$kept, ], chart_histogram(x = x))))
  )
})

beside <- quiet(pour(
  table,
  subsets(kept = keep, large = x > 20),
  chart_histogram(x = x, panels = c(g, subsets()), width = 5),
  chart_bar(x = h, y = mean(y), panels = subsets()),
  chart_absence(x, y, g, panels = subsets()),
  chart_line(x = day, y = mean(y), panels = subsets()),
  chart_violin(y = x, x = h, panels = subsets())
))
test_that("panels of subsets count their rows", {
  counts <- chart_data(beside, "histogram")
  expect_equal(
    as.vector(tapply(counts$count, counts$subset, sum)),
    unname(c(sum(inside$kept & !is.na(table$x)), sum(inside$large)))
  )
})

test_that("panels of subsets have statistics of their rows", {
  bars <- chart_data(beside, "bar")
  expect_equal(
    bars$value[bars$subset == "large" & bars$x %in% "mid"],
    mean(table$y[inside$large & table$h %in% "mid"], na.rm = TRUE)
  )
})

test_that("panels of subsets count absent values", {
  absent <- chart_data(beside, "absence")
  expect_equal(
    absent$absent[absent$subset == "kept"],
    c(
      sum(is.na(table$x[inside$kept])), sum(is.na(table$y[inside$kept])),
      sum(is.na(table$g[inside$kept])),
      sum(!complete.cases(table[inside$kept, c("x", "y", "g")]))
    )
  )
})

test_that("panels of subsets are drawn", {
  for (figure in beside$figures) expect_silent(drawn(figure))
})

d <- study(data.frame(x = 1:50, g = rep(c("a", "b"), 25)))
first <- pour(
  d,
  chart_histogram(x = x),
  work_out(x = x * 10),
  chart_histogram(x = x, name = "tenfold"),
  pick_columns(g, x, renamed = list(size = x, x = g)),
  chart_histogram(x = size, name = "picked"),
  chart_bar(x = x)
)
test_that("a histogram is of the column as it was at its place", {
  expect_equal(
    range(
      chart_data(first, "histogram")$from[1],
      utils::tail(chart_data(first, "histogram")$to, 1)
    ),
    c(0, 50)
  )
})

test_that("a histogram behind a change is of the changed column", {
  expect_equal(utils::tail(chart_data(first, "tenfold")$to, 1), 500)
})

test_that("a histogram behind a new name is of that column", {
  expect_equal(chart_data(first, "picked"), chart_data(first, "tenfold"))
})

test_that("a run leaves nothing behind for the next", {
  expect_equal(
    chart_data(pour(d, chart_histogram(x = x))), chart_data(first, "histogram")
  )
})

test_that("every kind of chart is among those that properties are tried on", {
  kinds <- ls(asNamespace("neatsieve")$chart_table)
  tried <- unique(vapply(every_chart("x", "y", "g", "h"), `[[`, "", "kind"))
  expect_setequal(c(tried, "chart_overlap"), paste0("chart_", kinds))
})

test_that("figures of subsets share their scales and shades, whatever their kind", {
  skip_if_not_installed("ggplot2")
  withr::local_seed(3)
  d <- data.frame(
    s = rep(c("a", "b"), each = 150),
    g = sample(c("u", "v", "w"), 300, TRUE),
    h = sample(1:5, 300, TRUE),
    x = c(stats::rnorm(150, 10), stats::rexp(150, 1 / 30)),
    y = c(stats::rnorm(150, 5), stats::rnorm(150, 500, 100))
  )
  d$x[c(4, 180:220)] <- NA
  two <- subsets(low = s == "a", high = s == "b")
  more <- list(
    chart_scatter(x = x, y = y, marks = "tiles"),
    chart_absence(x, y, x = g),
    chart_heat(x = g, y = h, value = mean(x)),
    chart_line(x = h, y = mean(x))
  )
  axes_of <- function(figure) {
    built <- ggplot2::ggplot_build(figure)
    shade <- built$plot$scales$get_scales("fill")
    panel <- built$layout$panel_params[[1]]
    list(
      x = panel$x.range,
      y = panel$y.range,
      shade = if (!is.null(shade) && is.numeric(shade$get_limits())) {
        shade$get_limits()
      }
    )
  }
  for (chart in c(every_chart("x", "y", "g", "h"), more)) {
    if (identical(chart$axes, "own")) next
    figures <- quiet(pour(d, two, chart))$figures[[1]]
    # Charts of the whole run have one figure.
    if (inherits(figures, "ggplot")) next
    axes <- lapply(figures, axes_of)
    expect_equal(
      axes$low,
      axes$high,
      tolerance = 0.01,
      info = paste(format(chart), collapse = " ")
    )
  }
})

d <- data.frame(
  s = rep(c("a", "b"), c(20, 400)),
  x = c(1:20, rep(1:20, 20)),
  g = c("u", "v"),
  full = 1,
  gone = c(NA, 2)
)
two <- subsets(few = s == "a", many = s == "b")
test_that("small subsets beside large ones are told", {
  for (chart in list(chart_histogram(x = x), chart_bar(x = g), chart_line(x = x, y = count()))) {
    said <- problems_of(pour(d, two, chart))
    expect_match(
      said,
      "Subset \"few\" is flat on the scale shared with \"many\"",
      all = FALSE
    )
  }
})

test_that("scales of their own need no note", {
  own <- problems_of(pour(
    d, two, chart_histogram(x = x, axes = "own"), chart_bar(x = g, y = mean(x))
  ))
  expect_identical(own, character())
})

test_that("columns without an absent value are named in the caption", {
  absent <- pour(d, chart_absence())
  expect_match(
    inner_state(absent)$charts[[1]]$caption,
    "Without an absent value in the study, and left out: s, x, g and full.",
    fixed = TRUE
  )
})

test_that("points and curves of panels need no note", {
  # Numbers along an axis are no groups side by side.
  many <- data.frame(
    x = stats::rnorm(1500),
    y = stats::rnorm(1500),
    g = c("u", "v")
  )
  expect_identical(
    problems_of(pour(
      many,
      chart_scatter(x = x, y = y, panels = g),
      chart_density(x = x, panels = g)
    )),
    character()
  )
})
