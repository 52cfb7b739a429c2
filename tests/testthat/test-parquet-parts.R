# Parquet in several files and row groups: some are left unread, and the answer
# is that of all.

# A table cut into files below folders that say the year, each in row groups.
parquet_folder <- function(n, folder) {
  set.seed(n)
  gone <- function(x, share = 0.1) replace(x, stats::runif(n) < share, NA)
  day <- as.Date("2022-01-01") + sort(sample(1000, n, TRUE))
  d <- data.frame(
    id = seq_len(n),
    day = day,
    w = gone(round(stats::rnorm(n, 40, 15), 1)),
    k = gone(sample(9L, n, TRUE)),
    full = sample(9L, n, TRUE),
    g = gone(sample(c("north", "south bank", "\u00e9ast"), n, TRUE)),
    at = as.POSIXct("2022-01-01", tz = "UTC") +
      3600 * sort(sample(24000, n, TRUE)),
    u = sprintf("u%02d", sample(20, n, TRUE)),
    l = gone(sample(c(TRUE, FALSE), n, TRUE)),
    none = NA
  )
  for (part in split(d, list(format(d$day, "%Y"), d$id %% 2), drop = TRUE)) {
    year <- file.path(folder, paste0("year=", format(part$day[1], "%Y")))
    dir.create(year, FALSE)
    size <- sample(c(7, 40, 1e6), 1)
    path <- file.path(year, paste0("part-", part$id[1] %% 2, ".parquet"))
    options <- nanoparquet::parquet_options(num_rows_per_row_group = size)
    nanoparquet::write_parquet(part, path, options = options)
  }
  d
}

random_part_condition <- function() {
  one_of(
    quote(year == 2023),
    quote(year >= 2024),
    quote(year %in% c(2022, 2024)),
    quote(day >= "2023-07-01"),
    quote(day == "2023-07-01"),
    quote(day < "2022-03-01"),
    quote(!(day > "2022-06-01")),
    quote(between(day, "2022-05-01", "2023-02-01")),
    quote(id > 150),
    quote(id <= 20 | year == 2024),
    quote(at >= "2023-07-01"),
    quote(at < "2022-02-01 12:00"),
    quote(day != "2022-01-01"),
    quote(id == 7),
    quote(k > 3),
    quote(full > 9),
    quote(w > 30),
    quote(g == "north"),
    quote(id > 5 & g != "x"),
    quote(from == "part-1.parquet"),
    quote(startsWith(from, "year=2022"))
  )
}

test_that("what row groups and folders say leaves parts unread, with the answer of all", {
  skip_if_not_installed("nanoparquet")
  left_out <- 0
  sieved <- 0
  rounds <- rounds_of(300, 12)
  for (seed in seq_len(rounds)) {
    set.seed(seed)
    folder <- withr::local_tempdir()
    d <- parquet_folder(one_of(3, 60, 400), folder)
    set.seed(seed + 1000)
    steps <- steps_over_parts(unique(replicate(
      sample(1:2, 1), random_part_condition()
    )))
    ways <- both_ways(
      asNamespace(
        "neatsieve"
      )$new_study_request(
        folder,
        source = "from",
        unit = if (stats::runif(1) < 0.3) "u"
      ),
      steps
    )
    if (!is.character(ways$file)) {
      sieved <- sieved + ways$was_sieved
      rows <- ledger(ways$file)$unread
      left_out <- left_out + any(rows > 0, na.rm = TRUE)
    }
    expect_same_run(ways, paste("seed", seed))
  }
  expect_gt(sieved / rounds, 0.4)
  expect_gt(left_out / rounds, 0.15)
})

test_that("parts left unread are told, and their rows are there when they are asked for", {
  skip_if_not_installed("nanoparquet")
  folder <- withr::local_tempdir()
  d <- parquet_folder(400, folder)
  withr::local_options(neatsieve.sieve_file_bytes = 0)
  late <- as.numeric(format(d$day, "%Y")) == 2024
  out <- pour(folder, include(year == 2024), statistics(w))
  lines <- ledger(out)
  expect_identical(lines$unread, c(sum(!late), NA, 0))
  expect_identical(lines$no[2], as.numeric(sum(!late)))
  expect_output(
    print(lines),
    paste0(
      "17 of 25 row groups were left unread: no row of theirs ", "\\(",
      sum(!late)
    )
  )
  expect_equal(out$tables$statistics$mean, mean(d$w[late], na.rm = TRUE))
  # None but these files are opened for their columns.
  unlink(file.path(folder, "year=2022"), recursive = TRUE)
  expect_error(
    out$rows, "was removed after it was poured",
    class = "neatsieve_error_run"
  )
  # A file is read whole where it is small.
  withr::local_options(neatsieve.sieve_file_bytes = 2000)
  folder <- withr::local_tempdir()
  d <- parquet_folder(400, folder)
  expect_output(
    print(ledger(pour(folder, include(year == 2024), statistics(w)))),
    "4 of 6 files were left unread"
  )
  # One file in many row groups, most of them left out.
  path <- withr::local_tempfile(fileext = ".parquet")
  nanoparquet::write_parquet(
    d,
    path,
    options = nanoparquet::parquet_options(num_rows_per_row_group = 20)
  )
  recent <- d$day >= as.Date("2024-01-01")
  one <- pour(path, include(day >= "2024-01-01"), counts(g))
  expect_gt(ledger(one)$unread[1], 200)
  expect_output(print(ledger(one)), "of 20 row groups were left unread")
  expect_identical(one$rows$id, d$id[recent])
  expect_identical(held_back(one)$source_row, which(!recent))
  # Numbers that may be NaN, and columns with absent values, are read.
  expect_null(ledger(pour(path, include(w > 1e6), counts(g)))$unread)
})

test_that("files without rows, and steps that nothing passes, give what all rows give", {
  skip_if_not_installed("nanoparquet")
  folder <- withr::local_tempdir()
  for (year in 2023:2025) dir.create(file.path(folder, paste0("year=", year)))
  at <- function(year, name) file.path(folder, paste0("year=", year), name)
  d <- data.frame(day = as.Date("2023-05-01") + 0:4, x = c(1, NA, 3, 4, 5))
  nanoparquet::write_parquet(d, at(2023, "a.parquet"))
  nanoparquet::write_parquet(d[0, ], at(2024, "b.parquet"))
  for (round in 1:2) {
    for (step in list(
      include(year == 2022),
      include(year == 2024),
      include(day > "2030-01-01"),
      include(year == 2023),
      exclude(year == 2023)
    )) {
      ways <- both_ways(
        folder, list(step, counts(year), statistics(x, by = year))
      )
      expect_same_run(ways, paste("round", round, format(step)[1]))
      ways <- both_ways(folder, list(step, order_rows(day)))
      expect_same_run(ways, paste("sorted", round, format(step)[1]))
    }
    d$day <- d$day + 700
    nanoparquet::write_parquet(d, at(2025, "c.parquet"))
  }
  withr::local_options(neatsieve.sieve_file_bytes = 0)
  held <- held_back(quiet(pour(folder, include(day >= "2025-01-01"))))
  expect_identical(held$source_file, rep("a.parquet", 5))
  expect_identical(held$file_row, 1:5)
})
