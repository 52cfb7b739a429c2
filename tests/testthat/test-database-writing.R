# Rows of a database that are written there, and tables written from here.

awkward_rows <- function(n = 60) {
  set.seed(4)
  d <- random_table(n)
  d <- d[setdiff(names(d), c("when", "other"))]
  d$id <- sample.int(n)
  d
}
written_from <- function(con, d) {
  there <- d
  is_sqlite <- inherits(con, "SQLiteConnection")
  for (column in c("kind", "grade", if (is_sqlite) "day")) {
    there[[column]] <- as.character(there[[column]])
  }
  for (column in c("flag", "sure")) {
    there[[column]] <- as.integer(there[[column]])
  }
  for (name in c("stock", "kept")) {
    if (DBI::dbExistsTable(con, name)) DBI::dbRemoveTable(con, name)
  }
  texts <- c("word", "place", "kind", "grade")
  if (inherits(con, "PqConnection")) {
    there[c("flag", "sure")] <- d[c("flag", "sure")]
  }
  DBI::dbWriteTable(
    con,
    "stock",
    there,
    field.types = c(
      id = "INT", count = "INT", big = "INT", flag = "BOOLEAN",
      sure = "BOOLEAN",
      stats::setNames(rep("varchar(40)", length(texts)), texts)
    )
  )
  study(
    database(con, "stock", key = "id"),
    labels = list(num = "Honey's weight"),
    kinds = if (is_sqlite) list(day = "date") else list()
  )
}
each_database <- function(check) {
  for (connect in list(sqlite_memory, postgresql, mariadb)) {
    con <- connect()
    check(con)
    DBI::dbDisconnect(con)
  }
}
by_id <- function(x) {
  x <- as.data.frame(quiet(x))
  x <- x[order(x$id), ]
  rownames(x) <- NULL
  x
}
kept_steps <- sieve(
  include(num > 0, unknown = "pass"),
  work_out(twice = num * 2, loud = upper(word), later = day + count)
)

test_that("rows are written where they are, and read back the same", {
  each_database(function(con) {
    out <- quiet(pour(written_from(con, awkward_rows()), kept_steps))
    sent <- 0
    local_watched(function(sql, answer) sent <<- sent + nrow(answer))
    write_table(out, database(con, "kept"))
    expect_identical(sent, 0)
    back <- quiet(study(database(con, "kept", key = "id")))
    expect_equal(by_id(pour(back, sieve())$rows), by_id(out$rows))
  })
})

test_that("the key comes along, and labels where the database has comments", {
  con <- postgresql()
  on.exit(DBI::dbDisconnect(con))
  write_table(
    quiet(pour(written_from(con, awkward_rows()), kept_steps)),
    database(con, "kept")
  )
  keys <- DBI::dbGetQuery(
    con,
    paste(
      "SELECT a.attname AS key FROM pg_index i JOIN pg_attribute a ON a.attrelid = i.indrelid AND",
      "a.attnum = ANY(i.indkey) WHERE i.indisprimary AND i.indrelid = 'kept'::regclass"
    )
  )$key
  expect_identical(keys, "id")
  label <- DBI::dbGetQuery(
    con,
    paste(
      "SELECT col_description('kept'::regclass, attnum) AS label FROM pg_attribute WHERE attname =",
      "'num' AND attrelid = 'kept'::regclass"
    )
  )$label
  expect_identical(label, "Honey's weight")
})

test_that("rows are added by the names of columns, all of them or none", {
  each_database(function(con) {
    visits <- written_from(con, awkward_rows())
    few <- quiet(pour(visits, sieve(include(count > 2), pick_columns(id, num))))
    others <- quiet(pour(
      visits, sieve(include(count <= 2), pick_columns(num, id))
    ))
    write_table(few, database(con, "kept"))
    write_table(others, database(con, "kept"), append = TRUE)
    all <- by_id(
      pour(visits, sieve(include(present(count)), pick_columns(id, num)))$rows
    )
    expect_equal(by_id(DBI::dbReadTable(con, "kept"))[c("id", "num")], all)
    expect_error(
      write_table(others, database(con, "kept"), append = TRUE),
      "are there already"
    )
    expect_identical(nrow(DBI::dbReadTable(con, "kept")), nrow(all))
    more <- quiet(pour(visits, pick_columns(id, word)))
    expect_error(
      write_table(more, database(con, "kept"), append = TRUE),
      "has no column `word`"
    )
    expect_error(
      write_table(few, database(con, "kept")), "has a table \"kept\" already"
    )
    # Rows from here, too.
    write_table(
      data.frame(num = 1.5, id = 1000L),
      database(con, "kept"),
      append = TRUE
    )
    expect_identical(nrow(DBI::dbReadTable(con, "kept")), nrow(all) + 1L)
  })
})

test_that("a table that rows are read from is never written over", {
  each_database(function(con) {
    visits <- written_from(con, awkward_rows())
    out <- quiet(pour(visits, kept_steps))
    for (x in list(out, visits)) {
      expect_error(
        write_table(x, database(con, "stock"), replace = TRUE), "were read from"
      )
      expect_error(
        write_table(x, database(con, "stock"), append = TRUE), "were read from"
      )
    }
    expect_identical(nrow(DBI::dbReadTable(con, "stock")), 60L)
  })
})

test_that("a table that changed since is not written, and nothing is left behind", {
  each_database(function(con) {
    out <- quiet(pour(written_from(con, awkward_rows()), kept_steps))
    run_on(con, "DELETE FROM stock WHERE num > 0")
    expect_error(
      write_table(out, database(con, "kept")), "has changed since it was poured"
    )
    expect_false(DBI::dbExistsTable(con, "kept"))
  })
})

test_that("within an open transaction a failure takes back nothing but itself", {
  for (connect in list(sqlite_memory, postgresql)) {
    con <- connect()
    out <- quiet(pour(written_from(con, awkward_rows()), kept_steps))
    write_table(out, database(con, "kept"))
    DBI::dbBegin(con)
    run_on(con, "DELETE FROM stock WHERE id = 1")
    expect_error(
      write_table(
        awkward_rows(3)[c("id", "num")],
        database(con, "kept"),
        append = TRUE
      ),
      "are there already|says"
    )
    write_table(data.frame(a = 1), database(con, "beside"), replace = TRUE)
    DBI::dbCommit(con)
    expect_identical(nrow(DBI::dbReadTable(con, "stock")), 59L)
    expect_identical(DBI::dbReadTable(con, "beside")$a, 1)
    DBI::dbDisconnect(con)
  }
})

test_that("columns that no step changed keep their types and digits", {
  con <- postgresql()
  on.exit(DBI::dbDisconnect(con))
  run_on(con, "DROP TABLE IF EXISTS exact, kept")
  run_on(
    con,
    "CREATE TABLE exact (id int4 PRIMARY KEY, price numeric(30, 20), code varchar(9), ",
    "size float4, other text)"
  )
  run_on(
    con,
    "INSERT INTO exact VALUES (1, 0.12345678901234567891, 'a ', 0.1, '-'), ",
    "(2, 2, 'b', 2.5, 'x')"
  )
  there <- quiet(study(database(con, "exact"), absent_codes = "-"))
  out <- quiet(pour(
    there,
    sieve(
      include(id > 0),
      work_out(size = size * 2),
      pick_columns(id, size, other, price, renamed = list(cost = price))
    )
  ))
  write_table(out, database(con, "kept"))
  back <- DBI::dbGetQuery(
    con, "SELECT cost::text AS cost, size, other FROM kept ORDER BY id"
  )
  expect_identical(
    back$cost, c("0.12345678901234567891", "2.00000000000000000000")
  )
  expect_identical(back$size, c(0.2, 5))
  expect_identical(back$other, c(NA, "x"))
})

test_that("another connection writes rows there, and what it does not see comes from here", {
  con <- postgresql()
  other <- postgresql()
  on.exit({
    DBI::dbDisconnect(con)
    DBI::dbDisconnect(other)
  })
  visits <- written_from(con, awkward_rows())
  out <- quiet(pour(visits, kept_steps))
  write_table(out, database(other, "kept"))
  expect_equal(
    by_id(DBI::dbReadTable(con, "kept"))[["twice"]], by_id(out$rows)[["twice"]]
  )
  run_on(con, "DROP TABLE kept")
  run_on(con, "CREATE TEMP TABLE passing AS SELECT id, num FROM stock")
  passing <- quiet(pour(
    study(database(con, "passing", key = "id")), include(num > 0)
  ))
  write_table(passing, database(other, "kept"))
  expect_identical(
    nrow(DBI::dbReadTable(other, "kept")), nrow(as.data.frame(passing$rows))
  )
})

test_that("writing a table takes no longer than it may, and leaves the session as it was", {
  con <- postgresql()
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "quick", data.frame(id = 1:400))
  run_on(
    con,
    "CREATE FUNCTION slowly(int) RETURNS int AS $$ SELECT pg_sleep(0.002); ",
    "SELECT $1 $$ LANGUAGE sql VOLATILE"
  )
  run_on(con, "CREATE VIEW slow AS SELECT id, slowly(id) AS v FROM quick")
  out <- quiet(pour(study(database(con, "slow", key = "id")), include(id > 5)))
  expect_error(
    write_table(out, database(con, "kept_slowly", time_limit = 0.2)),
    "needs more time",
    class = "neatsieve_error_run"
  )
  expect_false(DBI::dbExistsTable(con, "kept_slowly"))
  write_table(out, database(con, "kept_slowly", time_limit = 60))
  expect_identical(nrow(DBI::dbReadTable(con, "kept_slowly")), 395L)
  expect_identical(DBI::dbGetQuery(con, "SHOW statement_timeout")[[1]], "0")
  # What a step said of a query is not said of the next.
  short <- study(database(con, "slow", key = "id", time_limit = 0.2))
  expect_error(
    pour(short, include(v > 5)), "In step 1",
    class = "neatsieve_error_run"
  )
  said <- tryCatch(quiet(look(short)), error = conditionMessage)
  expect_match(said, "needs more time|give it more time")
  expect_no_match(said, "In step 1")
})
