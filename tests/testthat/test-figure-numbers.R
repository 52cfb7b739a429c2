# The numbers behind every chart, against base R written differently.
hive_rows <- function() {
  as.data.frame(pour(demo_study(), exclude(hive_weight_kg > 200))$rows)
}

d <- hive_rows()
out <- pour(
  d,
  chart_histogram(
    x = mites_per_100,
    colour = treatment,
    panels = season,
    width = 0.5,
    window = c(0.4, 9)
  )
)
test_that("counts of bins equal cut() per panel and colour", {
  data <- chart_data(out)
  inside <- d[!is.na(d$mites_per_100) &
    d$mites_per_100 >= 0.4 &
    d$mites_per_100 <= 9, ]
  edges <- seq(min(data$from), max(data$to), by = 0.5)
  for (key in unique(label_of_rows(data, c("season", "colour")))) {
    mine <- data[label_of_rows(data, c("season", "colour")) == key, ]
    values <- inside$mites_per_100[label_of_rows(
      inside, c("season", "treatment")
    ) ==
      key]
    expect_equal(
      mine$count,
      as.vector(table(cut(
        values, edges,
        right = FALSE, include.lowest = TRUE
      ))),
      info = key
    )
  }
})

panels <- chart_data(out, part = "panels")
test_that("panels count their rows", {
  expect_equal(
    panels$n, as.vector(tapply(!is.na(d$mites_per_100), d$season, sum))
  )
})

test_that("panels count their absent values", {
  expect_equal(
    panels$absent, as.vector(tapply(is.na(d$mites_per_100), d$season, sum))
  )
})

test_that("panels count what lies outside the window", {
  expect_equal(
    panels$outside,
    as.vector(tapply(
      d$mites_per_100 < 0.4 | d$mites_per_100 > 9,
      d$season,
      sum,
      na.rm = TRUE
    ))
  )
})

test_that("the caption counts what lies outside the window", {
  expect_match(
    caption_of(out$figures$histogram),
    paste0("Window 0.4 to 9: ", sum(panels$outside), " values lie outside"),
    fixed = TRUE
  )
})

x <- rnorm(400, 10, 2)
data <- numbers(data.frame(x), chart_histogram(x = x))
test_that("the default width of bins follows Freedman and Diaconis", {
  rule <- 2 * IQR(x) / 400^(1 / 3)
  width <- data$to[1] - data$from[1]
  expect_true(width <= rule + 1e-12 && width >= rule / 2)
})

# Two peaks of R's own geyser are seen.
old <- numbers(faithful, chart_histogram(x = eruptions))
test_that("the default width of bins is a round number", {
  expect_identical(old$to[1] - old$from[1], 0.5)
})

test_that("two humps stay two humps", {
  expect_equal(
    sum(diff(sign(diff(old$count))) == -2) + (old$count[1] > old$count[2]), 2
  )
})

# Heaped values get bins around them, and of a multiple of what they are
# heaped on.
fives <- data.frame(age = rep(seq(20, 50, 5), c(40, 64, 81, 50, 35, 17, 13)))
heaped <- numbers(fives, chart_histogram(x = age))
test_that("bins of values at fives lie around them", {
  expect_identical(heaped$from, seq(17.5, 47.5, 5))
})

test_that("bins of values at fives hold each value alone", {
  expect_identical(heaped$count, c(40L, 64L, 81L, 50L, 35L, 17L, 13L))
})

test_that("bins are as wide as whole steps of the values", {
  tenths <- numbers(data.frame(x = round(x, 1)), chart_histogram(x = x))
  expect_equal(
    (tenths$to - tenths$from) * 10, round((tenths$to - tenths$from) * 10)
  )
})

test_that("bins count every value", {
  expect_equal(sum(data$count), 400L)
})

test_that("bins = asks for about so many", {
  expect_equal(
    nrow(numbers(data.frame(x = c(0, 97)), chart_histogram(x = x, bins = 20))),
    20L
  )
})

days <- as.Date("2024-01-01") + c(0:30, 45)
dated <- numbers(data.frame(days), chart_histogram(x = days, width = 7))
test_that("bins of dates begin at dates", {
  expect_s3_class(dated$from, "Date")
})

test_that("bins of dates count every value", {
  expect_equal(sum(dated$count), 32L)
})

# Sums of kernels, of values that are mirrored at ends up to which they are
# dense.
mirrored_density <- function(v, at, h) {
  kernels <- function(at, v) {
    vapply(at, function(a) sum(dnorm(a, v, h)), 0) / length(values)
  }
  values <- v
  ends <- range(v)
  shown <- kernels(seq(ends[1], ends[2], length.out = 65), v)
  dense <- length(v) >= 20 & shown[c(1, 65)] >= 0.35 * max(shown)
  kernels(
    at, c(v, if (dense[1]) 2 * ends[1] - v, if (dense[2]) 2 * ends[2] - v)
  )
}

d <- data.frame(
  x = withr::with_seed(1, c(rexp(3000), runif(3000), rnorm(3000), rexp(19))),
  g = rep(c("rexp", "runif", "rnorm", "few"), c(3000, 3000, 3000, 19))
)
out <- pour(d, chart_density(x = x, colour = g))
test_that("a density does not fall to half where values end", {
  data <- chart_data(out)
  area <- function(of) {
    sum(diff(of$x) * (of$density[-1] + of$density[-nrow(of)]) / 2)
  }
  at_ends <- list(rexp = c(1, 0), runif = c(1, 1), rnorm = c(0, 0))
  for (g in names(at_ends)) {
    mine <- data[data$colour == g, ]
    expect_equal(area(mine), 1, tolerance = 0.003)
    expect_lt(max(abs(mine$density[c(1, 256)] - at_ends[[g]])), 0.12)
  }
})

test_that("a density is mirrored where values are dense up to an end", {
  widths <- chart_data(out, part = "bandwidth")
  expect_identical(
    widths$reflected[match(c("rexp", "runif", "rnorm", "few"), widths$colour)],
    c("low", "both", "", "")
  )
})

test_that("the caption counts curves that are mirrored", {
  expect_match(
    caption_of(out$figures$density),
    "dense up to an end they are mirrored (2 curves)",
    fixed = TRUE
  )
})

# Weights that repeat rows are mirrored as the rows repeated are.
few <- data.frame(x = seq(0, 3, 0.25), w = 13:1)
many <- chart_data(pour(
  few[rep(seq_len(13), few$w), ], chart_density(x = x, bandwidth = 0.4)
))
test_that("a density of repeats is that of the rows repeated", {
  one <- chart_data(quiet(pour(
    few, chart_density(x = x, weights = repeats(w), bandwidth = 0.4)
  )))
  expect_equal(one$density, many$density)
})

test_that("a mirrored density equals the sum of kernels", {
  expect_equal(many$density, mirrored_density(rep(few$x, few$w), many$x, 0.4))
})

test_that("densities are sums of Gaussian kernels with Silverman's bandwidth", {
  d <- data.frame(
    x = c(rgamma(300, 3), NA, rnorm(5000, 8)),
    g = rep(c("a", "b"), c(301, 5000))
  )
  out <- pour(d, chart_density(x = x, colour = g))
  data <- chart_data(out)
  for (g in c("a", "b")) {
    v <- d$x[d$g == g & !is.na(d$x)]
    h <- stats::bw.nrd0(v)
    expect_equal(
      chart_data(out, part = "bandwidth")$bandwidth[match(g, c("a", "b"))], h
    )
    mine <- data[data$colour == g, ]
    expect_equal(mine$density, mirrored_density(v, mine$x, h), tolerance = 1e-4)
    expect_equal(range(mine$x), range(v))
  }
  expect_equal(
    numbers(d, chart_density(x = x, bandwidth = 2))$density[100],
    mean(dnorm(
      numbers(d, chart_density(x = x, bandwidth = 2))$x[100],
      d$x[!is.na(d$x)],
      2
    )),
    tolerance = 1e-4
  )
  shown <- numbers(d, chart_density(x = x, window = c(2, 4)))$x
  expect_equal(range(shown), c(2, 4))
})

test_that("cumulative shares are those of ecdf()", {
  d <- hive_rows()
  data <- numbers(d, chart_cumulative(x = mites_per_100, colour = season))
  for (s in unique(d$season)) {
    mine <- data[data$colour == s, ]
    expect_equal(
      mine$share, stats::ecdf(d$mites_per_100[d$season == s])(mine$x)
    )
    expect_setequal(
      mine$x, unique(d$mites_per_100[d$season == s & !is.na(d$mites_per_100)])
    )
  }
  many <- numbers(data.frame(x = runif(20000)), chart_cumulative(x = x))
  expect_equal(nrow(many), 1000L)
  expect_equal(max(many$share), 1)
})

test_that("box figures are those of quantile() and of values within 1.5 box lengths", {
  d <- hive_rows()
  out <- pour(
    d,
    chart_box(
      y = mites_per_100, x = treatment, colour = queen_seen, panels = season
    )
  )
  data <- chart_data(out)
  points <- chart_data(out, part = "points")
  groups <- groups_of(d, c("season", "treatment", "queen_seen"))
  expect_setequal(
    label_of_rows(data, c("season", "x", "colour")), names(groups)
  )
  for (i in seq_len(nrow(data))) {
    key <- label_of_rows(data[i, ], c("season", "x", "colour"))
    values <- groups[[key]]$mites_per_100
    v <- values[!is.na(values)]
    expect_equal(data$n[i], length(v))
    expect_equal(data$absent[i], sum(is.na(values)))
    if (!length(v)) next
    q <- unname(quantile(v, c(0.25, 0.5, 0.75)))
    expect_equal(unlist(data[i, c("q1", "median", "q3")], use.names = FALSE), q)
    near <- v[v >= q[1] - 1.5 * (q[3] - q[1]) & v <= q[3] + 1.5 * (q[3] - q[1])]
    expect_equal(c(data$lower[i], data$upper[i]), range(near))
    expect_equal(data$beyond[i], length(v) - length(near))
    expect_equal(
      sort(
        points$value[label_of_rows(points, c("season", "x", "colour")) == key]
      ),
      sort(v[v < min(near) | v > max(near)])
    )
  }
  expect_equal(d$mites_per_100[points$source_row], points$value)
})

test_that("many values beyond the whiskers are thinned, and that is said", {
  d <- data.frame(x = c(rep(0:1, 5000), 100 + seq_len(900)))
  out <- suppressMessages(pour(d, chart_box(y = x)))
  points <- chart_data(out, part = "points")
  expect_equal(nrow(points), 100L)
  expect_equal(range(points$value), c(101, 1000))
  expect_match(
    caption_of(out$figures$box),
    "Of 900 values beyond the whiskers 100 are drawn, at most 100 per box.",
    fixed = TRUE
  )
})

test_that("violins carry densities and the same figures as boxes", {
  out <- pour(
    hive_rows(),
    chart_box(y = honey_kg, x = season),
    chart_violin(y = honey_kg, x = season)
  )
  expect_equal(
    plain_frame(chart_data(out, "violin", part = "quartiles")),
    plain_frame(chart_data(out, "box"))
  )
  one <- chart_data(out, "violin")
  one <- one[one$x == "summer", ]
  v <- out$rows$honey_kg[out$rows$season == "summer" &
    !is.na(out$rows$honey_kg)]
  expect_equal(
    one$density, mirrored_density(v, one$y, stats::bw.nrd0(v)),
    tolerance = 1e-4
  )
})

test_that("a seeded choice leaves the session's seed", {
  before <- .Random.seed
  expect_identical(.Random.seed, before)
})

d <- hive_rows()
one <- numbers(d, chart_strip(y = mites_per_100, x = season, seed = 4))
test_that("a strip with one seed is the same", {
  expect_identical(
    numbers(d, chart_strip(y = mites_per_100, x = season, seed = 4)), one
  )
})

test_that("a strip with another seed is spread otherwise", {
  expect_false(identical(
    numbers(d, chart_strip(y = mites_per_100, x = season, seed = 5))$offset,
    one$offset
  ))
})

test_that("a strip shows every present value once", {
  expect_setequal(one$source_row, which(!is.na(d$mites_per_100)))
})

test_that("a strip has the value of the row it names", {
  expect_equal(d$mites_per_100[one$source_row], one$value)
})

test_that("points of a strip stay in their lane", {
  expect_true(all(abs(one$offset) <= 1))
})

set.seed(99)
out <- pour(data.frame(x = runif(3000)), chart_strip(y = x))
test_that("a strip of many values draws 1,000", {
  expect_equal(nrow(chart_data(out)), 1000L)
})

test_that("the caption says how many values are drawn", {
  expect_match(
    caption_of(out$figures$strip),
    "Of 3,000 values 1,000 are drawn",
    fixed = TRUE
  )
})

test_that("the median of a strip is that of all values", {
  expect_equal(chart_data(out, part = "medians")$median, median(out$rows$x))
})

d <- hive_rows()
out <- pour(
  d,
  chart_scatter(
    x = brood_frames, y = hive_weight_kg, colour = season, trend = "linear"
  )
)
data <- chart_data(out)
both <- which(!is.na(d$brood_frames) & !is.na(d$hive_weight_kg))
test_that("a scatter plot shows rows where both values are present", {
  expect_setequal(data$source_row, both)
})

test_that("points have the values of their rows", {
  expect_equal(data$y, d$hive_weight_kg[data$source_row])
})

test_that("panels count rows with both values", {
  expect_equal(chart_data(out, part = "panels")$n, length(both))
})

test_that("a linear trend equals lm()", {
  trend <- chart_data(out, part = "trend")
  for (s in unique(d$season)) {
    mine <- trend[trend$colour == s, ]
    fit <- lm(hive_weight_kg ~ brood_frames, d[d$season == s, ])
    direct <- predict(
      fit,
      data.frame(brood_frames = mine$x),
      interval = "confidence"
    )
    expect_equal(
      unname(as.matrix(mine[c("y", "low", "high")])),
      unname(direct),
      tolerance = 1e-8
    )
  }
})

wave <- data.frame(x = 1:200 / 10, y = sin(1:200 / 20) * 4)
smooth <- chart_data(
  pour(wave, chart_scatter(x = x, y = y, trend = "smooth")),
  part = "trend"
)
test_that("a smooth trend follows a wave", {
  expect_equal(smooth$y, sin(smooth$x / 2) * 4, tolerance = 0.02)
})

test_that("a smooth trend lies inside its interval", {
  expect_true(all(smooth$low <= smooth$y & smooth$y <= smooth$high))
})

test_that("tiles hold the counts of two cut()s", {
  d <- hive_rows()
  data <- numbers(
    d,
    chart_scatter(
      x = mites_per_100,
      y = hive_weight_kg,
      panels = season,
      marks = "tiles",
      bins = 20
    )
  )
  x <- sort(unique(c(data$x_from, data$x_to)))
  y <- sort(unique(c(data$y_from, data$y_to)))
  x <- seq(min(x), max(x), by = data$x_to[1] - data$x_from[1])
  y <- seq(min(y), max(y), by = data$y_to[1] - data$y_from[1])
  for (s in unique(d$season)) {
    mine <- d[d$season == s, ]
    direct <- as.data.frame(
      table(
        x = cut(
          mine$mites_per_100,
          x,
          right = FALSE,
          include.lowest = TRUE,
          labels = FALSE
        ),
        y = cut(
          mine$hive_weight_kg,
          y,
          right = FALSE,
          include.lowest = TRUE,
          labels = FALSE
        )
      ),
      stringsAsFactors = FALSE
    )
    direct <- direct[direct$Freq > 0, ]
    got <- data[data$season == s, ]
    expect_equal(
      sort(paste(
        match(round(got$x_from, 6), round(x, 6)),
        match(round(got$y_from, 6), round(y, 6)), got$count
      )),
      sort(paste(direct$x, direct$y, direct$Freq))
    )
  }
  many <- suppressMessages(pour(
    data.frame(x = rnorm(6000), y = rnorm(6000)), chart_scatter(x = x, y = y)
  ))
  expect_true("x_from" %in% names(chart_data(many)))
  expect_equal(
    nrow(chart_data(suppressMessages(pour(
      data.frame(x = rnorm(6000), y = rnorm(6000), g = "a"),
      chart_scatter(x = x, y = y, colour = g)
    )))),
    5000L
  )
})

d <- hive_rows()
data <- numbers(
  d,
  chart_line(
    x = start_of(visit_date, "month"),
    y = mean(mites_per_100),
    colour = treatment,
    panels = season
  )
)
direct <- aggregate(
  list(y = d$mites_per_100),
  list(
    season = d$season,
    colour = d$treatment,
    x = as.Date(format(d$visit_date, "%Y-%m-01"))
  ),
  mean,
  na.rm = TRUE
)
direct <- direct[is.finite(direct$y), ]
test_that("lines have a point per x, colour and panel", {
  expect_equal(nrow(data), nrow(direct))
})

test_that("lines of means equal aggregate()", {
  at <- match(
    label_of_rows(data, c("season", "colour", "x")),
    label_of_rows(direct, c("season", "colour", "x"))
  )
  expect_equal(data$y, direct$y[at])
})

chicks <- numbers(
  ChickWeight, chart_line(x = Time, y = weight, lines = Chick, colour = Diet)
)
test_that("lines of rows have a point per row", {
  expect_equal(nrow(chicks), nrow(ChickWeight))
})

test_that("lines of rows go in the order of x", {
  for (chick in c("18", "7")) {
    mine <- ChickWeight[ChickWeight$Chick == chick, ]
    expect_equal(chicks$y[chicks$lines == chick], mine$weight[order(mine$Time)])
  }
})

d <- hive_rows()
data <- numbers(d, chart_bar(x = apiary, colour = temper))
direct <- table(
  d$apiary,
  factor(ifelse(is.na(d$temper), "(absent)", as.character(d$temper)))
)
text <- ifelse(is.na(data$colour), "(absent)", as.character(data$colour))
test_that("bars of counts equal table()", {
  expect_equal(data$value, as.vector(direct[cbind(data$x, text)]))
})

test_that("shares of bars equal table()", {
  expect_equal(
    data$share, as.vector((direct / rowSums(direct))[cbind(data$x, text)])
  )
})

test_that("bars of sums equal tapply()", {
  sums <- numbers(d, chart_bar(x = season, y = sum(honey_kg)))
  expect_equal(
    sums$value, as.vector(tapply(d$honey_kg, d$season, sum, na.rm = TRUE))
  )
})

test_that("bars are ordered by their value", {
  ordered <- suppressMessages(pour(
    d, chart_bar(x = apiary, y = mean(honey_kg), order = "falling")
  ))
  means <- sort(
    tapply(d$honey_kg, d$apiary, mean, na.rm = TRUE),
    decreasing = TRUE
  )
  labels <- ggplot2::ggplot_build(
    ordered$figures$bar
  )$layout$panel_params[[1]]$x$get_labels()
  expect_equal(gsub("\n", " ", sub("\nn = .*", "", labels)), names(means))
})

test_that("intervals are those of t.test() and of the sign test", {
  d <- hive_rows()
  data <- numbers(
    d,
    chart_interval(
      y = mites_per_100, x = treatment, colour = season, level = 0.9
    )
  )
  for (i in seq_len(nrow(data))) {
    v <- d$mites_per_100[d$treatment == data$x[i] & d$season == data$colour[i]]
    direct <- t.test(v, conf.level = 0.9)
    expect_equal(
      c(data$centre[i], data$low[i], data$high[i]),
      c(unname(direct$estimate), direct$conf.int[1:2])
    )
  }
  for (n in c(3, 6, 11, 40)) {
    v <- rnorm(n)
    got <- numbers(data.frame(v), chart_interval(y = v, show = "median"))
    expect_equal(got$centre, median(v))
    # The widest pair of order statistics whose coverage is still at least 0.95.
    covers <- vapply(
      seq_len(n %/% 2), function(k) 1 - 2 * pbinom(k - 1, n, 0.5), numeric(1)
    )
    k <- max(c(0, which(covers >= 0.95)))
    expect_equal(
      c(got$low, got$high),
      if (k) c(sort(v)[k], sort(v)[n - k + 1]) else c(NA_real_, NA_real_),
      info = n
    )
  }
})

d <- hive_rows()
test_that("a heat map of medians equals tapply()", {
  data <- numbers(
    d,
    chart_heat(x = month(visit_date), y = apiary, value = median(mites_per_100))
  )
  direct <- tapply(
    d$mites_per_100,
    list(as.integer(format(d$visit_date, "%m")), d$apiary),
    median,
    na.rm = TRUE
  )
  expect_equal(
    data$value, as.vector(direct[cbind(as.character(data$x), data$y)])
  )
})

test_that("a heat map of counts covers all rows", {
  expect_equal(
    sum(numbers(d, chart_heat(x = season, y = treatment))$value), nrow(d)
  )
})

test_that("absent values per group are counted", {
  absences <- numbers(d, chart_absence(hive_weight_kg, temper, x = season))
  for (i in seq_len(nrow(absences))) {
    mine <- d[d$season == absences$x[i], ]
    gone <- if (absences$column[i] == "(any of these)") {
      is.na(mine$hive_weight_kg) | is.na(mine$temper)
    } else {
      is.na(mine[[absences$column[i]]])
    }
    expect_equal(absences$absent[i], sum(gone))
    expect_equal(absences$share[i], mean(gone))
  }
})

test_that("columns without an absent value are left out", {
  expect_setequal(
    numbers(airquality, chart_absence())$column,
    c("Ozone", "Solar.R", "(any of these)")
  )
})

steps <- sieve(
  include(weighed = present(hive_weight_kg), season == "spring"),
  exclude(misread = hive_weight_kg > 200),
  include(brood_frames > 6)
)
out <- quiet(pour(demo_study(), steps, chart_flow()))
data <- chart_data(out)
account <- ledger(out)
moved <- account[account$level == "step" & account$held > 0, ]
test_that("the flow shows the rows behind each step", {
  expect_equal(data$rows[-1], moved$rows_out)
})

test_that("the flow shows the rows held back", {
  expect_equal(data$held[-1], moved$held)
})

test_that("the flow shows units", {
  expect_equal(data$units[-1], moved$units_out)
})

reasons <- chart_data(out, part = "reasons")
test_that("reasons of the flow add up to the rows held back", {
  expect_equal(as.vector(tapply(reasons$rows, reasons$step, sum)), moved$held)
})

test_that("reasons of the flow equal the rows held back", {
  held <- as.data.frame(out$held)
  expect_equal(
    reasons$rows,
    as.vector(
      table(paste(
        held$held_at, held$held_by, held$held_because
      ))[paste(reasons$step, reasons$condition, reasons$because)]
    )
  )
})

test_that("the flow of siftings is drawn", {
  expect_s3_class(drawn(chart_flow(out)), "ggplot")
})

test_that("the flow goes on where groups become rows", {
  grouped <- quiet(pour(
    demo_study(),
    include(season == "spring"),
    condense(visits = count(), by = hive),
    include(visits > 4),
    chart_flow()
  ))
  expect_equal(utils::tail(chart_data(grouped)$rows, 1), nrow(grouped$rows))
  drawn(grouped$figures$flow)
})

out <- pour(
  demo_study(),
  subsets(
    strong = brood_frames > 8,
    treated = treatment != "none",
    calm = temper == "calm"
  ),
  chart_overlap()
)
data <- chart_data(out)
test_that("a chart of overlaps equals overlaps()", {
  direct <- as.data.frame(overlaps(out))
  expect_equal(data$rows[match(direct$subsets, data$subsets)], direct$rows)
})

test_that("a chart of overlaps covers all rows", {
  expect_equal(sum(data$rows), nrow(out$rows))
})

test_that("overlaps fall in size", {
  expect_false(is.unsorted(rev(data$rows)))
})

test_that("overlaps are drawn of siftings and as a step", {
  drawn(out$figures$overlap)
  drawn(chart_overlap(out))
})

test_that("overlaps need subsets", {
  expect_error(
    pour(airquality, chart_overlap()),
    "needs subsets",
    class = "neatsieve_error_step"
  )
})

d <- demo_study()
both <- sieve(subsets(
  strong = brood_frames > 8,
  calm = temper == "calm",
  none_such = brood_frames > 900
))
out <- quiet(pour(
  d,
  both,
  chart_box(y = mites_per_100, x = season),
  chart_box(
    y = mites_per_100,
    x = season,
    panels = c(subsets(), queen_seen),
    name = "beside"
  )
))
test_that("subsets make a figure each", {
  expect_named(out$figures$box, c("strong", "calm", "none_such"))
})

test_that("the figure of a subset is that of its rows", {
  alone <- quiet(pour(
    d, include(brood_frames > 8), chart_box(y = mites_per_100, x = season)
  ))
  expect_equal(
    plain_frame(chart_data(out, "box", "strong")),
    plain_frame(chart_data(alone))
  )
})

beside <- chart_data(out, "beside")
test_that("panels of a subset are those of its rows", {
  halves <- quiet(pour(
    d,
    include(brood_frames > 8),
    chart_box(y = mites_per_100, x = season, panels = queen_seen)
  ))
  mine <- plain_frame(
    beside[beside$subset == "strong", setdiff(names(beside), "subset")]
  )
  expect_equal(mine, plain_frame(chart_data(halves)))
})

test_that("points beside boxes have the values of their rows", {
  points <- chart_data(out, "beside", part = "points")
  expect_equal(as.data.frame(d)$mites_per_100[points$source_row], points$value)
})

test_that("the title names the subset", {
  expect_match(out$figures$box$strong$labels$title, ": strong$")
})

test_that("the caption says what the subset is", {
  expect_match(
    caption_of(out$figures$box$strong),
    "^Subset strong \\(brood_frames is above 8\\)"
  )
})

test_that("the caption lists the subsets that are panels", {
  expect_match(
    caption_of(out$figures$beside),
    "Subsets: strong: brood_frames is above 8; calm: temper is \"calm\"",
    fixed = TRUE
  )
})

test_that("figures of subsets are drawn, also of an empty one", {
  drawn(out$figures$beside)
  drawn(out$figures$box$none_such)
})
