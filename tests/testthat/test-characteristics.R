# The table of characteristics: its numbers against base R, its cells, and where
# it stands.

numbers_of <- function(out, name = "characteristics") {
  as.data.frame(out$tables[[paste0(name, "_numbers")]])
}
number <- function(x, group, column, statistic, level = "", key = "season") {
  x$value[
    x[[key]] == group &
      x$column == column &
      x$statistic == statistic &
      x$level == level
  ]
}

test_that("the numbers are those of base R, for each group and for all", {
  hives <- demo_study()
  frame <- as.data.frame(hives)
  out <- quiet(pour(
    hives,
    characteristics(
      hive_weight_kg,
      brood_frames,
      temper,
      queen_seen,
      treatment,
      visit_date,
      by = season,
      numbers = c("mean (sd)", "median [q1, q3], min to max, n"),
      units = TRUE
    )
  ))
  x <- numbers_of(out)
  expect_setequal(unique(x$season), c("spring", "summer", "autumn", "(all)"))
  for (group in unique(x$season)) {
    here <- if (group == "(all)") frame else frame[frame$season == group, ]
    expect_equal(number(x, group, "(rows)", "n"), nrow(here))
    expect_equal(number(x, group, "(units)", "n"), length(unique(here$hive)))
    for (column in c("hive_weight_kg", "brood_frames")) {
      v <- here[[column]][!is.na(here[[column]])]
      expected <- c(
        n = length(v), absent = sum(is.na(here[[column]])),
        mean = sum(v) / length(v),
        sd = sqrt(sum((v - mean(v))^2) / (length(v) - 1)), median = median(v),
        q1 = quantile(v, 0.25, names = FALSE),
        q3 = quantile(v, 0.75, names = FALSE), min = min(v), max = max(v)
      )
      for (s in names(expected)) {
        expect_equal(number(x, group, column, s), expected[[s]], info = s)
      }
    }
    for (column in c("temper", "treatment", "queen_seen")) {
      v <- here[[column]]
      v <- if (is.logical(v)) ifelse(v, "yes", "no") else as.character(v)
      levels <- setdiff(unique(x$level[x$column == column]), "(absent)")
      all <- as.character(frame[[column]])
      if (is.logical(frame[[column]])) {
        all <- ifelse(frame[[column]], "yes", "no")
      }
      expect_setequal(levels, unique(all[!is.na(all)]))
      for (level in levels) {
        expect_equal(number(x, group, column, "n", level), sum(v %in% level))
        expect_equal(
          number(x, group, column, "share", level),
          sum(v %in% level) / sum(!is.na(v))
        )
      }
    }
    expect_equal(
      number(x, group, "visit_date", "max"), as.numeric(max(here$visit_date))
    )
  }
})

hives <- demo_study()
out <- quiet(pour(
  hives,
  exclude(hive_weight_kg > 200),
  characteristics(
    hive_weight_kg,
    mites_per_100,
    temper,
    visit_date,
    by = season,
    reference = "spring",
    numbers_of = list(mites_per_100 = c("median [q1, q3]", "n of absent")),
    categories = "share% (n)",
    dates = "min to max"
  )
))
table <- out$tables$characteristics
x <- numbers_of(out)
cell <- function(characteristic, level, group = "summer") {
  table[[group]][table$characteristic == characteristic & table$level == level]
}
of <- function(column, s, level = "") number(x, "summer", column, s, level)
test_that("a number's cell is its mean and standard deviation", {
  expect_identical(
    cell("hive_weight_kg", ""),
    sprintf(
      "%.1f (%.1f)", of("hive_weight_kg", "mean"), of("hive_weight_kg", "sd")
    )
  )
})

test_that("a column may have numbers of its own", {
  expect_identical(
    cell("mites_per_100", "median [q1, q3]"),
    sprintf(
      "%.1f [%.1f, %.1f]",
      of("mites_per_100", "median"),
      of("mites_per_100", "q1"),
      of("mites_per_100", "q3")
    )
  )
})

test_that("counts may be words in a cell", {
  expect_identical(
    cell("mites_per_100", "n of absent"),
    paste(of("mites_per_100", "n"), "of", of("mites_per_100", "absent"))
  )
})

test_that("a category's cell is its share and count", {
  calm <- c(of("temper", "share", "calm"), of("temper", "n", "calm"))
  expect_identical(
    cell("temper", "calm"), sprintf("%.1f%% (%.0f)", 100 * calm[1], calm[2])
  )
})

test_that("a date's cell is its range", {
  expect_identical(cell("visit_date", ""), "2023-06-01 to 2025-08-31")
})

test_that("absent values have a line of their own", {
  expect_identical(
    cell("temper", "absent"), format(of("temper", "n", "(absent)"))
  )
})

test_that("differences of means are standardised", {
  # Differences: of means over the root of the mean variance, of shares
  # likewise.
  a <- function(s) number(x, "summer", "hive_weight_kg", s)
  b <- function(s) number(x, "spring", "hive_weight_kg", s)
  expect_equal(
    of("hive_weight_kg", "difference"),
    (a("mean") - b("mean")) / sqrt((a("sd")^2 + b("sd")^2) / 2)
  )
})

test_that("differences of shares are standardised", {
  p <- number(x, "summer", "temper", "share", "hot")
  q <- number(x, "spring", "temper", "share", "hot")
  expect_equal(
    number(x, "summer", "temper", "difference", "hot"),
    (p - q) / sqrt((p * (1 - p) + q * (1 - q)) / 2)
  )
})

test_that("differences stand in a column of the table", {
  expect_identical(
    table$`summer difference`[1],
    sprintf("%.2f", of("hive_weight_kg", "difference"))
  )
})

d <- data.frame(
  g = c("a", "a", "b", "b", "c"),
  t = c("x", "y", "x", "x", NA),
  v = c(1, 2, 3, NA, NA)
)
out <- quiet(pour(d, characteristics(v, t, by = g, reference = "a")))
x <- numbers_of(out)
test_that("a category that a group lacks counts 0 there", {
  expect_identical(number(x, "b", "t", "n", "y", "g"), 0)
})

test_that("a category that a group lacks has the share 0", {
  expect_identical(number(x, "b", "t", "share", "y", "g"), 0)
})

test_that("a group without values has no share", {
  expect_identical(number(x, "c", "t", "share", "x", "g"), NA_real_)
})

test_that("a share of 0 has a difference", {
  expect_equal(
    number(x, "b", "t", "difference", "y", "g"), -0.5 / sqrt(0.25 / 2)
  )
})

test_that("cells without a value show a dash", {
  expect_identical(out$tables$characteristics$c[1:2], c("- (-)", "1"))
})

test_that("no row still gives a table", {
  none <- quiet(pour(d, include(v > 9), characteristics(v, t, by = g)))
  expect_s3_class(none$tables$characteristics, "data.frame")
})

test_that("without groups there is one column, all", {
  one <- quiet(pour(d, characteristics(v, t)))
  expect_identical(
    names(one$tables$characteristics), c("characteristic", "level", "all")
  )
})

d <- data.frame(
  v = c("1", "-8", "-9", "3", "4"),
  t = c("a", "b", "a", NA, "b"),
  id = letters[1:5]
)
s <- quiet(study(
  d,
  absent_codes = list(v = c(refused = "-8", lost = "-9")),
  unit = id,
  kinds = list(v = "number")
))
table <- quiet(pour(s, characteristics(v, t)))$tables$characteristics
test_that("absent values stand by reason", {
  expect_identical(
    table$level[table$characteristic == "v"],
    c("", "absent", "absent: refused", "absent: lost")
  )
})

test_that("absent values are counted by reason", {
  expect_identical(
    table$all[table$characteristic == "v"][2:4], c("2", "1", "1")
  )
})

test_that("absent values are left out when asked", {
  hidden <- quiet(pour(
    s, characteristics(v, t, absent = "no")
  ))$tables$characteristics
  expect_false(any(grepl("absent", hidden$level)))
})

test_that("subsets stand in blocks", {
  blocks <- quiet(pour(
    s, subsets(low = v < 3, high = v >= 3), characteristics(v, by = t)
  ))
  expect_identical(
    names(blocks$tables$characteristics)[3:5],
    c("low: a", "low: all", "high: b")
  )
})

test_that("the unit and the groups are left out of all columns", {
  picked <- quiet(pour(
    demo_study(), characteristics(by = season)
  ))$tables$characteristics
  # Neither the unit nor texts of very many values.
  expect_false(any(c("hive", "season") %in% picked$characteristic))
})

test_that("plans, the shell, files and databases give the same table", {
  hives <- demo_study()
  steps <- sieve(
    include(present(season)),
    characteristics(
      hive_weight_kg,
      honey_kg,
      temper,
      queen_seen,
      by = season,
      numbers_of = list(honey_kg = "median [q1, q3]")
    )
  )
  whole <- quiet(pour(hives, steps))$tables
  plan <- tempfile(fileext = ".yaml")
  write_sieve(steps, plan)
  expect_identical(quiet(pour(hives, read_sieve(plan)))$tables, whole)
  expect_identical(
    quiet(pour(hives, eval(parse(text = as_code(steps)))))$tables, whole
  )
  path <- tempfile(fileext = ".csv")
  write_table(hives, path)
  plain <- quiet(pour(study(path), steps))$tables
  withr::with_options(list(neatsieve.sieve_file_bytes = 1), {
    expect_equal(quiet(pour(path, steps))$tables, plain)
  })
  exec <- system.file("exec", "neatsieve", package = "neatsieve")
  said <- withr::with_envvar(c(R_LIBS = paste(.libPaths(), collapse = ":")), {
    system2(
      file.path(R.home("bin"), "Rscript"),
      shQuote(c(
        "--vanilla", exec, "pour", path, "--characteristics", "honey_kg",
        "--by", "season"
      )),
      stdout = TRUE,
      stderr = FALSE
    )
  })
  expect_match(said, "^honey_kg +[0-9.]+ \\([0-9.]+\\)", all = FALSE)
  skip_if_not_installed("RSQLite")
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "visits", as.data.frame(study(path)))
  there <- study(database(con, "visits"), kinds = list(queen_seen = "logical"))
  found <- quiet(pour(there, steps))
  expect_equal(
    numbers_of(found)[c("season", "column", "level", "statistic", "value")],
    as.data.frame(plain$characteristics_numbers)
  )
})

small <- data.frame(
  g = rep(c("a", "b"), each = 4),
  x = c(1, 2, 3, 4, 11, 12, 13, NA),
  t = factor(rep(c("u", "v"), 4))
)
out <- quiet(pour(small, characteristics(x, t, by = g)))
test_that("characteristics print as a table", {
  expect_snapshot(out$tables$characteristics)
})

test_that("a number spelled wrong in its form is named", {
  expect_snapshot(error = TRUE, characteristics(x, numbers = "meen (sd)"))
})

test_that("a reference without groups is refused", {
  expect_snapshot(error = TRUE, characteristics(x, reference = "a"))
})

test_that("a reference that is no group is named", {
  expect_snapshot(
    error = TRUE, pour(small, characteristics(x, by = g, reference = "z"))
  )
})

test_that("characteristics are knitted with their groups' sizes", {
  expect_match(
    paste(knitr::knit_print(out$tables$characteristics), collapse = "\n"),
    "a \\(n = 4\\)"
  )
})

test_that("characteristics stand in a report", {
  page <- tempfile(fileext = ".html")
  quiet(report(out, page))
  expect_match(
    paste(readLines(page), collapse = "\n"), "b (n = 4)",
    fixed = TRUE
  )
})

test_that("each unit counts once where that is asked for", {
  withr::local_seed(8)
  d <- data.frame(
    hive = sprintf("h%02d", sample(25, 300, TRUE)),
    g = sample(c("a", "b"), 300, TRUE),
    x = round(stats::rnorm(300, 50, 10), 1),
    mood = sample(c("calm", "hot", NA), 300, TRUE, c(5, 2, 2)),
    seen = sample(c(TRUE, FALSE, NA), 300, TRUE)
  )
  d$x[d$hive == "h03" | stats::runif(300) < 0.1] <- NA
  d$hive[7] <- NA
  study <- study(d, unit = hive)
  step <- characteristics(
    x,
    mood,
    seen,
    by = g,
    units = "once",
    numbers = "n mean (sd)",
    reference = "a"
  )
  out <- quiet(pour(study, step))
  numbers <- out$tables$characteristics_numbers
  value <- function(group, column, statistic, level = "") {
    numbers$value[
      numbers$g == group &
        numbers$column == column &
        numbers$statistic == statistic &
        numbers$level == level
    ]
  }
  known <- d[!is.na(d$hive), ]
  for (group in c("a", "b", "(all)")) {
    rows <- if (group == "(all)") known else known[known$g == group, ]
    means <- tapply(rows$x, rows$hive, mean, na.rm = TRUE)
    expect_equal(value(group, "(rows)", "n"), length(means))
    expect_equal(value(group, "x", "mean"), mean(means, na.rm = TRUE))
    expect_equal(value(group, "x", "sd"), stats::sd(means, na.rm = TRUE))
    expect_equal(value(group, "x", "absent"), sum(is.na(means)))
    units <- function(which) length(unique(rows$hive[which]))
    for (level in c("calm", "hot")) {
      expect_equal(
        value(group, "mood", "n", level), units(rows$mood %in% level)
      )
      expect_equal(
        value(group, "mood", "share", level),
        units(rows$mood %in% level) / units(!is.na(rows$mood))
      )
    }
    expect_equal(
      value(group, "mood", "n", "(absent)"),
      length(means) - units(!is.na(rows$mood))
    )
  }
  expect_match(
    as_table(out$tables$characteristics) |> names(),
    "^a \\(\\d+ units\\)$",
    all = FALSE
  )
  expect_output(print(out$tables$characteristics), "units +\\d+ +\\d+ +25")
  expect_match(format(sieve(step)), "once", all = FALSE)
  plan <- withr::local_tempfile(fileext = ".yaml")
  write_sieve(sieve(step), plan)
  expect_identical(quiet(pour(study, read_sieve(plan)))$tables, out$tables)
  # TRUE only counts them, in rows as they stand.
  beside <- quiet(pour(study, characteristics(x, by = g, units = TRUE)))$tables
  expect_identical(beside$characteristics$characteristic[1], "units")
  expect_error(
    pour(d, characteristics(x, units = "once")),
    class = "neatsieve_error_step"
  )
  expect_error(
    pour(study, characteristics(x, units = "once", weights = x)),
    "takes no weights",
    class = "neatsieve_error_step"
  )
  expect_error(
    characteristics(x, units = "all"), "once",
    class = "neatsieve_error_step"
  )
  subsets <- quiet(pour(study, subsets(low = x < 50, high = x >= 50), step))
  low <- subsets$tables$characteristics_numbers
  alone <- quiet(pour(
    study, include(x < 50), step
  ))$tables$characteristics_numbers
  expect_equal(
    low$value[low$subset == "low" & low$column == "x"],
    alone$value[alone$column == "x"]
  )
  skip_if_not_installed("RSQLite")
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "d", d)
  there <- quiet(study(
    database(con, "d"),
    unit = hive,
    kinds = list(seen = "logical")
  ))
  expect_equal(quiet(pour(there, step))$tables$characteristics_numbers, numbers)
})
