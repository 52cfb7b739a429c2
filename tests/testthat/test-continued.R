# Siftings poured on give what one pour of all steps gives, wherever the rows
# are.

told_plainly <- function(out) {
  account <- as.data.frame(ledger(out))
  list(
    ledger = account[setdiff(
      names(account), c("seconds", "place", "statements")
    )],
    tables = lapply(out$tables, as.data.frame),
    rows = as.data.frame(quiet(out$rows)),
    held = as.data.frame(quiet(held_back(out))),
    subsets = lapply(quiet(out$subsets), as.data.frame)
  )
}
# NULL where a run is an error, which both ways must be.
expect_goes_on <- function(pour_some, steps, info) {
  cut <- sample(seq_len(length(steps) - 1), 1)
  run <- function(code) {
    tryCatch(quiet(code), neatsieve_error = function(e) NULL)
  }
  whole <- run(pour_some(steps))
  first <- run(pour_some(steps[seq_len(cut)]))
  on <- if (!is.null(first)) run(pour(first, steps[-seq_len(cut)]))
  if (is.null(whole) || is.null(on)) return(FALSE)
  expect_equal(
    told_plainly(on),
    told_plainly(whole),
    tolerance = 1e-12,
    info = paste(info, paste(format(steps), collapse = "\n"))
  )
  TRUE
}

test_that("random sieves poured in two parts are the same in memory and in a database", {
  con <- sqlite_memory()
  withr::defer(DBI::dbDisconnect(con))
  compared <- 0
  for (seed in seq_len(rounds_of(80, 20))) {
    set.seed(seed + 300)
    both <- table_both_ways(con, sample(c(3, 60), 1))
    steps <- random_db_sieve()
    if (is.null(steps)) next
    if (stats::runif(1) < 0.3) {
      steps <- append(steps, eval(over_study()), sample(length(steps), 1))
    }
    if (length(steps) < 2) next
    for (data in both) {
      compared <- compared +
        expect_goes_on(
          function(some) pour(data, some), steps, paste("seed", seed)
        )
    }
  }
  expect_gt(compared, rounds_of(80, 20))
})

test_that("an aggregate over the study as loaded is of all its rows, whatever stands before it", {
  table <- data.frame(g = c("a", "b", "a", "c"), x = c(1, 2, 4, 50))
  con <- sqlite_memory()
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "v", table)
  path <- tempfile(fileext = ".csv")
  utils::write.csv(table, path, row.names = FALSE)
  withr::local_options(neatsieve.sieve_file_bytes = 1)
  on <- sieve(work_out(m = mean(x, over = "study")), counts(g))
  for (data in list(table, path, study(database(con, "v")))) {
    out <- quiet(pour(quiet(pour(data, include(x < 10))), on))
    expect_identical(out$rows$m, rep(14.25, 3))
    steps <- subset(as.data.frame(ledger(out)), level == "step")
    expect_equal(steps$rows_in, c(4, 3, 3))
    expect_equal(quiet(held_back(out))$x, 50)
  }
  # Steps that look at all columns, or whose columns depend on the rows.
  for (before in list(
    sieve(include(x < 10), absences()),
    sieve(include(x < 10), order_rows(g)),
    sieve(include(x < 10), absences(by = g), work_out(r = rank(x)))
  )) {
    expect_identical(quiet(pour(path, before, on))$rows$m, rep(14.25, 3))
  }
  given <- study(database(con, "v"))
  seen <- check_sieve(on, given)
  expect_identical(attr(seen, "route")$steps$place, c("here", "here"))
  expect_identical(attr(seen, "route")$steps$fetched, c(2L, 0L))
  expect_error(
    as_sql(on, given),
    "aggregate over the whole study",
    class = "neatsieve_error_run"
  )
})

test_that("files that are sieved while they are read are poured on as tables are", {
  withr::local_options(
    neatsieve.sieve_file_bytes = 0, neatsieve.block_bytes = 700
  )
  steps <- list(
    quote(include(w > 30)),
    quote(exclude(k == 2)),
    quote(work_out(s = w / k, y = year(d))),
    quote(work_out(m = w - mean(w, over = "study"))),
    quote(include(w > median(w, over = "study"))),
    quote(work_out(r = rank(w, by = g))),
    quote(scoop(2, highest = w, by = g)),
    quote(order_rows(g, w)),
    quote(pick_columns(g, w, k, d, u)),
    quote(drop_repeats(g, k)),
    quote(subsets(high = w > 50, rest = leftover())),
    quote(statistics(w, k, by = g)),
    quote(counts(g)),
    quote(absences(by = g)),
    quote(condense(n = count(), m = mean(w), by = g))
  )
  compared <- 0
  for (seed in seq_len(rounds_of(80, 20))) {
    set.seed(seed + 900)
    n <- sample(c(2, 60, 300), 1)
    path <- tempfile(fileext = ".csv")
    utils::write.csv(
      data.frame(
        g = sample(c("north", "south", ""), n, TRUE),
        w = round(stats::rnorm(n, 40, 15), 1),
        k = sample(c(NA, 1:9), n, TRUE),
        d = as.Date("2024-01-01") + sample(c(NA, 0:400), n, TRUE),
        u = sample(sprintf("u%02d", 1:20), n, TRUE)
      ),
      path,
      row.names = FALSE,
      na = ""
    )
    made <- tryCatch(
      eval(as.call(c(quote(sieve), sample(steps, sample(2:5, 1))))),
      neatsieve_error = function(e) NULL
    )
    if (is.null(made)) next
    asked <- asNamespace("neatsieve")$new_study_request(path, unit = "u")
    compared <- compared +
      expect_goes_on(
        function(some) pour(asked, some), made, paste("seed", seed)
      )
    unlink(path)
  }
  expect_gt(compared, rounds_of(80, 20) / 4)
})
