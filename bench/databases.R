# Sieves over a table of five million rows in SQLite, in PostgreSQL and over two
# servers, against queries for the same answer written by hand; see
# bench/README.md. Exit code 1 when an aim is missed. Rows that come from the
# database per query are counted and printed.
source("bench/common.R")
Sys.setenv(TZ = "UTC")
quietly <- function(x) suppressMessages(x, classes = "neatsieve_note")
n <- rows_of_bench
set.seed(1)
gap <- function(x, share = 0.02) {
  x[runif(n) < share] <- NA
  x
}
visits <- data.frame(
  visit_id = seq_len(n),
  day = as.Date("2020-01-01") + sample(1500, n, TRUE),
  apiary = sprintf("apiary-%03d", sample(200, n, TRUE)),
  weight = gap(round(rnorm(n, 50, 12), 1)),
  mites = gap(rexp(n))
)
steps <- sieve(
  include(weight > 20, mites > 0.1, day >= "2021-01-01"),
  statistics(weight, by = apiary)
)

# By hand: counts of yes, no and unknown and what each condition was the first
# to hold; then the same figures by group, quantiles by the database's own means
# where it has some.
by_hand <- function(con, is_sqlite) {
  yes <- c(
    "weight > 20", "mites > 0.1",
    if (is_sqlite) "day >= '2021-01-01'" else "day >= DATE '2021-01-01'"
  )
  tally <- function(sql) {
    if (is_sqlite) {
      paste0("sum(", sql, ")")
    } else {
      paste0("count(*) FILTER (WHERE ", sql, ")")
    }
  }
  screen <- paste0(
    "SELECT count(*), ",
    paste0(tally(paste0("o", 1:3)), ", count(o", 1:3, ")", collapse = ", "),
    ", ", tally("o1 AND o2"), ", ", tally("o1 AND o2 AND o3"),
    " FROM (SELECT ", paste0(yes, " AS o", 1:3, collapse = ", "),
    " FROM visits", if (is_sqlite) " LIMIT -1" else "", " OFFSET 0) AS s"
  )
  rows <- paste0(
    "SELECT apiary AS k, weight AS x FROM visits WHERE ",
    paste(yes, collapse = " AND ")
  )
  grouped <- if (is_sqlite) {
    at <- function(p) {
      place <- sprintf("CAST((n - 1) * %s AS INTEGER)", p)
      paste0(
        "max(CASE WHEN r = ", place, " + 1 THEN x END), max(CASE WHEN r = ",
        place, " + 2 THEN x END)"
      )
    }
    paste0(
      "SELECT k, count(*), avg(x), sum((x - m) * (x - m)) / (count(x) - 1), ",
      "min(x), max(x), ",
      paste(at(c(0.25, 0.5, 0.75)), collapse = ", "),
      " FROM (SELECT k, x, row_number() OVER (PARTITION BY k ORDER BY x) AS ",
      "r, count(x) OVER ",
      "(PARTITION BY k) AS n, avg(x) OVER (PARTITION BY k) AS m FROM (", rows,
      ") AS a) AS b GROUP BY k"
    )
  } else {
    paste0(
      "SELECT k, count(*), avg(x), var_samp(x), min(x), max(x), ",
      "percentile_cont(",
      "ARRAY[0.25, 0.5, 0.75]) WITHIN GROUP (ORDER BY x) FROM (", rows,
      ") AS a GROUP BY k"
    )
  }
  DBI::dbGetQuery(con, "SELECT count(*) FROM visits")
  DBI::dbGetQuery(con, screen)
  DBI::dbGetQuery(con, grouped)
}

count_moved <- function(con, there) {
  queries <- as_sql(steps, there)
  for (i in which(queries$step > 0)) {
    cat(sprintf(
      "  rows moved by the query of step %d: %d\n",
      queries$step[i],
      nrow(DBI::dbGetQuery(con, queries$sql[i]))
    ))
  }
}

compared <- function(what, con, is_sqlite) {
  there <- study(
    database(con, "visits", key = "visit_id"),
    kinds = if (is_sqlite) list(day = "date") else list()
  )
  first <- system.time(quietly(pour(there, steps)))[["elapsed"]]
  cat(sprintf("  the first pour of %s, with its checks: %.1f s\n", what, first))
  ratio <- median_ratio(
    by_hand(con, is_sqlite),
    quietly(pour(there, steps)),
    times = 5
  )
  judge(
    paste0(what, ": a screen and statistics by group, times the same by hand"),
    most = 1.1,
    1 / ratio
  )
  count_moved(con, there)
}

# Rows that are kept there, beside the table made by hand.
kept_there <- function(what, con) {
  out <- quietly(pour(study(database(con, "visits")), include(weight > 50)))
  drop <- function() {
    if (DBI::dbExistsTable(con, "kept")) DBI::dbRemoveTable(con, "kept")
  }
  by_hand <- paste(
    "CREATE TABLE kept AS SELECT visit_id, day, apiary, weight, mites FROM visits",
    "WHERE weight > 50"
  )
  seconds <- vapply(
    1:5,
    function(i) {
      one <- function(run) {
        drop()
        system.time(run())[["elapsed"]]
      }
      c(
        one(function() DBI::dbExecute(con, by_hand)),
        one(function() write_table(out, database(con, "kept")))
      )
    },
    numeric(2)
  )
  drop()
  judge(
    paste0(what, ": rows kept there, times the table made by hand"),
    most = 1.2,
    stats::median(seconds[2, ]) / stats::median(seconds[1, ])
  )
}

# The tables are written first, so that the session holds no rows while it is
# timed.
has_sqlite <- requireNamespace("RSQLite", quietly = TRUE)
has_postgresql <- requireNamespace("RPostgres", quietly = TRUE)
if (has_sqlite) {
  lite <- DBI::dbConnect(RSQLite::SQLite(), tempfile(fileext = ".sqlite"))
  DBI::dbWriteTable(lite, "visits", transform(visits, day = as.character(day)))
}
if (has_postgresql) {
  # Its own user must be able to enter it.
  folder <- file.path("/tmp", paste0("neatsieve-bench-", Sys.getpid()))
  port <- 56000 + sample.int(1000, 1)
  system2("tools/cluster", c("start", folder, 2, port))
  con <- DBI::dbConnect(
    RPostgres::Postgres(),
    host = "127.0.0.1",
    port = port,
    user = "postgres",
    dbname = "postgres"
  )
  DBI::dbWriteTable(con, "visits", visits, field.types = c(visit_id = "int"))
  DBI::dbExecute(con, "ANALYZE visits")
}
rm(visits)
invisible(gc())

if (has_sqlite) {
  compared("SQLite", lite, TRUE)
  kept_there("SQLite", lite)
  DBI::dbDisconnect(lite)
}
if (has_postgresql) {
  compared("PostgreSQL", con, FALSE)
  kept_there("PostgreSQL", con)
  light <- sieve(
    steps[1], statistics(weight, by = apiary, show = list("mean", "sd", "max"))
  )
  timed <- function() {
    there <- study(database(con, "visits", key = "visit_id"))
    median_seconds(quietly(pour(there, light)))
  }
  one <- timed()
  system2("tools/cluster", c("spread", folder, "visits", "visit_id"))
  two <- timed()
  judge(
    "two servers, times one (two cores; one where the machine has no second)",
    most = 0.6,
    two / one
  )
  DBI::dbDisconnect(con)
  system2("tools/cluster", c("stop", folder))
}
finish_bench()
