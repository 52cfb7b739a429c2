# Many outputs together, and tables over servers: ratios to the same outputs
# alone, or to a plain query; see bench/README.md. Exit code 1 when an aim is
# missed.
source("bench/common.R")
Sys.setenv(TZ = "UTC")
quietly <- function(x) suppressMessages(x, classes = "neatsieve_note")
n <- rows_of_bench
set.seed(1)
gap <- function(x, share = 0.05) {
  x[runif(n) < share] <- NA
  x
}
visits <- study(data.frame(
  town = sprintf("town %03d", sample(20, n, TRUE)),
  x = round(rnorm(n, 50, 10), 2),
  y = gap(round(rexp(n), 3), 0.1),
  k = sample(9, n, TRUE),
  g = sample(c("a", "b", NA), n, TRUE),
  day = as.Date("2020-01-01") + sample(900, n, TRUE),
  stringsAsFactors = FALSE
))
outputs <- list(
  quote(statistics(x)),
  quote(statistics(x, y, by = town)),
  quote(statistics(y, by = c(yr = year(day)))),
  quote(statistics(x, by = c(yr = year(day), mon = month(day)))),
  quote(counts(town, g)),
  quote(absences(by = town)),
  quote(chart_histogram(x)),
  quote(chart_box(y = x, x = town)),
  quote(chart_bar(x = g, panels = k)),
  quote(chart_heat(x = town, y = k))
)
poured <- function(outputs) {
  steps <- eval(as.call(c(
    quote(sieve), quote(include(x > 35, k < 9)), outputs
  )))
  quietly(pour(visits, steps))
}
cat(sprintf("rows: %s\n\n", format(n, big.mark = ",")))
alone <- vapply(
  seq_along(outputs), function(i) median_seconds(poured(outputs[i]), 5), 0
)
together <- median_seconds(poured(outputs), 5)
judge(
  "ten outputs together, share of the sum of each alone",
  together / sum(alone),
  most = 0.5
)
cat(sprintf(
  "    together %.0f ms, alone %.0f ms\n", 1000 * together, 1000 * sum(alone)
))
judge(
  "absences by 20 texts, times statistics of three columns by them",
  most = 2,
  median_ratio(
    quietly(pour(visits, absences(by = town))),
    quietly(pour(visits, statistics(x, y, k, by = town)))
  )
)
rows <- as.data.frame(visits)
judge(
  "lag() by 20 texts in an order, times order() of its keys",
  most = 2,
  median_ratio(
    quietly(pour(visits, work_out(p = lag(x, by = town, order = day)))),
    order(rows$town, rows$day, method = "radix"),
    times = 5
  )
)
judge(
  "a rolling mean of 28 days by 20 texts, times order() of its keys",
  most = 1.5,
  median_ratio(
    quietly(pour(
      visits, work_out(p = rolling(mean(x), days = 28, order = day, by = town))
    )),
    order(rows$town, rows$day, method = "radix"),
    times = 5
  )
)

if (requireNamespace("RPostgres", quietly = TRUE)) {
  folder <- file.path("/tmp", paste0("neatsieve-bench-", Sys.getpid()))
  port <- 56000 + sample.int(1000, 1)
  system2("tools/cluster", c("start", folder, 3, port))
  con <- DBI::dbConnect(
    RPostgres::Postgres(),
    host = "127.0.0.1",
    port = port,
    user = "postgres",
    dbname = "postgres"
  )
  invisible(DBI::dbExecute(
    con,
    paste0(
      "CREATE TABLE spread AS SELECT i AS id, 'g' || (i % 16000) AS many, 'r' ",
      "|| (i % 200) AS few, ",
      "random() * 100 AS x FROM generate_series(1, ", min(n, 1000000), ") i"
    )
  ))
  system2("tools/cluster", c("spread", folder, "spread", "id"))
  there <- study(database(con, "spread"))
  plain <- function(by, more) {
    DBI::dbGetQuery(
      con,
      paste0("SELECT ", by, ", count(*), ", more, " FROM spread GROUP BY ", by)
    )
  }
  judge(
    "16,000 groups over three servers, times the plain query",
    most = 1.5,
    median_ratio(
      quietly(pour(
        there,
        statistics(x, by = many, show = c("n", "mean", "sd", "min", "max"))
      )),
      plain("many", "avg(x), stddev_samp(x), min(x), max(x)"),
      times = 5
    )
  )
  judge(
    "quartiles of 200 groups over three servers, times the plain query",
    most = 2,
    median_ratio(
      quietly(pour(
        there, statistics(x, by = few, show = c("n", "q1", "median", "q3"))
      )),
      plain(
        "few",
        paste0(
          "percentile_cont(", c(0.25, 0.5, 0.75),
          ") WITHIN GROUP (ORDER BY x)",
          collapse = ", "
        )
      ),
      times = 5
    )
  )
  DBI::dbDisconnect(con)
  system2("tools/cluster", c("stop", folder))
}
finish_bench()
