# Random sieves against plain R, which shares no code with what computes here:
# in memory, while a file is read, and in databases.

expect_as_plain <- function(out, table, steps, info, unit = "word") {
  plain <- plain_run(table, steps, unit)
  if (is.null(plain)) return(FALSE)
  expect_identical(
    plain_differences(out, plain),
    character(),
    info = paste(info, paste(format(steps), collapse = "\n"))
  )
  TRUE
}
with_over_study <- function(steps) {
  if (is.null(steps) || stats::runif(1) > 0.15) return(steps)
  append(steps, eval(over_study()), sample(0:length(steps), 1))
}
quiet_pour <- function(...) {
  tryCatch(quiet(pour(...)), neatsieve_error = function(e) NULL)
}

test_that("random sieves in memory give what plain R gives", {
  plain_alone$now <- TRUE
  withr::defer(plain_alone$now <- FALSE)
  compared <- 0
  for (seed in seq_len(rounds_of(500, 60))) {
    set.seed(seed + 7000)
    table <- random_table(sample(c(1, 5, 40, 200), 1))
    table$when <- NULL
    table$num <- table$num + 0
    steps <- with_over_study(random_db_sieve())
    out <- if (!is.null(steps)) quiet_pour(study(table, unit = word), steps)
    if (is.null(out)) next
    compared <- compared +
      expect_as_plain(out, table, steps, paste("seed", seed))
  }
  expect_gt(compared / rounds_of(500, 60), 0.5)
})

test_that("random sieves in databases give what plain R gives", {
  plain_alone$now <- TRUE
  withr::defer(plain_alone$now <- FALSE)
  there <- list(sqlite_memory(), postgresql())
  withr::defer(for (con in there) DBI::dbDisconnect(con))
  compared <- 0
  for (con in there) {
    for (seed in seq_len(rounds_of(50, 8))) {
      set.seed(seed + 9000)
      both <- table_both_ways(con, sample(c(5, 60), 1))
      table <- as.data.frame(both$memory)
      steps <- with_over_study(random_db_sieve())
      out <- if (!is.null(steps)) quiet_pour(both$database, steps)
      if (is.null(out)) next
      compared <- compared +
        expect_as_plain(out, table, steps, paste(class(con)[1], "seed", seed))
    }
  }
  expect_gt(compared, 5)
})

test_that("files that are sieved while they are read give what plain R gives", {
  withr::local_options(
    neatsieve.sieve_file_bytes = 0, neatsieve.block_bytes = 700
  )
  steps <- list(
    quote(include(w > 30)),
    quote(include(a = w > 30, b = k != 3)),
    quote(exclude(k == 2)),
    quote(include(present(d), unknown = "pass")),
    quote(work_out(s = w / k, y = year(d))),
    quote(work_out(m = w - mean(w))),
    quote(include(w > median(w, over = "study"))),
    quote(work_out(o = k - max(k, over = "study"))),
    quote(work_out(r = rank(w, by = g))),
    quote(scoop(2, highest = w, by = g)),
    quote(drop_repeats(g, k)),
    quote(order_rows(g, w)),
    quote(subsets(high = w > 50, rest = leftover())),
    quote(condense(n = count(), m = mean(w), by = g))
  )
  outputs <- list(
    quote(statistics(w, k, by = g)),
    quote(counts(l, g)),
    quote(absences(by = g)),
    quote(statistics(r = sum(w) / sum(k), by = c(yr = year(d)))),
    quote(statistics(s = share(w > 40), i = iqr(w), by = l)),
    quote(absences()),
    quote(counts(u))
  )
  sieved <- 0
  for (seed in seq_len(rounds_of(80, 15))) {
    set.seed(seed + 500)
    words <- c("north", "south bank", "\u00e9ast", "")
    n <- sample(c(1, 40, 300), 1)
    path <- tempfile(fileext = ".csv")
    utils::write.csv(
      data.frame(
        g = sample(words, n, TRUE),
        w = round(stats::rnorm(n, 40, 15), 1),
        k = sample(c(NA, 1:9), n, TRUE),
        d = as.Date("2024-01-01") + sample(c(NA, 0:400), n, TRUE),
        l = sample(c(TRUE, FALSE, NA), n, TRUE),
        u = sample(sprintf("u%02d", 1:20), n, TRUE)
      ),
      path,
      row.names = FALSE,
      na = "",
      fileEncoding = "UTF-8"
    )
    made <- c(sample(steps, sample(0:3, 1)), sample(outputs, sample(1:3, 1)))
    made <- tryCatch(
      eval(as.call(c(quote(sieve), made))),
      neatsieve_error = function(e) NULL
    )
    asked <- asNamespace("neatsieve")$new_study_request(path, unit = "u")
    out <- if (!is.null(made)) quiet_pour(asked, made)
    if (is.null(out) || !"place" %in% names(ledger(out))) next
    table <- as.data.frame(quiet(study(path)))
    sieved <- sieved +
      expect_as_plain(out, table, made, paste("seed", seed), "u")
    unlink(path)
  }
  expect_gt(sieved, rounds_of(80, 15) / 5)
})
