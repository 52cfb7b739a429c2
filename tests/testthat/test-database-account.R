# What is asked of the account of runs in databases: the rows asked for alone.

followed_alike <- function(con, seeds, write = NULL) {
  for (seed in seeds) {
    set.seed(seed)
    both <- if (is.null(write)) {
      table_both_ways(con, 120)
    } else {
      table_both_ways(con, 120, write = write)
    }
    steps <- random_db_sieve()
    runs <- lapply(both, function(data) {
      tryCatch(quiet(pour(data, steps)), error = function(e) NULL)
    })
    if (is.null(steps) || is.null(runs$memory)) next
    told <- lapply(runs, function(out) {
      lines <- list(
        quiet(follow(out, c(5, 17, 60))), quiet(follow(out, unit = "fen"))
      )
      # Digits of numbers that were worked out may differ in the last.
      lapply(lines, function(x) {
        data.frame(
          unclass(x)[setdiff(names(x), "saw")],
          saw = gsub("[0-9.e+-]+", "#", x$saw)
        )
      })
    })
    expect_identical(
      told$database,
      told$memory,
      info = paste(c(seed, format(steps)), collapse = "\n")
    )
  }
}

test_that("rows are followed in SQLite and MariaDB as in memory", {
  for (con in list(sqlite_memory(), mariadb())) {
    followed_alike(con, 1:8)
    DBI::dbDisconnect(con)
  }
})

test_that("rows are followed in PostgreSQL and over servers as in memory", {
  con <- postgresql()
  on.exit(DBI::dbDisconnect(con))
  followed_alike(con, 21:26)
  servers <- postgresql(postgresql_port(2))
  on.exit(DBI::dbDisconnect(servers), add = TRUE)
  followed_alike(servers, 41:44, write_over_servers)
})

test_that("following rows fetches these alone, by keys of any kind", {
  set.seed(2)
  d <- data.frame(
    a = sample(1000, 60) + 0.5,
    b = rep(c("x", "y'", "\u00e9"), 20),
    v = stats::rnorm(60),
    big = 3e9 + sample(60)
  )
  for (con in list(sqlite_memory(), postgresql(), mariadb())) {
    DBI::dbWriteTable(
      con,
      "keyed",
      d,
      overwrite = TRUE,
      field.types = c(b = "varchar(10)", big = "bigint")
    )
    for (key in list("a", c("b", "a"), "big")) {
      steps <- sieve(include(v > mean(v)), scoop(5, highest = v))
      memory <- pour(
        study(d[do.call(order, c(d[key], method = "radix")), ]), steps
      )
      out <- pour(study(database(con, "keyed", key = key)), steps)
      sent <- 0
      local({
        local_watched(function(sql, answer) sent <<- max(sent, nrow(answer)))
        lines <- follow(out, c(4, 7, 30))
        expect_identical(
          lines[c("source_row", "outcome", "became")],
          follow(memory, c(4, 7, 30))[c("source_row", "outcome", "became")]
        )
      })
      expect_lte(sent, 3)
    }
    DBI::dbDisconnect(con)
  }
})

test_that("rows held back over servers are numbered without the table being moved", {
  con <- postgresql(postgresql_port(2))
  on.exit(DBI::dbDisconnect(con))
  set.seed(9)
  both <- table_both_ways(con, 200, write = write_over_servers)
  steps <- sieve(include(num > 1), exclude(flag))
  asked <- character()
  out <- quiet(pour(both$database, steps))
  local({
    local_watched(function(sql, answer) asked <<- c(asked, sql))
    held <- held_back(out)
    expect_identical(
      held$source_row, held_back(quiet(pour(both$memory, steps)))$source_row
    )
    follow(out, c(3, 150))
  })
  expect_false(any(grepl("row_number", asked)))
})

# What differs, in one order, without numbers of tables.
differences_told <- function(comparison) {
  ordered <- function(table) {
    by <- intersect(c("row_a", "row_b", "column", "unit"), names(table))
    data.frame(
      table[do.call(order, unname(as.list(table[by]))), , drop = FALSE],
      row.names = NULL
    )
  }
  lapply(
    unclass(comparison)[c("key", "rows", "units", "cells", "columns")],
    function(part) {
      if (is.data.frame(part)) ordered(part) else part
    }
  )
}

test_that("runs are compared in databases as in memory, by the rows that differ alone", {
  connect <- list(sqlite_memory, postgresql, mariadb)
  for (k in seq_along(connect)) {
    con <- connect[[k]]()
    for (seed in 1:5 + 10 * k) {
      set.seed(seed)
      both <- table_both_ways(con, 120)
      one <- random_db_sieve()
      other <- if (seed %% 2) {
        random_db_sieve()
      } else {
        tryCatch(
          c(one, sieve(include(num > 1))),
          neatsieve_error = function(e) NULL
        )
      }
      told <- lapply(
        both,
        function(data) {
          tryCatch(
            {
              differences_told(quiet(compare_runs(
                pour(data, one), pour(data, other)
              )))
            },
            neatsieve_error = function(e) NULL
          )
        }
      )
      if (is.null(told$memory)) next
      expect_equal(told$database, told$memory, info = paste(seed))
    }
    DBI::dbDisconnect(con)
  }
})

test_that("two versions of a table are compared by their key in the database", {
  set.seed(1)
  d <- data.frame(
    id = 1:3000,
    g = sample(c("a", "b", "c"), 3000, TRUE),
    x = stats::rnorm(3000)
  )
  e <- d[-(11:13), ]
  e$x[c(5, 77)] <- c(9, NA)
  e <- rbind(e, data.frame(id = 3001:3002, g = "new", x = c(1, -1)))
  steps <- sieve(include(x > 0), work_out(y = x + 1))
  for (con in list(sqlite_memory(), postgresql(), mariadb())) {
    for (name in c("d", "e")) {
      DBI::dbWriteTable(
        con,
        name,
        get(name),
        overwrite = TRUE,
        field.types = c(g = "varchar(10)", id = "int", x = "double precision")
      )
    }
    there <- lapply(c("d", "e"), function(name) {
      pour(
        study(database(con, name, key = "id"), unit = "g", name = name), steps
      )
    })
    here <- list(
      pour(study(d, unit = g, name = "d"), steps),
      pour(study(e, unit = g, name = "e"), steps)
    )
    sent <- 0
    local({
      local_watched(function(sql, answer) sent <<- sent + nrow(answer))
      a <- quiet(compare_runs(there[[1]], there[[2]], key = "id"))
      expect_equal(
        differences_told(a),
        differences_told(compare_runs(here[[1]], here[[2]], key = "id"))
      )
      expect_setequal(a$units$unit, "new")
    })
    expect_lt(sent, 60)
    DBI::dbDisconnect(con)
  }
})

test_that("a seal over PostgreSQL reads no row, and tells any change of values, rows and places", {
  con <- postgresql()
  withr::defer(DBI::dbDisconnect(con))
  set.seed(3)
  d <- data.frame(
    id = 1:800,
    x = round(stats::rnorm(800), 3),
    g = sample(c("a", NA), 800, TRUE),
    f = sample(c(TRUE, FALSE, NA), 800, TRUE),
    day = as.Date("2020-01-01") + sample(90, 800, TRUE)
  )
  steps <- sieve(
    include(x > 0), work_out(z = log(x + 1)), statistics(z, by = g)
  )
  sealed <- function(table) {
    DBI::dbWriteTable(con, "sealed", table, overwrite = TRUE)
    seal(quiet(pour(
      study(database(con, "sealed", key = "id"), name = "s"), steps
    )))
  }
  sent <- 0
  first <- local({
    local_watched(function(sql, answer) sent <<- max(sent, nrow(answer)))
    sealed(d)
  })
  expect_lte(sent, 5)
  expect_match(first$study$fingerprint, "^postgresql:[0-9a-f]{32}$")
  # The order that rows are stored in is none of theirs.
  expect_identical(
    sealed(d[sample(800), ])[c("study", "rows")], first[c("study", "rows")]
  )
  at <- which(d$x > 0)[1:2]
  changes <- list(
    value = function(d) {
      replace(d, "x", replace(d$x, at[1], d$x[at[1]] + 0.001))
    },
    places = function(d) replace(d, "x", replace(d$x, at, rev(d$x[at]))),
    absent = function(d) replace(d, "day", replace(d$day, at[1], NA)),
    key = function(d) replace(d, "id", replace(d$id, at[1], 801L))
  )
  for (change in changes) {
    other <- sealed(change(d))
    expect_false(other$study$fingerprint == first$study$fingerprint)
    expect_false(other$rows$fingerprint == first$rows$fingerprint)
  }
})

test_that("partitions of partitions, and some that are here, are asked one by one", {
  con <- postgresql(postgresql_port(2))
  withr::defer(DBI::dbDisconnect(con))
  set.seed(4)
  d <- data.frame(
    id = 1:600,
    g = sample(c("a", "b", NA), 600, TRUE),
    x = stats::rnorm(600)
  )
  columns <- "(id int, g text, x float8)"
  run_on(con, "CREATE TABLE nested ", columns, " PARTITION BY RANGE (id)")
  run_on(
    con,
    "CREATE TABLE nested_here PARTITION OF nested FOR VALUES FROM (401) TO (1000)"
  )
  run_on(
    con,
    "CREATE TABLE nested_low PARTITION OF nested FOR VALUES FROM (1) TO (401) ",
    "PARTITION BY HASH (id)"
  )
  for (i in 1:2) {
    remote <- postgresql(postgresql_port(2) + i)
    run_on(remote, "CREATE TABLE nested_", i, " ", columns)
    DBI::dbDisconnect(remote)
    run_on(
      con,
      "CREATE FOREIGN TABLE nested_",
      i,
      " PARTITION OF nested_low FOR VALUES WITH ",
      "(MODULUS 2, REMAINDER ",
      i - 1,
      ") SERVER server_",
      i
    )
  }
  DBI::dbWriteTable(con, "nested", d, append = TRUE)
  there <- study(database(con, "nested", key = "id"), name = "d")
  steps <- sieve(include(x > -1), statistics(x, by = g), counts(g))
  asked <- character()
  out <- local({
    local_watched(function(sql, answer) asked <<- c(asked, sql))
    quiet(pour(there, steps))
  })
  named <- lapply(c("nested_1", "nested_2", "nested_here"), function(part) {
    grepl(paste("FROM", part), asked, fixed = TRUE)
  })
  expect_true(any(Reduce(`&`, named)))
  expected <- pour(study(d), steps)
  expect_equal(out$tables$statistics$mean, expected$tables$statistics$mean)
  expect_identical(out$tables$counts$n, expected$tables$counts$n)
  expect_identical(
    quiet(held_back(out))$source_row, held_back(expected)$source_row
  )
})

test_that("rows held back of those that one row became stand in their order", {
  con <- sqlite_memory()
  withr::defer(DBI::dbDisconnect(con))
  d <- data.frame(id = 1:4, a = c(1, 5, 2, 6), b = c(4, 3, 8, 1))
  DBI::dbWriteTable(con, "d", d)
  steps <- sieve(to_long(a, b), scoop(at = c(1, 4, 5, 8)), include(value > 2))
  told <- lapply(
    list(study(database(con, "d", key = "id")), study(d)),
    function(data) {
      held <- held_back(quiet(pour(data, steps)))
      as.list(held[c("source_row", "held_at", "label", "value")])
    }
  )
  expect_equal(told[[1]], told[[2]], ignore_attr = TRUE)
})
