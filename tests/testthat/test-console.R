# Prints on consoles of several widths, with odd texts, and where nobody reads
# them.

printed_at <- function(x, width, ...) {
  old <- options(cli.width = width, width = width)
  on.exit(options(old))
  cli::ansi_strip(utils::capture.output(print(x, ...)))
}

things_to_print <- function() {
  hives <- demo_study()
  plan <- sieve(
    settings(least = 20),
    criteria(weighed = present(hive_weight_kg)),
    include(
      weighed,
      in_spring = season == "spring",
      hive_weight_kg > least & brood_frames > 2 | honey_kg > 10
    ),
    exclude(misread = hive_weight_kg > 200),
    work_out(honey_share = honey_kg / hive_weight_kg),
    subsets(strong = brood_frames > 8, weak = brood_frames < 4),
    statistics(hive_weight_kg, "mites_*", by = apiary),
    counts(season, temper),
    absences(by = season),
    chart_box(y = mites_per_100, x = treatment)
  )
  out <- quiet(pour(hives, plan))
  list(
    study = hives,
    look = quiet(look(hives)),
    siftings = out,
    statistics = out$tables$statistics,
    counts = out$tables$counts,
    absences = out$tables$absences,
    ledger = ledger(out),
    held = held_back(out),
    screening = quiet(screening(
      hives,
      hive_weight_kg > 60,
      present(mites_per_100),
      pairs = TRUE
    )),
    comparison = compare_runs(out, quiet(pour(hives, swap(plan, "least", 50)))),
    followed = follow(out, 3),
    overlaps = overlaps(out),
    summary = summary(out)
  )
}

things <- things_to_print()
test_that("no print is wider than its console", {
  for (width in c(60, 80, 120)) {
    for (name in names(things)) {
      lines <- printed_at(things[[name]], width)
      expect_lte(
        max(nchar(lines, "width")), width,
        label = paste(name, "at", width)
      )
    }
  }
})

test_that("siftings at 60 columns print as they did", {
  expect_snapshot(cat(printed_at(things$siftings, 60), sep = "\n"))
})

test_that("statistics at 60 columns print as they did", {
  expect_snapshot(cat(printed_at(things$statistics, 60, rows = 4), sep = "\n"))
})

test_that("a look at 60 columns prints as it did", {
  expect_snapshot(cat(printed_at(things$look, 60), sep = "\n"))
})

test_that("siftings at 80 columns print as they did", {
  expect_snapshot(cat(printed_at(things$siftings, 80), sep = "\n"))
})

test_that("a screening at 80 columns prints as it did", {
  expect_snapshot(cat(printed_at(things$screening, 80), sep = "\n"))
})

test_that("held rows at 120 columns print as they did", {
  expect_snapshot(cat(printed_at(things$held, 120), sep = "\n"))
})

test_that("a ledger at 120 columns prints as it did", {
  expect_snapshot(cat(printed_at(things$ledger, 120), sep = "\n"))
})

d <- as.data.frame(matrix(round(sin(1:200), 3), 4))
d <- cbind(d, group = c("a", "b", "c", "d"))
table <- quiet(pour(
  d, statistics(V1, V2, by = group, shape = "wide")
))$tables$statistics
lines <- printed_at(table, 60)
heads <- grep("^group", lines)
test_that("columns that do not fit continue below", {
  expect_gt(length(heads), 1)
})

# Every column stands in some block, once but for the one that leads.
said <- unlist(strsplit(trimws(lines[heads]), " +"))
test_that("no column is lost where a table continues", {
  expect_setequal(said, names(table))
})

test_that("the group leads each part of a table", {
  expect_identical(sum(said != "group"), ncol(table) - 1L)
})

wide <- printed_at(quiet(pour(data.frame(d, d), include(V1 < 2))), 60)
test_that("many columns are counted", {
  expect_match(wide, "columns, of which [0-9]+ are shown", all = FALSE)
})

test_that("columns that are not shown are named", {
  expect_match(wide, "^Not shown: ", all = FALSE)
})

d <- data.frame(
  t = c(
    "two\nlines", "tab\there", "esc\033[31m", "\u202eturned", "plain", NA
  ),
  x = c(1e6, 0.00012, -3, NA, 12.5, 7)
)
lines <- printed_at(
  quiet(pour(d, include(absent(x) | present(x)))),
  60,
  rows = 9
)
test_that("a line break in a text is shown as such", {
  expect_match(lines, "two\\nlines", fixed = TRUE, all = FALSE)
})

test_that("a tab in a text is shown as such", {
  expect_match(lines, "tab\\there", fixed = TRUE, all = FALSE)
})

test_that("an escape in a text is shown as such", {
  expect_match(lines, "esc\\e[31m", fixed = TRUE, all = FALSE)
})

test_that("a mark that turns the direction is shown as such", {
  expect_match(lines, "\\u202eturned", fixed = TRUE, all = FALSE)
})

test_that("an absent text is shown as absent", {
  expect_match(lines, "(absent)", fixed = TRUE, all = FALSE)
})

# Numbers stand with their points below each other.
column <- grep("0[.]00012|1000000[.]0|12[.]5", lines, value = TRUE)
test_that("large and small numbers are shown in full", {
  expect_length(column, 3)
})

test_that("numbers of a column line up at the point", {
  expect_length(unique(regexpr("[.][0-9]", column)), 1)
})

test_that("hints are for people, and piped output goes by COLUMNS", {
  hives <- demo_study()
  old <- options(neatsieve.hints = FALSE)
  on.exit(options(old))
  expect_no_match(printed_at(hives, 80), "Next")
  options(neatsieve.hints = TRUE)
  expect_match(printed_at(hives, 80), "Next", all = FALSE)
  code <-
    "library(neatsieve); print(suppressMessages(look(demo_file('hive-visits.csv'))))"
  said <- system2(
    file.path(R.home("bin"), "Rscript"),
    c("-e", shQuote(code)),
    stdout = TRUE,
    env = c("COLUMNS=64", paste0("R_LIBS=", paste(.libPaths(), collapse = ":")))
  )
  expect_lte(max(nchar(said, "width")), 64)
  expect_gt(max(nchar(said, "width")), 55)
  expect_no_match(said, "Next")
})
