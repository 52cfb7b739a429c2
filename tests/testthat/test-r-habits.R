# What R users try on studies, siftings and tables: answered rightly, or refused
# by our message.

d <- data.frame(x = c(1, 2, 3, 4, NA), y = 5:1, g = c("a", "a", "b", "b", NA))

test_that("functions of base R over studies and siftings answer as over the table, or refuse", {
  s <- study(d)
  out <- pour(s, include(y > 0))
  for (x in list(s, out)) {
    expect_identical(anyNA(x), anyNA(d))
    expect_identical(is.na(x), is.na(d))
    expect_identical(split(x, d$g), split(d, d$g))
    expect_identical(unique(x), unique(d))
    expect_identical(duplicated(x), duplicated(d))
    expect_identical(t(x), t(d))
    expect_identical(colnames(x), colnames(d))
    expect_identical(rownames(x), rownames(d))
    expect_identical(as.matrix(x), as.matrix(d))
    expect_identical(with(x, sum(y) + nrow(d)), sum(d$y) + nrow(d))
    expect_true(all.equal(x, x))
    expect_type(all.equal(x, study(d[5:1, ])), "character")
    for (refused in list(
      quote(na.omit(x)),
      quote(subset(x, y > 2)),
      quote(within(x, z <- 1)),
      quote(transform(x, z = 1)),
      quote(merge(x, d)),
      quote(rbind(x, x)),
      quote(cbind(x, z = 1)),
      quote(aggregate(x, list(d$g), mean))
    )) {
      met <- tryCatch(eval(refused), error = identity)
      expect_s3_class(met, "neatsieve_error_run")
      expect_match(conditionMessage(met), "would leave no account")
    }
  }
})

test_that("tables of a run are data frames to functions of base R", {
  table <- quiet(pour(d, statistics(x, by = g)))$tables$statistics
  plain <- as.data.frame(table)
  same <- function(f) {
    expect_equal(
      as.data.frame(f(table)), as.data.frame(f(plain)),
      ignore_attr = TRUE
    )
  }
  same(function(t) rbind(t, t))
  same(function(t) cbind(t, k = 1))
  same(function(t) subset(t, n > 1))
  same(function(t) within(t, k <- n * 2))
  same(function(t) merge(t, data.frame(g = "a", k = 1)))
  same(function(t) stats::aggregate(n ~ g, t, sum))
  same(function(t) t[t$n > 1, c("g", "n")])
  same(function(t) do.call(rbind, split(t, t$g)))
  same(unique)
  same(stats::na.omit)
  expect_identical(anyNA(table), TRUE)
  expect_identical(colnames(table), names(plain))
})

test_that("values and names of the session stand wherever a column may", {
  col <- "x"
  sym <- as.name("x")
  key <- "g"
  key_name <- as.name("g")
  with_column <- list(
    chart_box(y = .(col), x = .(key)),
    chart_box(y = .(sym), x = .(key_name), panels = .(key)),
    chart_histogram(.(col)),
    chart_scatter(x = .(sym), y = .(col), colour = .(key_name)),
    chart_absence(.(col), x = .(key)),
    statistics(.(col), by = .(key)),
    statistics(m = mean(.(sym)), by = c(.(key))),
    order_rows(.(col)),
    order_rows(falling(.(col))),
    order_rows(falling(.(sym))),
    counts(.(key)),
    counts(.(key_name), weights = .(col)),
    scoop(2, highest = .(col)),
    scoop(2, highest = .(sym)),
    include(.(sym) > 2),
    work_out(z = lag(.(sym), by = .(key), order = .(col))),
    work_out(z = y, before = .(col)),
    pick_columns(.(sym), .(key)),
    pick_columns(rest(), renamed = list(a = .(col))),
    condense(m = mean(.(sym)), by = .(key)),
    drop_repeats(.(key_name), order = .(col)),
    look_up(data.frame(g = c("a", "b"), w = 1:2), .(key)),
    to_long(.(col), y),
    absences(.(col), by = .(key)),
    statistics(x, where = .(sym) > 1),
    subsets(a = .(sym) > 1),
    chart_line(x = .(col), y = mean(.(sym))),
    work_out(each(.(col), it * 2))
  )
  for (step in with_column) expect_no_error(quiet(pour(d, step)))
  expect_identical(
    quiet(pour(d, statistics(.(col), by = .(key))))$tables,
    quiet(pour(d, statistics(x, by = g)))$tables
  )
})

test_that("the rows of a tibble are one", {
  skip_if_not_installed("tibble")
  table <- tibble::as_tibble(d)
  expect_s3_class(pour(table, include(y > 2))$rows, "tbl_df")
  expect_s3_class(
    pour(study(table, unit = g), include(y > 2), subsets(a = y > 3))$subsets$a,
    "tbl_df"
  )
  expect_identical(class(pour(d, include(y > 2))$rows), "data.frame")
})

test_that("slips of one kind have one note in look(), and numbers within the range are no codes", {
  delays <- data.frame(
    delay = c(rep(-9, 3), -20:40),
    t = c("-1", "1", rep("2", 62)),
    as_text = c(as.character(-21:41), "early")
  )
  coded <- data.frame(t = c(rep("-9", 5), as.character(0:30)))
  expect_match(
    paste(look(coded)$notes, collapse = " "),
    "\"-9\" (5) looks like a code",
    fixed = TRUE
  )
  notes <- paste(look(delays)$notes, collapse = " ")
  expect_no_match(notes, "-9 stands|looks like a code|spelled nearly alike")
})
