# Windows along the rows: rolling(), spell() and days_since(), against loops
# over the rows.

visits <- function(seed, n = 120) {
  set.seed(seed)
  gone <- function(x, share = 0.15) replace(x, stats::runif(n) < share, NA)
  data.frame(
    id = seq_len(n),
    g = gone(sample(c("a", "b", "c"), n, TRUE), 0.05),
    day = gone(as.Date("2024-01-01") + sample(90, n, TRUE), 0.05),
    at = as.POSIXct("2024-01-01", tz = "UTC") + sample(90 * 24, n, TRUE) * 3600,
    x = gone(round(stats::rnorm(n, 10, 4), 2)),
    k = gone(sample(9L, n, TRUE)),
    yes = gone(sample(c(TRUE, FALSE), n, TRUE)),
    t = gone(sample(c("u", "v"), n, TRUE))
  )
}
# The rows of the window of each row, by place; NULL for a row that is in none.
windows_of <- function(d, key, rows = NULL, days = NULL, by = d$g) {
  group <- if (is.null(by)) {
    rep("", nrow(d))
  } else {
    ifelse(is.na(by), "(absent)", by)
  }
  lapply(seq_len(nrow(d)), function(i) {
    mine <- which(group == group[i])
    mine <- mine[order(d[[key]][mine])]
    if (!is.null(days)) {
      t <- as.numeric(d[[key]]) /
        if (inherits(d[[key]], "POSIXct")) 86400 else 1
      if (is.na(t[i])) return(NULL)
      return(mine[t[mine] <= t[i] & t[mine] > t[i] - days & !is.na(t[mine])])
    }
    upto <- seq_len(match(i, mine))
    if (is.null(rows)) mine[upto] else mine[utils::tail(upto, rows)]
  })
}
rolled_by_hand <- function(windows, values, f, needs = 1) {
  vapply(windows, function(w) {
    if (is.null(w)) return(NA_real_)
    there <- values[w][!is.na(values[w])]
    if (length(there) < needs) NA_real_ else as.numeric(f(there))
  }, 0)
}

test_that("windows of rows, of days and of all so far are those taken out by hand", {
  for (seed in seq_len(rounds_of(40, 6))) {
    d <- visits(seed)
    out <- quiet(pour(
      d,
      work_out(
        m3 = rolling(mean(x), rows = 3, order = day, by = g),
        s = rolling(sum(x), order = day, by = g),
        d14 = rolling(sum(x), days = 14, order = day, by = g),
        c14 = rolling(count(), days = 14, order = day, by = g),
        cx = rolling(count(x), rows = 5, order = day),
        md = rolling(median(x), rows = 7, needs = 4, order = day, by = g),
        q9 = rolling(quantile(x, 0.9), days = 30, order = at, by = g),
        v = rolling(var(x), rows = 6, order = day, by = g),
        sd = rolling(sd(k), days = 20, order = day, by = g),
        lo = rolling(min(k), rows = 4, order = day, by = g),
        hi = rolling(max(x), days = 10, order = at),
        y = rolling(count_true(yes), rows = 5, order = day, by = g),
        p = rolling(share(yes), order = day, by = g),
        w = rolling(mean(x, where = k > 4), rows = 8, order = day, by = g)
      )
    ))$rows
    w <- function(...) windows_of(d, ...)
    expect_equal(out$m3, rolled_by_hand(w("day", 3), d$x, mean))
    expect_equal(out$s, rolled_by_hand(w("day"), d$x, sum, 0))
    expect_equal(out$d14, rolled_by_hand(w("day", days = 14), d$x, sum, 0))
    expect_equal(
      as.numeric(out$c14), rolled_by_hand(w("day", days = 14), d$id, length, 0)
    )
    expect_equal(
      as.numeric(out$cx), rolled_by_hand(w("day", 5, by = NULL), d$x, length, 0)
    )
    expect_equal(out$md, rolled_by_hand(w("day", 7), d$x, stats::median, 4))
    expect_equal(
      out$q9,
      rolled_by_hand(w("at", days = 30), d$x, function(v) {
        stats::quantile(v, 0.9, names = FALSE)
      })
    )
    expect_equal(out$v, rolled_by_hand(w("day", 6), d$x, stats::var))
    expect_equal(out$sd, rolled_by_hand(w("day", days = 20), d$k, stats::sd))
    expect_equal(as.numeric(out$lo), rolled_by_hand(w("day", 4), d$k, min))
    expect_equal(
      out$hi, rolled_by_hand(w("at", days = 10, by = NULL), d$x, max)
    )
    expect_equal(as.numeric(out$y), rolled_by_hand(w("day", 5), d$yes, sum, 0))
    expect_equal(out$p, rolled_by_hand(w("day"), d$yes, mean))
    expect_equal(
      out$w, rolled_by_hand(w("day", 8), ifelse(d$k %in% 5:9, d$x, NA), mean)
    )
  }
})

d <- data.frame(
  g = c("a", "a", "a", "b"),
  day = as.Date("2024-01-01") + c(0, 3, 9, 5),
  x = 1:4
)
said <- function(step) paste(problems_of(pour(d, step)), collapse = " ")
test_that("windows of rows that begin before their group are counted", {
  expect_match(
    said(work_out(y = rolling(mean(x), rows = 2, order = day, by = g))),
    "2 windows begin before the first row of the group"
  )
})

test_that("windows of days that begin before their group are counted", {
  # From the first day of a group on, four days are there from its fourth day
  # on.
  expect_match(
    said(work_out(y = rolling(mean(x), days = 4, order = day, by = g))),
    "2 windows begin"
  )
})

test_that("longer windows begin before their group more often", {
  expect_match(
    said(work_out(y = rolling(mean(x), days = 5, order = day, by = g))),
    "3 windows begin"
  )
})

test_that("windows that need one value are not told", {
  expect_false(grepl(
    "window",
    said(work_out(
      y = rolling(mean(x), rows = 2, needs = 1, order = day, by = g)
    ))
  ))
})

test_that("windows of all rows so far are not told", {
  expect_false(grepl(
    "window", said(work_out(y = rolling(mean(x), order = day, by = g)))
  ))
})

test_that("windows without an order are told", {
  expect_match(
    said(work_out(y = rolling(mean(x), rows = 2))), "in the order they stand in"
  )
})

bad <- function(text, problem) {
  expect_error(
    pour(d, work_out(y = written(text))),
    problem,
    class = "neatsieve_error_expression"
  )
}
test_that("rolling() takes an aggregate", {
  bad("rolling(x, rows = 2)", "takes one aggregate")
})

test_that("groups of rolling() are its own argument", {
  bad("rolling(mean(x, by = g), rows = 2)", "Give it to `rolling\\(\\)`")
})

test_that("windows of days need an order", {
  bad("rolling(mean(x), days = 3)", "needs rows in the order of a date")
})

test_that("windows of days need a rising order", {
  bad(
    "rolling(mean(x), days = 3, order = falling(day))",
    "needs rows in the order of a date"
  )
})

test_that("windows of 0 rows are refused", {
  bad("rolling(mean(x), rows = 0, order = day)", "a number of 1 or more, not 0")
})

test_that("rows spelled wrong gets the nearest", {
  bad("rolling(mean(x), row = 2, order = day)", "Did you mean `rows`")
})

test_that("rows and days together are refused", {
  bad(
    "rolling(mean(x), rows = 2, days = 2, order = day)",
    "both `rows` and `days`"
  )
})

test_that("quantiles of windows are of type 7", {
  bad(
    "rolling(quantile(x, 0.5, type = 6), rows = 2, order = day)", "type 7 alone"
  )
})

test_that("windows take no weights", {
  bad(
    "rolling(mean(x, weights = x), rows = 2, order = day)", "takes no weights"
  )
})

test_that("windows take no texts", {
  bad("rolling(min(g), rows = 2, order = day)", "takes numbers and dates")
})

test_that("windows of windows are refused", {
  bad("rolling(mean(rolling(mean(x))))", "aggregate|takes")
})

test_that("runs of equal values and days since a yes are those of a walk through the rows", {
  for (seed in seq_len(rounds_of(40, 6))) {
    d <- visits(seed)
    out <- quiet(pour(
      d,
      work_out(
        run = spell(t, order = c(day, id), by = g),
        since = days_since(yes, day, by = g)
      )
    ))$rows
    run <- since <- rep(NA_real_, nrow(d))
    for (group in unique(d$g)) {
      mine <- which(if (is.na(group)) is.na(d$g) else d$g %in% group)
      mine <- mine[order(d$day[mine], mine)]
      before <- NA
      number <- 0
      last <- NA
      open <- as.Date(NA)
      for (i in mine) {
        if (!is.na(d$t[i])) {
          if (!identical(before, d$t[i])) number <- number + 1
          run[i] <- number
        }
        before <- d$t[i]
        # A yes and an unknown of one day leave the day itself known.
        if (d$yes[i] %in% TRUE && !is.na(d$day[i])) last <- as.numeric(d$day[i])
        if (is.na(d$yes[i]) && !is.na(d$day[i])) open <- d$day[i]
        if (!isTRUE(as.numeric(open) > last)) {
          since[i] <- as.numeric(d$day[i]) - last
        }
      }
    }
    expect_equal(as.numeric(out$run), run)
    expect_equal(as.numeric(out$since), since)
  }
  lengths <- quiet(pour(
    visits(3),
    include(present(t)),
    work_out(run = spell(t, order = c(day, id), by = g)),
    work_out(rows = count(by = c(g, run)))
  ))$rows
  expect_equal(
    sum(1 / lengths$rows),
    sum(tapply(lengths$run, ifelse(is.na(lengths$g), "", lengths$g), max))
  )
})

test_that("windows are frames of SQL, with the values and notes of memory", {
  d <- visits(7)
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  table <- d[c("id", "g", "x", "k")]
  table$day <- format(d$day)
  DBI::dbExecute(
    con,
    "CREATE TABLE v (id INTEGER PRIMARY KEY, g TEXT, x REAL, k INTEGER, day DATE)"
  )
  DBI::dbAppendTable(con, "v", table)
  there <- study(database(con, table = "v", key = "id"))
  step <- work_out(
    m3 = rolling(mean(x), rows = 3, order = day, by = g),
    d14 = rolling(sum(x), days = 14, order = day, by = g),
    n = rolling(count(), days = 14, order = day, by = g),
    s = rolling(sum(k), order = day),
    big = rolling(count_true(x > 10), rows = 4, order = day, by = g),
    hi = rolling(max(k), rows = 4, needs = 2, order = day, by = g)
  )
  here <- problems_of(a <- pour(d, step, statistics(m3, d14, by = g)))
  over <- problems_of(b <- pour(there, step, statistics(m3, d14, by = g)))
  expect_true(all(ledger(b)$place[ledger(b)$level == "step"] == "database"))
  expect_equal(
    b$rows[names(table)[c(1, 2, 3, 4)]],
    a$rows[names(table)[1:4]],
    ignore_attr = TRUE
  )
  for (name in c("m3", "d14", "n", "s", "big", "hi")) {
    expect_equal(
      as.numeric(b$rows[[name]]), as.numeric(a$rows[[name]]),
      info = name
    )
  }
  expect_identical(
    grep("window", over, value = TRUE), grep("window", here, value = TRUE)
  )
  # What has no form there is worked out here, which is told.
  fetched <- quiet(pour(
    there, work_out(m = rolling(median(x), rows = 3, order = day, by = g))
  ))
  expect_equal(
    fetched$rows$m,
    quiet(pour(
      d, work_out(m = rolling(median(x), rows = 3, order = day, by = g))
    ))$rows$m
  )
})

test_that("windows of windows are worked out in databases as in memory", {
  set.seed(3)
  d <- data.frame(
    id = 1:300,
    g = sample(c("a", "b", NA), 300, TRUE),
    day = as.Date("2024-01-01") + sample(200, 300, TRUE),
    x = round(stats::rnorm(300, 3), 1),
    f = sample(c(TRUE, FALSE, NA), 300, TRUE),
    t = sample(c("u", "v", NA), 300, TRUE)
  )
  d$x[c(4, 90)] <- NA
  lite <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(lite))
  there <- d
  there$day <- as.character(there$day)
  DBI::dbWriteTable(lite, "w", there, field.types = c(f = "BOOLEAN"))
  con <- postgresql()
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "w", d, overwrite = TRUE)
  withr::defer(run_on(con, "DROP TABLE w"), priority = "first")
  steps <- sieve(
    work_out(
      s = spell(f, order = day, by = g),
      st = spell(t, order = c(day, id)),
      b = rank(lag(x, order = day, by = g)),
      c = cumsum(change(x, order = day), order = day),
      m = x - mean(lag(x, order = day), by = g),
      o = first_true(lag(x, order = day) > 3, 1, x > 2, 2)
    ),
    statistics(s, st, b, c, m, by = g)
  )
  here <- quiet(pour(study(d), steps))
  held <- include(cumsum(lag(x, order = day), order = day) > 50)
  for (to in list(lite, con)) {
    kinds <- if (identical(to, lite)) list(day = "date") else list()
    table <- quiet(study(database(to, "w", key = "id"), kinds = kinds))
    out <- quiet(pour(table, steps))
    expect_identical(names(out$rows), names(here$rows))
    rows <- out$rows[order(out$rows$id), ]
    for (name in c("s", "st", "b", "c", "m", "o")) {
      expect_equal(
        as.numeric(rows[[name]]), as.numeric(here$rows[[name]]),
        info = name
      )
    }
    expect_equal(
      as.data.frame(out$tables$statistics),
      as.data.frame(here$tables$statistics)
    )
    # SQLite takes less deep queries than so many windows make.
    alone <- quiet(pour(table, work_out(s = spell(f, order = day, by = g))))
    place <- if (identical(to, lite)) alone$ledger$place else out$ledger$place
    expect_true(all(place == "database", na.rm = TRUE))
    expect_identical(
      sort(quiet(pour(table, held))$rows$id),
      quiet(pour(study(d), held))$rows$id
    )
  }
})
