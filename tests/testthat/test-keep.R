# A text kept as Parquet while it is read, and poured from there.

text_to_keep <- function(path, n = 3000, odd = NULL) {
  set.seed(11)
  d <- data.frame(
    id = seq_len(n),
    x = round(stats::rnorm(n), 3),
    count = sample(c(0:9, NA), n, TRUE),
    g = sample(c("fen", "\u00c9tang", "", "a,b", NA), n, TRUE),
    flag = sample(c(TRUE, FALSE, NA), n, TRUE),
    day = as.Date("2020-01-01") + sample(900, n, TRUE),
    at = as.POSIXct("2020-01-01", tz = "UTC") + sample(1e6, n) / 4
  )
  write_table(d, path)
  if (!is.null(odd)) write(odd, path, append = TRUE)
  d
}

test_that("a kept text gives what the text gives, in row groups and with the study's words", {
  skip_if_not_installed("nanoparquet")
  withr::local_options(neatsieve.sieve_file_bytes = 1000)
  folder <- withr::local_tempdir()
  text <- file.path(folder, "visits.csv")
  text_to_keep(text, 260000)
  kept <- file.path(folder, "visits.parquet")
  there <- study(text, unit = g, labels = list(x = "Off"), keep = kept)
  expect_equal(
    nanoparquet::read_parquet_metadata(kept)$row_groups$num_rows,
    c(250000, 10000)
  )
  expect_output(print(there), "260,000\\s+rows of 7 columns")
  steps <- sieve(
    include(x > 0, unknown = "pass"),
    exclude(g == "fen"),
    work_out(z = hour(at) + count),
    statistics(x, z, by = flag),
    counts(g)
  )
  a <- quiet(pour(text, steps))
  b <- quiet(pour(there, steps))
  expect_equal(b$tables, a$tables, ignore_attr = TRUE, tolerance = 0)
  expect_identical(attr(b$tables$statistics, "called"), c(x = "Off"))
  expect_equal(as.data.frame(b$rows), as.data.frame(a$rows), tolerance = 0)
  expect_identical(
    quiet(held_back(b))$source_row, quiet(held_back(a))$source_row
  )
  expect_identical(ledger(b)$rows_out, ledger(a)$rows_out)
  whole <- study(text)
  expect_identical(fingerprint(as_study(there)), fingerprint(whole))
})

test_that("a kept text is read anew where it changed, and a run says that it is older", {
  skip_if_not_installed("nanoparquet")
  folder <- withr::local_tempdir()
  text <- file.path(folder, "visits.csv")
  kept <- file.path(folder, "kept.parquet")
  text_to_keep(text, 50)
  first <- study(text, keep = kept)
  written <- file.mtime(kept)
  Sys.sleep(0.02)
  expect_silent(study(text, keep = kept))
  expect_identical(file.mtime(kept), written)
  write(
    "51,1.5,2,fen,TRUE,2020-01-01,2020-01-01T00:00:00Z", text,
    append = TRUE
  )
  expect_message(
    pour(first, include(x > 0)),
    "was written to since its rows were kept",
    class = "neatsieve_note"
  )
  expect_message(
    again <- study(text, keep = kept), "written anew",
    class = "neatsieve_note"
  )
  expect_identical(nrow(pour(again)$rows), 51L)
  expect_message(
    study(text, keep = kept, kinds = list(id = "text")),
    "written anew",
    class = "neatsieve_note"
  )
  file.remove(text)
  expect_message(
    pour(again), "is gone since its rows were kept",
    class = "neatsieve_note"
  )
  expect_identical(
    list.files(folder, all.files = TRUE, no.. = TRUE),
    c("kept.parquet", "kept.parquet.notes.json")
  )
})

test_that("what was noted when a text was read is said each time it is taken from there", {
  skip_if_not_installed("nanoparquet")
  folder <- withr::local_tempdir()
  kept <- file.path(folder, "kept.parquet")
  notes_of <- function() {
    said <- character()
    withCallingHandlers(
      study(demo_file("hive-visits.csv"), keep = kept),
      neatsieve_note = function(n) {
        said <<- c(said, conditionMessage(n))
        invokeRestart("muffleMessage")
      }
    )
    said
  }
  first <- notes_of()
  expect_match(first, "could not be read as a number", all = FALSE)
  written <- file.mtime(kept)
  expect_identical(notes_of(), first)
  expect_identical(file.mtime(kept), written)
  # Without them it is read anew.
  file.remove(paste0(kept, ".notes.json"))
  expect_identical(notes_of()[-1], first)
  writeLines("{}", paste0(kept, ".notes.json"))
  expect_error(
    notes_of(), "was not made by `keep`",
    class = "neatsieve_error_study"
  )
})

test_that("values that say otherwise late in a text are kept as they are", {
  skip_if_not_installed("nanoparquet")
  folder <- withr::local_tempdir()
  text <- file.path(folder, "late.csv")
  text_to_keep(text, 2500, odd = "x1,2.5,0.5,fen,maybe,2020-01-01,late")
  kept <- quiet(study(text, keep = file.path(folder, "late.parquet")))
  expect_equal(
    as.data.frame(quiet(pour(kept))$rows),
    as.data.frame(quiet(study(text))),
    tolerance = 0
  )
})

test_that("other files stay what they are, and what cannot be kept is said", {
  skip_if_not_installed("nanoparquet")
  folder <- withr::local_tempdir()
  text <- file.path(folder, "visits.csv")
  text_to_keep(text, 50)
  own <- file.path(folder, "own.parquet")
  write_table(data.frame(a = 1), own)
  before <- tools::md5sum(own)
  expect_error(
    study(text, keep = own),
    "was not made by `keep`",
    class = "neatsieve_error_study"
  )
  expect_identical(tools::md5sum(own), before)
  expect_error(
    study(text, keep = "kept.sqlite"),
    "path of a Parquet file",
    class = "neatsieve_error_study"
  )
  expect_error(
    study(data.frame(a = 1), keep = "kept.parquet"),
    "delimited text",
    class = "neatsieve_error_study"
  )
  expect_error(
    study(
      text,
      keep = file.path(folder, "k.parquet"),
      absent_codes = list("", x = c(refused = "-8"))
    ),
    "reasons of absence",
    class = "neatsieve_error_study"
  )
  expect_error(
    study(
      text,
      keep = file.path(folder, "k.parquet"),
      kinds = list(no = "text")
    ),
    "`no`",
    class = "neatsieve_error_study"
  )
  expect_error(
    study(text, keep = file.path(folder, "none", "k.parquet")),
    "There is no folder",
    class = "neatsieve_error_run"
  )
  expect_false(file.exists(file.path(folder, "k.parquet")))
})

test_that("plans and the command keep a text, too", {
  skip_if_not_installed("nanoparquet")
  folder <- withr::local_tempdir()
  text <- file.path(folder, "visits.csv")
  d <- text_to_keep(text, 50)
  plan <- file.path(folder, "plan.yaml")
  writeLines(
    c(
      "study:", "  file: visits.csv", "  keep: kept.parquet", "steps:",
      "  - include: x > 0"
    ),
    plan
  )
  out <- quiet(pour(read_sieve(plan)))
  expect_identical(nrow(out$rows), sum(d$x > 0))
  expect_true(file.exists(file.path(folder, "kept.parquet")))
})
