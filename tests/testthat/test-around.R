# Files with more than a table in them, and values with signs or limits.

text_file <- function(..., ending = ".csv") {
  path <- tempfile(fileext = ending)
  writeLines(c(...), path)
  path
}
table_of <- function(...) as.data.frame(quiet(study(...)))
body <- c("id,x", "1,2", "2,\"3\n4\"", "3,")
expected <- data.frame(id = 1:3, x = c("2", "3\n4", NA))

above <- c("Hive report, \"spring\"", "", "made, on, 2024-05-01")
below <- c("Total,6", "", "(end)")
whole <- text_file(above, body, below)
test_that("lines above and below are left out by their number", {
  expect_identical(table_of(whole, skip = 3, footer = 2), expected)
})

test_that("lines from a pattern on are left out at the end", {
  expect_identical(table_of(whole, skip = 3, footer = "^Total"), expected)
})

test_that("lines above are left out until the header", {
  expect_identical(
    table_of(whole, skip = "until header", footer = "^Total"), expected
  )
})

comments <- c("# a \"quote, \"", "#", "# \"open")
test_that("comments are left out wherever they stand", {
  mixed <- text_file(
    comments[1], body[1], comments[2], body[2:3], comments[3], body[4]
  )
  expect_identical(table_of(mixed, comment = "#"), expected)
})

all <- text_file(above, comments, body, comments, below)
test_that("lines above, comments and lines below are left out together", {
  expect_identical(table_of(all, skip = 3, comment = "#", footer = 2), expected)
})

test_that("lines are left out however the file is cut into blocks", {
  # Blocks of any size, threads, packed files and other line ends.
  for (block in c(1, 7, 2^20)) {
    withr::with_options(
      list(neatsieve.block_bytes = block, neatsieve.threads = 2),
      {
        expect_identical(
          table_of(all, skip = 3, comment = "#", footer = 2), expected
        )
      }
    )
  }
})

con <- gzfile(packed <- tempfile(fileext = ".csv.gz"), "w")
writeLines(c(above, comments, body, comments, below), con)
test_that("lines are left out of a packed file", {
  close(con)
  expect_identical(
    table_of(packed, skip = 3, comment = "#", footer = 2), expected
  )
})

text <- paste0(
  c(above, comments, "id,x", "1,2", "3,", below), "\r\n",
  collapse = ""
)
writeBin(charToRaw(text), returns <- tempfile(fileext = ".csv"))
test_that("lines are left out of a file with carriage returns", {
  expect_identical(
    table_of(returns, skip = 3, comment = "#", footer = 2),
    data.frame(id = c(1L, 3L), x = c(2L, NA))
  )
})

account <- reading_account(study(all, skip = 3, comment = "#", footer = 2))
test_that("lines left out are accounted with their text", {
  lines <- readLines(all)
  expect_identical(account$text, lines[account$line])
})

test_that("lines left out are accounted with their number", {
  expect_identical(account$line, as.numeric(c(1:6, 12:17)))
})

test_that("lines left out are accounted as left out", {
  expect_true(all(account$became == "left out"))
})

test_that("the same holds for files sieved while they are read, and for many", {
  withr::local_options(
    neatsieve.sieve_file_bytes = 1, neatsieve.block_bytes = 32
  )
  folder <- withr::local_tempdir()
  for (i in 1:3) {
    writeLines(
      c(
        rep("Title", i), "id,x", paste0(i * 10 + 1:5, ",", 1:5), "# end",
        "Sum,15"
      ),
      file.path(folder, paste0(i, ".csv"))
    )
  }
  out <- quiet(pour(
    folder,
    include(x > 3),
    statistics(x),
    skip = "until header",
    footer = 1,
    comment = "#",
    source = "from"
  ))
  expect_identical(
    out$rows,
    data.frame(
      id = c(14L, 15L, 24L, 25L, 34L, 35L),
      x = rep(4:5, 3),
      from = rep(c("1.csv", "2.csv", "3.csv"), each = 2)
    )
  )
  expect_equal(out$tables$statistics$mean, 4.5)
  account <- reading_account(study(
    folder,
    skip = "until header", footer = 1, comment = "#"
  ))
  lines <- lapply(
    1:3, function(i) readLines(file.path(folder, paste0(i, ".csv")))
  )
  expect_identical(
    account$text,
    unlist(
      Map(
        function(file, line) {
          lines[[as.integer(substr(basename(file), 1, 1))]][line]
        },
        account$file,
        account$line
      ),
      use.names = FALSE
    )
  )
})

path <- text_file("id,x,y", "1,2,3", "2", "3,4", "4,5,6")
test_that("short lines are an error unless they are filled", {
  expect_error(
    study(path), "another number of values",
    class = "neatsieve_error_study"
  )
})

read <- quiet(study(path, ragged = "fill"))
test_that("short lines are filled with absent values", {
  expect_identical(
    as.data.frame(read),
    data.frame(id = 1:4, x = c(2L, NA, 4L, 5L), y = c(3L, NA, NA, 6L))
  )
})

test_that("short lines are accounted", {
  expect_identical(reading_account(read)$line, c(3, 4))
})

test_that("long lines are an error also where short ones are filled", {
  long <- text_file("id,x", "1,2", "2,3,4")
  expect_error(study(long, ragged = "fill"), "another number of values")
})

test_that("headers of two lines are joined", {
  two <- text_file(
    ",weight,,mites,", "id,spring,autumn,spring,autumn", "1,2,3,4,5"
  )
  expect_identical(
    names(study(two, header = 1:2)),
    c("id", "weight_spring", "weight_autumn", "mites_spring", "mites_autumn")
  )
})

test_that("the call in the error about lines around a table reads it", {
  files <- list(
    c("Hive report", "made 2024-05-01", "", "id,x", "1,2", "2,3", "Total,5,1"),
    c("# from the scale", "id;x", "1;2", "# pause", "2;3"),
    c("Report", "by nobody", "id\tx\ty", "1\t2\t3", "2\t3\t4", "sum\t5"),
    c("id,x,y", "1,2,3", "2", "3,4")
  )
  for (lines in files) {
    path <- text_file(lines)
    # A file of one long column is read, with a note.
    said <- gsub(
      "\\s+",
      " ",
      tryCatch(
        study(path),
        neatsieve_note = conditionMessage,
        error = conditionMessage
      )
    )
    calls <- regmatches(said, gregexpr("`study\\([^`]*\\)`", said))[[1]]
    expect_gt(length(calls), 0)
    for (call in calls) {
      expect_gt(ncol(quiet(eval(str2lang(gsub("`", "", call))))), 1)
    }
  }
  # Lines that end early may be rows or stand below the table: both are said.
  expect_length(calls, 2)
})

title <- text_file("Report", "id;x", "1;2", "2;3")
said <- tryCatch(study(title), neatsieve_note = conditionMessage)
test_that("a title above a table is found", {
  expect_match(said, "may be a title")
})

test_that("a title above a table is left out by skip", {
  expect_match(gsub("\\s+", " ", said), "skip = 1")
})

path <- text_file(
  "id,p,s,w", "1,$5,12%,3 kg", "2,-$1,7.5%,4kg", "3,$ 2.50,,5 lb", "4,7,3%,6"
)
read <- quiet(study(
  path,
  kinds = list(p = "number $", s = "number %", w = "number kg")
))
test_that("a sign of money is taken off", {
  expect_identical(read$p, c(5, -1, 2.5, 7))
})

test_that("a sign of percent is taken off", {
  expect_identical(read$s, c(12, 7.5, NA, 3))
})

test_that("a unit behind a number is taken off", {
  expect_identical(read$w, c(3, 4, NA, 6))
})

test_that("a number in another unit is accounted as unread", {
  expect_identical(reading_account(read)$text, "5 lb")
})

test_that("a unit that was taken off is kept as the measure", {
  expect_output(print(chart_data(pour(read, chart_box(y = w)))), "w")
})

test_that("signs that were taken off survive a plan file", {
  plan <- tempfile(fileext = ".yaml")
  write_sieve(sieve(statistics(w)), plan, study = read)
  expect_identical(quiet(pour(plan))$rows$p, read$p)
})

path <- text_file(
  "id,x",
  "1,<0.5",
  "2,0.7",
  "3,>200",
  "4,<=0.1",
  "5,>= 9",
  "6,odd",
  "7,",
  "8,3"
)
why <- function(kind) {
  s <- quiet(study(path, kinds = list(x = kind)))
  as.character(quiet(pour(s, work_out(w = absent_reason(x))))$rows$w)
}
test_that("limits at both ends are reasons of absence", {
  expect_identical(
    why("number <>"),
    c("below 0.5", NA, "above 200", "at most 0.1", "at least 9", NA, NA, NA)
  )
})

test_that("limits at one end are reasons of absence", {
  expect_identical(
    why("number <"), c("below 0.5", NA, NA, "at most 0.1", NA, NA, NA, NA)
  )
})

s <- quiet(study(path, kinds = list(x = "number <>")))
test_that("a column of limits keeps its numbers, and a text that is no limit is accounted", {
  expect_identical(s$x, c(NA, 0.7, NA, NA, NA, NA, NA, 3))
})

test_that("a text that is no limit is accounted", {
  expect_identical(reading_account(s)$text, "odd")
})

test_that("limits are not read in a column that does not ask for them", {
  # Another decimal mark than the file's is told, not a limit.
  commas <- text_file("a;x", "1,5 kg;<0.5", "2 kg;3")
  expect_message(
    s <- study(
      commas,
      decimal = ",",
      kinds = list(a = "number kg", x = "number <")
    ),
    "1 value could not be read as a number.*\"<0.5\""
  )
  expect_identical(s$a, c(1.5, 2))
})

test_that("limits in a data frame are reasons of absence", {
  frame <- quiet(study(
    data.frame(x = c("<0.5", "1")),
    kinds = list(x = "number <")
  ))
  expect_identical(nrow(pour(frame, include(absent(x, "below 0.5")))$rows), 1L)
})

test_that("what is told of the surroundings is checked", {
  path <- text_file(body)
  refused <- function(said, ...) {
    expect_error(study(path, ...), said, class = "neatsieve_error_study")
  }
  refused("none is left", skip = 9)
  refused("below a table", footer = 5)
  refused("lines stand above", skip = -1)
  refused("lines stand below", footer = "(")
  refused("lines begin", comment = "")
  refused("`ragged` must be", ragged = "yes")
  refused("`header` must be", header = 3)
  book <- tempfile(fileext = ".jsonl")
  writeLines("{\"a\": 1}", book)
  expect_error(
    study(book, skip = 1), "delimited text",
    class = "neatsieve_error_study"
  )
})

test_that("a last row that is a total by its own word is told, however the file is read", {
  total <- "looks like a total, and counts as a row: Total, 30"
  path <- withr::local_tempfile(
    fileext = ".csv",
    lines = c("hive;kg", "FG;10", "SB;20", "Total;30")
  )
  expect_match(problems_of(study(path)), total, all = FALSE)
  expect_match(
    problems_of(study(c(
      path,
      withr::local_tempfile(
        fileext = ".csv",
        lines = c("hive;kg", "TR;3", "TS;4")
      )
    ))),
    "The last row of .* looks like a total",
    all = FALSE
  )
  expect_length(problems_of(study(path, footer = 1)), 0)
  withr::local_options(neatsieve.sieve_file_bytes = 0)
  expect_match(problems_of(pour(path, include(kg > 10))), total, all = FALSE)
  for (lines in list(
    c("region;kg", "north;1", "total;1", "south;2", "total;2", "Total;3"),
    c("hive;kg", "Totally;10", "Totals Road;20")
  )) {
    said <- problems_of(study(withr::local_tempfile(
      fileext = ".csv", lines = lines
    )))
    expect_false(any(grepl("looks like", said)), info = lines[length(lines)])
  }
})
