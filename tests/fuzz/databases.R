# Random sieves over random tables, in memory and in SQLite, for as many seconds
# as the argument says; with "postgresql" or "mariadb" behind it in a server of
# its own, with "servers" over two of PostgreSQL. Answers that differ are a
# finding, told with the seed.
suppressPackageStartupMessages({
  library(testthat)
  library(neatsieve)
})
arguments <- commandArgs(TRUE)
seconds <- if (length(arguments)) as.numeric(arguments[1]) else 10
where <- if (length(arguments) > 1) arguments[2] else "sqlite"
from <- Sys.getenv("NEATSIEVE_FUZZ_FROM", as.integer(Sys.time()) %% 1000000L)
seed <- as.integer(if (length(arguments) > 2) arguments[3] else from)
setwd(file.path(
  dirname(sub("--file=", "", grep("--file=", commandArgs(), value = TRUE))),
  "..",
  "testthat"
))
for (helper in c(
  "helper-demo.R", "helper-language.R", "helper-databases.R"
)) source(helper)
con <- tryCatch(
  switch(where,
    sqlite = sqlite_memory(),
    postgresql = postgresql(),
    mariadb = mariadb(),
    servers = postgresql(postgresql_port(2))
  ),
  skip = function(e) {
    cat("no sieves in", where, "-", conditionMessage(e), "\n")
    quit("no")
  }
)
write <- if (where == "servers") write_over_servers else DBI::dbWriteTable

ended <- Sys.time() + seconds
runs <- 0
findings <- 0
while (Sys.time() < ended) {
  seed <- seed + 1L
  set.seed(seed)
  both <- table_both_ways(
    con,
    sample(c(1, 30, 200), 1, prob = c(0.05, 0.35, 0.6)),
    write = write
  )
  steps <- random_db_sieve()
  if (is.null(steps)) next
  runs <- runs + 1
  memory <- told_of_run(both$memory, steps)
  there <- told_of_run(both$database, steps)
  memory$place <- there$place <- NULL
  differs <- all.equal(there, memory, tolerance = 1e-12)
  if (!isTRUE(differs)) {
    findings <- findings + 1
    cat("seed", seed, "in", where, "\n")
    print(steps)
    cat(utils::head(differs, 6), sep = "\n")
  }
}
cat(runs, "sieves in", where, "-", findings, "findings\n")
quit(status = findings > 0)
