# Date-times in PostgreSQL: conditions on them, their parts and differences are
# worked out there, and mean what they mean in memory.

times_table <- function() {
  set.seed(12)
  seconds <- as.numeric(as.POSIXct("2020-01-01", tz = "UTC")) +
    sample(0:(3 * 366 * 86400), 400)
  seconds[c(3, 50)] <- NA
  seconds[4:6] <- as.numeric(as.POSIXct(
    c("2020-03-01 00:00:00", "2020-03-01 23:59:59", "2020-03-02 00:00:00"),
    tz = "UTC"
  ))
  data.frame(
    id = 1:400,
    ts = .POSIXct(seconds, tz = "UTC"),
    other = .POSIXct(
      seconds + sample(c(-90061, 0, 3600), 400, TRUE),
      tz = "UTC"
    ),
    day = as.Date(.POSIXct(seconds, tz = "UTC")) + sample(-1:1, 400, TRUE),
    x = stats::rnorm(400)
  )
}

put_times <- function(con) {
  run_on(con, "DROP TABLE IF EXISTS moments")
  run_on(
    con,
    paste(
      "CREATE TABLE moments (id integer PRIMARY KEY, ts timestamptz,",
      "other timestamp, day date, x double precision)"
    )
  )
  DBI::dbAppendTable(con, "moments", times_table())
}

time_conditions <- quote(list(
  ts >= "2020-03-01",
  ts > "2020-03-01",
  ts < "2020-03-01",
  ts <= "2020-03-01",
  ts == "2020-03-01",
  ts != "2020-03-01",
  "2020-03-01" <= ts,
  between(ts, "2020-03-01", "2020-06-30"),
  ts > "2020-03-01 12:30:00",
  ts == "2020-03-01 23:59:59",
  ts <= as_date("2020-03-01"),
  ts %in% c("2020-03-01", "2020-03-02"),
  ts > other,
  ts == other,
  ts >= day,
  ts == day,
  day < ts,
  ts <= day,
  absent(ts),
  present(other),
  year(ts) == 2021,
  month(ts) %in% 3:5,
  quarter(ts) == 2,
  weekday(ts) >= 6,
  week(ts) < 3,
  iso_year(other) == 2020,
  hour(ts) < 6,
  minute(other) == 30,
  day(ts) == 1,
  start_of(ts, "month") == "2020-03-01",
  start_of(ts, "week") < "2020-02-01",
  as_date(ts) == day,
  days_between(ts, other) > 0,
  days_between(other, ts) == 0.25,
  first_present(ts, other) > "2021-01-01",
  first_true(x > 0, ts, x <= 0, other) < "2021-06-01",
  row_max(ts, other) > "2021-01-01",
  ts > "2020-03-01" & x > 0 | other < "2020-02-01"
))

test_that("conditions on date-times are worked out in PostgreSQL as in memory", {
  con <- postgresql()
  withr::defer(DBI::dbDisconnect(con))
  put_times(con)
  withr::defer(run_on(con, "DROP TABLE moments"), priority = "first")
  there <- quiet(study(database(con, "moments", key = "id")))
  here <- quiet(study(times_table()))
  for (condition in as.list(time_conditions)[-1]) {
    steps <- eval(bquote(sieve(include(.(condition)), counts(sign(x)))))
    a <- quiet(pour(there, steps))
    b <- quiet(pour(here, steps))
    text <- deparse1(condition)
    expect_identical(sort(a$rows$id), sort(b$rows$id), info = text)
    expect_identical(
      a$ledger[c("yes", "no", "unknown", "rows_out")],
      b$ledger[c("yes", "no", "unknown", "rows_out")],
      info = text,
      ignore_attr = TRUE
    )
    expect_identical(
      a$ledger$place[a$ledger$level == "step"], rep("database", 2),
      info = text
    )
  }
  # What is worked out of them, and groups by their parts.
  steps <- sieve(
    work_out(
      m = start_of(ts, "month"),
      h = hour(ts),
      d = days_between(ts, other)
    ),
    statistics(x, d, by = m),
    counts(h),
    order_rows(ts),
    scoop(5, highest = ts)
  )
  a <- quiet(pour(there, steps))
  b <- quiet(pour(here, steps))
  expect_equal(
    as.data.frame(a$tables$statistics), as.data.frame(b$tables$statistics)
  )
  expect_equal(as.data.frame(a$tables$counts), as.data.frame(b$tables$counts))
  expect_identical(a$rows$id, b$rows$id)
  expect_identical(as.numeric(a$rows$ts), as.numeric(b$rows$ts))
  expect_true(all(a$ledger$place[a$ledger$level == "step"][1:3] == "database"))
  ends <- sieve(
    work_out(late = day + 7, early = day - 1L, g = x > 0),
    statistics(
      first = min(ts),
      last = max(ts),
      middle = median(ts),
      different = count_different(ts),
      by = g
    ),
    statistics(late, early, show = c("min", "max")),
    counts(late > ts),
    include(abs(exp(x) - 1) < 0.5, log10(abs(x)) < -0.1)
  )
  a <- quiet(pour(there, ends))
  b <- quiet(pour(here, ends))
  for (name in names(b$tables)) {
    expect_equal(
      as.data.frame(a$tables[[name]]),
      as.data.frame(b$tables[[name]]),
      info = name
    )
  }
  expect_identical(sort(a$rows$id), sort(b$rows$id))
  expect_true(all(a$ledger$place[a$ledger$level == "step"] == "database"))
  groups <- sieve(include(id <= 40), statistics(x, by = ts, show = "mean"))
  expect_equal(
    as.data.frame(quiet(pour(there, groups))$tables$statistics),
    as.data.frame(quiet(pour(here, groups))$tables$statistics)
  )
})

test_that("the zone of the connection makes no difference; fractions of seconds are told here", {
  con <- postgresql()
  withr::defer(DBI::dbDisconnect(con))
  put_times(con)
  withr::defer(run_on(con, "DROP TABLE moments"), priority = "first")
  here <- quiet(study(times_table()))
  run_on(con, "SET TimeZone = 'America/New_York'")
  zoned <- quiet(study(database(con, "moments", key = "id")))
  for (step in list(include(ts >= "2020-03-01"), include(hour(ts) < 6), include(ts == day))) {
    expect_identical(
      sort(quiet(pour(zoned, step))$rows$id),
      sort(quiet(pour(here, step))$rows$id)
    )
  }
  run_on(con, "SET TimeZone = 'UTC'")
  there <- quiet(study(database(con, "moments", key = "id")))
  step <- include(ts > "2020-03-01 12:30:00.5")
  expect_identical(
    sort(quiet(pour(there, step))$rows$id),
    sort(quiet(pour(here, step))$rows$id)
  )
  sql <- paste(
    unlist(as_sql(sieve(include(ts >= "2020-03-01")), there)$sql),
    collapse = " "
  )
  # The column stands alone, as an index needs it.
  expect_match(
    sql,
    "\"ts\" >= ((DATE '2020-03-01')::timestamp AT TIME ZONE 'UTC')",
    fixed = TRUE
  )
})

text_conditions <- quote(list(
  contains(t, "ab"),
  contains(t, "é"),
  contains(t, "%"),
  !contains(t, "a"),
  startsWith(t, "A"),
  startsWith(t, "\U0001f41d"),
  endsWith(t, "b"),
  endsWith(t, "ab%"),
  like(t, "a%"),
  like(t, "_b_"),
  like(t, "%*%"),
  like(t, "%[%"),
  like(t, "%\u00e9_"),
  like(t, "a!%", escape = "!"),
  text_length(t) > 3,
  text_length(t) == 1,
  substring(t, 1, 1) == "a",
  substring(t, 2) == "b",
  substring(t, 2, 3) == "b%",
  join_text(t, k, sep = "-") == "ab-x",
  join_text(t, k) == "by",
  relabel(k, c("z" = "x")) == "z",
  relabel(t, c("one" = "ab", "two" = "b")) %in% c("one", "two")
))

# Texts of many different values.
texts_table <- function() {
  set.seed(5)
  letters_of <- c(
    "a", "b", "A", "B", "\u00e9", "e\u0301", "%", "_", "*", "?", "[", "]",
    "\\", "'", " ", "\n", "\U0001f41d", "x"
  )
  texts <- replicate(
    3000, paste(sample(letters_of, sample(0:6, 1), TRUE), collapse = "")
  )
  texts <- c(texts, "ab", "b", "a%", "ab%", NA, "a\\%", "bab")
  d <- data.frame(
    id = seq_along(texts),
    t = texts,
    k = sample(c("x", "y", NA), length(texts), TRUE)
  )
  d$t[d$t == ""] <- "a"
  d
}

test_that("texts of many values are looked through in the database, letter for letter", {
  d <- texts_table()
  expect_gt(length(unique(d$t)), 1500)
  here <- quiet(study(d))
  lite <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(lite))
  con <- postgresql()
  withr::defer(DBI::dbDisconnect(con))
  for (to in list(lite, con)) {
    DBI::dbWriteTable(to, "letters_of", d, overwrite = TRUE)
  }
  withr::defer(run_on(con, "DROP TABLE letters_of"), priority = "first")
  for (to in list(lite, con)) {
    there <- quiet(study(database(to, "letters_of", key = "id")))
    for (condition in as.list(text_conditions)[-1]) {
      text <- paste(class(to), deparse1(condition))
      step <- eval(bquote(include(.(condition))))
      a <- quiet(pour(there, step))
      b <- quiet(pour(here, step))
      expect_identical(sort(a$rows$id), sort(b$rows$id), info = text)
      escaped <- inherits(to, "SQLiteConnection") && grepl("escape", text)
      if (!escaped) expect_identical(a$ledger$place[1], "database", info = text)
    }
  }
})
