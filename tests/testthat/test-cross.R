# Cross tables: shares of rows, columns or the whole, and how they are read.

cross_rows <- function() {
  data.frame(
    g = c("a", "a", "b", "b", "b", NA, "a", "c"),
    h = c("u", "v", "u", "u", "v", "v", NA, "v"),
    w = c(1, 2.5, 1, 1, 3, 1, 1, 0.5),
    k = c("x", "y", "x", "y", "x", "y", "x", "y")
  )
}
wide <- function(..., d = cross_rows()) {
  quiet(pour(d, counts(g, h, ..., shape = "wide")))$tables$counts
}

d <- cross_rows()
test_that("shares are of the row, the column or the whole", {
  by_hand <- addmargins(table(addNA(d$g), addNA(d$h)))
  n <- unclass(by_hand)
  for (share in c("g", "h", "whole")) {
    table <- eval(bquote(wide(share = .(share))))
    counts <- as.matrix(as.data.frame(table)[seq(2, 8, 2)])
    expect_equal(unname(counts), unname(n), ignore_attr = TRUE)
    of <- switch(share,
      g = n[, rep(4, 4)],
      h = n[rep(5, 5), ],
      whole = matrix(8, 5, 4)
    )
    expect_equal(
      unname(as.matrix(as.data.frame(table)[seq(3, 9, 2)])),
      unname(n / of),
      ignore_attr = TRUE
    )
  }
  # Without `share` there are none in the wide table, and those of the whole in
  # the long one.
  expect_identical(names(wide()), c("g", "u", "v", "(absent)", "(all)"))
  long <- quiet(pour(d, counts(g)))$tables$counts
  expect_equal(long$share, long$n / 8)
})

test_that("shares of weights are of all weight", {
  sums <- wide(weights = w, share = "whole")
  expect_equal(sums[["u_share"]], c(1, 2, 0, 0, 3) / sum(d$w))
})

test_that("a count and its share are printed in one cell", {
  expect_output(
    print(wide(share = h)), "b +2 \\(66.7%\\) +1 \\(25.0%\\) +0 \\(0.0%\\)"
  )
})

shown <- utils::capture.output(print(wide(share = "whole", weights = w)))
test_that("the last line says what shares are of", {
  expect_match(
    shown[length(shown)],
    "Across: h. Sums of weights, with their share of all.",
    fixed = TRUE
  )
})

test_that("sums of weights are printed with their shares", {
  expect_match(shown, "absent +0.0 \\(0.0%\\) +1.0 \\(9.1%\\)", all = FALSE)
})

test_that("shares by groups say that they are of each group", {
  by <- wide(by = k, share = "whole")
  expect_output(print(by), "share of all within each k.", fixed = TRUE)
})

table <- as_table(wide(share = g))
test_that("as_table() has one column for a count and its share", {
  expect_identical(names(table), c("g", "u", "v", "absent", "all"))
})

test_that("as_table() writes a count and its share in one text", {
  expect_identical(as.character(table$all[5]), "8 (100.0%)")
})

test_that("the table itself keeps shares as numbers", {
  # Numbers stay numbers, and a table of some of its columns is one of numbers.
  expect_true(is.numeric(wide(share = g)$u_share))
})

test_that("some columns of a cross table print as a plain table", {
  expect_output(print(wide(share = g)[1:3]), "u_share")
})

test_that("some rows of a cross table keep their cells", {
  expect_output(print(wide(share = g)[1:2, ]), "(33.3%)", fixed = TRUE)
})

test_that("a report shows a count and its share in one cell", {
  out <- quiet(pour(cross_rows(), counts(g, h, shape = "wide", share = h)))
  page <- withr::local_tempfile(fileext = ".html")
  report(out, page)
  html <- paste(readLines(page, encoding = "UTF-8"), collapse = "\n")
  expect_match(html, "<td class=\"n\">2 (66.7%)</td>", fixed = TRUE)
  expect_match(
    html, "Across: h. Rows, with their share of each h.",
    fixed = TRUE
  )
})

d <- cross_rows()
both <- quiet(pour(
  d, subsets(later = h == "v", first = h == "u"), counts(g, h, shape = "wide")
))$tables$counts
test_that("subsets of a cross table have the same columns", {
  expect_identical(names(both), c("subset", "g", "u", "v", "(all)"))
})

test_that("a value that a subset lacks counts 0", {
  expect_identical(
    both$u[both$subset == "later"], rep(0L, sum(both$subset == "later"))
  )
})

test_that("a cross table survives a plan file", {
  plan <- withr::local_tempfile(fileext = ".yaml")
  steps <- sieve(counts(g, h, shape = "wide", share = "whole"))
  write_sieve(steps, plan)
  expect_identical(
    quiet(pour(d, read_sieve(plan)))$tables, quiet(pour(d, steps))$tables
  )
})
