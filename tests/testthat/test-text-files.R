# Delimited text: awkward files made here end in the right study or the right
# message, and random tables are read as the general reader and base R read
# them.

bytes_file <- function(..., ext = ".csv") {
  path <- tempfile(fileext = ext)
  parts <- lapply(list(...), function(p) if (is.raw(p)) p else charToRaw(p))
  writeBin(do.call(c, parts), path)
  path
}
read_in <- function(path, ...) as.data.frame(quiet(study(path, ...)))
notes_of <- function(path, ...) {
  said <- character()
  withCallingHandlers(
    study(path, ...),
    neatsieve_note = function(n) {
      said <<- c(said, gsub("\\s+", " ", conditionMessage(n)))
      invokeRestart("muffleMessage")
    }
  )
  said
}
refused <- function(path, pattern, ...) {
  expect_error(
    quiet(study(path, ...)), pattern,
    class = "neatsieve_error_study"
  )
}

one <- function(...) {
  read_in(bytes_file("x,y\n", paste0(c(...), ",1\n", collapse = "")))$x
}
test_that("whole numbers of twenty digits stay text", {
  expect_identical(
    one("12345678901234567890", "12345678901234567891"),
    c("12345678901234567890", "12345678901234567891")
  )
})

test_that("a whole number beyond 2^53 makes text", {
  expect_identical(one("9007199254740993", "1"), c("9007199254740993", "1"))
})

test_that("leading zeros stay text", {
  expect_identical(one("007", "010"), c("007", "010"))
})

test_that("leading zeros behind a blank stay text", {
  expect_identical(one(" 007", "12"), c(" 007", "12"))
})

test_that("whole numbers with an exponent stay text", {
  expect_identical(one("1e5", "10E2"), c("1e5", "10E2"))
})

test_that("fractions make an exponent a number", {
  expect_identical(one("2e3", "1.5"), c(2000, 1.5))
})

test_that("an exponent with a sign is a number", {
  expect_identical(one("1e+05", "7"), c(1e5, 7))
})

test_that("a number beyond all doubles stays text", {
  expect_identical(one("1e999", "1"), c("1e999", "1"))
})

test_that("whole numbers with a plus sign stay text", {
  expect_identical(one("+4912345", "+4912346"), c("+4912345", "+4912346"))
})

test_that("fractions make a plus sign a number", {
  expect_identical(one("+1.5", "-2.5"), c(1.5, -2.5))
})

test_that("hexadecimal numbers stay text", {
  expect_identical(one("0x10", "2"), c("0x10", "2"))
})

test_that("a comma without quotes parts values", {
  expect_error(one("1,5"), "Line 2")
})

test_that("a comma in quotes stays text", {
  expect_identical(one("\"1,5\"", "2"), c("1,5", "2"))
})

test_that("infinite values are numbers", {
  expect_identical(one("Inf", "-Inf"), c(Inf, -Inf))
})

test_that("single letters stay text", {
  expect_identical(one("T", "F"), c("T", "F"))
})

test_that("days that do not exist make text", {
  expect_identical(
    one("2024-02-30", "2024-02-01"), c("2024-02-30", "2024-02-01")
  )
})

test_that("ranges stay text", {
  expect_identical(one("1-2", "3-4"), c("1-2", "3-4"))
})

test_that("minus 0 is a number", {
  expect_identical(one("-0", "5"), c(-0, 5))
})

test_that("minus 0 keeps its sign", {
  expect_identical(1 / one("-0", "5")[1], -Inf)
})

test_that("blanks around texts stay", {
  expect_identical(one(" a ", "b"), c(" a ", "b"))
})

test_that("whole numbers beyond R's are numbers", {
  expect_identical(one("2147483648", "1"), c(2147483648, 1))
})

test_that("a note says why long numbers stay text", {
  expect_match(
    notes_of(bytes_file("id,y\n12345678901234567890,1\n")),
    "`id` stays text.*more digits than a number holds.*`kinds = list\\(id"
  )
})

test_that("a note says why an exponent stays text", {
  expect_match(
    notes_of(bytes_file("id,y\n1e5,1\n")), "may be a code as well as a number"
  )
})

test_that("a note says why a plus sign stays text", {
  expect_match(notes_of(bytes_file("id,y\n+49,1\n")), "plus sign")
})

test_that("leading zeros need no note", {
  expect_identical(notes_of(bytes_file("id,y\n007,1\n")), character())
})

late <- bytes_file("x,y\n", strrep("5,1\n", 3000), "007,1\n")
test_that("a leading zero late in a file makes text of all", {
  expect_identical(read_in(late)$x, c(rep("5", 3000), "007"))
})

test_that("a kind that is told makes numbers of leading zeros", {
  expect_identical(
    read_in(late, kinds = list(x = "number"))$x, c(rep(5, 3000), 7)
  )
})

test_that("quotes hold marks, line ends and the empty text", {
  quoted <- read_in(bytes_file(
    "a,b\n\"x, \"\"y\"\"\nz\",1\n\"\",2\n,3\n\"NA\",4\nNA,5\n"
  ))
  expect_identical(quoted$a, c("x, \"y\"\nz", "", NA, "NA", NA))
})

test_that("an empty text in quotes is absent where all is in quotes", {
  expect_identical(read_in(bytes_file("a,b\n\"\",1\n\"x\",2\n"))$a, c(NA, "x"))
})

test_that("numbers in quotes are numbers", {
  expect_identical(read_in(bytes_file("a,b\n\"1\",1\n\"2\",2\n"))$a, 1:2)
})

test_that("a quote that is never closed is named with its line", {
  refused(
    bytes_file("a,b\n1,\"x\n2,y\n3,z\n"),
    "quote opens on line 2 and is never closed"
  )
})

behind <- bytes_file("a,b\n\"abc\"def,1\n\"x\",2\n")
test_that("text behind a closing quote stays as written", {
  expect_identical(read_in(behind)$a, c("\"abc\"def", "x"))
})

test_that("text behind a closing quote is told", {
  expect_match(
    notes_of(behind),
    "1 value with text behind a closing quote.*line 2, column `a`"
  )
})

test_that("quotes inside a text stay", {
  expect_identical(
    read_in(bytes_file("a,b\n5\" pipe,1\nsaid \"no\",2\n"))$a,
    c("5\" pipe", "said \"no\"")
  )
})

blank <- bytes_file("a,b\n1,2\n\n3,4\n\n\n")
test_that("blank lines are left out", {
  expect_identical(read_in(blank)$a, c(1L, 3L))
})

test_that("blank lines are told", {
  expect_match(notes_of(blank), "1 blank line left out: 3")
})

test_that("blank lines are accounted", {
  expect_identical(reading_account(quiet(study(blank)))$became, "left out")
})

test_that("a blank line in a single column is an absent value", {
  expect_identical(read_in(bytes_file("a\n1\n\n3\n\n"))$a, c(1L, NA, 3L, NA))
})

test_that("any line ends are read", {
  for (end in c("\n", "\r\n", "\r")) {
    text <- gsub("\n", end, "a,b\n1,x\n2,y", fixed = TRUE)
    expect_identical(
      read_in(bytes_file(text)), data.frame(a = 1:2, b = c("x", "y"))
    )
    expect_identical(
      read_in(bytes_file(text, end)), data.frame(a = 1:2, b = c("x", "y"))
    )
  }
})

test_that("a mark inside a quoted header parts nothing", {
  expect_identical(
    names(read_in(bytes_file("\"a;b;c\",x\n1,2\n"))), c("a;b;c", "x")
  )
})

test_that("a semicolon is found", {
  expect_identical(names(read_in(bytes_file("a;b\n1;2\n"))), c("a", "b"))
})

test_that("a bar is found", {
  expect_identical(names(read_in(bytes_file("a|b\n1|2\n"))), c("a", "b"))
})

test_that("a delimiter that is told goes before what is found", {
  expect_error(read_in(bytes_file("a;b\n1,5;2\n"), delimiter = ","), "Line 2")
})

test_that("the ending says that a tab parts values", {
  expect_identical(read_in(bytes_file("a\tb\n1\t2,x\n", ext = ".tsv"))$b, "2,x")
})

test_that("a byte order mark is left out", {
  bom <- bytes_file(as.raw(c(239, 187, 191)), "a,b\n1,2\n")
  expect_identical(names(read_in(bom)), c("a", "b"))
})

odd <- bytes_file(" a ,,a,\"x\ny\"\n1,2,3,4\n")
test_that("odd names become plain ones", {
  expect_identical(names(read_in(odd)), c("a", "column_2", "a_2", "x y"))
})

test_that("odd names are told", {
  expect_match(
    notes_of(odd),
    "\" a \" became `a`, the empty name of column 2 became `column_2`"
  )
})

test_that("a file without a header gets names", {
  expect_identical(
    read_in(bytes_file("1,2\n3,4\n"), header = FALSE),
    data.frame(column_1 = c(1L, 3L), column_2 = c(2L, 4L))
  )
})

test_that("a file of a header alone has no rows", {
  expect_identical(dim(read_in(bytes_file("a,b\n"))), c(0L, 2L))
})

test_that("a header without a line end is read", {
  expect_identical(dim(read_in(bytes_file("a,b"))), c(0L, 2L))
})

test_that("what is no table is refused with its line", {
  refused(
    bytes_file("a,b\n1\n2,3\n4,5,6\n"),
    "Line 2.*1 where there should be 2.*1 more line.*: 4"
  )
  refused(bytes_file("a,b\n1,", as.raw(0), "\n"), "zero byte, first on line 2")
  refused(
    bytes_file("a,b\n1,x", as.raw(0), "y\n"), "zero byte, first on line 2"
  )
  refused(
    bytes_file("a,b", as.raw(0), "c\n1,2\n"), "zero byte, first on line 1"
  )
  refused(
    bytes_file("a,b\n", strrep("1,2\n", 5000), "x,", as.raw(0), "\n"),
    "zero byte, first on line 5,002"
  )
  refused(
    bytes_file("a,b\nM", as.raw(252), "l,1\n"), "not UTF-8, first on row 1"
  )
  refused(
    bytes_file("M", as.raw(252), "l,b\n1,1\n"), "header is not text in UTF-8"
  )
  refused(bytes_file(""), "no header line")
  refused(bytes_file("\n\n"), "no header line")
  refused(bytes_file(as.raw(c(80, 75, 3, 4, 0))), "zip archive")
  refused(bytes_file(as.raw(c(255, 254)), as.raw(c(97, 0, 10, 0))), "UTF-16LE")
  refused(withr::local_tempdir(), "is a folder")
  refused(file.path(tempdir(), "none.csv"), "There is no file")
  refused(bytes_file("a\n1\n"), "There is no encoding", encoding = "latin-one")
  packed <- tempfile(fileext = ".csv.gz")
  con <- gzfile(packed, "wb")
  writeLines(c("a,b", paste0(1:5000, ",", 5000:1)), con)
  close(con)
  expect_identical(read_in(packed)$a, 1:5000)
  bytes <- readBin(packed, "raw", 1e6)
  cut <- bytes_file(bytes[seq_len(length(bytes) %/% 2)], ext = ".csv.gz")
  refused(cut, "gzip file is cut short")
  for (pack in list(bzfile, xzfile)) {
    path <- tempfile(fileext = ".csv")
    con <- pack(path, "wb")
    writeLines(c("a,b", "1,x"), con)
    close(con)
    expect_identical(read_in(path), data.frame(a = 1L, b = "x"))
  }
})

test_that("other encodings, pipes and problems of a reading", {
  umlaut <- "a;b\nM\u00fchle;1\n\u00c5s;2\n"
  for (encoding in c("latin1", "windows-1252", "UTF-16LE", "UTF-16BE", "UTF-8")) {
    bytes <- iconv(umlaut, "UTF-8", encoding, toRaw = TRUE)[[1]]
    expect_identical(
      read_in(bytes_file(bytes), encoding = encoding)$a,
      c("M\u00fchle", "\u00c5s"),
      info = encoding
    )
  }
  skip_on_os("windows")
  rscript <- paste0(
    "R_LIBS=", paste(.libPaths(), collapse = ":"), " ",
    file.path(R.home("bin"), "Rscript"), " --vanilla -e "
  )
  piped <- function(path, shell) {
    script <- paste0("print(as.data.frame(neatsieve::study(", path, ")))")
    command <- shQuote(shell(paste0(rscript, shQuote(script))))
    trimws(system2("timeout", c("60", "bash", "-c", command), stdout = TRUE))
  }
  table <- c("a b", "1 1 2", "2 3 4")
  print_two <- "printf 'a,b\\n1,2\\n3,4\\n'"
  expect_identical(piped("\"-\"", function(r) paste(print_two, "|", r)), table)
  expect_identical(
    piped("commandArgs(TRUE)", function(r) paste0(r, " <(", print_two, ")")),
    table
  )
  file <- bytes_file(
    "kg,n\n", paste0(1:99, ".5,\"a\nb\"\n", collapse = ""), "31 5,x\n"
  )
  account <- reading_account(quiet(study(file)))
  expect_identical(
    account,
    data.frame(line = 200, column = "kg", text = "31 5", became = "absent")
  )
  expect_identical(nrow(reading_account(study(mtcars))), 0L)
})

# A random table as texts, and the bytes that a random writer makes of it.
random_table <- function(columns, rows) {
  parts <- c(
    "a", "B", "7", "-", ".", ",", "\"", " ", "\n", "\u00e9", "NA", "0", ";", "e"
  )
  cell <- function() {
    switch(sample.int(6, 1),
      NA_character_,
      as.character(sample.int(1000, 1)),
      format(round(stats::rnorm(1), 3)),
      "2024-01-05",
      paste(sample(parts, sample.int(5, 1), TRUE), collapse = ""),
      ""
    )
  }
  kinds <- sample(c("mixed", "number", "whole", "date", "text"), columns, TRUE)
  lapply(
    kinds,
    function(kind) {
      vapply(seq_len(rows), function(i) {
        if (kind == "mixed") return(cell())
        if (stats::runif(1) < 0.1) return(NA_character_)
        switch(kind,
          number = format(round(stats::rnorm(1), 4)),
          whole = format(sample.int(999, 1)),
          date = format(as.Date("2024-01-01") + sample.int(999, 1)),
          text = paste0("hive ", sample.int(9, 1))
        )
      }, "")
    }
  )
}
random_bytes <- function(cells, delimiter, end) {
  special <- paste0("[\"\n\r", delimiter, "]|^$|^NA$|^ | $")
  written <- lapply(cells, function(x) {
    quote <- grepl(special, x) | stats::runif(length(x)) < 0.2
    out <- ifelse(
      quote, paste0("\"", gsub("\"", "\"\"", x, fixed = TRUE), "\""), x
    )
    ifelse(is.na(x), sample(c("", "NA"), length(x), TRUE, c(4, 1)), out)
  })
  lines <- do.call(paste, c(unname(written), sep = delimiter))
  text <- paste0(
    paste0("c", seq_along(cells), collapse = delimiter), end,
    paste0(lines, collapse = end),
    if (length(lines) && stats::runif(1) < 0.5) end
  )
  charToRaw(enc2utf8(text))
}

test_that("random tables are read cell by cell as the general reader reads them", {
  skip_if_not_installed("vroom")
  set.seed(21)
  for (round in seq_len(min(2000, as.integer(Sys.getenv("NEATSIEVE_ROUNDS", "20"))))) {
    delimiter <- sample(c(",", ";", "\t"), 1)
    cells <- random_table(sample(2:5, 1), sample(c(1, 7, 60, 200), 1))
    path <- bytes_file(random_bytes(
      cells, delimiter, sample(c("\n", "\r\n"), 1)
    ))
    withr_block <- options(
      neatsieve.block_bytes = sample(c(1, 7, 64, 4096, 2^20), 1)
    )
    read <- read_in(
      path,
      kinds = stats::setNames(
        rep(list("text"), length(cells)), paste0("c", seq_along(cells))
      ),
      delimiter = delimiter
    )
    options(withr_block)
    general <- as.data.frame(vroom::vroom(
      path,
      delim = delimiter,
      col_types = vroom::cols(.default = "c"),
      na = character(),
      trim_ws = FALSE,
      progress = FALSE,
      altrep = FALSE,
      skip_empty_rows = FALSE
    ))
    for (c in seq_along(cells)) {
      # The general reader does not tell text in quotes from a code without, and
      # neither does a column tell "" from absent that has no empty field.
      cell <- cells[[c]]
      if (!any(read[[c]] %in% "")) cell[cell %in% ""] <- NA
      expect_identical(as.character(read[[c]]), cell, info = round)
      theirs <- general[[c]]
      theirs[theirs %in% c(NA, "", "NA") & is.na(cell)] <- NA
      theirs[is.na(theirs) & cell %in% ""] <- ""
      expect_identical(theirs, cell, info = round)
    }
    unlink(path)
  }
  succeed()
})

test_that("kinds do not depend on blocks, threads and what the first rows promise", {
  set.seed(22)
  for (round in seq_len(rounds_of(40, 8))) {
    cells <- random_table(
      sample(1:4, 1), sample(c(3, 80, 2500), 1, prob = c(3, 3, 1))
    )
    path <- bytes_file(random_bytes(cells, ",", "\n"))
    read <- function(block, threads, first) {
      old <- options(neatsieve.block_bytes = block, neatsieve.threads = threads)
      on.exit(options(old))
      if (!is.null(first)) {
        kept <- neatsieve:::first_readings
        on.exit(
          utils::assignInNamespace("first_readings", kept, "neatsieve"),
          add = TRUE
        )
        utils::assignInNamespace(
          "first_readings",
          function(layout, kinds, wanted) {
            stats::setNames(rep(first, length(wanted)), wanted)
          },
          "neatsieve"
        )
      }
      quiet(study(path))
    }
    plain <- read(2^20, 2, NULL)
    for (other in list(read(1, 1, NULL), read(300, 2, "text"), read(2^20, 2, "number"))) {
      expect_identical(as.data.frame(other), as.data.frame(plain), info = round)
      expect_identical(reading_account(other), reading_account(plain))
    }
    unlink(path)
  }
})
