# Rows that move between three servers and the one before them, by what is asked
# of a table that is spread over them: read off the plans that PostgreSQL itself
# logs (auto_explain), at 20,000 and at 40,000 rows, and from these at a billion
# rows on 32 servers. What grows with the table moves rows, what does not moves
# groups.
source("bench/common.R")
Sys.setenv(TZ = "UTC")
quietly <- function(x) suppressMessages(x, classes = "neatsieve_note")
if (!requireNamespace("RPostgres", quietly = TRUE)) {
  cat("RPostgres is not installed.\n")
  quit("no")
}
folder <- file.path("/tmp", paste0("neatsieve-moved-", Sys.getpid()))
port <- 57000 + sample.int(900, 1)
system2("tools/cluster", c("start", folder, 3, port))
con <- DBI::dbConnect(
  RPostgres::Postgres(),
  host = "127.0.0.1",
  port = port,
  user = "postgres",
  dbname = "postgres"
)
spread_table <- function(name, n) {
  set.seed(1)
  visits <- data.frame(
    visit_id = seq_len(n),
    day = as.Date("2020-01-01") + sample(1500, n, TRUE),
    apiary = sprintf("apiary-%02d", sample(20, n, TRUE)),
    hive = sample(500, n, TRUE),
    weight = round(stats::rnorm(n, 50, 12), 1),
    mites = round(stats::rexp(n), 2)
  )
  visits$weight[sample(n, n / 50)] <- NA
  DBI::dbWriteTable(
    con,
    name,
    visits,
    field.types = c(visit_id = "int", hive = "int")
  )
  system2("tools/cluster", c("spread", folder, name, "visit_id"))
}
spread_table("small", 20000)
spread_table("large", 40000)
places <- data.frame(apiary = sprintf("apiary-%02d", 1:20), height = 1:20)

log <- file.path(folder, "server-0.log")
for (setting in c(
  "log_min_duration = 0", "log_analyze = on", "log_format = json"
)) {
  if (setting == "log_min_duration = 0") {
    DBI::dbExecute(con, "LOAD 'auto_explain'")
  }
  DBI::dbExecute(con, paste0("SET auto_explain.", setting))
}
# Of every plan logged since, the rows that came from other servers.
rows_moved <- function(run) {
  before <- file.size(log)
  quietly(run())
  con_log <- file(log, "rb")
  seek(con_log, before)
  lines <- strsplit(
    rawToChar(readBin(con_log, "raw", file.size(log) - before)), "\n"
  )[[1]]
  close(con_log)
  starts <- grep("duration: .* plan:", lines)
  moved <- vapply(starts, function(at) {
    inside <- lines[-seq_len(at)]
    end <- which(!startsWith(inside, "\t"))
    text <- if (length(end)) inside[seq_len(end[1] - 1)] else inside
    of_node <- function(node) {
      is_foreign <- identical(node$`Node Type`, "Foreign Scan")
      own <- if (is_foreign) node$`Actual Rows` * node$`Actual Loops`
      sum(own, vapply(node$Plans, of_node, 0))
    }
    of_node(
      jsonlite::fromJSON(
        paste(text, collapse = "\n"),
        simplifyVector = FALSE
      )$Plan
    )
  }, 0)
  sum(moved)
}

some <- sieve(include(weight > 80))
kinds <- list(
  "conditions, counted" = sieve(include(weight > 40, mites < 2)),
  "statistics with quartiles, by apiary" = sieve(statistics(
    weight,
    by = apiary
  )),
  "different values, by apiary" = sieve(statistics(
    n = count_different(hive),
    by = apiary
  )),
  "counts" = sieve(counts(apiary)),
  "absences" = sieve(absences(by = apiary)),
  "characteristics" = sieve(characteristics(weight, apiary)),
  "histogram" = sieve(chart_histogram(weight)),
  "boxes" = sieve(chart_box(y = weight, x = apiary)),
  "line of means" = sieve(chart_line(
    x = start_of(day, "month"),
    y = mean(mites)
  )),
  "density" = sieve(chart_density(mites)),
  "one row per group, then here" = sieve(condense(
    m = mean(weight),
    by = apiary
  )),
  "columns to rows, then statistics" = sieve(
    to_long(weight, mites), statistics(value, by = label)
  ),
  "columns of a small table" = sieve(
    look_up(places, apiary), statistics(height, by = apiary)
  ),
  "rows of a small table's keys" = sieve(keep_matched(places, apiary)),
  "highest of each apiary" = sieve(scoop(3, highest = weight, by = apiary)),
  "20 random rows" = sieve(scoop(20, seed = 1)),
  "ranks, then statistics" = sieve(work_out(r = rank(weight)), statistics(r)),
  "one row per hive" = sieve(drop_repeats(hive))
)
after <- list(
  "rows that went on (some)" = function(out) out$rows,
  "rows held back, 150" = function(out) held_back(out, "few"),
  "one row followed" = function(out) follow(out, 12),
  "one unit followed" = function(out) follow(out, unit = 7),
  "screening" = function(out) NULL
)

over <- function(name) {
  study(database(con, name, key = "visit_id"), unit = "hive")
}
moved_at <- function(name) {
  there <- over(name)
  made <- vapply(
    kinds, function(steps) rows_moved(function() pour(there, steps)), 0
  )
  least <- if (name == "small") 19850 else 39850
  out <- quietly(pour(
    there, exclude(few = visit_id > .(least)), include(weight > 85)
  ))
  looked <- vapply(
    names(after),
    function(what) {
      rows_moved(function() {
        if (what == "screening") {
          screening(there, weight > 40, mites < 2)
        } else {
          after[[what]](out)
        }
      })
    },
    0
  )
  c(made, looked)
}
small <- moved_at("small")
large <- moved_at("large")
grows <- large > 1.5 * small & large > 1000
at_billion <- ifelse(grows, large / 40000 * 1e9, large / 3 * 32)
format_rows <- function(x) formatC(round(x), format = "d", big.mark = ",")
print(data.frame(
  moved_20000 = format_rows(small),
  moved_40000 = format_rows(large),
  moves = ifelse(grows, "rows", "groups"),
  billion_on_32 = formatC(at_billion, format = "g", digits = 2),
  row.names = names(small)
))
DBI::dbDisconnect(con)
system2("tools/cluster", c("stop", folder))
judge(
  "kinds of questions that move rows of the table, of all",
  most = 0.1,
  mean(grows)
)
finish_bench()
