# How a sieve would run is told before it does, and is how it runs.

demo_table <- function() {
  table <- as.data.frame(quiet(study(demo_file("hive-visits.csv"))))
  table$visit_date <- as.character(table$visit_date)
  table
}
mixed_sieve <- sieve(
  include(present(hive_weight_kg), season == "spring"),
  work_out(half = honey_kg / 2),
  statistics(half, by = apiary),
  statistics(odd = prod(honey_kg), by = apiary),
  counts(season),
  chart_scatter(x = honey_kg, y = hive_weight_kg),
  chart_bar(x = treatment),
  scoop(10, seed = 3),
  statistics(honey_kg)
)

test_that("steps, statements and fetches of a run in a database are those that were planned", {
  there <- list(sqlite_memory(), postgresql())
  withr::defer(for (con in there) DBI::dbDisconnect(con))
  for (con in there) {
    DBI::dbWriteTable(con, "planned", demo_table(), overwrite = TRUE)
    visits <- study(database(con, "planned", key = "visit_id"), unit = hive)
    seen <- check_sieve(mixed_sieve, visits)
    planned <- attr(seen, "route")$steps
    out <- quiet(pour(visits, mixed_sieve))
    ran <- subset(as.data.frame(ledger(out)), level == "step")
    expect_identical(planned$place, ran$place)
    expect_identical(planned$statements, ran$statements)
    # What was fetched is of the columns that were planned, and no more rows.
    told <- grep("fetched for this step", out$notes, value = TRUE)
    rows <- as.numeric(gsub(
      ",", "", sub("^.*\\(([0-9,]+) rows of.*$", "\\1", told)
    ))
    columns <- as.numeric(sub("^.*rows of ([0-9]+) column.*$", "\\1", told))
    expect_identical(columns, as.numeric(planned$fetched[planned$fetched > 0]))
    expect_true(all(rows <= 2345))
    said <- paste(capture.output(print(seen)), collapse = " ")
    expect_match(said, "In the database: 2,345 rows, 15 of 15 columns read")
    expect_match(said, "Steps 1 to 3 there, [0-9]+ statements")
    DBI::dbRemoveTable(con, "planned")
  }
})

test_that("random sieves run in a database as they were planned", {
  con <- sqlite_memory()
  withr::defer(DBI::dbDisconnect(con))
  set.seed(31)
  both <- table_both_ways(con, 300)
  rounds <- 0
  while (rounds < 25) {
    steps <- random_db_sieve()
    if (is.null(steps)) next
    seen <- tryCatch(
      quiet(check_sieve(steps, both$database)),
      neatsieve_error = function(e) NULL
    )
    out <- tryCatch(
      quiet(pour(both$database, steps)),
      neatsieve_error = function(e) NULL
    )
    if (is.null(out) || is.null(attr(seen, "route"))) next
    rounds <- rounds + 1
    ran <- subset(as.data.frame(ledger(out)), level == "step")
    expect_identical(
      attr(seen, "route")$steps$place, ran$place,
      info = format(steps)
    )
  }
})

test_that("what is done while a file is read is told before and after", {
  withr::local_options(neatsieve.sieve_file_bytes = 1)
  path <- demo_file("hive-visits.csv")
  for (behind in list(
    quote(statistics(honey_kg, show = c("n", "mean"), by = apiary)),
    quote(chart_scatter(x = honey_kg, y = brood_frames))
  )) {
    steps <- sieve(include(season == "spring"), eval(behind))
    route <- attr(quiet(check_sieve(steps, path)), "route")
    out <- quiet(pour(path, steps))
    expect_identical(
      route$steps$place, na.omit(as.data.frame(ledger(out))$place)[1:2]
    )
    expect_true(
      all(c("season", "honey_kg") %in% route$read) && route$columns == 15
    )
  }
  expect_identical(route$steps$place, c("file", "memory"))
  expect_output(
    print(quiet(check_sieve(steps, path))),
    "While the file is read once: 3 of 15"
  )
  small <- quiet(check_sieve(steps, quiet(study(path))))
  expect_output(
    print(small), "In memory: 2,345 rows, 3 of 15 columns read.",
    fixed = TRUE
  )
})
