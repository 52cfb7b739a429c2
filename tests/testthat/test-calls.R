# Studies and siftings answer what an analyst types, from wherever it is typed.

# A script of its own, in a session where nothing is attached.
run_script <- function(...) {
  script <- tempfile(fileext = ".R")
  writeLines(c(...), script)
  out <- tempfile()
  code <- system2(
    file.path(R.home("bin"), "Rscript"),
    c("--vanilla", shQuote(script)),
    stdout = out,
    stderr = out,
    env = paste0("R_LIBS=", shQuote(paste(.libPaths(), collapse = ":")))
  )
  list(code = code, said = readLines(out, encoding = "UTF-8"))
}

s <- study(airquality, name = "Air of 1973")
test_that("a study has the dimensions of its data", {
  expect_identical(c(nrow(s), ncol(s), length(s)), c(153L, 6L, 6L))
})

test_that("a study has the names of its data", {
  expect_identical(names(s), names(airquality))
})

test_that("head() of a study gives its first rows", {
  expect_identical(head(s, 3), head(airquality, 3))
})

test_that("tail() of a study gives its last rows", {
  expect_identical(tail(s, 2)$Ozone, tail(airquality$Ozone, 2))
})

test_that("$ gives a column of a study", {
  expect_identical(s$Ozone, airquality$Ozone)
})

test_that("[[ gives a column of a study", {
  expect_identical(s[["Wind"]], airquality$Wind)
})

test_that("[ gives cells of a study", {
  expect_identical(s[2:3, "Temp"], airquality[2:3, "Temp"])
})

test_that("lapply() walks the columns of a study", {
  expect_identical(lapply(s, class), lapply(airquality, class))
})

test_that("names of columns are completed", {
  expect_identical(utils::.DollarNames(s, "^O"), "Ozone")
})

test_that("summary() of a study is a look at it", {
  expect_s3_class(summary(s), "neatsieve_look")
})

test_that("format() of a study names it and counts its rows", {
  expect_match(format(s), "Air of 1973: 153 rows", fixed = TRUE)
})

test_that("str() of a study names it", {
  expect_match(utils::capture.output(str(s))[1], "Study Air of 1973")
})

test_that("a column spelled wrong gets the nearest name", {
  expect_error(s$Ozon, "Did you mean `Ozone`", class = "neatsieve_error_study")
})

test_that("a study is not changed by assignment", {
  for (change in list(
    quote(s$new <- 1),
    quote(s[["Ozone"]] <- 1),
    quote(s[1, 1] <- 1),
    quote(names(s) <- "x")
  )) {
    expect_error(
      eval(change), "work_out\\(new = ...\\)",
      class = "neatsieve_error_study"
    )
  }
})

# Columns may have the names of a study's own parts.
odd <- data.frame(
  frame = 1:3,
  unit = c("a", "b", "b"),
  name = 4:6,
  source = 7:9
)
t <- study(odd, unit = unit)
test_that("a column may be called as a part of a study", {
  expect_identical(t$frame, 1:3)
  expect_identical(t$name, 4:6)
})

test_that("a unit may be called as a part of a study", {
  expect_equal(ledger(pour(t, include(frame > 1)))$units_out[1], 1)
})

test_that("plot() of a study draws what suits the kinds of its columns", {
  for (figure in list(
    plot(s, Ozone),
    plot(s, Ozone, Temp),
    plot(s),
    plot(study(iris), Species, Sepal.Width),
    plot(study(esoph), agegp, alcgp)
  )) expect_s3_class(figure, "ggplot")
})

test_that("plot() of a study takes at most two columns", {
  expect_error(
    plot(s, Ozone, Temp, Wind), "at most two",
    class = "neatsieve_error_step"
  )
})

out <- pour(
  airquality, include(Temp > 80), statistics(Wind), chart_histogram(x = Wind)
)
kept <- airquality[airquality$Temp > 80, ]
test_that("siftings have the dimensions of their rows", {
  expect_identical(dim(out), c(nrow(kept), 6L))
})

test_that("nrow() of siftings counts their rows", {
  expect_identical(nrow(out), nrow(kept))
})

test_that("head() of siftings gives their first rows", {
  expect_identical(head(out, 2)$Wind, kept$Wind[1:2])
})

test_that("the first part of siftings is their rows", {
  expect_identical(out[[1]], out$rows)
})

test_that("[[ gives a part of siftings by name", {
  expect_identical(out[["tables"]], out$tables)
})

test_that("[ gives rows of siftings", {
  expect_identical(out[1:2, ]$Temp, kept$Temp[1:2])
})

test_that("lapply() walks the parts of siftings", {
  expect_identical(names(lapply(out, class)), names(out))
})

test_that("siftings have a length", {
  expect_length(out, length(names(out)))
})

test_that("format() of siftings says how many rows went all the way", {
  expect_match(format(out), "68 of 153 rows")
})

test_that("str() of siftings lists their tables", {
  expect_match(utils::capture.output(str(out)), "statistics", all = FALSE)
})

test_that("summary() of siftings describes their columns", {
  expect_match(utils::capture.output(print(summary(out))), "^Wind", all = FALSE)
})

test_that("siftings of a call are called so", {
  expect_match(
    pour(airquality |> subset(Temp > 80), include(Wind > 3)) |> format(),
    "Siftings of the data"
  )
})

test_that("siftings are called by the name of their data", {
  expect_match(
    airquality |> pour(include(Wind > 3)) |> format(), "Siftings of airquality"
  )
})

test_that("plot() of siftings draws their figures", {
  grDevices::pdf(NULL)
  expect_s3_class(plot(out), "ggplot")
  grDevices::dev.off()
})

test_that("siftings are not changed by assignment", {
  for (change in list(quote(out$rows <- 1), quote(out[["rows"]] <- 1), quote(names(out) <- "x"))) {
    expect_error(
      eval(change), "as.data.frame\\(out\\)",
      class = "neatsieve_error_run"
    )
  }
})

test_that("a part spelled wrong gets the nearest name", {
  expect_error(out$row, "Did you mean `\\$rows`", class = "neatsieve_error_run")
})

test_that("a column asked of siftings is found in their rows", {
  expect_error(out$Wind, "out\\$rows\\$Wind", class = "neatsieve_error_run")
})

test_that("wrong values where an expression or step should be are errors of ours", {
  family <- function(...) {
    tryCatch(
      {
        pour(airquality, ...)
        "none"
      },
      error = function(e) {
        if (inherits(e, "neatsieve_error")) "ours" else conditionMessage(e)
      }
    )
  }
  f <- function(x) x
  wrong <- alist(
    include(Ozone > .(c(1, 2))), work_out(z = .(1:2)),
    work_out(z = Ozone + .(1:3)), include(Ozone > .(NULL)),
    include(Ozone > .(list(1))), include(Ozone %in% .(f)), pick_columns(-1),
    pick_columns(-(1:2)), pick_columns(.(-1)), include(unknown = "pass"),
    include(NULL), include(list(Ozone > 1)), include(c(NA, 1)), NULL, list(1),
    f, "pass", Temp > 80, statistics(NULL), statistics(by = NULL, list(1)),
    counts(NULL), counts(Month, share = 3), counts(Month, order = 3),
    chart_bar(x = NULL), chart_bar(x = list(1)), subsets(NULL), criteria(NULL),
    settings(a = NULL), work_out(a = NULL), condense(a = NULL),
    include(Ozone > mean(Ozone, where = 3)),
    statistics(m = mean(Ozone, where = Temp))
  )
  for (step in wrong) {
    expect_identical(
      eval(bquote(family(.(step)))), "ours",
      info = deparse(step)
    )
  }
})

ran <- run_script(
  paste0(
    "count_above <- function(least) airquality |> ",
    "neatsieve::pour(neatsieve::include(neatsieve::written(paste('Temp >', ",
    "least)))) |> ",
    "nrow()"
  ),
  "print(vapply(c(80, 90), count_above, 1))",
  paste0(
    "by_column <- lapply(c('Ozone', 'Wind'), function(column) ",
    "neatsieve::pour(airquality, ",
    "neatsieve::statistics(.(column)))$tables$statistics$mean)"
  ),
  "print(unlist(by_column))",
  paste0(
    "plan <- neatsieve::sieve(neatsieve::criteria(hot = Temp > 80), ",
    "neatsieve::include(hot), neatsieve::subsets(windy = Wind > 10, ",
    "neatsieve::leftover()),"
  ),
  paste0(
    "  neatsieve::counts(Month, order = neatsieve::falling(n)), ",
    "neatsieve::chart_box(y = ",
    "Ozone, x = Month, panels = neatsieve::subsets()))"
  ),
  "out <- neatsieve::pour(airquality, plan)",
  paste0(
    "print(names(out$subsets)); print(nrow(neatsieve::screening(airquality, ",
    "neatsieve::criteria(hot = Temp > 80))$table)); ",
    "print(class(out$figures$box))"
  )
)
test_that("steps run in a script without the package attached", {
  expect_identical(ran$code, 0L)
})

test_that("steps are written inside a function and lapply()", {
  expect_match(ran$said, "[1] 68 14", fixed = TRUE, all = FALSE)
})

test_that("steps are written in a pipe", {
  expect_match(ran$said, "42.1", fixed = TRUE, all = FALSE)
})

test_that("a named condition keeps its name in a script", {
  expect_match(ran$said, "\"windy\"", fixed = TRUE, all = FALSE)
})

ran <- run_script(
  "library(neatsieve)",
  "step <- function() pour(airquality, include(Ozon > 1))",
  "step()"
)
test_that("an error in a script ends it with code 1", {
  expect_identical(ran$code, 1L)
})

test_that("an error in a script begins with the problem", {
  expect_match(
    ran$said[1],
    "Error: There is no column, criterion or setting `Ozon`.",
    fixed = TRUE
  )
})

test_that("an error in a script says where it is", {
  expect_match(ran$said, "In step 1, include", all = FALSE)
})

test_that("an error in a script says what to write", {
  expect_match(ran$said, "Did you mean `Ozone`", all = FALSE)
})

test_that("an error in a script shows no backtrace", {
  expect_false(any(grepl("Backtrace|tryCatch|stop_neatly", ran$said)))
})

d <- data.frame(
  k = c("Birch ", "BIRCH", "rowan"),
  f = factor(c("a", "b", "c"))
)
out <- pour(
  d,
  work_out(
    k = relabel(k, c("birch" = c("Birch ", "BIRCH"))),
    f = relabel(f, c("x" = "a", "x" = "b"))
  ),
  pick_columns(renamed = list(tree = k))
)
test_that("relabel() and renamed read new = old", {
  expect_identical(out$rows$tree, c("birch", "birch", "rowan"))
})

test_that("two labels become one category", {
  expect_identical(out$rows$f, factor(c("x", "x", "c"), c("x", "c")))
})

test_that("a label cannot get two new names", {
  expect_error(
    pour(d, work_out(k = relabel(k, c("a" = "rowan", "b" = "rowan")))),
    "two new names",
    class = "neatsieve_error_expression"
  )
})

test_that("relabel() and renamed survive a plan file", {
  plan <- tempfile(fileext = ".yaml")
  write_sieve(out$sieve, plan)
  expect_identical(pour(d, read_sieve(plan))$rows, out$rows)
})

test_that("a study's name stands in reports and captions", {
  out <- pour(
    study(airquality, name = "Air of 1973"),
    chart_bar(x = Month),
    include(Temp > 90)
  )
  expect_match(
    caption_of(out$figures$bar), "All 153 rows of Air of 1973.",
    fixed = TRUE
  )
  page <- tempfile(fileext = ".html")
  report(out, page)
  expect_match(readLines(page), "<h1>Air of 1973</h1>", all = FALSE)
})
