exact <- function(x) {
  q <- gmp::as.bigq(x)
  n <- length(x)
  mean <- sum(q) / n
  list(
    sum = as.numeric(sum(q)),
    mean = as.numeric(mean),
    sd = if (n > 1) sqrt(as.numeric(sum((q - mean)^2) / (n - 1))) else NA_real_
  )
}
same_digits <- function(got, exact, digits = 14) {
  all(
    is.na(got) & is.na(exact) |
      abs(got - exact) <= 10^-digits * abs(exact) + 5e-324
  )
}

test_that("sums, means and deviations have 14 digits of the exact value", {
  skip_if_not_installed("gmp")
  hard <- list(
    acc1 = c(10000001, 10000003, 10000002),
    acc2 = c(1.2, rep(c(1.1, 1.3), 500)),
    acc3 = c(1000000.2, rep(c(1000000.1, 1000000.3), 500)),
    acc4 = c(10000000.2, rep(c(10000000.1, 10000000.3), 500)),
    light = as.numeric(datasets::morley$Speed) + 299000,
    one = 3.7,
    far = c(1e15, rep(1e12 + c(0, 1), 300)),
    tiny = c(1, 2, 5) * 5e-324,
    cancel = c(1e16, 1, -1e16, 2),
    big = c(1e150, 2e150, -1e150)
  )
  set.seed(6)
  for (k in 1:25) {
    hard[[paste0(
      "random", k
    )]] <- stats::rnorm(
      sample(2:400, 1),
      sample(c(0, 1e-6, 1e8, -1e12), 1),
      sample(c(1e-3, 1, 1e6), 1)
    )
  }
  table <- data.frame(
    g = rep(names(hard), lengths(hard)),
    x = unlist(hard, use.names = FALSE)
  )
  table <- rbind(
    table, data.frame(g = names(hard), x = NA)
  )[sample(nrow(table) + length(hard)), ]
  got <- pour(
    table, statistics(x, by = g, show = c("sum", "mean", "sd"))
  )$tables$statistics
  for (i in seq_len(nrow(got))) {
    e <- exact(table$x[table$g == got$g[i] & !is.na(table$x)])
    expect_true(
      same_digits(got$sum[i], e$sum) &&
        same_digits(got$mean[i], e$mean) &&
        same_digits(got$sd[i], e$sd),
      info = paste(
        got$g[i], got$sum[i] - e$sum, got$mean[i] - e$mean, got$sd[i] / e$sd - 1
      )
    )
  }
  light <- pour(data.frame(x = hard$light), statistics(x))$tables$statistics
  expect_equal(light$mean, 299852.4, tolerance = 1e-15)
  expect_equal(light$sd, 79.0105478190518, tolerance = 1e-13)
})

awkward <- function(n = 400) {
  x <- c(stats::rnorm(n - 40), sample(-3:3, 40, TRUE))[sample(n)]
  table <- data.frame(
    x = x,
    y = x + stats::rnorm(n),
    w = stats::runif(n),
    k = sample(1:5, n, TRUE),
    word = sample(c("b", "a", "B", "\u00e9", "c"), n, TRUE),
    flag = sample(c(TRUE, FALSE), n, TRUE),
    day = as.Date("2024-01-01") + sample(0:90, n, TRUE),
    level = factor(sample(c("lo", "hi", "mid"), n, TRUE), c("lo", "mid", "hi")),
    g = sample(c("p", "q", "r", NA), n, TRUE),
    stringsAsFactors = FALSE
  )
  for (column in c("x", "y", "w", "k", "word", "flag", "day", "level")) {
    table[[column]][sample(n, n %/% 10)] <- NA
  }
  table[nrow(table) + 1:5, ] <- NA
  table$g[n + 1:5] <- c("one", "none", "none", "inf", "inf")
  table$x[n + c(1, 4, 5)] <- c(2.5, Inf, 1)
  table
}

test_that("every aggregate equals base R per group, also of one value, none and infinities", {
  set.seed(12)
  freq <- function(v, rank) {
    t <- table(factor(rank(v)))
    as.numeric(names(t)[t == max(t)][1])
  }
  moment <- function(v, k) mean((v - mean(v))^k)
  t_low <- function(v) {
    if (length(v) > 1) {
      mean(v) - stats::qt(0.975, length(v) - 1) * stats::sd(v) / sqrt(length(v))
    } else {
      NA
    }
  }
  plain <- list(
    n_x = function(d) sum(!is.na(d$x)),
    rows = function(d) nrow(d),
    trues = function(d) {
      sum(d$flag, na.rm = TRUE)
    },
    part = function(d) mean(d$x > 0, na.rm = TRUE),
    sum_x = function(d) sum(d$x, na.rm = TRUE),
    mean_x = function(d) mean(d$x, na.rm = TRUE),
    mid = function(d) {
      stats::median(d$x, na.rm = TRUE)
    },
    var_x = function(d) stats::var(d$x, na.rm = TRUE),
    sd_k = function(d) {
      stats::sd(d$k, na.rm = TRUE)
    },
    se_x = function(d) stats::sd(d$x, na.rm = TRUE) / sqrt(sum(!is.na(d$x))),
    lo = function(d) min(d$x, na.rm = TRUE),
    hi = function(d) {
      if (all(is.na(d$k))) NA else max(d$k, na.rm = TRUE)
    },
    span = function(d) diff(range(d$x, na.rm = TRUE)),
    iqr_x = function(d) {
      stats::IQR(d$x, na.rm = TRUE)
    },
    mad_x = function(d) stats::mad(d$x, na.rm = TRUE),
    often = function(d) {
      v <- d$word[!is.na(d$word)]
      u <- sort(unique(v), method = "radix")
      n <- vapply(u, function(k) sum(v == k), 0)
      u[which.max(n)]
    },
    kinds = function(d) length(unique(d$word[!is.na(d$word)])),
    different_x = function(d) {
      length(unique(d$x[!is.na(d$x)]))
    },
    first_k = function(d) d$k[!is.na(d$k)][1],
    last_word = function(d) {
      utils::tail(d$word[!is.na(d$word)], 1)
    },
    skew = function(d) {
      v <- d$y[!is.na(d$y)]
      moment(v, 3) / moment(v, 2)^1.5
    },
    kurt = function(d) {
      v <- d$y[!is.na(d$y)]
      moment(v, 4) / moment(v, 2)^2 - 3
    },
    low_y = function(d) t_low(d$y[!is.na(d$y)]),
    wilson = function(d) {
      v <- d$flag[!is.na(d$flag)]
      if (length(v)) {
        stats::prop.test(sum(v), length(v), correct = FALSE)$conf.int[2]
      } else {
        NA
      }
    },
    pearson = function(d) stats::cor(d$x, d$y, use = "complete.obs"),
    spearman = function(d) {
      stats::cor(d$x, d$y, use = "complete.obs", method = "spearman")
    },
    weighted = function(d) {
      ok <- !is.na(d$x) & !is.na(d$w)
      stats::weighted.mean(d$x[ok], d$w[ok])
    },
    first_day = function(d) {
      if (all(is.na(d$day))) NA else as.character(min(d$day, na.rm = TRUE))
    },
    level_often = function(d) {
      t <- table(d$level)
      if (sum(t)) names(t)[which.max(t)] else NA
    },
    ratio = function(d) {
      ok <- !is.na(d$x) & !is.na(d$y)
      sum(d$x[ok]) / sum(d$y[ok])
    },
    own = function(d) stats::quantile(d$x, 0.3, na.rm = TRUE, names = FALSE)
  )
  third <- function(v) stats::quantile(v, 0.3, na.rm = TRUE, names = FALSE)
  for (round in seq_len(rounds_of(4, 1))) {
    table <- awkward()
    got <- quiet(pour(
      table,
      statistics(
        by = g,
        n_x = count(x),
        rows = count(),
        trues = count_true(flag),
        part = share(x > 0),
        sum_x = sum(x),
        mean_x = mean(x),
        mid = median(x),
        var_x = var(x),
        sd_k = sd(k),
        se_x = se(x),
        lo = min(x),
        hi = max(k),
        span = extent(x),
        iqr_x = iqr(x),
        mad_x = mad(x),
        often = most_frequent(word),
        kinds = count_different(word),
        different_x = count_different(x),
        first_k = first(k),
        last_word = last(word),
        skew = skewness(y),
        kurt = kurtosis(y),
        low_y = ci_low(y),
        wilson = ci_high(flag),
        pearson = cor(x, y),
        spearman = cor(x, y, method = "spearman"),
        weighted = mean(x, weights = w),
        first_day = as_text(min(day)),
        level_often = as_text(most_frequent(level)),
        ratio = sum(x, where = present(y)) / sum(y, where = present(x)),
        own = custom(third, x)
      ) |>
        (\(s) {
          s$named$rows <- NULL
          s
        })()
    ))$tables$statistics
    groups <- split(
      table, factor(table$g, unique(sort(table$g, method = "radix")))
    )
    groups <- c(groups, list(table[is.na(table$g), ]))
    for (name in setdiff(names(plain), "rows")) {
      expected <- suppressWarnings(lapply(groups, function(d) {
        v <- tryCatch(plain[[name]](d), error = function(e) NA)
        if (!length(v) ||
          is.nan(v) ||
          (is.infinite(v) && !any(is.infinite(d$x)))) {
          NA
        } else {
          v
        }
      }))
      expected <- unname(unlist(expected))
      value <- got[[name]]
      # A spread over infinities has no value.
      if (is.numeric(value)) {
        expect_equal(
          as.numeric(value),
          as.numeric(expected),
          tolerance = 1e-12,
          info = name
        )
      } else {
        expect_identical(
          as.character(value), as.character(expected),
          info = name
        )
      }
    }
    expect_identical(got$rows, unname(vapply(groups, nrow, 0L)))
  }
})

test_that("all nine quantile types are those of stats::quantile", {
  set.seed(3)
  for (n in c(1, 2, 5, 10, 37)) {
    table <- data.frame(x = round(stats::rnorm(n), 1))
    asked <- expand.grid(p = c(0, 0.1, 0.25, 0.5, 0.9, 1), type = 1:9)
    wanted <- Map(
      function(p, type) bquote(quantile(x, .(p), .(type))), asked$p, asked$type
    )
    names(wanted) <- paste("type", asked$type, "at", asked$p)
    got <- unlist(pour(table, do.call(statistics, wanted))$tables$statistics)
    expected <- Map(
      function(p, type) stats::quantile(table$x, p, type = type, names = FALSE),
      asked$p,
      asked$type
    )
    expect_equal(
      got[names(wanted)],
      stats::setNames(unlist(expected), names(wanted)),
      info = n
    )
  }
})

table <- as.data.frame(demo_study())
out <- quiet(pour(
  demo_study(),
  include(season == "spring"),
  work_out(
    usual = mean(hive_weight_kg, by = apiary),
    all = mean(hive_weight_kg, over = "study"),
    here = median(honey_kg),
    n = count(by = c(apiary, treatment)),
    line = most_frequent(queen_line, by = apiary),
    z = (hive_weight_kg - mean(hive_weight_kg)) / sd(hive_weight_kg),
    gone = sum(honey_kg, absent = "carry")
  )
))$rows
spring <- table[table$season == "spring", ]
m <- function(v) mean(v, na.rm = TRUE)
test_that("a mean by group beside each row equals ave()", {
  expect_equal(
    out$usual, stats::ave(spring$hive_weight_kg, spring$apiary, FUN = m)
  )
})

test_that("a mean over the study is that of all rows as loaded", {
  expect_equal(out$all, rep(m(table$hive_weight_kg), nrow(out)))
})

test_that("a median without by is that of the rows that entered", {
  expect_equal(
    out$here, rep(stats::median(spring$honey_kg, na.rm = TRUE), nrow(out))
  )
})

test_that("a count by two keys beside each row equals ave()", {
  expect_identical(
    out$n,
    as.integer(stats::ave(
      spring$visit_id, spring$apiary, spring$treatment,
      FUN = length
    ))
  )
})

test_that("standardised values equal scale()", {
  expect_equal(out$z, as.vector(scale(spring$hive_weight_kg)))
})

test_that("an aggregate of no value is absent in every row", {
  expect_true(all(is.na(out$gone)))
})

test_that("the most frequent text by group stands beside each row", {
  expect_identical(
    unique(out$line[out$apiary == "Fen Gate"]),
    names(which.max(table(spring$queen_line[spring$apiary == "Fen Gate"])))
  )
})

test_that("a note says over which rows an aggregate was taken", {
  expect_message(
    pour(
      demo_study(),
      include(season == "spring"),
      work_out(m = mean(brood_frames))
    ),
    "870 rows that entered this step, after 1,475 were held back",
    class = "neatsieve_note"
  )
})

test_that("a criterion with an aggregate by group is read where it is cited", {
  heavy <- quiet(pour(
    demo_study(),
    criteria(heavy = hive_weight_kg > mean(hive_weight_kg, by = apiary)),
    include(heavy)
  ))$rows
  expect_identical(
    heavy$visit_id,
    table$visit_id[which(
      table$hive_weight_kg >
        stats::ave(table$hive_weight_kg, table$apiary, FUN = m)
    )]
  )
})

out <- pour(
  demo_study(),
  statistics(
    honey_kg,
    brood_frames,
    temper,
    queen_seen,
    visit_date,
    by = treatment,
    show = list("mean", p90 = quantile(it, 0.9)),
    order = falling(mean),
    total = TRUE,
    units = TRUE,
    reference = "none"
  )
)
long <- out$tables$statistics
test_that("groups are ordered by a falling mean", {
  expect_false(is.unsorted(-long$mean[long$treatment != "(all)"]))
})

table <- as.data.frame(demo_study())
test_that("totals and quantiles of one's own equal base R", {
  for (column in c("honey_kg", "brood_frames")) {
    expect_equal(
      long$mean[long$column == column & long$treatment == "(all)"],
      mean(table[[column]], na.rm = TRUE)
    )
    expect_equal(
      long$p90[long$column == column & long$treatment == "formic"],
      stats::quantile(
        table[[column]][table$treatment == "formic"],
        0.9,
        na.rm = TRUE,
        names = FALSE
      )
    )
  }
})

test_that("units are counted per group", {
  expect_identical(
    long$units[long$treatment == "thymol"][1],
    length(unique(table$hive[table$treatment == "thymol"]))
  )
})

wide <- pour(
  demo_study(),
  statistics(honey_kg, brood_frames, by = treatment, shape = "wide")
)$tables$statistics
test_that("a wide table names columns by column and statistic", {
  expect_identical(
    names(wide)[1:4],
    c("treatment", "honey_kg_n", "honey_kg_absent", "honey_kg_mean")
  )
})

test_that("figures in a wide table equal base R", {
  expect_equal(
    wide$brood_frames_sd[wide$treatment == "none"],
    stats::sd(table$brood_frames[table$treatment == "none"], na.rm = TRUE)
  )
})

cats <- out$tables$statistics_categories
one <- cats[cats$treatment == "none" &
  cats$column == "temper" &
  !is.na(cats$value), ]
tab <- table(table$temper[table$treatment == "none"])
test_that("categories are listed in the order of table()", {
  expect_identical(one$value, names(tab))
})

test_that("shares of categories equal prop.table()", {
  expect_equal(one$share, as.vector(prop.table(tab)))
})

test_that("the mean of dates is a date", {
  dates <- out$tables$statistics_dates
  expect_identical(
    dates$mean[dates$treatment == "formic"],
    .Date(floor(mean(unclass(table$visit_date[table$treatment == "formic"]))))
  )
})

test_that("the largest date equals max()", {
  plain <- pour(
    demo_study(), statistics(visit_date, by = treatment)
  )$tables$statistics_dates
  expect_identical(
    plain$max[plain$treatment == "formic"],
    max(table$visit_date[table$treatment == "formic"])
  )
})

test_that("differences from a reference equal Welch's test", {
  d <- out$tables$statistics_differences
  welch <- stats::t.test(
    table$honey_kg[table$treatment == "thymol"],
    table$honey_kg[table$treatment == "none"]
  )
  mine <- d[d$treatment == "thymol" & d$column == "honey_kg", ]
  expect_equal(
    c(mine$ci_low, mine$ci_high, mine$difference),
    c(welch$conf.int, -diff(unname(welch$estimate)))
  )
})

gap <- data.frame(
  f = factor(c("a", "c", NA), levels = c("a", "b", "c")),
  x = 1:3
)
with_empty <- pour(gap, statistics(x, by = f, empty = TRUE))$tables$statistics
test_that("empty groups stand in the order of the category, absent last", {
  expect_identical(as.character(with_empty$f), c("a", "b", "c", NA))
})

test_that("empty groups count 0 rows", {
  expect_identical(with_empty$n, c(1L, 0L, 1L, 1L))
})

table <- as.data.frame(demo_study())
out <- pour(
  demo_study(),
  include(present(hive_weight_kg)),
  condense(visits = count(), mites = mean(mites_per_100), by = hive),
  include(visits >= 20),
  statistics(mites)
)
rows <- table[!is.na(table$hive_weight_kg), ]
expected <- data.frame(hive = sort(unique(rows$hive), method = "radix"))
expected$visits <- as.vector(table(rows$hive)[expected$hive])
expected$mites <- as.vector(
  tapply(rows$mites_per_100, rows$hive, mean, na.rm = TRUE)[expected$hive]
)
expected <- expected[expected$visits >= 20, ]
test_that("condense() makes one row per group for the steps behind it", {
  expect_equal(out$rows, expected, ignore_attr = "row.names")
})

account <- ledger(out)
whole <- account[account$level == "step", ]
test_that("the account holds where groups become rows", {
  expect_equal(whole$rows_out, whole$rows_in - whole$held + whole$added)
})

test_that("condensed rows are held back as condensed", {
  expect_identical(sum(out$held$held_because == "condensed"), nrow(rows))
})

test_that("units behind condense() are its rows", {
  expect_equal(whole$units_out[3], nrow(expected))
})

test_that("a column that condense() left out is named in the error", {
  expect_error(
    pour(demo_study(), condense(n = count(), by = hive), include(honey_kg > 1)),
    "made one row per group",
    class = "neatsieve_error_expression"
  )
})

test_that("a condensation without a name is named by its text", {
  expect_identical(names(pour(demo_study(), condense(count()))$rows), "count()")
})

of_none <- quiet(pour(
  demo_study(),
  include(honey_kg > 1e6),
  statistics(temper, by = season),
  counts(season, temper, shape = "wide")
))
test_that("no row gives no line of categories", {
  expect_identical(nrow(of_none$tables$statistics_categories), 0L)
})

test_that("cross tables of no row keep their sums", {
  expect_identical(of_none$tables$counts$season, "(all)")
})

test_that("a statistic cannot have the name of a column", {
  expect_error(
    pour(demo_study(), statistics(honey_kg = mean(brood_frames))),
    "a statistic the name of a column",
    class = "neatsieve_error_expression"
  )
})

table <- as.data.frame(demo_study())
two <- pour(
  demo_study(), counts(season, temper, share = "season")
)$tables$counts
test_that("counts of two columns equal table()", {
  plain <- as.data.frame(table(
    season = table$season, temper = table$temper, useNA = "ifany"
  ))
  at <- match(paste(two$season, two$temper), paste(plain$season, plain$temper))
  expect_identical(two$n, plain$Freq[at])
})

test_that("shares of one column add up to 1 in each of its values", {
  expect_equal(as.vector(tapply(two$share, two$season, sum)), rep(1, 3))
})

wide <- pour(
  demo_study(), counts(season, treatment, shape = "wide")
)$tables$counts
test_that("a wide table of counts equals table()", {
  expect_identical(
    as.integer(unlist(wide[1:3, unique(table$treatment)])),
    as.vector(table(table$season, table$treatment)[, unique(table$treatment)])
  )
})

test_that("a wide table ends in the sums of its rows", {
  expect_identical(
    wide[["(all)"]], c(as.vector(table(table$season)), nrow(table))
  )
})

often <- pour(
  demo_study(), counts(queen_line, order = "falling", cumulative = TRUE)
)$tables$counts
test_that("counts are sorted by falling count", {
  expect_identical(
    often$n,
    as.integer(sort(
      table(table$queen_line, useNA = "ifany"),
      decreasing = TRUE
    ))
  )
})

test_that("cumulative shares equal cumsum()", {
  expect_equal(often$cumulative, cumsum(often$n) / nrow(table))
})

gone <- pour(
  demo_study(),
  absences(
    hive_weight_kg, mites_per_100, honey_kg,
    by = season, patterns = TRUE
  )
)$tables
test_that("absent values by group equal is.na()", {
  for (column in c("hive_weight_kg", "mites_per_100", "honey_kg")) {
    expect_identical(
      gone$absences$absent[gone$absences$column == column],
      as.vector(tapply(is.na(table[[column]]), table$season, sum))
    )
  }
})

complete <- stats::complete.cases(
  table[c("hive_weight_kg", "mites_per_100", "honey_kg")]
)
test_that("rows with any absent value equal complete.cases()", {
  expect_identical(
    gone$absences$absent[gone$absences$column == "(any of these)"],
    as.vector(tapply(!complete, table$season, sum))
  )
})

p <- gone$absences_patterns
test_that("the pattern of no absent value equals complete.cases()", {
  expect_identical(
    p$rows[p$season == "spring" & p$absent_columns == "(none)"],
    sum(complete & table$season == "spring")
  )
})

test_that("patterns of absent values cover all rows", {
  expect_identical(sum(p$rows), nrow(table))
})

test_that("absences() without columns takes all of them", {
  expect_identical(
    pour(airquality, absences())$tables$absences$absent[1:2], c(37L, 7L)
  )
})

table <- as.data.frame(demo_study())
s <- sieve(
  criteria(strong = brood_frames > 8, treated = treatment != "none"),
  subsets(
    strong,
    treated,
    weak = !strong,
    strong_treated = strong & treated,
    rest = leftover()
  ),
  exclude(mites_per_100 > 5),
  statistics(mites_per_100, by = season),
  statistics(
    mites_per_100,
    show = c("mean", "sd", "min", "max"),
    by = season,
    name = "quick"
  ),
  counts(temper),
  chart_histogram(x = mites_per_100, panels = season, axes = "own")
)
out <- quiet(pour(demo_study(), s))
strong <- table$brood_frames > 8
treated <- table$treatment != "none"
members <- list(
  strong = strong,
  treated = treated,
  weak = !strong,
  strong_treated = strong & treated
)
members <- lapply(members, `%in%`, TRUE)
members$rest <- !Reduce(`|`, members)
test_that("subsets stand in the order written", {
  expect_identical(names(out$subsets), names(members))
})

on <- is.na(table$mites_per_100) | table$mites_per_100 <= 5
test_that("each subset has its rows, tables and account", {
  for (name in names(members)) {
    inside <- table[members[[name]] & on, ]
    expect_equal(out$subsets[[name]], inside, ignore_attr = "row.names")
    alone <- pour(
      inside,
      statistics(mites_per_100, by = season),
      counts(temper),
      chart_histogram(x = mites_per_100, panels = season, axes = "own")
    )
    of_subset <- function(t) as.data.frame(t[t$subset == name, -1])
    if (nrow(inside)) {
      expect_equal(
        of_subset(out$tables$statistics),
        as.data.frame(alone$tables$statistics),
        ignore_attr = "row.names"
      )
      expect_equal(
        of_subset(out$tables$counts),
        as.data.frame(alone$tables$counts),
        ignore_attr = "row.names"
      )
      quick <- of_subset(out$tables$quick)
      expect_equal(
        quick[c("n", "absent", "mean", "sd", "min", "max")],
        as.data.frame(
          alone$tables$statistics
        )[c("n", "absent", "mean", "sd", "min", "max")],
        ignore_attr = "row.names",
        tolerance = 1e-13
      )
      expect_equal(chart_data(out, subset = name), chart_data(alone))
    }
    expect_s3_class(out$figures$histogram[[name]], "ggplot")
  }
})

exact <- overlaps(out)
test_that("exact overlaps cover all rows", {
  expect_identical(sum(exact$rows), sum(on))
})

test_that("an exact overlap counts the rows in just these subsets", {
  expect_identical(
    exact$rows[exact$subsets == "strong & treated & strong_treated"],
    sum(members$strong & members$treated & on)
  )
})

test_that("subsets that exclude each other share no row", {
  both <- overlaps(out, "intersection")
  expect_identical(both$rows[both$subsets == "strong & weak"], 0L)
})

test_that("the union of two subsets counts rows in either", {
  either <- overlaps(out, "union")
  expect_identical(
    either$rows[either$subsets == "strong | treated"],
    sum((members$strong | members$treated) & on)
  )
})

test_that("the difference of two subsets counts rows in the first alone", {
  less <- overlaps(out, "difference")
  expect_identical(
    less$rows[less$subsets == "strong - treated"],
    sum(members$strong & !members$treated & on)
  )
})

part <- as_study(out, subset = "strong_treated")
test_that("a subset becomes a study", {
  expect_identical(nrow(as.data.frame(part)), nrow(out$subsets$strong_treated))
})

test_that("a study of a subset says so", {
  expect_output(print(part), "subset strong_treated")
})

ended <- pour(
  demo_study(), subsets(a = queen_seen), subsets(), statistics(honey_kg)
)
test_that("subsets() without arguments ends them", {
  expect_false("subset" %in% names(ended$tables$statistics))
})

test_that("overlaps() without subsets is an error", {
  expect_error(overlaps(ended), "no subsets", class = "neatsieve_error_run")
})

test_that("a subset spelled wrong gets the nearest name", {
  expect_error(
    as_study(out, subset = "stong"),
    "Did you mean \"strong\"",
    class = "neatsieve_error_run"
  )
})

test_that("subsets survive a plan file", {
  path <- tempfile(fileext = ".yaml")
  write_sieve(s, path)
  expect_identical(
    quiet(pour(demo_study(), read_sieve(path)))$tables, out$tables
  )
})

test_that("a figure per subset is written to the folder", {
  folder <- tempfile()
  expect_true(
    "figure-histogram-strong.png" %in%
      basename(write_siftings(out, folder, report = is_full_run()))
  )
})

s <- sieve(
  statistics(
    honey_kg,
    "hive_w*",
    heavy = count_true(hive_weight_kg > 50),
    by = c(apiary, y = year(visit_date)),
    show = list("mean", p90 = quantile(it, 0.9)),
    order = c(apiary, falling(mean)),
    total = TRUE,
    units = TRUE,
    digits = 3
  ),
  statistics(
    honey_kg,
    by = treatment,
    reference = "none",
    name = "compared",
    shape = "wide",
    absent = "carry",
    empty = TRUE
  ),
  counts(
    season, temper,
    share = "season", order = "falling", cumulative = TRUE
  ),
  absences("*_kg", by = season, patterns = TRUE),
  condense(n = count(), m = mean(honey_kg), by = hive),
  include(n > 20)
)
path <- tempfile(fileext = ".yaml")
write_sieve(s, path)
again <- read_sieve(path)
test_that("tables survive a plan file in words", {
  expect_identical(
    utils::capture.output(print(again)), utils::capture.output(print(s))
  )
})

test_that("tables survive a plan file in numbers", {
  expect_identical(
    pour(demo_study(), again)$tables, pour(demo_study(), s)$tables
  )
})

test_that("rows survive a plan file", {
  expect_identical(pour(demo_study(), again)$rows, pour(demo_study(), s)$rows)
})

middle <- function(v) stats::median(v, na.rm = TRUE)
write_sieve(sieve(statistics(m = custom(middle, honey_kg))), path)
test_that("a function of one's own in a plan is asked for", {
  expect_error(
    pour(demo_study(), read_sieve(path)),
    "not at hand",
    class = "neatsieve_error_expression"
  )
})

test_that("a plan runs with the function that it asks for", {
  expect_equal(
    pour(
      demo_study(), read_sieve(path, functions = list(middle = middle))
    )$tables$statistics$m,
    middle(as.data.frame(demo_study())$honey_kg)
  )
})

test_that("printed tables fit 80 columns or say what they left out", {
  out <- pour(
    demo_study(),
    statistics(honey_kg, hive_weight_kg, by = c(apiary, season)),
    counts(apiary, treatment, shape = "wide"),
    absences(by = season)
  )
  for (name in names(out$tables)) {
    expect_true(
      all(nchar(utils::capture.output(print(out$tables[[name]]))) <= 80),
      info = name
    )
  }
  expect_true(all(nchar(utils::capture.output(print(out))) <= 80))
  expect_snapshot(print(
    pour(
      demo_study(),
      statistics(honey_kg, mites_per_100, by = treatment, units = TRUE)
    )$tables$statistics
  ))
})

test_that("a wide table has shares of rows or columns beside its counts", {
  hives <- demo_study()
  frame <- as.data.frame(hives)
  n <- table(frame$season, frame$treatment)
  for (share in c("season", "treatment")) {
    wide <- quiet(pour(
      hives, counts(season, treatment, shape = "wide", share = .(share))
    ))
    wide <- as.data.frame(wide$tables$counts)
    expected <- prop.table(n, if (share == "season") 1 else 2)
    for (season in rownames(n)) {
      for (treatment in colnames(n)) {
        row <- wide[wide$season == season, ]
        expect_equal(row[[treatment]], n[season, treatment])
        expect_equal(
          row[[paste0(treatment, "_share")]], expected[season, treatment]
        )
      }
    }
    last <- wide[wide$season == "(all)", ]
    expect_equal(
      last$none_share, if (share == "season") sum(n[, "none"]) / sum(n) else 1
    )
    expect_equal(
      wide[["(all)_share"]][1],
      if (share == "season") 1 else sum(n[wide$season[1], ]) / sum(n)
    )
  }
})
