# Delimited texts in several files: those whose folder decides the first step
# are only counted, and the answer is that of all.

text_kinds <- list(
  id = "whole",
  day = "date",
  w = "number",
  k = "whole",
  g = "text",
  u = "text",
  l = "logical"
)

# A table cut into files below folders that say the year.
text_folder <- function(n, folder) {
  set.seed(n)
  gone <- function(x, share = 0.1) replace(x, stats::runif(n) < share, NA)
  day <- as.Date("2022-01-01") + sort(sample(1000, n, TRUE))
  d <- data.frame(
    id = seq_len(n),
    day = day,
    w = gone(round(stats::rnorm(n, 40, 15), 1)),
    k = gone(sample(9L, n, TRUE)),
    g = gone(sample(c("north", "south, \"bank\"", "\u00e9ast\nend"), n, TRUE)),
    u = sprintf("u%02d", sample(20, n, TRUE)),
    l = gone(sample(c(TRUE, FALSE), n, TRUE))
  )
  for (part in split(d, list(format(d$day, "%Y"), d$id %% 2), drop = TRUE)) {
    year <- file.path(folder, paste0("year=", format(part$day[1], "%Y")))
    dir.create(year, FALSE)
    utils::write.csv(
      part,
      file.path(year, paste0("part-", part$id[1] %% 2, ".csv")),
      row.names = FALSE,
      na = "",
      eol = one_of("\n", "\r\n")
    )
  }
  d
}

random_folder_condition <- function() {
  one_of(
    quote(year == 2023),
    quote(year >= 2024),
    quote(year %in% c(2022, 2024)),
    quote(year == 2023 & w > 20),
    quote(!(year != 2024)),
    quote(from == "part-1.csv"),
    quote(startsWith(from, "year=2022")),
    quote(year == 2024 | g == "north"),
    quote(w > 40),
    quote(g == "north")
  )
}

test_that("files that their folder decides are only counted, with the answer of all", {
  counted <- 0
  rounds <- rounds_of(300, 15)
  for (seed in seq_len(rounds)) {
    folder <- withr::local_tempdir()
    d <- text_folder(one_of(3, 60, 400) + seed, folder)
    set.seed(seed + 1000)
    steps <- steps_over_parts(unique(replicate(
      sample(c(1, 1, 2), 1), random_folder_condition()
    )))
    ways <- both_ways(
      asNamespace(
        "neatsieve"
      )$new_study_request(
        folder,
        source = "from",
        kinds = text_kinds,
        unit = if (stats::runif(1) < 0.3) "u"
      ),
      steps,
      block = sample(c(40, 500, 1e6), 1)
    )
    if (!is.character(ways$file)) {
      counted <- counted + any(ledger(ways$file)$unread > 0, na.rm = TRUE)
    }
    expect_same_run(ways, paste("seed", seed))
  }
  expect_gt(counted / rounds, 0.2)
})

test_that("files that are only counted are told, and read where their rows are asked for", {
  folder <- withr::local_tempdir()
  d <- text_folder(400, folder)
  withr::local_options(neatsieve.sieve_file_bytes = 0)
  told <- function(..., kinds = text_kinds) pour(folder, ..., kinds = kinds)
  late <- format(d$day, "%Y") == "2024"
  out <- told(include(year == 2024), statistics(w))
  expect_identical(ledger(out)$unread, c(sum(!late), NA, 0))
  expect_identical(ledger(out)$no[2], as.numeric(sum(!late)))
  expect_output(
    print(ledger(out)),
    paste0(
      "4 of 6 files were only counted: no row of theirs \\(", sum(!late),
      "\\) can pass"
    )
  )
  expect_equal(out$tables$statistics$mean, mean(d$w[late], na.rm = TRUE))
  expect_setequal(held_back(out)$id, d$id[!late])
  expect_setequal(out$rows$id, d$id[late])
  # Where a kind is not told, it shows in all values.
  expect_null(ledger(pour(folder, include(year == 2024), statistics(w)))$unread)
  some <- function(...) {
    ledger(told(
      include(year == 2024),
      statistics(...),
      kinds = text_kinds["w"]
    ))
  }
  expect_gt(some(w)$unread[1], 0)
  expect_null(some(w, k)$unread)
  # A value of another kind there stays unnoticed until the file is read.
  file <- file.path(folder, "year=2022", "part-1.csv")
  lines <- readLines(file)
  odd <- "\"9999\",2022-01-01,many,1,\"north\",\"u01\",TRUE"
  writeLines(c(lines[1], odd, lines[-1]), file)
  expect_silent(told(include(year == 2024), statistics(w)))
  expect_match(
    problems_of(told(include(year == 2022), statistics(w))), "many",
    all = FALSE
  )
})
