# What is asked of a table over servers without a window, which would move its
# rows.

visits_over_servers <- function(con, n, name) {
  set.seed(n)
  visits <- data.frame(
    id = sample(3 * n, n),
    day = as.Date("2024-01-01") + sample(300, n, TRUE),
    place = sample(c("fen", "mill", NA), n, TRUE),
    hive = sample(90, n, TRUE),
    weight = round(stats::rnorm(n, 50, 9), 1),
    mites = stats::rexp(n)
  )
  visits$weight[sample(n, n %/% 40)] <- NA
  DBI::dbWriteTable(
    con,
    name,
    visits,
    field.types = c(id = "int", hive = "int")
  )
  system2(
    file.path("..", "..", "tools", "cluster"),
    c("spread", servers[["2"]]$folder, name, "id"),
    stdout = FALSE,
    stderr = FALSE
  )
  list(
    memory = study(visits[order(visits$id), ], unit = "hive", name = name),
    servers = study(database(con, name, key = "id"), unit = "hive")
  )
}
# The rows or what a figure shows, from memory and over servers, and what was
# asked there.
both_ways <- function(both, steps) {
  asked <- character()
  local_watched(function(sql, answer) asked <<- c(asked, sql))
  out <- quiet(lapply(both, pour, steps))
  has_figures <- length(out$memory$figures) > 0
  shown <- lapply(out, function(o) {
    table <- if (has_figures) {
      chart_data(o)
    } else {
      quiet(if (nrow(o$rows) < 100) held_back(o) else o$rows)
    }
    rownames(table) <- NULL
    as.data.frame(lapply(table, as.vector))
  })
  list(shown = shown, asked = asked, out = out)
}

test_that("extremes, repeats and random rows over servers are those of memory, without a window", {
  con <- postgresql(postgresql_port(2))
  on.exit(DBI::dbDisconnect(con))
  both <- visits_over_servers(con, 1500, "cut_visits")
  for (steps in list(
    sieve(scoop(3, highest = weight, by = place)),
    sieve(scoop(share = 0.02, lowest = mites)),
    sieve(scoop(2, highest = day, by = c(place, hive > 40))),
    sieve(scoop(0, lowest = mites)),
    sieve(include(weight > 50), scoop(4, lowest = weight * 2, by = place)),
    sieve(scoop(20, seed = 3)),
    sieve(include(weight > 50), scoop(3, seed = 4, by = place)),
    sieve(find_repeats(hive)),
    sieve(find_repeats(id, day)),
    sieve(include(weight > 67), find_repeats(weight, place)),
    sieve(include(weight > 60), find_repeats(hive, place), counts(repeat_size)),
    sieve(drop_repeats(hive)),
    sieve(drop_repeats(place, hive, keep = "last")),
    sieve(exclude(mites > 1), drop_repeats(weight)),
    sieve(drop_repeats(id, day)),
    sieve(pick_columns(id, day, renamed = list(key = id)), drop_repeats(key)),
    sieve(work_out(id = id %/% 7), drop_repeats(id))
  )) {
    found <- both_ways(both, steps)
    expect_equal(found$shown$servers, found$shown$memory, info = format(steps))
    expect_identical(
      ledger(found$out$servers)$rows_out, ledger(found$out$memory)$rows_out
    )
    expect_false(
      any(grepl("OVER (PARTITION", found$asked, fixed = TRUE)),
      info = format(steps)
    )
  }
})

test_that("bins over servers rest on quantiles, and no sample of their rows is taken", {
  con <- postgresql(postgresql_port(2))
  on.exit(DBI::dbDisconnect(con))
  both <- visits_over_servers(con, 17000, "many_visits")
  for (steps in list(
    sieve(chart_histogram(weight)),
    sieve(chart_histogram(mites)),
    sieve(include(weight > 30), chart_histogram(weight, window = c(40, 60))),
    sieve(chart_box(y = weight, x = place)),
    sieve(chart_density(mites)),
    sieve(chart_line(x = start_of(day, "month"), y = mean(mites)))
  )) {
    found <- both_ways(both, steps)
    expect_equal(found$shown$servers, found$shown$memory, info = format(steps))
    told <- lapply(found$out, function(o) unname(o$notes))
    expect_setequal(told$servers, told$memory)
    # Values beyond the whiskers and far ones are put in order, of a condition
    # on them.
    windows <- grep("row_number", found$asked, fixed = TRUE, value = TRUE)
    expect_true(
      all(grepl("AS s WHERE v < .* OR v > ", windows)),
      info = format(steps)
    )
  }
})

test_that("spreads of infinite values over servers are absent, as in memory", {
  con <- postgresql(postgresql_port(2))
  on.exit(DBI::dbDisconnect(con))
  set.seed(3)
  both <- table_both_ways(con, 200, write = write_over_servers)
  steps <- sieve(
    statistics(s = sd(other), v = var(other), m = mean(other), by = grade),
    statistics(s = sd(other), name = "all")
  )
  out <- quiet(lapply(both, pour, steps))
  expect_true(
    any(is.infinite(both$memory$other)) && anyNA(out$memory$tables$statistics$s)
  )
  expect_equal(out$database$tables$statistics, out$memory$tables$statistics)
  expect_identical(out$database$tables$all$s, NA_real_)
})

test_that("rows that a step made are not taken for rows held back before", {
  con <- sqlite_memory()
  on.exit(DBI::dbDisconnect(con))
  set.seed(4)
  both <- table_both_ways(con, 30)
  told <- lapply(both, function(data) {
    out <- quiet(pour(
      data,
      include(num > 0),
      to_long(big, num, value_as = "v"),
      work_out(s = mean(v, by = kind)),
      include(v > 1),
      work_out(t = mean(v, by = kind))
    ))
    unname(out$notes)
  })
  expect_identical(told$database, told$memory)
  expect_identical(sum(grepl("that entered this step", told$memory)), 1L)
})

test_that("the page on several servers runs as it is written", {
  page <- file.path("..", "..", "docs", "cluster.md")
  skip_if_not(file.exists(page), "the page is not here")
  postgresql_port()
  lines <- readLines(page, encoding = "UTF-8")
  folder <- file.path("/tmp", paste0("neatsieve-page-", Sys.getpid()))
  # A folder and ports of its own, beside those of other tests.
  lines <- gsub(
    "54320",
    some_port(),
    gsub("/tmp/hives", folder, lines, fixed = TRUE),
    fixed = TRUE
  )
  root <- normalizePath(file.path("..", ".."))
  withr::defer(system2(
    file.path(root, "tools", "cluster"),
    c("stop", folder),
    stdout = FALSE,
    stderr = FALSE
  ))
  withr::local_envvar(TZ = "UTC", CLUSTER_OWNER = Sys.getpid())
  session <- new.env(parent = globalenv())
  starts <- grep("^```(sh|r)$", lines)
  for (start in starts) {
    end <- min(grep("^```$", lines)[grep("^```$", lines) > start])
    code <- lines[(start + 1):(end - 1)]
    if (lines[start] == "```sh") {
      if (start == max(starts)) DBI::dbDisconnect(session$con)
      script <- withr::local_tempfile(
        lines = c(paste("cd", shQuote(root)), code)
      )
      expect_identical(
        system2("bash", script, stdout = FALSE, stderr = FALSE), 0L
      )
    } else {
      quiet(for (call in parse(text = code)) eval(call, session))
    }
    if (is.null(session$out) || !is.null(session$told)) next
    session$told <- quiet(as_sql(session$spring, session$visits))
    plan <- DBI::dbGetQuery(
      session$con,
      paste(
        "EXPLAIN VERBOSE", session$told$sql[grepl("avg", session$told$sql)][1]
      )
    )[[1]]
    expect_true(
      any(grepl("Async Foreign Scan", plan)) && any(grepl("Aggregate on", plan))
    )
  }
  memory <- quiet(pour(session$demo, session$spring))
  expect_identical(session$out$tables$counts, memory$tables$counts)
  expect_equal(session$out$tables$statistics, memory$tables$statistics)
  counted <- c("rows_in", "yes", "no", "unknown", "held", "rows_out")
  expect_equal(
    as.data.frame(ledger(session$out))[counted],
    as.data.frame(ledger(memory))[counted],
    ignore_attr = TRUE
  )
  expect_false(dir.exists(folder))
})
