# Codes, forms of dates and numbers, row names: what is told about a table holds
# wherever it comes from.
written_file <- function(...) {
  path <- tempfile(fileext = ".csv")
  writeLines(c(...), path)
  path
}

d <- data.frame(
  n = c(-9, 2, -9),
  k = c(1L, -9L, 3L),
  t = c("-9", "", "b"),
  f = factor(c("n/a", "b", "b")),
  d = as.Date("2024-01-01") + 0:2
)
test_that("codes for absent in a data frame are counted", {
  expect_message(
    s <- study(d, absent_codes = c("-9", "n/a")),
    "made 5 values absent: `n` 2, `k` 1, `t` 1 and `f` 1",
    class = "neatsieve_note"
  )
  t <- as.data.frame(s)
  expect_equal(t$n, c(NA, 2, NA))
  expect_identical(t$k, c(1L, NA, 3L))
  expect_identical(t$t, c(NA, "", "b"))
  expect_identical(levels(t$f), "b")
})

test_that("without codes a data frame stays as it is", {
  expect_identical(as.data.frame(study(d)), d)
})

test_that("a code for absent may be a number", {
  expect_identical(
    as.data.frame(quiet(study(d, absent_codes = -9)))$n, c(NA, 2, NA)
  )
})

test_that("a code for absent must be a text or a number", {
  expect_error(
    study(d, absent_codes = list(TRUE)),
    "must be text or numbers",
    class = "neatsieve_error_study"
  )
})

test_that("dates in other forms and decimal commas are read as told", {
  days <- as.Date("2023-12-28") + 0:9
  forms <- c(
    "%d/%m/%Y", "%m-%d-%y", "%d.%m.%Y", "%Y%m%d", "%d %b %Y", "%B %d, %Y"
  )
  for (form in forms) {
    text <- format(days, form)
    file <- written_file(
      "day;w",
      paste0(text, ";", sub(".", ",", format(seq(0.5, 5, 0.5)), fixed = TRUE))
    )
    read <- study(file, kinds = list(day = paste("date", form)), decimal = ",")
    expect_identical(read$day, days, info = form)
    expect_equal(read$w, seq(0.5, 5, 0.5))
    expect_identical(
      study(
        data.frame(day = text),
        kinds = list(day = paste("date", form))
      )$day,
      days
    )
    plan <- file.path(dirname(file), "plan.yaml")
    write_sieve(sieve(include(w > 1)), plan, read)
    again <- neatsieve:::study_from_plan(attr(read_sieve(plan), "study"))
    expect_identical(as.data.frame(again), as.data.frame(read))
    worked <- eval(bquote(pour(
      data.frame(day = text, w = c("1,5", "2")[rep(1:2, 5)]),
      work_out(d = as_date(day, .(form)), n = as_number(w, decimal = ","))
    )))$rows
    expect_identical(worked$d, days, info = form)
    expect_equal(worked$n, rep(c(1.5, 2), 5))
  }
})

test_that("days that do not exist are absent", {
  strict <- quiet(pour(
    data.frame(day = c("31/02/2024", "1/2/2024", "01/02/2024 x", "")),
    work_out(d = as_date(day, "%d/%m/%Y"))
  ))
  expect_identical(strict$rows$d, as.Date(c(NA, "2024-02-01", NA, NA)))
})

test_that("date-times in other forms are read as told", {
  times <- study(
    data.frame(t = "31/05/2024 14:30:05"),
    kinds = list(t = "date-time %d/%m/%Y %H:%M:%S")
  )$t
  expect_equal(times, as.POSIXct("2024-05-31 14:30:05", tz = "UTC"))
})

test_that("a form of dates that is none is refused", {
  expect_error(
    study(data.frame(t = "1"), kinds = list(t = "date %q")),
    "not a pattern",
    class = "neatsieve_error_study"
  )
})

test_that("a form without a month is refused", {
  expect_error(
    pour(airquality, work_out(d = as_date("1", "%d"))),
    "not a pattern",
    class = "neatsieve_error_expression"
  )
})

test_that("a decimal mark that is none is refused", {
  expect_error(
    study(data.frame(t = "1"), decimal = ";"),
    "decimal",
    class = "neatsieve_error_study"
  )
})

test_that("kinds need the names of columns", {
  expect_error(
    study(data.frame(t = "1"), kinds = list("text")),
    "needs the name",
    class = "neatsieve_error_study"
  )
})

test_that("text that is dates or numbers in disguise is named with the way out", {
  d <- data.frame(
    day = c("31/05/2024", "01/06/2024", "13/12/2024"),
    w = c("31,5", "2,25", "1"),
    kg = c("3 kg", "4 kg", "5.5 kg"),
    town = c("Ulm", "Ulm", "Bonn"),
    real = as.Date("2024-06-01") + 0:2
  )
  tell <- function(...) {
    tryCatch(
      pour(d, ...),
      neatsieve_note = function(n) cat(conditionMessage(n), "\n"),
      neatsieve_error = function(e) cat(conditionMessage(e), "\n")
    )
  }
  expect_snapshot({
    tell(include(day > "2024-06-01"))
    tell(include(day == "2024-05-31"))
    tell(include(day > real))
    tell(include(w > 3))
    tell(include(kg > 3))
    tell(include(town > 3))
    tell(work_out(x = as_number(w)))
    tell(work_out(x = as_date(day)))
    tell(include(weekday(real) == "Monday"))
    tell(include(town == Ulm))
    tell(include(real > 3))
    tell(counts(share = town))
    tell(include(c(TRUE, FALSE)))
    tell(include(NULL))
    tell(pick_columns(-(1:2)))
    tell(work_out(town = relabel(town, c("Ulm" = "Neu-Ulm"))))
  })
  expect_silent(tell(include(
    as_date(day, "%d/%m/%Y") > "2024-06-01" |
      as_number(w, decimal = ",") > 40 |
      as_number(replace_text(kg, " kg", "")) > 5
  )))
})

test_that("a kind in a hint has the column's name in backticks", {
  file <- written_file(
    "Visit date,k",
    c(paste0("2024-01-0", 1:9, ",1"), rep("2024-01-05,1", 60), "soon,1")
  )
  expect_message(
    study(file, kinds = list(`Visit date` = "date")),
    "kinds = list(`Visit date` = \"text\")",
    fixed = TRUE,
    class = "neatsieve_note"
  )
})

test_that("a hint for a name with a blank runs", {
  spaced <- written_file("My number", c(rep("1.5", 70), "x"))
  expect_message(
    study(spaced),
    "kinds = list(`My number` = \"text\")",
    fixed = TRUE,
    class = "neatsieve_note"
  )
})

test_that("a key called like an argument gets another name", {
  expect_error(
    pour(airquality, counts(share = Month > 5, Month)),
    "counts\\(share_key = Month > 5\\)|no key",
    class = "neatsieve_error_step"
  )
})

test_that("a column called like an argument gets another name", {
  expect_error(
    pour(transform(airquality, share = Month), counts(share)),
    "`counts(share_key = share)`",
    fixed = TRUE,
    class = "neatsieve_error_step"
  )
})

d <- data.frame(
  kind = c(rep("drone", 40), "dronc", rep("queen", 30)),
  plot = rep(c("plot 1", "plot 2"), c(70, 1)),
  w = rep(c("1,5", "2,25"), c(40, 31)),
  day = rep("31/05/2024", 71)
)
notes <- look(d)$notes
test_that("look() names a slip of one letter", {
  expect_match(
    notes[3], "\"dronc\" (1) is one letter from \"drone\" (40)",
    fixed = TRUE
  )
})

test_that("look() names numbers with a comma", {
  expect_match(notes[1], "w: text that holds numbers with a comma")
})

test_that("look() names dates left as text", {
  expect_match(notes[2], "day: text that holds dates in the form %d/%m/%Y")
})

test_that("look() does not take numbered names for slips", {
  expect_false(any(grepl("plot", notes)))
})

out <- pour(mtcars, include(mpg > 20), work_out(ratio = mpg / wt))
test_that("row names stay on rows", {
  expect_identical(rownames(out$rows), rownames(mtcars)[mtcars$mpg > 20])
})

test_that("row names stay on held rows", {
  expect_identical(rownames(held_back(out)), rownames(mtcars)[mtcars$mpg <= 20])
})

test_that("rows with names have their values", {
  expect_identical(out$rows$mpg, mtcars$mpg[mtcars$mpg > 20])
})

test_that("row names are printed", {
  expect_match(utils::capture.output(print(out)), "Mazda RX4", all = FALSE)
})

named <- study(mtcars, row_names = "car")
test_that("row names may become a column", {
  expect_identical(named$car, rownames(mtcars))
})

test_that("row names as a column stand first", {
  expect_identical(names(named)[1], "car")
})

test_that("rows whose names became a column are numbered", {
  expect_identical(
    attr(pour(named, include(mpg > 20))$rows, "row.names"),
    seq_len(sum(mtcars$mpg > 20))
  )
})

test_that("row names that are not there are refused", {
  expect_error(
    study(airquality, row_names = "x"),
    "no row names",
    class = "neatsieve_error_study"
  )
})

test_that("row names cannot take a column's name", {
  expect_error(
    study(mtcars, row_names = "mpg"), "already",
    class = "neatsieve_error_study"
  )
})

file <- written_file(
  "x,y",
  paste0(
    1:80, ",",
    c(rep("1", 79), "31,5") |>
      (\(v) ifelse(grepl(",", v), paste0("\"", v, "\""), v))()
  )
)
s <- quiet(study(file))
out <- pour(s, include(x > 3))
test_that("notes of reading go with the study", {
  expect_match(out$notes, "\"31,5\" on row 80")
})

test_that("notes of reading go with siftings that are poured again", {
  expect_match(pour(out, include(x > 4))$notes, "\"31,5\" on row 80")
})

test_that("notes of reading stand in the report", {
  page <- tempfile(fileext = ".html")
  report(out, page)
  expect_true(any(grepl("31,5", readLines(page), fixed = TRUE)))
})

file <- tempfile(fileext = ".csv")
read <- function(lines, ...) {
  writeLines(lines, file)
  notes <- character()
  made <- withCallingHandlers(
    study(file, ...),
    neatsieve_note = function(n) {
      notes <<- c(notes, conditionMessage(n))
      invokeRestart("muffleMessage")
    }
  )
  list(study = made, notes = notes, values = made$kg)
}
lines <- c("hive;kg;n", "a;31,5;1", "b;2;2", "c;7,25;3")
found <- read(lines)
test_that("a decimal comma is found where commas part nothing else", {
  expect_identical(found$values, c(31.5, 2, 7.25))
})

test_that("a decimal comma that is found is told", {
  expect_match(found$notes, "decimal comma: \"31,5\" in column `kg`")
})

test_that("a decimal comma that is told reads the same", {
  expect_identical(read(lines, decimal = ",")$values, found$values)
})

test_that("a decimal comma that is told needs no note", {
  expect_length(read(lines, decimal = ",")$notes, 0)
})

test_that("a decimal point that is told leaves commas as text", {
  expect_identical(read(lines, decimal = ".")$values, c("31,5", "2", "7,25"))
})

test_that("a decimal mark stays in a plan", {
  for (decimal in list(NULL, ".", ",")) {
    first <- read(lines, decimal = decimal)
    plan <- tempfile(fileext = ".yaml")
    write_sieve(sieve(), plan, study = first$study)
    again <- quiet(neatsieve:::study_from_plan(attr(read_sieve(plan), "study")))
    expect_identical(again$kg, first$values)
  }
})

test_that("three digits behind every comma are not decimals", {
  # Thousands, points in another column, and commas that part the values.
  expect_identical(
    read(c("hive;kg", "a;1,500", "b;2,250"))$values, c("1,500", "2,250")
  )
})

test_that("commas beside points are not decimals", {
  expect_identical(
    read(c("hive;kg;x", "a;1,50;2.5", "b;2,25;3.5"))$values, c("1,50", "2,25")
  )
})

test_that("commas between fields are not decimals", {
  expect_identical(
    read(c("hive,kg", "a,\"1,50\"", "b,\"2,25\""))$values, c("1,50", "2,25")
  )
})

test_that("a plan in the place of a table is told", {
  plan <- file.path(withr::local_tempdir(), "plan.yaml")
  write_sieve(sieve(include(x > 1)), plan)
  expect_error(
    pour(plan, include(x > 1)),
    "names no study.*pour\\(study, read_sieve",
    class = "neatsieve_error_run"
  )
  expect_error(
    study(plan),
    "is a plan by its name.*read_sieve",
    class = "neatsieve_error_study"
  )
})
