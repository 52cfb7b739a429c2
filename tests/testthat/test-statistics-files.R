# Files of statistics programs, and the labelled columns that they give.

with_declared_missing <- function(...) {
  maker <- grep("^labelled_", getNamespaceExports("haven"), value = TRUE)
  getExportedValue("haven", maker)(...)
}
labelled_frame <- function() {
  d <- data.frame(
    id = 1:6,
    day = as.Date("2024-01-01") + 0:5,
    name = c("a", "", "c", "d", "", "f")
  )
  d$answer <- with_declared_missing(
    c(1, 2, -9, -8, 2, 1),
    c(yes = 1, no = 2, refused = -9),
    na_values = c(-9, -8),
    label = "The answer"
  )
  d$tagged <- haven::labelled(
    c(1, 2, 1, haven::tagged_na("a"), NA, haven::tagged_na("b")),
    c(no = 2, yes = 1, refused = haven::tagged_na("a"))
  )
  d$partly <- haven::labelled(
    c(1, 2, 3, 50, 60, NA),
    c(none = 1),
    label = "Partly"
  )
  d
}
reasons_in <- function(data, column) {
  step <- eval(bquote(work_out(why = absent_reason(.(as.name(column))))))
  as.character(quiet(pour(data, step))$rows$why)
}

test_that("labelled columns of a data frame become categories, labels and reasons", {
  skip_if_not_installed("haven")
  s <- quiet(study(labelled_frame()))
  expect_identical(
    s$answer, factor(c("yes", "no", NA, NA, "no", "yes"), c("yes", "no"))
  )
  expect_identical(
    s$tagged, factor(c("yes", "no", "yes", NA, NA, NA), c("yes", "no"))
  )
  expect_identical(s$partly, c(1, 2, 3, 50, 60, NA))
  expect_identical(reasons_in(s, "answer"), c(NA, NA, "refused", "-8", NA, NA))
  expect_identical(reasons_in(s, "tagged"), c(NA, NA, NA, "refused", NA, ".b"))
  expect_identical(
    reasons_in(labelled_frame(), "answer"), reasons_in(s, "answer")
  )
  expect_match(as.data.frame(look(s))$label, "The answer", all = FALSE)
  plain <- data.frame(k = c(1, NA))
  attr(plain$k, "label") <- "Kind of"
  expect_identical(as.data.frame(look(study(plain)))$label, "Kind of")
  expect_identical(
    as.data.frame(look(study(plain, labels = list(k = "Told"))))$label, "Told"
  )
  expect_message(
    study(labelled_frame()),
    "`partly` has values without a label, such as 2",
    class = "neatsieve_note"
  )
})

test_that("files written by the package that is standard for them are read", {
  skip_if_not_installed("haven")
  d <- labelled_frame()
  sav <- tempfile(fileext = ".sav")
  haven::write_sav(d[setdiff(names(d), "tagged")], sav)
  s <- quiet(study(sav))
  expect_identical(as.character(s$answer), c("yes", "no", NA, NA, "no", "yes"))
  expect_identical(reasons_in(s, "answer"), c(NA, NA, "refused", "-8", NA, NA))
  expect_identical(s$name, c("a", NA, "c", "d", NA, "f"))
  expect_identical(s$day, d$day)
  dta <- tempfile(fileext = ".dta")
  haven::write_dta(d[setdiff(names(d), "answer")], dta)
  expect_identical(
    reasons_in(study(dta), "tagged"), c(NA, NA, NA, "refused", NA, ".b")
  )
  xpt <- tempfile(fileext = ".xpt")
  haven::write_xpt(
    data.frame(x = c(1, haven::tagged_na("A"), NA), t = c("a", "", "c")), xpt
  )
  expect_identical(reasons_in(study(xpt), "x"), c(NA, ".a", NA))
  # Codes told beside those of the file, and several such files as one study.
  more <- quiet(study(sav, absent_codes = list(partly = c(other = "60"))))
  expect_identical(reasons_in(more, "partly"), c(NA, NA, NA, NA, "other", NA))
  second <- tempfile(fileext = ".sav")
  file.copy(sav, second)
  both <- quiet(study(c(sav, second)))
  expect_identical(reasons_in(both, "answer"), rep(reasons_in(s, "answer"), 2))
  writeLines("no such thing", xpt)
  expect_error(study(xpt), "not whole", class = "neatsieve_error_study")
})

test_that("tables are written with missing values of their own, and read back", {
  skip_if_not_installed("haven")
  path <- tempfile(fileext = ".csv")
  writeLines(
    c(
      "id,x,g,day,txt", "1,-8,a,2024-01-01,q", "2,5.25,-9,2024-01-02,",
      "3,-9,b,,r", "4,-7,b,,"
    ),
    path
  )
  s <- study(
    path,
    absent_codes = list(
      "",
      x = c(refused = "-8", "not counted" = "-9", lost = "-7"),
      g = c(gone = "-9")
    ),
    categories = list(g = c("b", "a"))
  )
  for (ending in c("dta", "sav")) {
    file <- tempfile(fileext = paste0(".", ending))
    quiet(write_table(s, file))
    again <- quiet(study(file))
    expect_equal(as.data.frame(again), as.data.frame(s))
    for (column in c("x", "g")) {
      expect_identical(reasons_in(again, column), reasons_in(s, column))
    }
    # The package by itself reads the same.
    raw <- if (ending == "dta") haven::read_dta(file) else haven::read_sav(file)
    expect_identical(is.na(raw$x), c(TRUE, FALSE, TRUE, TRUE))
  }
  file <- tempfile(fileext = ".xpt")
  said <- tryCatch(write_table(s, file), neatsieve_note = conditionMessage)
  expect_match(said, "reasons are letters there: .A \"refused\"")
  quiet(write_table(s, file))
  again <- quiet(study(file))
  expect_identical(again$x, s$x)
  expect_identical(again$g, as.character(s$g))
  expect_identical(reasons_in(again, "x"), c(".a", NA, ".b", ".c"))
  expect_error(
    write_table(data.frame(`a b` = 1, check.names = FALSE), file),
    "cannot have such a name",
    class = "neatsieve_error_run"
  )
})

test_that("other formats take reasons beside, or the codes back", {
  path <- tempfile(fileext = ".csv")
  lines <- c("id,x,g", "1,-8,a", "2,5.25,-9", "3,-9,b", "4,,c")
  writeLines(lines, path)
  told <- list(
    "",
    x = c(refused = "-8", "not counted" = "-9"),
    g = c(gone = "-9")
  )
  s <- study(path, absent_codes = told)
  file <- tempfile(fileext = ".csv")
  write_table(s, file, reasons = "codes")
  expect_identical(readLines(file), lines)
  for (ending in c("csv", "jsonl", "sqlite")) {
    kept <- pour(s, include(absent(x)))
    if (ending == "sqlite") {
      skip_if_not_installed("RSQLite")
      con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
      withr::defer(DBI::dbDisconnect(con))
      write_table(kept, database(con, "kept"), reasons = "beside")
      read <- DBI::dbReadTable(con, "kept")
    } else {
      file <- tempfile(fileext = paste0(".", ending))
      write_table(kept, file, reasons = "beside")
      read <- as.data.frame(quiet(study(file, kinds = list(x = "whole"))))
    }
    expect_identical(names(read), c("id", "x", "x_absent_reason", "g"))
    expect_identical(read$x_absent_reason, c("refused", "not counted", NA))
  }
  expect_message(
    write_table(s, file),
    "Why values are absent is not in the file: `x` 2 and `g` 1"
  )
  expect_error(
    write_table(s, file, reasons = "yes"),
    "`reasons` is",
    class = "neatsieve_error_run"
  )
})
