# What is written reads back the same, in every format, or a note names what
# will not.

moment <- function(x, tz = "UTC") .POSIXct(x, tz)
told <- function(expr) {
  notes <- character()
  value <- withCallingHandlers(
    expr,
    neatsieve_note = function(m) {
      notes <<- c(notes, gsub("\\s+", " ", conditionMessage(m)))
      invokeRestart("muffleMessage")
    }
  )
  list(value = value, notes = notes)
}
there_and_back <- function(x, ending, ...) {
  file <- withr::local_tempfile(fileext = paste0(".", ending))
  wrote <- told(write_table(data.frame(id = seq_along(x), x = x), file))
  list(x = as.data.frame(quiet(study(file, ...)))$x, notes = wrote$notes)
}
# By their bits, and signs of zero; times and texts as they are.
same_values <- function(a, b) {
  if (inherits(a, "POSIXct") && !inherits(b, "POSIXct")) return(FALSE)
  if (inherits(a, "Date") && !inherits(b, "Date")) return(FALSE)
  if (is.character(a) || is.character(b)) {
    return(is.character(a) && identical(enc2utf8(a), enc2utf8(b)))
  }
  a <- as.double(a)
  b <- as.double(b)
  identical(is.na(a), is.na(b)) && all(is.na(a) | (a == b & 1 / a == 1 / b))
}
endings <- c(
  "csv", "tsv", "csv.gz", "jsonl", "json", "jsonl.gz", "xlsx",
  if (requireNamespace("nanoparquet", quietly = TRUE)) "parquet"
)

test_that("values of every kind read back by their bits, or a note names the column", {
  skip_if_not_installed("writexl")
  skip_if_not_installed("readxl")
  values <- list(
    halves = c(0.1 + 0.2, 1 / 3, -1e-300, 5e-324, 1.7976931348623157e308, NA),
    zeros = c(-0, 0, -0, 2.5),
    endless = c(1.5, Inf, NA, -Inf, 2),
    whole = c(1L, NA, -2147483647L),
    large = c(2^53 - 1, -2^52, 1),
    flags = c(TRUE, NA, FALSE),
    days = as.Date(c("2024-02-29", NA, "1950-01-01")),
    early = as.Date(c("1899-12-31", "1900-02-28", "1600-01-01", "2024-01-01")),
    utc = moment(c(0, 1e9 + 0.123, NA, 3e9)),
    fine = moment(c(1.7e9 + 0.1234567, -5e9, -0.25)),
    zone = moment(c(0, 1.7e9, NA, 1e9), "Europe/Berlin"),
    texts = c(
      "a", " b ", "_x0041_", "_x005F_", "a\nb", "say \"x\"", "=1+1",
      "\u00e9\u00a0x"
    ),
    empty = c("x", "", "y"),
    both = c("", NA, "y", "NA"),
    just = c("", NA, ""),
    quoted = c("a,b", "", "c,d"),
    word = c("NA", "n", NA)
  )
  for (ending in endings) {
    for (name in names(values)) {
      met <- there_and_back(values[[name]], ending)
      info <- paste(ending, name)
      if (same_values(values[[name]], met$x)) {
        # Said, though the column reads back: times and dates that stand as
        # texts.
        if (length(met$notes)) {
          expect_match(met$notes, "written as text", info = info)
        }
      } else {
        expect_match(
          met$notes, "^. Column `x`: [0-9]+ ",
          info = info, all = FALSE
        )
      }
    }
  }
})

test_that("random times of every zone read back to the last bit from text", {
  set.seed(4)
  x <- c(
    runif(300, -4e9, 4e9), round(runif(300, -4e9, 4e9), 3),
    round(runif(300, -4e9, 4e9)), 0.9999999, -0.5, 1e-9, 46.9999999999,
    86399.9999999
  )
  for (zone in c(
    "UTC", "Africa/Monrovia", "Europe/Berlin", "Asia/Kolkata",
    "America/St_Johns"
  )) {
    for (ending in c("csv", "jsonl")) {
      expect_identical(as.double(there_and_back(moment(x, zone), ending)$x), x)
    }
  }
  if ("parquet" %in% endings) {
    thousandths <- round(runif(2000, -4e9, 4e9), 3)
    expect_identical(
      as.double(there_and_back(moment(thousandths), "parquet")$x), thousandths
    )
  }
  file <- withr::local_tempfile(fileext = ".csv")
  write_table(data.frame(x = moment(c(0.9999999, -2.6e9), "UTC")), file)
  expect_identical(
    readLines(file)[2:3],
    c("1970-01-01T00:00:00.9999999+0000", "1887-08-11T09:46:40+0000")
  )
  write_table(data.frame(x = moment(-3e8, "Africa/Monrovia")), file)
  expect_identical(readLines(file)[2], "1960-06-29T17:55:30-004430")
})

test_that("seconds, zones and odd times are read right", {
  read <- function(...) {
    as.data.frame(quiet(study(csv_of("t", ...), kinds = list(t = "date-time"))))
  }
  seconds <- as.double(
    read(
      "2016-12-31 23:59:59",
      "2016-12-31 23:59:60",
      "2016-12-31 10:00:00+99:99",
      "2016-12-31 10:00+02",
      "2016-12-31 10:00:00.5-00:44:30",
      "2016-12-31T10:00Z"
    )$t
  )
  day <- 86400 * as.double(as.Date("2016-12-31"))
  expect_identical(
    seconds, day + c(86399, NA, NA, 8 * 3600, 10 * 3600 + 2670.5, 36000)
  )
})

test_that("a leap second is told", {
  said <- told(study(csv_of(
    "t", "2016-12-31 23:59:60", rep("2016-12-31 10:00:00", 60)
  )))$notes
  expect_match(
    said,
    "could not be read as a date-time and became absent: \"2016-12-31 23:59:60\""
  )
})

test_that("absent dates go and come without a note", {
  years <- there_and_back(as.Date(c("2024-01-01", NA)) + c(0, NA), "csv")
  expect_length(years$notes, 0)
})

odd <- there_and_back(.Date(c(-800000, 3e6, 0)), "csv")
test_that("dates of far years are told", {
  expect_match(
    odd$notes, "2 dates of a year outside 0 to 9999 will read back as text"
  )
})

test_that("dates of far years read back as texts", {
  expect_identical(odd$x, c("-000221-09-04", "+010183-09-21", "1970-01-01"))
})

test_that("a workbook keeps its last rows, and refuses what it cannot hold", {
  skip_if_not_installed("writexl")
  file <- withr::local_tempfile(fileext = ".xlsx")
  d <- data.frame(a = c("x", NA, NA), b = c(1, 2, NA))
  write_table(d, file)
  expect_equal(as.data.frame(quiet(study(file))), d, ignore_attr = TRUE)
  expect_match(
    told(write_table(data.frame(b = c(1, NA)), file))$notes,
    "last row is absent in every"
  )
  expect_error(
    write_table(data.frame(x = strrep("a", 32768)), file),
    "32,767 characters",
    class = "neatsieve_error_run"
  )
  wide <- as.data.frame(matrix(1, 1, 16385))
  expect_error(
    write_table(wide, file), "16,384 columns",
    class = "neatsieve_error_run"
  )
  expect_equal(nrow(quiet(study(file))), 1)
  # A code for absent or an infinite number among numbers makes no text of them.
  writexl::write_xlsx(data.frame(x = c(1.5, Inf, 2)), file)
  expect_identical(as.data.frame(study(file))$x, c(1.5, Inf, 2))
})

test_that("codes that are given hold in quotes, and the default spares what stands in quotes", {
  file <- csv_of(
    "\"id\",\"x\",\"t\"",
    "\"a\",\"20\",\"NA\"",
    "\"b\",\"-9\",\"u\"",
    "\"c\",\"20\",\"\""
  )
  given <- quiet(pour(file, statistics(x), absent_codes = c("", "NA", "-9")))
  expect_identical(given$tables$statistics$mean, 20)
  expect_identical(given$rows$t, c(NA, "u", NA))
  plain <- quiet(study(file))
  expect_identical(as.data.frame(plain)$t, c("NA", "u", NA))
  expect_match(
    look(plain)$notes, "\"NA\" (1) looks like a code for absent",
    fixed = TRUE
  )
  # The same where rows are sieved while they are read.
  withr::local_options(neatsieve.sieve_file_bytes = 1)
  expect_identical(
    quiet(pour(
      file,
      include(id != "z"),
      absent_codes = c("", "NA", "-9")
    ))$rows,
    given$rows
  )
  expect_identical(
    quiet(pour(file, include(id != "z")))$rows$t, c("NA", "u", NA)
  )
  mixed <- csv_of("t,x,d", "a,1,2024-01-01", "\"\",\"\",\"\"", "b,3,2024-01-02")
  expected <- list(
    t = c("a", "", "b"),
    x = c(1L, NA, 3L),
    d = as.Date(c("2024-01-01", NA, "2024-01-02"))
  )
  expect_identical(
    as.list(quiet(pour(mixed, include(TRUE | t == "")))$rows), expected
  )
  expect_identical(as.list(as.data.frame(quiet(study(mixed)))), expected)
})

file <- tempfile(fileext = ".json")
writeLines(
  paste0(
    "[{\"a\":\"NA\",\"b\":1},{\"a\":\"\",\"b\":12345678901234567890},",
    "{\"a\":\"n 12345678901234567890, x\",\"b\":-9007199254740993}]"
  ),
  file
)
read <- told(study(file))
test_that("texts of codes in JSON stay text", {
  expect_identical(
    as.list(as.data.frame(read$value)),
    list(
      a = c("NA", "", "n 12345678901234567890, x"),
      b = c("1", "12345678901234567890", "-9007199254740993")
    )
  )
})

test_that("texts of codes in JSON are told", {
  expect_match(
    read$notes, "\"\" (1) and \"NA\" (1) stand as text",
    fixed = TRUE
  )
})

test_that("codes that are told are absent in JSON", {
  expect_identical(
    sum(is.na(as.data.frame(quiet(study(file, absent_codes = c("", "NA"))))$a)),
    2L
  )
})

test_that("a packed file on a full disk leaves the old one", {
  skip_on_os(c("windows", "mac"))
  disk <- withr::local_tempfile()
  dir.create(disk)
  mounted <- suppressWarnings(system2(
    "mount",
    c("-t", "tmpfs", "-o", "size=60k", "tmpfs", disk),
    stdout = FALSE,
    stderr = FALSE
  )) ==
    0
  skip_if_not(mounted, "no disk can be mounted here")
  on.exit(system2("umount", disk))
  set.seed(1)
  big <- data.frame(x = rnorm(2e4))
  for (ending in setdiff(endings, "xlsx")) {
    file <- file.path(disk, paste0("x.", ending))
    write_table(data.frame(x = 1:3), file)
    before <- tools::md5sum(file)
    expect_error(
      write_table(big, file),
      "is the disk full|No space|[Ff]ailed|written",
      class = "neatsieve_error_run",
      info = ending
    )
    expect_identical(tools::md5sum(file), before, info = ending)
    expect_identical(
      list.files(disk, all.files = TRUE, no.. = TRUE), basename(file)
    )
    unlink(file)
  }
})

file <- tempfile(fileext = ".csv")
texts <- c("=1+1", "-5", "-x", "a", NA, "@b", "+44 30")
write_table(data.frame(x = texts), file)
test_that("texts like formulas stand as they are", {
  expect_identical(as.data.frame(study(file))$x, texts)
})

test_that("texts like formulas are told when made harmless", {
  wrote <- told(write_table(data.frame(x = texts), file, formulas = "text"))
  expect_match(
    wrote$notes, "`x`: 4 texts that a spreadsheet may take for a formula"
  )
})

test_that("texts like formulas are made harmless when asked", {
  expect_identical(
    as.data.frame(study(file))$x,
    c("'=1+1", "-5", "'-x", "a", NA, "'@b", "'+44 30")
  )
})

test_that("another treatment of formulas is refused", {
  expect_error(
    write_table(data.frame(x = "=1"), file, formulas = TRUE),
    "`formulas` is",
    class = "neatsieve_error_run"
  )
})

test_that("midnights in a workbook come back as times when the note is followed", {
  skip_if_not_installed("writexl")
  file <- withr::local_tempfile(fileext = ".xlsx")
  x <- moment(c(0, 86400, NA))
  said <- told(write_table(data.frame(id = 1:3, x = x), file))$notes
  expect_match(
    said, "Read it with `kinds = list(x = \"date-time\")`",
    fixed = TRUE
  )
  expect_identical(
    as.data.frame(study(file, kinds = list(x = "date-time")))$x, x
  )
})

test_that("texts that JSON would read as numbers are told, and come back from Parquet", {
  skip_if_not_installed("nanoparquet")
  for (x in list(c("Inf", "NA", NA), c("-Inf", "NaN"), factor(c("NA", "Inf", "Inf", NA)))) {
    d <- data.frame(x = x)
    for (ending in c("json", "jsonl")) {
      path <- withr::local_tempfile(fileext = paste0(".", ending))
      expect_message(
        write_table(d, path),
        "will read back as a number or as absent",
        class = "neatsieve_note"
      )
    }
    path <- withr::local_tempfile(fileext = ".parquet")
    expect_message(write_table(d, path), NA)
    expect_identical(
      as.character(as.data.frame(quiet(study(path)))$x), as.character(x)
    )
  }
  path <- withr::local_tempfile(fileext = ".jsonl")
  expect_message(
    write_table(data.frame(x = c(Inf, 1), t = c("Inf", "b")), path), NA
  )
})
