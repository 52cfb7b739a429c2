# A sieve over a table in a database gives what it gives over the same table in
# memory.

test_that("random sieves give the same in SQLite as in memory, and most of it is done there", {
  con <- sqlite_memory()
  on.exit(DBI::dbDisconnect(con))
  places <- NULL
  for (seed in seq_len(rounds_of(200, 8))) {
    set.seed(seed)
    both <- table_both_ways(
      con, sample(c(1, 30, 200), 1, prob = c(0.05, 0.35, 0.6))
    )
    steps <- random_db_sieve()
    if (is.null(steps)) next
    memory <- told_of_run(both$memory, steps)
    place <- expect_same_answers(
      memory, told_of_run(both$database, steps), steps, paste("seed", seed)
    )
    places <- c(places, place)
  }
  places <- places[!is.na(places)]
  expect_gt(mean(places == "database"), 0.6)
})

test_that("random sieves give the same in PostgreSQL as in memory", {
  con <- postgresql()
  takes_times$now <- TRUE
  on.exit({
    takes_times$now <- FALSE
    DBI::dbDisconnect(con)
  })
  for (seed in seq_len(rounds_of(150, 4))) {
    set.seed(seed + 5000)
    both <- table_both_ways(
      con,
      sample(c(1, 30, 200), 1, prob = c(0.05, 0.35, 0.6)),
      times = TRUE
    )
    steps <- random_db_sieve()
    if (is.null(steps)) next
    expect_same_answers(
      told_of_run(both$memory, steps),
      told_of_run(both$database, steps),
      steps,
      paste("seed", seed)
    )
  }
})

test_that("random sieves give the same over several servers, which send groups and not rows", {
  con <- postgresql(postgresql_port(2))
  on.exit(DBI::dbDisconnect(con))
  for (seed in seq_len(rounds_of(60, 2))) {
    set.seed(seed + 9000)
    both <- table_both_ways(
      con,
      sample(c(30, 200), 1),
      write = write_over_servers
    )
    steps <- random_db_sieve()
    if (is.null(steps)) next
    expect_same_answers(
      told_of_run(both$memory, steps),
      told_of_run(both$database, steps),
      steps,
      paste("seed", seed)
    )
  }
  steps <- sieve(
    include(num > 0, word != "fen"),
    exclude(count > 5),
    statistics(num, by = kind, show = list("mean", "sd", "min", "max", "sum")),
    counts(grade, flag),
    absences(num, by = kind)
  )
  # Servers are asked to work for many rows, not for a few.
  set.seed(1)
  both <- table_both_ways(con, 5000, write = write_over_servers)
  for (table in c("v", "v_1", "v_2")) {
    DBI::dbExecute(con, paste("ANALYZE", table))
  }
  queries <- as_sql(steps, both$database)
  queries <- queries[queries$step > 0, ]
  for (i in seq_len(nrow(queries))) {
    plan <- DBI::dbGetQuery(con, paste("EXPLAIN VERBOSE", queries$sql[i]))[[1]]
    expect_identical(
      sum(grepl("Foreign Scan", plan)), 2L,
      info = queries$sql[i]
    )
    expect_identical(
      sum(grepl("Async Foreign Scan", plan)), 2L,
      info = queries$sql[i]
    )
    expect_identical(
      sum(grepl("Relations: Aggregate on", plan)), 2L,
      info = queries$sql[i]
    )
  }
  # Quantiles of many rows are searched for.
  both <- table_both_ways(con, 25000, write = write_over_servers)
  steps <- sieve(
    include(count > -2),
    statistics(num, count, day, by = kind),
    statistics(
      m = quantile(num, 0.9, where = flag),
      d = count_different(word),
      by = c(kind, grade)
    ),
    chart_box(y = count, x = grade)
  )
  moved <- 0
  local_watched(function(sql, answer) moved <<- moved + nrow(answer))
  there <- told_of_run(both$database, steps)
  expect_same_answers(told_of_run(both$memory, steps), there, steps, "searched")
  expect_identical(unique(there$place[!is.na(there$place)]), "database")
  fetched <- nrow(there$rows) + nrow(there$held)
  expect_lt(moved - fetched, 22000)
  folder <- servers[["2"]]$folder
  end <- paste0(
    Sys.glob("/usr/lib/postgresql/*/bin/pg_ctl")[1], " -D ", folder,
    "/server-2 stop -m immediate"
  )
  system2(
    "su",
    c("nobody", "-s", "/bin/bash", "-c", shQuote(end)),
    stdout = FALSE,
    stderr = FALSE
  )
  said <- tryCatch(
    pour(both$database, include(num > 0)),
    neatsieve_error_run = conditionMessage
  )
  expect_match(gsub("\\s+", " ", said), "server_2|server \"127")
})

demo_in_sqlite <- function(con) {
  write_table(quiet(demo_study()), database(con, "visits"))
  study(database(con, "visits"), unit = hive, kinds = list(visit_date = "date"))
}

test_that("a study in a database reads no rows until somebody looks at them", {
  con <- sqlite_memory()
  on.exit(DBI::dbDisconnect(con))
  visits <- demo_in_sqlite(con)
  seen <- character()
  local_watched(function(sql, answer) seen <<- c(seen, sql))
  again <- study(
    database(con, "visits"),
    unit = hive,
    kinds = list(visit_date = "date")
  )
  expect_length(seen, 0)
  expect_identical(dim(again), c(2345L, 15L))
  out <- quiet(pour(
    again,
    include(present(hive_weight_kg), season == "spring"),
    exclude(hive_weight_kg > 200),
    statistics(hive_weight_kg, by = apiary),
    counts(season, treatment),
    absences(honey_kg)
  ))
  # Groups come, never rows: each answer is smaller than the groups that were
  # asked for.
  expect_false(any(grepl("row_number\\(\\) OVER \\(ORDER BY rowid", seen)))
  expect_identical(unique(stats::na.omit(ledger(out)$place)), "database")
  expect_output(
    print(ledger(out)), "In the database: steps 1 to 5.",
    fixed = TRUE
  )
  skip_if_not_installed("knitr")
  expect_match(
    paste(knitr::knit_print(ledger(out)), collapse = "\n"),
    "database: steps 1 to 5",
    fixed = TRUE
  )
  fetched <- length(seen)
  expect_identical(nrow(out$rows), 824L)
  expect_gt(length(seen), fetched)
  first <- quiet(pour(
    demo_study(),
    include(present(hive_weight_kg), season == "spring"),
    exclude(hive_weight_kg > 200)
  ))
  expect_equal(out$rows$visit_id, first$rows$visit_id)
  expect_equal(held_back(out)$source_row, held_back(first)$source_row)
})

test_that("figures show the same numbers, asked of groups there", {
  con <- sqlite_memory()
  on.exit(DBI::dbDisconnect(con))
  visits <- demo_in_sqlite(con)
  memory <- study(as.data.frame(visits), unit = hive, name = "visits")
  there <- list(
    chart_histogram(x = hive_weight_kg, colour = treatment, panels = apiary),
    chart_histogram(x = visit_date, width = 30, name = "days"),
    chart_bar(
      x = apiary,
      y = mean(honey_kg),
      colour = season,
      order = "falling"
    ),
    chart_bar(x = treatment, colour = temper, bars = "shares", name = "shares"),
    chart_box(
      y = hive_weight_kg, x = treatment, panels = season, order = "rising"
    ),
    chart_box(y = honey_kg, x = apiary, window = c(0, 5), name = "low"),
    chart_heat(x = season, y = apiary, value = median(honey_kg)),
    chart_interval(
      y = honey_kg, x = season, colour = treatment, show = "median"
    ),
    chart_line(x = start_of(visit_date, "month"), y = mean(mites_per_100)),
    chart_absence(honey_kg, notes, x = season),
    chart_flow(),
    chart_density(x = honey_kg),
    chart_cumulative(hive_weight_kg, colour = season),
    chart_violin(y = honey_kg, x = apiary)
  )
  here <- list(
    chart_line(x = visit_date, y = honey_kg, lines = hive),
    chart_strip(y = honey_kg),
    chart_interval(y = honey_kg, panels = subsets())
  )
  steps <- sieve(
    order_rows(falling(honey_kg)),
    there,
    subsets(strong = brood_frames > 6, weak = brood_frames <= 4),
    chart_histogram(x = honey_kg, name = "of_subsets"),
    chart_box(y = hive_weight_kg, x = season, name = "boxes"),
    here
  )
  database <- told_of_run(visits, steps)
  place <- database$place[!is.na(database$place)]
  expect_identical(place, rep(c("database", "here"), c(18L, 3L)))
  expect_same_answers(told_of_run(memory, steps), database, steps, "figures")
  # More rows than a sample holds: it is taken of the same rows.
  set.seed(4)
  d <- data.frame(id = seq_len(20000), x = round(stats::rexp(20000), 3))
  DBI::dbWriteTable(con, "many", d)
  steps <- sieve(chart_histogram(x = x), chart_box(y = x))
  expect_same_answers(
    told_of_run(study(d, name = "many"), steps),
    told_of_run(study(database(con, "many", key = "id")), steps),
    steps,
    "many"
  )
})

test_that("columns of a table in the same database, or of a small one here, are brought in there", {
  con <- sqlite_memory()
  on.exit(DBI::dbDisconnect(con))
  visits <- demo_in_sqlite(con)
  memory <- study(as.data.frame(visits), unit = hive, name = "visits")
  apiaries <- as.data.frame(quiet(study(demo_file("apiaries.csv"))))
  apiaries <- apiaries[order(apiaries$apiary), ]
  two <- data.frame(
    apiary = c("Fen Gate", "Fen Gate", "Mill lawn"),
    w = c(1, 2, NA)
  )
  for (name in c("apiaries", "two")) DBI::dbWriteTable(con, name, get(name))
  here <- list(
    apiaries = study(apiaries, name = "apiaries"),
    two = study(two, name = "two")
  )
  there <- list(
    apiaries = study(database(con, "apiaries", key = "apiary")),
    two = study(database(con, "two"))
  )
  asked <- list(
    quote(sieve(
      look_up(apiaries, apiary), statistics(honey_kg, by = landscape)
    )),
    quote(sieve(
      include(honey_kg > 1),
      look_up(apiaries, apiary, elevation_m, as = "ap_*"),
      work_out(z = ap_elevation_m * 2),
      include(z > 200),
      counts(apiary)
    )),
    quote(sieve(
      order_rows(visit_date), keep_matched(two, apiary), chart_bar(x = apiary)
    )),
    quote(sieve(drop_matched(two, list(notes = "apiary")), counts(apiary))),
    quote(sieve(
      look_up(two, apiary, w, several = "first", unmatched = "hold"), counts(w)
    ))
  )
  for (one in asked) {
    first <- told_of_run(memory, eval(one, here))
    for (tables in list(here, there)) {
      steps <- eval(one, tables)
      database <- told_of_run(visits, steps)
      expect_identical(unique(stats::na.omit(database$place)), "database")
      expect_same_answers(first, database, steps, "look_up")
    }
  }
  refused <- lapply(
    list(here, there),
    function(tables) {
      told_of_run(
        visits,
        with(tables, {
          sieve(look_up(two, apiary))
        })
      )$error
    }
  )
  expect_match(
    refused[[1]], "several rows for 1 key: \"Fen Gate\" (2 rows)",
    fixed = TRUE
  )
  expect_identical(refused[[2]], refused[[1]])
  # The table itself may be given, too.
  out <- quiet(pour(
    visits, look_up(database(con, "apiaries"), apiary, take = elevation_m)
  ))
  expect_identical(nrow(out$rows), 2345L)
})

test_that("what cannot be done there is said beforehand and done here", {
  con <- sqlite_memory()
  on.exit(DBI::dbDisconnect(con))
  visits <- demo_in_sqlite(con)
  steps <- sieve(
    include(honey_kg > 1),
    chart_strip(y = honey_kg),
    include(log1p(honey_kg) > 2),
    counts(apiary)
  )
  found <- check_sieve(steps, visits)
  expect_identical(found$step, c(2L, 3L))
  expect_match(found$problem, "done here and not in the database")
  expect_match(
    found$problem[2], "`log1p()` has no form in SQLite",
    fixed = TRUE
  )
  out <- quiet(pour(visits, steps))
  expect_identical(
    ledger(out)$place[ledger(out)$level == "step"],
    c("database", "here", "here", "here")
  )
  whole <- quiet(pour(
    visits,
    include(season == "spring"),
    include(honey_kg > mean(honey_kg, over = "study"))
  ))
  memory <- quiet(pour(
    demo_study(),
    include(season == "spring"),
    include(honey_kg > mean(honey_kg, over = "study"))
  ))
  expect_identical(nrow(whole$rows), nrow(memory$rows))
})

test_that("hostile names and values are inert", {
  ways <- list(sqlite_memory)
  if (requireNamespace("RPostgres", quietly = TRUE)) {
    ways <- c(ways, function() postgresql())
  }
  odd <- c(
    "a\"b", "x'; DROP TABLE t; --", "`tick`", "sp ace", "\u00e9\u00df",
    "select", "A", "a", "/* no */", strrep("n", 63), "key 1", "column 1",
    "source row"
  )
  for (way in ways) {
    con <- way()
    d <- as.data.frame(
      stats::setNames(rep(list(c(1, 2, NA)), length(odd)), odd),
      optional = TRUE
    )
    if (inherits(con, "SQLiteConnection")) d$a <- NULL
    d$txt <- c("o'hara \\ \"x\" -- /* */", "'; DROP TABLE t; --", "\u4e2d;\n%_")
    names <- setdiff(names(d), "txt")
    table <- "t'a\"b;le"
    DBI::dbWriteTable(con, table, d, overwrite = TRUE)
    there <- study(database(con, table))
    expect_identical(names(there), names(d))
    for (name in names) {
      column <- as.name(name)
      steps <- eval(bquote(sieve(include(.(column) > 1), counts(txt))))
      out <- quiet(pour(there, steps))
      expect_identical(nrow(out$rows), 1L, info = name)
    }
    for (value in d$txt) {
      out <- quiet(pour(
        there, include(txt == .(value)), work_out(y = join_text(txt, "'x\\"))
      ))
      expect_identical(out$rows$txt, value)
      expect_identical(out$rows$y, paste0(value, "'x\\"))
    }
    expect_true(DBI::dbExistsTable(con, table))
    DBI::dbDisconnect(con)
  }
})

test_that("texts are compared by code point, numbers as doubles, whatever the database thinks", {
  con <- sqlite_memory()
  on.exit(DBI::dbDisconnect(con))
  DBI::dbExecute(
    con, "CREATE TABLE t (name TEXT COLLATE NOCASE, n INTEGER, m INTEGER)"
  )
  DBI::dbExecute(
    con, "INSERT INTO t VALUES ('a', 7, 2), ('A', -7, 2), ('b', 2147483647, 1)"
  )
  there <- study(database(con, "t"))
  expect_identical(nrow(pour(there, include(name == "a"))$rows), 1L)
  expect_identical(
    pour(there, counts(name))$tables$counts$name, c("A", "a", "b")
  )
  out <- quiet(pour(
    there,
    work_out(q = n / m, r = n %% 2, s = n %/% 2, z = n / (m - m), big = n + n)
  ))
  expect_identical(out$rows$q, c(3.5, -3.5, 2147483647))
  expect_identical(out$rows$r, c(1L, 1L, 1L))
  expect_identical(out$rows$s, c(3L, -4L, 1073741823L))
  expect_identical(out$rows$z, c(Inf, -Inf, Inf))
  expect_identical(out$rows$big, c(14, -14, 4294967294))
})

test_that("values that are not what a column declares are an error that shows them", {
  con <- sqlite_memory()
  on.exit(DBI::dbDisconnect(con))
  DBI::dbExecute(con, "CREATE TABLE t (n INTEGER, day TEXT)")
  DBI::dbExecute(
    con,
    "INSERT INTO t VALUES (1, '2024-01-01'), ('two', '2024-02-30'), (3, NULL)"
  )
  expect_error(
    pour(study(database(con, "t")), include(n > 1)),
    "Column `n` holds 1 value that is no whole: \"two\"",
    class = "neatsieve_error_study"
  )
  expect_error(
    pour(study(database(con, "t"), kinds = list(day = "date")), counts(day)),
    "is no date: \"2024-02-30\"",
    class = "neatsieve_error_study"
  )
  only <- quiet(pour(
    study(database(con, "t")), include(day > "2024-01-15"), counts(day)
  ))
  expect_identical(only$tables$counts$n, 1L)
})

test_that("connections, rights, locks and time limits have their messages", {
  con <- sqlite_memory()
  visits <- demo_in_sqlite(con)
  DBI::dbExecute(con, "ALTER TABLE visits RENAME TO gone")
  expect_error(
    pour(visits, include(honey_kg > 2)),
    "make the study again",
    class = "neatsieve_error_run"
  )
  DBI::dbDisconnect(con)
  expect_error(
    pour(visits, include(honey_kg > 2)),
    "connection is lost",
    class = "neatsieve_error_run"
  )
  port <- postgresql_port()
  owner <- postgresql(port)
  on.exit(DBI::dbDisconnect(owner))
  DBI::dbWriteTable(
    owner,
    "kept",
    data.frame(id = 1:3, x = c(1, 2, NA)),
    overwrite = TRUE
  )
  DBI::dbExecute(owner, "DROP ROLE IF EXISTS reader")
  DBI::dbExecute(owner, "CREATE ROLE reader LOGIN")
  reader <- DBI::dbConnect(
    RPostgres::Postgres(),
    host = "127.0.0.1",
    port = port,
    dbname = "postgres",
    user = "reader"
  )
  there <- study(database(owner, "kept", key = "id"))
  expect_error(
    pour(study(database(reader, "kept", key = "id")), include(x > 1)),
    "permission denied|right to select",
    class = "neatsieve_error"
  )
  DBI::dbExecute(owner, "GRANT SELECT ON kept TO reader")
  out <- pour(
    study(database(reader, "kept", key = "id")), include(x > 1), counts(x)
  )
  expect_identical(out$rows, data.frame(id = 2L, x = 2))
  slow <- study(database(
    reader,
    query = "SELECT k.*, pg_sleep(1)::text AS s FROM kept k",
    time_limit = 0.02
  ))
  expect_error(
    pour(slow, include(s == "")),
    "give it more time",
    class = "neatsieve_error_run"
  )
  expect_error(
    as.data.frame(slow), "give it more time",
    class = "neatsieve_error"
  )
  expect_identical(DBI::dbGetQuery(reader, "SHOW statement_timeout")[[1]], "0")
  expect_error(database(reader, "kept", time_limit = "1"), "number of seconds")
  lite <- sqlite_memory()
  expect_error(database(lite, "kept", time_limit = 1), "PostgreSQL has")
  DBI::dbDisconnect(lite)
  other <- postgresql(port)
  mine <- study(database(other, "kept", key = "id"))
  DBI::dbGetQuery(owner, "SELECT pg_terminate_backend(pid) FROM pg_stat_activity
                          WHERE pid <> pg_backend_pid() AND usename = 'postgres'")
  expect_message(
    out <- pour(mine, include(x > 1)), "is made anew",
    class = "neatsieve_note"
  )
  expect_identical(quiet(out$rows), data.frame(id = 2L, x = 2))
  suppressWarnings(DBI::dbDisconnect(reader))
})

test_that("a pour sees one state of the table, and ends its transaction", {
  port <- postgresql_port()
  con <- postgresql(port)
  other <- postgresql(port)
  on.exit({
    DBI::dbDisconnect(con)
    DBI::dbDisconnect(other)
  })
  DBI::dbWriteTable(
    con,
    "moving",
    data.frame(id = 1:3, x = c(1, 2, 3)),
    overwrite = TRUE
  )
  added <- FALSE
  moving <- study(database(con, "moving", key = "id"))
  local_watched(function(sql, answer) {
    if (!added) DBI::dbExecute(other, "INSERT INTO moving VALUES (4, 4)")
    added <<- TRUE
  })
  out <- pour(moving, include(x > 0), counts(x))
  expect_true(added)
  expect_identical(out$tables$counts$n, c(1L, 1L, 1L))
  expect_identical(ledger(out)$rows_in[1], 3)
  expect_error(DBI::dbExecute(con, "INSERT INTO moving VALUES (5, 5)"), NA)
})

test_that("queries are told, formatted, without asking for rows", {
  con <- sqlite_memory()
  on.exit(DBI::dbDisconnect(con))
  DBI::dbWriteTable(
    con, "visits", data.frame(hive = c("a", "a", "b"), honey_kg = c(2, 3, NA))
  )
  visits <- study(database(con, "visits"), unit = hive)
  steps <- sieve(
    include(honey_kg > 2), counts(hive), chart_histogram(x = honey_kg)
  )
  queries <- as_sql(steps, visits)
  expect_s3_class(queries, "data.frame")
  for (sql in queries$sql) expect_true(is.data.frame(DBI::dbGetQuery(con, sql)))
  expect_snapshot(print(queries))
  expect_error(
    as_sql(steps, demo_study()),
    "is not in a database",
    class = "neatsieve_error_run"
  )
})

test_that("tables are written in one piece, and never over another", {
  con <- sqlite_memory()
  on.exit(DBI::dbDisconnect(con))
  d <- data.frame(
    x = c(0.1, NA, 1e300),
    day = as.Date(c("2024-02-29", NA, "1999-12-31")),
    yes = c(TRUE, NA, FALSE),
    f = factor(c("b", "a", NA)),
    n = c(1L, NA, 3L)
  )
  write_table(d, database(con, "kept"))
  back <- as.data.frame(study(
    database(con, "kept"),
    kinds = list(day = "date")
  ))
  expect_identical(back, transform(d, f = as.character(f)))
  expect_error(
    write_table(d, database(con, "kept")),
    "has a table \"kept\" already",
    class = "neatsieve_error_run"
  )
  write_table(d[1, ], database(con, "kept"), replace = TRUE)
  expect_identical(nrow(study(database(con, "kept"))), 1L)
})

refused_plan <- function(plan, old, new) {
  changed <- paste0(plan, "-changed.yaml")
  writeLines(sub(old, new, readLines(plan), fixed = TRUE), changed)
  tryCatch(read_sieve(changed), neatsieve_error = conditionMessage)
}
test_that("plans and the command name a database, and never a password", {
  folder <- withr::local_tempdir()
  file <- file.path(folder, "study.sqlite")
  con <- DBI::dbConnect(RSQLite::SQLite(), file)
  on.exit(DBI::dbDisconnect(con))
  visits <- demo_in_sqlite(con)
  steps <- sieve(include(season == "spring"), counts(apiary))
  plan <- file.path(folder, "plan.yaml")
  write_sieve(steps, plan, study = visits)
  expect_match(paste(readLines(plan), collapse = "\n"), "driver: sqlite")
  read <- read_sieve(plan)
  expect_identical(attr(read, "study")$database$table, "visits")
  ran <- system2(
    file.path(R.home("bin"), "Rscript"),
    c("-e", shQuote("neatsieve:::cli_main(commandArgs(TRUE))"), "pour", plan),
    stdout = TRUE,
    stderr = TRUE
  )
  expect_match(
    paste(ran, collapse = "\n"), "In the database: steps 1 and 2",
    fixed = TRUE
  )
  # A table of the same database that a step reads; the folder of results names
  # both again.
  apiaries <- as.data.frame(quiet(study(demo_file("apiaries.csv"))))
  DBI::dbWriteTable(con, "apiaries", apiaries)
  joined <- sieve(
    look_up(database(con, "apiaries"), apiary, take = elevation_m),
    statistics(elevation_m)
  )
  write_sieve(joined, plan, study = visits)
  again <- read_sieve(plan)
  twice <- file.path(folder, "twice.yaml")
  write_sieve(again, twice, study = visits)
  expect_identical(readLines(twice), readLines(plan))
  out <- quiet(pour(visits, again))
  expect_identical(unique(stats::na.omit(ledger(out)$place)), "database")
  results <- file.path(folder, "results")
  quiet(write_siftings(out, results))
  expect_match(
    paste(readLines(file.path(results, "sieve.yaml")), collapse = "\n"),
    "file: ../study.sqlite\n    table: visits",
    fixed = TRUE
  )
  expect_identical(nrow(quiet(as.data.frame(verify(results)))) > 0, TRUE)
  expect_match(
    as_code(again), "database(con, \"apiaries\")",
    fixed = TRUE, all = FALSE
  )
  expect_match(
    refused_plan(plan, "table: apiaries", "tabel: apiaries"),
    "Did you mean `table`"
  )
  hidden <- sqlite_memory()
  kept <- demo_in_sqlite(hidden)
  quiet(write_siftings(pour(kept, counts(apiary)), file.path(folder, "hidden")))
  expect_no_match(
    readLines(file.path(folder, "hidden", "sieve.yaml")), "^study"
  )
  DBI::dbDisconnect(hidden)
  writeLines(sub("driver: sqlite", "password: secret", readLines(plan)), plan)
  expect_error(
    read_sieve(plan), "password does not belong",
    class = "neatsieve_error_plan"
  )
  page <- file.path(folder, "r.html")
  out <- quiet(pour(visits, steps, chart_flow()))
  quiet(report(out, page))
  expect_match(paste(readLines(page), collapse = ""), "1,475")
})

test_that("types of PostgreSQL become kinds, and times are looked at there", {
  con <- postgresql()
  on.exit(DBI::dbDisconnect(con))
  DBI::dbExecute(con, "DROP TABLE IF EXISTS types")
  DBI::dbExecute(
    con,
    paste(
      "CREATE TABLE types (id int PRIMARY KEY, big int8, exact numeric, ",
      "single float4, word varchar,",
      "at timestamptz, plain timestamp, yes boolean, day date, tag uuid)"
    )
  )
  DBI::dbExecute(
    con,
    paste(
      "INSERT INTO types VALUES (2, 5000000000, 0.1, 0.1, 'x', '2024-05-01 10:00:00+02',",
      "'2024-05-01 10:00:00', true, '2024-02-29', 'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11'),",
      "(1, NULL, 'NaN', 'NaN', NULL, NULL, NULL, NULL, NULL, NULL)"
    )
  )
  there <- study(database(con, "types"))
  kinds <- vapply(unclass(there)$frame$types, `[[`, "", "kind")
  expect_identical(
    unname(kinds),
    c(
      "whole", "number", "number", "number", "text", "date-time", "date-time",
      "logical", "date", "text"
    )
  )
  rows <- as.data.frame(there)
  expect_identical(rows$id, 1:2)
  expect_identical(rows$exact, c(NA, 0.1))
  expect_identical(rows$single, c(NA, 0.1))
  expect_identical(rows$big, c(NA, 5e9))
  expect_identical(format(rows$at[2], tz = "UTC"), "2024-05-01 08:00:00")
  expect_identical(format(rows$plain[2], tz = "UTC"), "2024-05-01 10:00:00")
  out <- quiet(pour(
    there, include(exact > 0), include(hour(at) == 8), counts(tag)
  ))
  expect_identical(
    ledger(out)$place[ledger(out)$level == "step"], rep("database", 3)
  )
  expect_identical(
    out$tables$counts$tag, "a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11"
  )
})
