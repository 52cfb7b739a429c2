# Functions of the language against definitions written out otherwise; what
# their help says is there and holds.
one_row <- function(table, ...) quiet(pour(table, ...))$rows
summed <- function(.table, ...) {
  quiet(pour(.table, statistics(..., with_n = FALSE)))$tables$statistics
}

test_that("help says of every function what it must, and no values and one value are as it says", {
  for (name in neatsieve:::language_names()) {
    facts <- neatsieve:::facts_of(name)
    entry <- neatsieve:::language_function(name)
    expect_length(setdiff(neatsieve:::facts_needed(entry), names(facts)), 0)
    for (text in c(facts, entry$help, entry$absent, entry$usage, entry$example)) {
      expect_true(is.character(text) && nzchar(text), info = name)
    }
    expect_true(nzchar(neatsieve:::gives_words(entry)), info = name)
  }
  expect_identical(
    setdiff(names(neatsieve:::function_facts), neatsieve:::language_names()),
    character()
  )
  none <- data.frame(x = NA_real_, y = NA_real_, b = NA)
  one <- data.frame(x = 4, y = 2, b = TRUE)
  said <- c(absent = NA, `0` = 0, `1` = 1)
  for (name in neatsieve:::language_names()) {
    entry <- neatsieve:::language_function(name)
    if (!isTRUE(entry$aggregate) || name == "custom") next
    kind <- if ("number" %in% entry$params[[1]]$kinds) "x" else "b"
    given <- switch(name,
      quantile = list(quote(x), 0.5),
      cor = list(quote(x), quote(y)),
      list(as.name(kind))
    )
    value <- function(table) {
      as.numeric(
        eval(as.call(list(
          quote(summed),
          table,
          v = as.call(c(list(as.name(name)), given))
        )))$v
      )
    }
    facts <- neatsieve:::facts_of(name)
    expect_identical(
      value(none), as.numeric(said[[facts[["none"]]]]),
      info = name
    )
    first <- if (facts[["one"]] == "that value") {
      (if (kind == "x") 4 else 1)
    } else if (startsWith(facts[["one"]], "absent")) {
      NA_real_
    } else if (facts[["one"]] == "0") {
      0
    } else {
      1
    }
    expect_identical(value(one), as.numeric(first), info = name)
  }
})

test_that("infinite values do in statistics what the help says", {
  d <- data.frame(
    x = c(1, Inf, 2, 5),
    y = c(-Inf, 1, Inf, 2),
    z = c(0, Inf, 1, 2)
  )
  s <- summed(
    d,
    a = sum(x),
    b = mean(x),
    c = sum(y),
    d = mean(y),
    e = var(x),
    f = sd(x),
    g = se(x),
    h = skewness(x),
    i = kurtosis(x),
    j = ci_low(x),
    k = cor(x, z),
    l = median(x),
    m = max(y),
    n = min(y),
    o = prod(x),
    p = prod(z),
    q = count(x),
    r = count_different(x),
    t = geometric_mean(x)
  )
  expect_identical(
    unname(unlist(s[letters[c(1:11)]])),
    c(Inf, Inf, NA, NA, NA, NA, NA, NA, NA, NA, NA)
  )
  expect_identical(
    unname(unlist(s[c("l", "m", "n", "o", "p", "q", "r", "t")])),
    c(3.5, Inf, -Inf, Inf, NA, 4, 4, Inf)
  )
})

test_that("weighted quantiles are those of repeated values, and equal weights change nothing", {
  set.seed(3)
  for (round in 1:20) {
    d <- data.frame(
      g = sample(c("a", "b", NA), 40, TRUE),
      x = round(stats::rnorm(40), 1),
      w = sample(c(0:4, NA), 40, TRUE)
    )
    d$x[sample(40, 4)] <- NA
    p <- sample(c(0, 0.1, 0.25, 0.5, 0.9, 1), 1)
    out <- quiet(pour(
      d,
      statistics(
        q = quantile(x, .(p), weights = w),
        m = median(x, weights = w),
        e = quantile(x, .(p), weights = w * 0 + 3),
        by = g
      )
    ))$tables$statistics
    for (i in seq_len(nrow(out))) {
      mine <- d[d$g %in% out$g[i] & !is.na(d$x) & !is.na(d$w), ]
      long <- rep(mine$x, mine$w)
      expect_equal(
        out$q[i], unname(stats::quantile(long, p, type = 2)),
        tolerance = 0
      )
      expect_equal(out$m[i], stats::median(long), tolerance = 1e-15)
      expect_equal(
        out$e[i], unname(stats::quantile(mine$x, p, type = 2)),
        tolerance = 0
      )
    }
  }
  expect_error(
    pour(
      data.frame(x = 1:2, w = c(-1, 1)), statistics(m = median(x, weights = w))
    ),
    "negative in places[^$]*In step 1, statistics",
    class = "neatsieve_error_run"
  )
})

test_that("first, last, ends and products equal base R by group", {
  set.seed(4)
  d <- data.frame(
    g = sample(c("a", "b", "c"), 60, TRUE),
    day = as.Date("2024-01-01") + sample(c(0:20, NA), 60, TRUE),
    x = sample(c(1:9, NA), 60, TRUE),
    t = sample(c("Zebra", "apple", "\u00e9t\u00e9", NA), 60, TRUE),
    o = factor(
      sample(c("calm", "lively", "hot", NA), 60, TRUE),
      c("calm", "lively", "hot"),
      ordered = TRUE
    )
  )
  out <- quiet(pour(
    d,
    statistics(
      f = first(x, order = day),
      l = last(t, order = day),
      lo = min(t),
      hi = max(t),
      co = min(o),
      ho = max(o),
      any = any_true(x > 8),
      all = all_true(x > 1),
      p = prod(x),
      gm = geometric_mean(x),
      by = g
    )
  ))$tables$statistics
  by_point <- function(x) sort(x[!is.na(x)], method = "radix")
  for (i in seq_len(nrow(out))) {
    mine <- d[d$g == out$g[i], ]
    ordered <- mine[order(mine$day), ]
    expect_identical(
      out$f[i], ordered$x[!is.na(ordered$day) & !is.na(ordered$x)][1]
    )
    latest <- mine[!is.na(mine$day) & !is.na(mine$t), ]
    expect_identical(out$l[i], latest$t[which.max(latest$day)])
    expect_identical(
      c(out$lo[i], out$hi[i]), by_point(mine$t)[c(1, sum(!is.na(mine$t)))]
    )
    expect_identical(
      as.character(c(out$co[i], out$ho[i])),
      as.character(range(mine$o, na.rm = TRUE))
    )
    expect_identical(
      c(out$any[i], out$all[i]),
      c(any(mine$x > 8, na.rm = TRUE), all(mine$x > 1, na.rm = TRUE))
    )
    expect_equal(out$p[i], prod(mine$x, na.rm = TRUE), tolerance = 1e-14)
    expect_equal(
      out$gm[i],
      prod(mine$x, na.rm = TRUE)^(1 / sum(!is.na(mine$x))),
      tolerance = 1e-13
    )
  }
})

test_that("the smallest of categories needs an order", {
  expect_error(
    pour(data.frame(k = factor(c("u", "v"))), statistics(m = min(k))),
    "without an order",
    class = "neatsieve_error_expression"
  )
})

test_that("a product does not overflow on the way", {
  expect_equal(
    summed(data.frame(x = c(1e300, 1e300, 1e-300, 1e-300, -3)), p = prod(x))$p,
    -3,
    tolerance = 1e-15
  )
})

test_that("a geometric mean of a negative number is absent", {
  expect_identical(
    summed(data.frame(x = c(4, -1)), p = geometric_mean(x))$p, NA_real_
  )
})

test_that("a geometric mean with 0 is 0", {
  expect_identical(summed(data.frame(x = c(4, 0)), p = geometric_mean(x))$p, 0)
})

d <- data.frame(
  g = rep(c("a", "b"), c(10, 8)),
  x = c(1:10, 5, 5, 5, 5, 1, NA, 9, 9)
)
out <- one_row(
  d,
  work_out(
    q = equal_bands(x, 4),
    h = equal_bands(x, 2, c("low", "high"), by = g)
  )
)
test_that("bands of equal size keep ties together", {
  less <- vapply(d$x, function(v) sum(d$x < v, na.rm = TRUE), numeric(1))
  expect_identical(
    as.integer(out$q),
    ifelse(is.na(d$x), NA_integer_, as.integer(floor(less * 4 / 17) + 1))
  )
})

test_that("bands of equal size are counted within groups", {
  expect_identical(
    as.character(out$h),
    c(
      rep(c("low", "high"), each = 5), "low", "low", "low", "low", "low", NA,
      "high", "high"
    )
  )
})

test_that("bands of equal size are ordered", {
  expect_true(is.ordered(out$h))
})

test_that("bands of a group equal those of its rows", {
  expect_identical(
    as.integer(
      one_row(d, include(g == "b"), work_out(q = equal_bands(x, 2)))$q
    ),
    as.integer(out$h)[11:18]
  )
})

test_that("bands of equal size have equal sizes", {
  expect_identical(
    as.numeric(table(
      one_row(data.frame(x = sample(1000)), work_out(q = equal_bands(x, 10)))$q
    )),
    rep(100, 10)
  )
})

test_that("one band is refused", {
  expect_error(
    pour(d, work_out(q = equal_bands(x, 1))),
    "2 to 1,000",
    class = "neatsieve_error_expression"
  )
})

test_that("LIKE with an escape character is SQLite's", {
  skip_if_not_installed("RSQLite")
  set.seed(6)
  db <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  on.exit(DBI::dbDisconnect(db))
  DBI::dbExecute(db, "PRAGMA case_sensitive_like = ON")
  texts <- c("a%b", "a_b", "axb", "a!b", "%", "_", "", "ab", "a%%b", ".*")
  DBI::dbWriteTable(db, "t", data.frame(x = texts))
  for (round in seq_len(rounds_of(200, 30))) {
    pattern <- paste(
      sample(
        c("a", "b", "%", "_", "!%", "!_", "!!", "."), sample(1:4, 1), TRUE
      ),
      collapse = ""
    )
    expected <- DBI::dbGetQuery(
      db, paste0("SELECT x FROM t WHERE x LIKE '", pattern, "' ESCAPE '!'")
    )$x
    expect_identical(
      one_row(
        data.frame(x = texts), include(like(x, .(pattern), escape = "!"))
      )$x,
      expected,
      info = pattern
    )
  }
  expect_error(
    pour(data.frame(x = "a"), include(like(x, "a!", escape = "!"))),
    "before nothing",
    class = "neatsieve_error_expression"
  )
})

d <- data.frame(
  g = c("a", "a", "b", "b", "b"),
  x = c(1, 2, 3, 4, 90),
  s = c(TRUE, FALSE, TRUE, TRUE, FALSE)
)
out <- quiet(pour(
  d,
  include(x < 50),
  subsets(yes = s, no = !s),
  work_out(c = x - mean(x), d = x - mean(x, over = "play")),
  statistics(
    part = sum(x) / sum(x, over = "play"),
    all = count(over = "play"),
    by = g,
    name = "t"
  ),
  chart_strip(y = x - mean(x), name = "own"),
  chart_strip(y = x - mean(x, over = "play"), name = "whole"),
  chart_strip(y = x - mean(x), panels = subsets(), name = "own_panels"),
  chart_strip(
    y = x - mean(x, over = "play"),
    panels = subsets(),
    name = "whole_panels"
  ),
  chart_bar(
    x = g,
    y = sum(x) / sum(x, over = "play"),
    panels = subsets(),
    name = "bar"
  )
))
test_that("a mean without over is of the rows that entered", {
  expect_identical(out$rows$c, c(-1.5, -0.5, 0.5, 1.5))
})

test_that("over = \"play\" is of the rows that entered", {
  expect_identical(out$rows$d, out$rows$c)
})

test_that("shares over all rows add up over subsets", {
  expect_equal(out$tables$t$part, c(0.1, 0.7, 0.2))
})

test_that("counts over all rows are the same in every subset", {
  expect_identical(out$tables$t$all, c(4L, 4L, 4L))
})

y <- function(name, subset = NULL) {
  sort(chart_data(out, name, subset = subset)$value)
}
test_that("a figure per subset takes the subset's mean", {
  expect_equal(y("own", "yes"), c(1, 3, 4) - 8 / 3)
})

test_that("a figure per subset may take the mean of all", {
  expect_equal(y("whole", "yes"), c(1, 3, 4) - 2.5)
})

test_that("panels of subsets take each subset's mean", {
  expect_equal(y("own_panels"), sort(c(c(1, 3, 4) - 8 / 3, 0)))
})

test_that("panels of subsets may take the mean of all", {
  expect_equal(y("whole_panels"), sort(c(1, 3, 4, 2) - 2.5))
})

test_that("bars of shares over all rows equal the table", {
  expect_equal(chart_data(out, "bar")$value, c(0.1, 0.7, 0.2))
})

test_that("a note says that over is of all rows", {
  expect_match(
    out$notes, "over all rows in play, not subset by subset",
    all = FALSE
  )
})

test_that("a note says what is taken subset by subset", {
  expect_match(out$notes, "taken subset by subset", all = FALSE)
})

test_that("another over is refused", {
  expect_error(
    pour(d, statistics(m = mean(x, over = "rows"))),
    "play",
    class = "neatsieve_error_expression"
  )
})

test_that(paste0(
  "a date is a day: fractions of the data, of sums and of middles are ",
  "dropped, the data's ",
  "said once"
), {
  d <- data.frame(
    d = structure(c(19000, 19000.5, 19001, NA), class = "Date"),
    x = 1:4
  )
  s <- NULL
  expect_message(
    s <- study(d), "1 date held a fraction of a day",
    class = "neatsieve_note"
  )
  out <- pour(
    s, statistics(x, by = d), work_out(e = d + 0.5, m = mean(d), q = median(d))
  )
  expect_identical(nrow(out$tables$statistics), 3L)
  expect_identical(out$rows$e, out$rows$d)
  expect_identical(as.numeric(unique(c(out$rows$m, out$rows$q))), 19000)
  expect_identical(nrow(quiet(pour(s, include(d == "2022-01-08")))$rows), 2L)
  expect_match(out$notes, "fraction of a day", all = FALSE)
})

test_that("clocks are those of the zone, and texts of numbers have the digits asked for", {
  at <- as.POSIXct(
    c("2024-03-31 00:59:59.5", "2024-07-01 23:30:00", "2024-10-27 01:30:00"),
    tz = "UTC"
  )
  for (zone in c("UTC", "Europe/Berlin", "Asia/Kathmandu", "America/St_Johns")) {
    out <- one_row(
      data.frame(w = .POSIXct(as.numeric(at), zone)),
      work_out(m = minute(w), s = second(w), h = hour(w))
    )
    clock <- as.POSIXlt(.POSIXct(as.numeric(at), zone))
    expect_identical(list(out$m, out$h), list(clock$min, clock$hour))
    expect_equal(out$s, clock$sec)
  }
  d <- data.frame(x = c(1.005, -0.001, 1234.5, Inf, NA, 2^60))
  expect_identical(
    one_row(d, work_out(t = as_text(x, digits = 2)))$t,
    c("1.00", "0.00", "1234.50", "Inf", NA, "1152921504606846976.00")
  )
  expect_error(
    pour(data.frame(t = "a"), work_out(u = as_text(t, digits = 2))),
    "for numbers",
    class = "neatsieve_error_expression"
  )
})

d <- data.frame(i = c(1L, 10L, 2L), x = c(1, 2, 3))
out <- one_row(
  d,
  settings(step = 3),
  work_out(
    a = i + 1,
    b = i * step - 2,
    c = i + 0.5,
    e = i %/% 2,
    f = i / 1,
    g = x + 1,
    k = as_category(i),
    o = as_category(i, ordered = TRUE),
    big = i * 2147483647
  )
)
test_that("whole numbers stay whole with whole literals and settings", {
  expect_identical(
    vapply(out[c("a", "b", "c", "e", "f", "g", "big")], typeof, ""),
    c(
      a = "integer", b = "integer", c = "double", e = "integer", f = "double",
      g = "double", big = "double"
    )
  )
})

test_that("numbers as categories stand by size", {
  expect_identical(levels(out$k), c("1", "2", "10"))
})

test_that("numbers as ordered categories stand by size", {
  expect_identical(levels(out$o), c("1", "2", "10"))
})

test_that("whole numbers that overflow become numbers", {
  expect_identical(out$big, c(1, 10, 2) * 2147483647)
})

test_that("settings keep their kind in YAML and JSON", {
  s <- sieve(settings(
    a = Inf,
    b = 3L,
    c = as.Date("2024-05-01"),
    d = c(1, -Inf),
    e = as.POSIXct("2024-05-01 10:00:00.5", tz = "Asia/Tokyo"),
    f = "2024-05-01",
    g = 2,
    h = TRUE,
    i = 0.1 + 0.2,
    j = c(2L, 3L),
    k = "as_date(\"2024-05-01\")",
    l = c("as_text(\"x\")", "as_number(\"Inf\")")
  ))
  for (ending in c(".yaml", ".json")) {
    path <- tempfile(fileext = ending)
    write_sieve(s, path)
    back <- read_sieve(path)
    expect_identical(unclass(back)[[1]]$values, unclass(s)[[1]]$values)
  }
})

test_that("values that cannot be are errors that show the value, before anything runs", {
  d <- data.frame(
    x = c(1, 2),
    t = c("a", "b"),
    w = as.POSIXct("2024-05-01 10:00", tz = "UTC") + 0:1,
    k = factor(c("a", "b"))
  )
  wrong <- function(step, message) {
    expect_error(
      pour(d, settings(far = 95), step),
      message,
      class = "neatsieve_error_expression"
    )
  }
  wrong(work_out(b = band(x, c(0, NA, 2))), "lists an absent value")
  wrong(statistics(m = ci_low(x, level = 95)), "not 95")
  wrong(statistics(m = ci_low(x, level = 1)), "between 0 and 1")
  wrong(statistics(m = quantile(x, far)), "`far` \\(95\\)")
  wrong(work_out(r = round(x, digits = 1, digits = 2)), "`digits` twice")
  wrong(statistics(m = mean(x, where = x > 1, where = x > 2)), "`where` twice")
  wrong(
    include(w %in% c("2024-05-01 10:00", "2024-05-02")), "both days and times"
  )
  wrong(
    include(as_category(t, ordered = TRUE) < "b"), "known only once it is made"
  )
  wrong(work_out(a = extract_text(t, "(a)", group = 2)), "1 group")
  wrong(work_out(a = text_part(t, "", 1)), "`sep`")
  wrong(work_out(a = pad_text(t, 3, with = "ab")), "one character")
  wrong(work_out(a = limit(x, 5, 1)), "turned round")
  wrong(work_out(a = end_of(w, "decade")), "knows no unit")
  wrong(statistics(a = quantile(x, 0.5, type = 4, weights = x)), "type 2")
  wrong(statistics(a = first(x, order = k)), "without an order")
  for (habit in c("trunc", "prod", "log1p", "expm1")) {
    expect_false(habit %in% names(neatsieve:::base_habits))
  }
  expect_identical(summed(d, m = mean(x, weights = x * 0))$m, NA_real_)
  expect_identical(
    one_row(d, work_out(m = mean(x, weights = x * 0)))$m, c(NA_real_, NA_real_)
  )
})
