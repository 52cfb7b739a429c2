# Values that can be read in two ways, and kinds that a few bad values do not
# hide.

d <- data.frame(paid = c("1,200", "1,300", "900"))
both <- function(said) {
  expect_match(
    said, "if (a comma )?parts? thousands|[Ii]f a comma parts thousands"
  )
  expect_match(said, "thousands = \",\"", fixed = TRUE)
  expect_match(said, "decimal = \",\"", fixed = TRUE)
}
test_that("look() names both readings of three digits behind a mark", {
  both(gsub("\\s+", " ", paste(look(d)$notes, collapse = " ")))
})

test_that("a note of reading names both readings of three digits", {
  both(notes_of(study(d, kinds = list(paid = "number"))))
})

test_that("a note of as_number() names both readings of three digits", {
  both(notes_of(pour(d, work_out(p = as_number(paid)))))
})

test_that("a comparison with a number names both readings of three digits", {
  both(notes_of(pour(d, include(paid > 1000))))
})

test_that("a comparison with a text names both readings of three digits", {
  both(notes_of(pour(d, include(paid > "1000"))))
})

test_that("thousands in as_number() read three digits as thousands", {
  expect_identical(
    quiet(pour(d, work_out(p = as_number(paid, thousands = ","))))$rows$p,
    c(1200, 1300, 900)
  )
})

test_that("decimal in as_number() reads three digits as decimals", {
  expect_identical(
    quiet(pour(d, work_out(p = as_number(paid, decimal = ","))))$rows$p,
    c(1.2, 1.3, 900)
  )
})

test_that("thousands in study() read three digits as thousands", {
  expect_identical(
    as.data.frame(study(
      d,
      kinds = list(paid = "number"),
      thousands = ","
    ))$paid,
    c(1200, 1300, 900)
  )
})

said <- function(...) {
  paste(look(data.frame(x = c(...)))$notes, collapse = " ")
}
test_that("two commas in a value part thousands", {
  expect_match(said("1,200", "1,234,567"), "commas between the thousands")
})

test_that("a point behind a comma makes it part thousands", {
  expect_match(said("1,200", "1,200.50"), "commas between the thousands")
})

test_that("one digit behind a comma makes it decimal", {
  expect_match(said("1,200", "31,5"), "a comma before the decimals")
})

test_that("a 0 before a comma makes it decimal", {
  expect_match(said("0,500", "1,200"), "a comma before the decimals")
})

test_that("a point before three digits beside a decimal comma parts thousands", {
  expect_match(
    said("1.200", "31,5"), "points between the thousands and a comma before"
  )
})

test_that("two points in a value part thousands", {
  expect_match(said("1.234.567", "1.200"), "points between the thousands")
})

test_that("blanks part thousands", {
  expect_match(said("1 200", "30 500"), "blanks between the thousands")
})

test_that("commas and points may both be decimal", {
  expect_match(said("31,5", "31.5"), "beside numbers with a point")
})

test_that("thousands of another number of digits are not read", {
  # A mark that does not stand before three digits is no mark of thousands.
  out <- quiet(pour(
    data.frame(x = c("1,20", "12,000", "1,2345", "1.5")),
    work_out(y = as_number(x, thousands = ","))
  ))
  expect_identical(out$rows$y, c(NA, 12000, NA, 1.5))
})

test_that("a file's thousands are read as told, whole and piece by piece", {
  amounts <- c(1200, 900, 1234567, 31.5, -2500)
  written <- c("1,200", "900", "1,234,567", "31.5", "-2,500")
  path <- csv_of("who,paid", paste0(letters[1:5], ",\"", written, "\""))
  expect_identical(as.data.frame(study(path, thousands = ","))$paid, amounts)
  big <- csv_of("who,paid", paste0("w", 1:3000, ",", c(1:2999, "\"1,200\"")))
  withr::local_options(neatsieve.sieve_file_bytes = 0)
  asked <- sieve(include(paid > 1000), statistics(paid_in_all = sum(paid)))
  plan <- withr::local_tempfile(fileext = ".yaml")
  write_sieve(asked, plan, study(big, thousands = ","))
  expect_match(paste(readLines(plan), collapse = " "), "thousands")
  out <- quiet(pour(big, asked))
  expect_equal(out$tables$statistics$paid_in_all, sum(1001:2999))
  said <- within_r("pour", plan)$out
  expect_match(paste(said, collapse = " "), "2,000 of 3,000 rows")
  said <- within_r(
    "pour", big, "--thousands", ",", "--include", "paid > 1000"
  )$out
  expect_match(paste(said, collapse = " "), "2,000 of 3,000 rows")
  expect_error(
    study(path, thousands = ";"),
    "mark between thousands",
    class = "neatsieve_error_study"
  )
  expect_error(
    study(path, thousands = ",", decimal = ","), "before the decimals as well"
  )
})

path <- csv_of("kg", c(paste0("2", 0:98, ".5"), "\"31,5\""))
said <- notes_of(study(path))
test_that("a comma in few values is told with its row", {
  expect_match(said, "\"31,5\" on row 100")
})

test_that("a comma in few values is not advised for all", {
  expect_no_match(said, "decimal = \",\"", fixed = TRUE)
  expect_match(said, "as_number(replace_text(kg, \",\", \".\"))", fixed = TRUE)
})

test_that("the way out for a comma in few values reads them", {
  kept <- study(path, kinds = list(kg = "text"))
  said <- notes_of(
    out <- pour(kept, work_out(kg = as_number(replace_text(kg, ",", "."))))
  )
  expect_identical(out$rows$kg[c(1, 100)], c(20.5, 31.5))
})

few <- csv_of("kg", c(paste0("2", 0:98, ".5"), "\"1,500\""))
test_that("thousands in few values are advised", {
  expect_match(notes_of(study(few)), "thousands = \",\"", fixed = TRUE)
})

test_that("thousands that are advised read them", {
  expect_identical(as.data.frame(study(few, thousands = ","))$kg[100], 1500)
})

test_that("points beside decimal commas of another column are named", {
  path <- csv_of("a;b;c", "1;1.200;0,5", "2;1.300;0,75")
  said <- notes_of(study(path))
  expect_match(said, "\"1.200\" is read as 1.2, .*it may be 1200")
  expect_match(said, "decimal = \",\", thousands = \".\"", fixed = TRUE)
  read <- as.data.frame(study(path, thousands = "."))
  expect_identical(read$b, c(1200L, 1300L))
  expect_identical(read$c, c(0.5, 0.75))
  expect_identical(notes_of(study(path, decimal = ".")), "")
})

test_that("days and months that may be turned round are told in both ways", {
  d <- data.frame(day = c("01/02/2024", "03/04/2024"))
  said <- gsub("\\s+", " ", paste(look(d)$notes, collapse = " "))
  for (part in c("%d/%m/%Y", "%m/%d/%Y", "2024-02-01", "2024-01-02")) {
    expect_match(said, part, fixed = TRUE)
  }
  decided <- paste(
    look(data.frame(day = c("01/02/2024", "13/04/2024")))$notes,
    collapse = " "
  )
  expect_no_match(decided, "%m/%d/%Y", fixed = TRUE)
  expect_match(
    notes_of(pour(d, include(day == as_date("2024-02-01")))),
    "%m/%d/%Y",
    fixed = TRUE
  )
})

d <- data.frame(day = c("31/12/2023", "2024-01-02", "03/01/2024"))
test_that("dates of several forms are named", {
  note <- paste(look(d)$notes, collapse = " ")
  expect_match(
    gsub("\\s+", " ", note), "dates in several forms: %d/%m/%Y and %Y-%m-%d"
  )
})

said <- notes_of(
  out <- pour(d, work_out(at = as_date(day, c("%d/%m/%Y", "%Y-%m-%d"))))
)
test_that("dates of several forms are read without an alarm", {
  expect_identical(said, "")
})

test_that("dates of several forms are read by one call", {
  expect_identical(
    out$rows$at, as.Date(c("2023-12-31", "2024-01-02", "2024-01-03"))
  )
})

test_that("a form among several that is none is refused", {
  expect_error(
    pour(d, work_out(at = as_date(day, c("%d/%m/%Y", "%Q")))), "not a pattern"
  )
})

test_that("one impossible value among many becomes absent and is named, whatever the kind", {
  days <- format(as.Date("2020-01-01") + 0:58)
  columns <- list(
    day = c(days, "2021-02-29"),
    at = paste(c(days, "2021-02-29"), "10:00"),
    sure = c(rep(c("TRUE", "false", "true"), 19), "FALSE", "TRUE", "perhaps")
  )
  kinds <- c(day = "Date", at = "POSIXct", sure = "logical")
  for (name in names(columns)) {
    path <- csv_of("v,x", paste0(columns[[name]], ",", 1:60))
    said <- notes_of(s <- study(path))
    values <- as.data.frame(s)$v
    expect_identical(which(is.na(values)), 60L)
    expect_match(
      said, paste0("\"", columns[[name]][60], "\" on row 60"),
      fixed = TRUE
    )
    withr::with_options(
      list(neatsieve.sieve_file_bytes = 0, neatsieve.block_bytes = 300),
      {
        piece_wise <- quiet(pour(path, include(x > 0)))
        expect_identical(piece_wise$rows, as.data.frame(s))
      }
    )
  }
  path <- csv_of("day,x", paste0(c(days, "2021-02-29"), ",", 1:60))
  out <- quiet(pour(path, include(day >= "2020-02-20")))
  expect_identical(ledger(out)$unknown[2], 1)
  expect_identical(nrow(out$rows), 9L)
})

test_that("order and statistics of numbers kept as text are told", {
  d <- data.frame(n = c("10", "9", "2", "100"), g = c("a", "a", "b", "b"))
  for (step in list(
    order_rows(n),
    statistics(top = max(n)),
    statistics(low = min(n), by = g),
    statistics(n),
    drop_repeats(g, order = n)
  )) {
    expect_match(notes_of(pour(d, step)), "holds numbers written as text")
  }
})

signs <- paste(
  look(data.frame(
    x = c("$70", "$8"),
    y = c("12.50 USD", "3 USD"),
    z = c("<0.5", "2")
  ))$notes,
  collapse = " "
)
test_that("look() names a sign before numbers", {
  expect_match(signs, "numbers behind \"$\"", fixed = TRUE)
})

test_that("look() names a unit behind numbers", {
  expect_match(signs, "followed by \"USD\"", fixed = TRUE)
})

test_that("look() names limits among numbers", {
  expect_match(signs, "below or above a limit")
})

test_that("look() does not take numbered names for numbers", {
  expect_no_match(
    paste(look(data.frame(x = paste0("plot ", 1:9)))$notes, collapse = ""),
    "numbers"
  )
})

d <- data.frame(
  site = c("a", "b ", "c", "Total"),
  n = c(1, 2, 3, 6),
  year = 2004:2007
)
look <- look(d)
notes <- paste(look$notes, collapse = " ")
test_that("look() names a row of totals", {
  expect_match(notes, "The last row, 4, looks like totals")
})

test_that("look() names blanks around values", {
  expect_match(notes, "blanks before or behind")
})

test_that("the row of totals is left out by its number", {
  out <- pour(d, exclude(totals = source_row() == 4))
  expect_identical(sum(out$rows$n), 6)
})

test_that("look() prints years as years", {
  expect_match(
    paste(capture.output(print(look)), collapse = " "), "2004 .* 2007"
  )
})

test_that("look() names a title line", {
  title <- quiet(study(csv_of("Hive survey,,", "a,b,c", "1,2,3")))
  expect_match(paste(look(title)$notes, collapse = " "), "it may be a title")
})
