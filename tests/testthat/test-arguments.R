# An argument is never a column, statistic or condition by accident.

d <- data.frame(
  x = c(1, 2, 3, 4, NA),
  g = c("a", "a", "b", "b", NA),
  w = c(1, 2, NA, 4, 5),
  h = c("u", "v", "u", "v", "u")
)

test_that("an argument of base R is no argument of a step", {
  for (make in list(
    statistics,
    condense,
    work_out,
    include,
    exclude,
    subsets,
    absences,
    counts,
    pick_columns,
    drop_repeats,
    scoop,
    chart_box
  )) {
    met <- tryCatch(make(na.rm = TRUE), error = identity)
    expect_s3_class(met, "neatsieve_error_step")
    expect_match(gsub("\\s+", " ", conditionMessage(met)), "left out already")
  }
})

expect_names <- function(step, ...) {
  met <- tryCatch(eval(substitute(step)), error = identity)
  expect_s3_class(met, "neatsieve_error_step")
  said <- gsub("\\s+", " ", conditionMessage(met))
  for (part in c(...)) expect_match(said, part, fixed = TRUE)
}
test_that("a wide table is asked for by shape", {
  expect_names(statistics(x, wide = TRUE), "shape = \"wide\"")
})

test_that("by belongs into the aggregate of a condition", {
  expect_names(include(x > 1, by = g), "mean(honey_kg, by = g)")
})

test_that("where beside a condition is a condition of its own", {
  expect_names(include(x > 1, where = g == "a"), "include(g == \"a\")")
})

test_that("where beside a new column is a condition of its own", {
  expect_names(work_out(y = x, where = g == "a"), "include(g == \"a\")")
})

test_that("weights belong into the aggregate of condense()", {
  expect_names(
    condense(m = mean(x), weights = w), "mean(honey_kg, weights = w)"
  )
})

test_that("weights spelled wrong get the nearest argument", {
  expect_names(statistics(x, weigths = w), "Did you mean `weights = w`?")
})

test_that("unknown spelled wrong gets the nearest argument", {
  expect_names(
    include(x > 1, unkown = "pass"), "Did you mean `unknown = \"pass\"`?"
  )
})

test_that("rename is renamed", {
  expect_names(pick_columns(x, rename = list(y = x)), "renamed = list(y = x)")
})

test_that("color is colour", {
  expect_names(chart_box(y = x, color = g), "colour = g")
})

test_that("facet is panels", {
  expect_names(chart_box(y = x, facet = g), "panels = g")
})

test_that("bins spelled wrong gets the nearest argument", {
  expect_names(chart_histogram(x, binz = 9), "Did you mean `bins = 9`?")
})

test_that("highest spelled wrong gets the nearest argument", {
  expect_names(scoop(2, highst = x), "Did you mean `highest = x`?")
})

test_that("name spelled wrong gets the nearest argument", {
  expect_names(
    to_wide(label = g, value = x, nmae = "a"), "Did you mean `name = \"a\"`?"
  )
})

test_that("take spelled wrong gets the nearest argument", {
  expect_names(look_up(d, g, tke = x), "Did you mean `take = x`?")
})

test_that("origin spelled wrong gets the nearest argument", {
  expect_names(append_rows(d, orgin = "file"), "Did you mean `origin")
})

test_that("an argument that is near to none is named as unknown", {
  expect_names(
    keep_matched(d, g, tkae = x), "`keep_matched()` has no argument `tkae`"
  )
})

test_that("a cross table has its sums without being asked", {
  expect_names(
    counts(g, h, shape = "wide", total = TRUE), "has its sums already"
  )
})

test_that("an argument of another step gets the list of this one's", {
  expect_names(
    characteristics(x, difference = TRUE),
    "`characteristics()` has no argument `difference`. > Arguments: `by`, `where`"
  )
})

test_that("too many arguments without a name are refused", {
  expect_names(
    chart_box(
      x,
      g,
      NULL,
      NULL,
      "keys",
      FALSE,
      "shared",
      NULL,
      "t",
      "c",
      "n",
      NULL,
      NULL,
      NULL,
      NULL,
      NULL,
      NULL,
      99
    ),
    "given 99"
  )
})

test_that("names that only look like arguments stay names of columns", {
  expect_silent(
    out <- pour(d, work_out(share = x / 2, level = x + 1, orders = x * 2))
  )
  expect_true(all(c("share", "level", "orders") %in% names(out$rows)))
})

test_that("names that only look like arguments stay names of statistics", {
  table <- quiet(pour(
    d, statistics(share = share(x > 2), total_x = sum(x))
  ))$tables$statistics
  expect_equal(table$share, 0.5)
})

test_that("a sum may be called total", {
  expect_identical(
    quiet(pour(d, condense(total = sum(x), by = g)))$rows$total, c(3, 7, 0)
  )
})

test_that("a constant as a column says that it is the same in every row", {
  expect_match(
    notes_of(pour(d, work_out(k = 5))), "`k` is 5 in every row",
    fixed = TRUE
  )
})

test_that("a constant as a statistic says that it is the same in every group", {
  expect_match(
    notes_of(pour(d, statistics(k = 5))),
    "`k` is 5 in every group",
    fixed = TRUE
  )
})

test_that("a constant in condense() says that it is the same in every group", {
  expect_match(
    notes_of(pour(d, condense(k = "z", by = g))), "in every group",
    fixed = TRUE
  )
})

table <- quiet(pour(d, counts(h, by = g)))$tables$counts
test_that("counts() by groups equals table()", {
  by_hand <- as.data.frame(
    table(h = d$h, g = addNA(d$g)),
    stringsAsFactors = FALSE
  )
  by_hand <- by_hand[by_hand$Freq > 0, ]
  expect_identical(table$n, by_hand$Freq)
})

test_that("shares of counts() are of each group", {
  expect_identical(table$share, c(0.5, 0.5, 0.5, 0.5, 1))
})

said <- notes_of(out <- pour(d, counts(g, where = x > 1)))
test_that("counts(where = ) says how many rows are unknown", {
  expect_match(said, "unknown in 1 row")
})

test_that("counts(where = ) counts rows where it is yes", {
  expect_identical(out$tables$counts$n, c(1L, 2L))
})

test_that("counts(where = ) lets all rows go on", {
  expect_identical(nrow(out$rows), 5L)
})

weighted <- quiet(pour(d, counts(g, weights = w)))$tables$counts
test_that("weighted counts still count rows", {
  expect_identical(weighted$n, c(2L, 2L, 1L))
})

test_that("weighted counts add up weights", {
  expect_identical(weighted$weight, c(3, 4, 5))
})

test_that("shares of weighted counts are of all weight", {
  expect_equal(weighted$share, c(3, 4, 5) / 12)
})

test_that("a weighted cross table equals xtabs()", {
  wide <- quiet(pour(
    d, counts(g, h, weights = w, shape = "wide")
  ))$tables$counts
  expect_equal(
    unname(as.matrix(wide[-4, c("u", "v")])),
    unname(unclass(xtabs(w ~ addNA(g) + h, d)))[, ],
    ignore_attr = TRUE
  )
})

test_that("a cross table by its own column is refused", {
  expect_error(
    counts(g, by = h, shape = "wide"),
    class = "neatsieve_error_step"
  )
})

test_that("a column cannot be counted and be a group", {
  expect_error(pour(d, counts(g, by = g)), "counted, and a group")
})

said <- notes_of(
  out <- pour(d, statistics(x, top = max(w), where = x > 1, by = g))
)
test_that("statistics(where = ) equals include() before it", {
  plain <- quiet(pour(d, include(x > 1), statistics(x, top = max(w), by = g)))
  expect_identical(out$tables$statistics, plain$tables$statistics)
})

test_that("statistics(where = ) lets all rows go on", {
  expect_identical(nrow(out$rows), nrow(d))
})

test_that("statistics(where = ) says how many rows are unknown", {
  expect_match(said, "`where` is unknown in 1 row", fixed = TRUE)
})

test_that("where survives a plan file and is put in words", {
  plan <- withr::local_tempfile(fileext = ".yaml")
  s <- sieve(
    criteria(big = x > 1),
    statistics(x, where = big),
    counts(g, where = big, by = h, weights = w)
  )
  write_sieve(s, plan)
  expect_identical(read_sieve(plan), s, ignore_attr = TRUE)
  expect_match(
    paste(capture.output(print(s)), collapse = " "), "only rows where big"
  )
})

test_that("by, where and weights mean the same in a database, under subsets and piece by piece", {
  steps <- sieve(
    counts(g, where = x > 1),
    counts(h, by = g, name = "by"),
    counts(g, weights = w, name = "weighted"),
    statistics(x, where = w > 1, by = g)
  )
  memory <- quiet(pour(d, steps))
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "d", d)
  there <- quiet(pour(study(database(con, table = "d")), steps))
  path <- withr::local_tempfile(fileext = ".csv")
  write_table(d, path)
  withr::local_options(neatsieve.sieve_file_bytes = 0)
  pieces <- quiet(pour(path, steps))
  for (name in names(memory$tables)) {
    expect_equal(
      as.data.frame(there$tables[[name]]),
      as.data.frame(memory$tables[[name]]),
      ignore_attr = TRUE
    )
    expect_equal(
      as.data.frame(pieces$tables[[name]]),
      as.data.frame(memory$tables[[name]]),
      ignore_attr = TRUE
    )
  }
  by_subset <- quiet(pour(
    d, subsets(first = h == "u", all = present(h)), counts(g, where = x > 1)
  ))$tables$counts
  expect_identical(by_subset$n[by_subset$subset == "all"], c(1L, 2L))
})

test_that("condensations without a name are named by their text", {
  expect_identical(
    names(quiet(pour(d, condense(mean(x), n = count(), by = g)))$rows),
    c("g", "mean(x)", "n")
  )
})

table <- quiet(pour(
  d, statistics(x, max(w), mean = median(x), by = g)
))$tables$statistics
test_that("statistics without a name are named by their text", {
  expect_identical(table[["max(w)"]], c(2, 4, 5))
})

test_that("a statistic of one's own may replace a usual one", {
  expect_identical(table$mean, c(1.5, 3.5, NA))
})

test_that("each() in condense() names by its pattern", {
  each <- quiet(pour(
    d, condense(each(of_kind("number"), mean(it), as = "mean_*"), by = g)
  ))$rows
  expect_equal(each$mean_w, unname(c(tapply(d$w, d$g, mean, na.rm = TRUE), 5)))
})
