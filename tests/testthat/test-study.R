write_lines <- function(..., ext = ".csv") {
  path <- tempfile("visits-", fileext = ext)
  writeLines(c(...), path, useBytes = TRUE)
  path
}

path <- write_lines(
  "id,code,day,at,flag,amount,who,n",
  "1,007,2024-01-05,2024-01-05T10:30:00Z,TRUE,1.50,Ann,3",
  "2,012,,,FALSE,NA,NA,n/a",
  "3,100,2024-02-29,2024-02-29 09:00,,2e3,\"Bo, jr\",5"
)
s <- quiet(study(path, absent_codes = c("", "NA", "n/a")))
table <- as.data.frame(s)
test_that("whole numbers are read as such", {
  expect_identical(table$id, 1:3)
})

test_that("numbers with a leading 0 stay text", {
  expect_identical(table$code, c("007", "012", "100"))
})

test_that("dates are read as dates", {
  expect_identical(table$day, as.Date(c("2024-01-05", NA, "2024-02-29")))
})

test_that("date-times are read with their time", {
  expect_identical(format(table$at, "%H:%M"), c("10:30", NA, "09:00"))
})

test_that("logical values are read as such", {
  expect_identical(table$flag, c(TRUE, FALSE, NA))
})

test_that("numbers with an exponent are read", {
  expect_identical(table$amount, c(1.5, NA, 2000))
})

test_that("a comma in quotes stays in its text", {
  expect_identical(table$who, c("Ann", NA, "Bo, jr"))
})

test_that("a code for absent leaves numbers numbers", {
  expect_identical(table$n, c(3L, NA, 5L))
})

test_that("a few values that are no numbers become absent with a note that names them", {
  values <- c(format(seq(20, 45, length.out = 99), nsmall = 1), "31,5")
  path <- write_lines("kg;who", paste0(values, ";x"))
  expect_message(
    s <- study(path),
    "1 value could not be read as a number.*\"31,5\" on row 100",
    class = "neatsieve_note"
  )
  expect_true(is.na(as.data.frame(s)$kg[100]))
  expect_silent(kept <- study(path, kinds = list(kg = "text")))
  expect_identical(as.data.frame(kept)$kg[100], "31,5")
  few <- write_lines("kg;who", "1.5;x", "31,5;x")
  expect_silent(s <- study(few))
  expect_identical(as.data.frame(s)[[1]], c("1.5", "31,5"))
})

test_that("a file in no folder is named", {
  expect_snapshot(
    error = TRUE,
    {
      study(file.path(tempdir(), "no-such-folder", "x.csv"))
    },
    transform = function(x) {
      gsub("\"[^\"]*(no-such|Rtmp|/)[^\"]*\"", "\"<path>\"", x)
    }
  )
})

test_that("a file without a header is refused", {
  expect_error(
    study(write_lines("")), "no header",
    class = "neatsieve_error_study"
  )
})

test_that("a line with too many values is named", {
  expect_error(
    study(write_lines("a,b", "1,2", "1,2,3")),
    "Line 3",
    class = "neatsieve_error_study"
  )
})

test_that("names that are double or empty become others, and are told", {
  expect_message(
    s <- study(write_lines("a,a,", "1,2,3")),
    class = "neatsieve_note",
    "\"a\" became `a_2` and the empty name of column 3 became `column_3`"
  )
  expect_identical(names(as.data.frame(s)), c("a", "a_2", "column_3"))
})

test_that("a data frame with double names is refused", {
  expect_error(
    study(data.frame(a = 1, a = 2, check.names = FALSE)),
    "Two columns are named `a`",
    class = "neatsieve_error_study"
  )
})

test_that("a file in another encoding is named", {
  expect_error(
    study(write_lines("a", rawToChar(as.raw(c(0x4d, 0xfc, 0x6c))))),
    "not UTF-8",
    class = "neatsieve_error_study"
  )
})

test_that("a unit spelled wrong gets the nearest", {
  expect_error(
    study(airquality, unit = Mont),
    "Did you mean `Month`",
    class = "neatsieve_error_study"
  )
})

test_that("a value outside an order is named", {
  expect_error(
    study(data.frame(t = c("a", "b")), ordered = list(t = "a")),
    "has \"b\"",
    class = "neatsieve_error_study"
  )
})

test_that("what is no data is refused", {
  expect_error(
    study(1), "not a value of class numeric",
    class = "neatsieve_error_study"
  )
})

test_that("Latin-1 is read when said so", {
  path <- write_lines(
    "place", rawToChar(as.raw(c(0x4d, 0xfc, 0x68, 0x6c, 0x65)))
  )
  latin <- as.data.frame(study(path, encoding = "latin1"))$place
  expect_identical(latin, "M\u00fchle")
})

mixed <- data.frame(
  place = c("M\u00fchle", iconv("M\u00fchle", "UTF-8", "latin1"), "Hof")
)
test_that("one text in two encodings is one value in a condition", {
  expect_identical(nrow(pour(mixed, include(place == "M\u00fchle"))$rows), 2L)
})

test_that("one text in two encodings is one group", {
  expect_identical(
    pour(mixed, work_out(x = 1), statistics(x, by = place))$tables$statistics$n,
    c(1L, 2L)
  )
})

hives <- quiet(study(demo_file("hive-visits.csv"), unit = hive))
seen <- look(hives)
facts <- as.data.frame(seen)
table <- as.data.frame(hives)
test_that("look() has a line per column", {
  expect_identical(facts$column, names(table))
})

test_that("look() counts absent values", {
  expect_identical(
    facts$absent, unname(vapply(table, function(x) sum(is.na(x)), 0L))
  )
})

test_that("look() counts different values", {
  expect_identical(
    facts$different,
    unname(vapply(table, function(x) length(unique(x[!is.na(x)])), 0L))
  )
})

test_that("look() has the median", {
  expect_equal(
    facts$median[facts$column == "honey_kg"],
    median(table$honey_kg, na.rm = TRUE)
  )
})

test_that("look() finds what the demo data hides", {
  for (odd in c(
    "31,5", "Birch ", "Windle hill", "drone-comb", "-9 stands", "512 \\(row",
    "repeat"
  )) expect_true(any(grepl(odd, seen$notes)), info = odd)
})

test_that("a look prints as it did", {
  expect_snapshot(print(seen))
})

test_that("a study of a data frame and of its file are the same", {
  path <- tempfile(fileext = ".csv")
  utils::write.csv(airquality, path, row.names = FALSE)
  expect_equal(as.data.frame(study(path)), airquality)
  expect_identical(as.data.frame(study(airquality)), airquality)
  expect_equal(
    pour(path, include(Ozone > 30))$rows,
    pour(airquality, include(Ozone > 30))$rows
  )
})

test_that("look() shows a date-time's own time zone, and conditions read its days there", {
  when <- as.POSIXct(
    c("2024-03-30 23:30:00", "2024-03-31 00:30:00", "2024-03-31 23:59:00"),
    tz = "Europe/Berlin"
  )
  table <- data.frame(when = when)
  expect_output(print(look(table)), "2024-03-31 23:59 Europe/Berlin")
  expect_identical(nrow(pour(table, include(when == "2024-03-31"))$rows), 2L)
  attr(table$when, "tzone") <- "UTC"
  expect_identical(nrow(pour(table, include(when == "2024-03-31"))$rows), 1L)
})

test_that("every example of the function table runs and gives the kind its entry says", {
  visits <- as.data.frame(demo_study())
  visits$brood_frames[is.na(visits$brood_frames)] <- -9
  visits$arrived <- as.POSIXct("2024-05-01 06:30", tz = "UTC") +
    seq_len(nrow(visits)) * 1800
  told <- quiet(study(
    visits,
    absent_codes = list(brood_frames = c("not counted" = "-9"))
  ))
  for (name in neatsieve:::language_names()) {
    entry <- neatsieve:::language_function(name)
    if (name == "custom") next
    made <- quiet(pour(told, work_out(made = written(entry$example))))$rows$made
    expect_length(made, nrow(visits))
    expect_true(any(!is.na(made)), info = name)
    plain <- !grepl("[<>=&|!]|%in%", entry$example)
    if (plain && is.character(entry$gives) && entry$gives != "same") {
      expect_identical(
        sub("whole", "number", neatsieve:::kind_of_vector(made)),
        sub("whole", "number", entry$gives),
        info = name
      )
    }
  }
})
