# Many files that are one study.

visits_table <- function(n = 600, seed = 1) {
  set.seed(seed)
  gone <- function(x, k) replace(x, sample(n, k), NA)
  towns <- c("Alder", "Fen, Gate", "Mill \"Lawn\"")
  data.frame(
    id = seq_len(n),
    town = gone(sample(towns, n, TRUE), 30),
    day = as.Date("2024-01-01") + sample(400, n, TRUE),
    weight = gone(round(runif(n, 5, 60), 2), 40),
    mites = gone(sample(0:30, n, TRUE), 20),
    seen = gone(sample(c(TRUE, FALSE), n, TRUE), 10),
    note = gone(sample(c("a\nb", "plain", "9", ""), n, TRUE), 25)
  )
}
# Without this package's own writer.
write_part <- function(x, path) {
  con <- if (grepl("[.]gz$", path)) gzfile(path, "w") else file(path, "w")
  on.exit(close(con))
  utils::write.table(
    x,
    con,
    sep = ",",
    row.names = FALSE,
    na = "",
    qmethod = "double",
    quote = which(vapply(x, is.character, NA))
  )
}
# A table cut at random places into files in a folder of their own.
cut_into <- function(table, k, folder, endings = ".csv") {
  at <- sort(sample(0:nrow(table), k - 1, replace = TRUE))
  from <- c(0, at) + 1
  to <- c(at, nrow(table))
  paths <- file.path(
    folder, sprintf("part-%02d%s", seq_len(k), rep_len(endings, k))
  )
  for (i in seq_len(k)) {
    write_part(table[seq_len(to[i] - from[i] + 1) + from[i] - 1, ], paths[i])
  }
  list(paths = paths, sizes = to - from + 1)
}

steps_of_files <- function() {
  sieve(
    include(weight > 10 | absent(weight), mites < 28),
    exclude(town == "Alder"),
    statistics(weight, mites, by = town),
    counts(seen, town),
    absences(note, town),
    chart_histogram(x = weight),
    work_out(w2 = weight * 2)
  )
}
# All that a run says, but times and names of files.
whole_answer <- function(out) {
  account <- ledger(out)
  held <- as.data.frame(held_back(out))
  list(
    rows = out$rows,
    account = account[setdiff(names(account), c("seconds", "place"))],
    held = held[setdiff(names(held), c("source_file", "file_row"))],
    tables = out$tables,
    chart = chart_data(out, "histogram")
  )
}

test_that("files of one form give the bits of the whole file, however they are cut", {
  folder <- withr::local_tempdir()
  for (seed in seq_len(if (is_full_run()) 40 else 4)) {
    table <- visits_table(seed = seed)
    whole <- file.path(folder, "whole.csv")
    write_part(table, whole)
    place <- file.path(folder, seed)
    dir.create(place)
    k <- sample(c(1, 2, 7, 50), 1)
    cut <- cut_into(
      table, k, place, sample(list(".csv", c(".csv", ".csv.gz")), 1)[[1]]
    )
    expected <- quiet(whole_answer(pour(study(whole), steps_of_files())))
    for (data in list(cut$paths, place, file.path(place, "part-*"))) {
      read <- quiet(study(data, source = "file"))
      expect_identical(
        as.data.frame(read)[names(table)], as.data.frame(quiet(study(whole)))
      )
      expect_identical(read$file, rep(basename(cut$paths), cut$sizes))
      withr::with_options(
        list(
          neatsieve.sieve_file_bytes = sample(c(1, Inf), 1),
          neatsieve.block_bytes = sample(c(64, 2^20), 1)
        ),
        {
          out <- quiet(pour(data, steps_of_files()))
          expect_identical(whole_answer(out), expected)
          held <- held_back(out)
          # One file by its path alone is no study of several.
          if (identical(data, cut$paths) && k == 1) next
          expect_equal(
            held$source_row,
            c(
              0L, cumsum(cut$sizes)
            )[match(held$source_file, basename(cut$paths))] +
              held$file_row
          )
        }
      )
    }
  }
})

test_that("files of other columns, orders and formats are joined by name", {
  skip_if_not_installed("nanoparquet")
  folder <- withr::local_tempdir()
  table <- visits_table(300, 3)
  at <- function(name) file.path(folder, name)
  write_part(table[1:100, ], at("a.csv"))
  write_part(table[101:150, c(3, 1, 2, 5, 4, 7, 6)], at("b.csv"))
  utils::write.table(
    table[151:200, ],
    at("c.tsv"),
    sep = "\t",
    row.names = FALSE,
    na = "",
    qmethod = "double",
    quote = which(vapply(table, is.character, NA))
  )
  nanoparquet::write_parquet(table[201:250, ], at("d.parquet"))
  jsonlite::stream_out(table[251:300, ], file(at("e.jsonl")), verbose = FALSE)
  paths <- at(c("a.csv", "b.csv", "c.tsv", "d.parquet", "e.jsonl"))
  # In JSON "" is a text; absent in the others unless it is in quotes.
  read <- quiet(study(
    paths,
    kinds = list(day = "date"),
    absent_codes = c("", "NA")
  ))
  table$note[table$note %in% ""] <- NA
  expect_equal(as.data.frame(read), table, ignore_attr = "row.names")
  expect_match(
    problems_of(study(paths, kinds = list(day = "date"))),
    "another order in \"b.csv\"",
    all = FALSE
  )
  write_part(table[1:10, c("id", "town")], at("f.csv"))
  some <- at(c("a.csv", "f.csv"))
  expect_identical(names(quiet(study(some))), names(table))
  expect_true(all(is.na(quiet(study(some))$weight[101:110])))
  expect_identical(names(quiet(study(some, join = "common"))), c("id", "town"))
  expect_snapshot(
    error = TRUE,
    study(some, join = "same"),
    transform = function(x) gsub(folder, "FOLDER", x, fixed = TRUE)
  )
})

folder <- withr::local_tempdir()
at <- function(name) file.path(folder, name)
# Other delimiters, so that each is read by itself.
two <- function(a, b) {
  writeLines(c("id,x", paste0(seq_along(a), ",", a)), at("a.csv"))
  writeLines(c("id;x", paste0(seq_along(b), ";", b)), at("b.csv"))
  quiet(study(at(c("a.csv", "b.csv")), decimal = "."))$x
}
test_that("whole numbers in all files are whole", {
  expect_identical(two(1:3, c("4", "5")), 1:5)
})

test_that("one file with fractions makes numbers", {
  expect_identical(two(1:3, c("4.5", "5")), c(1, 2, 3, 4.5, 5))
})

test_that("a file without values leaves the kind", {
  expect_identical(two(1:3, c("", "")), c(1:3, NA, NA))
})

test_that("one text in few numbers makes text", {
  expect_identical(two(1:3, c("x", "5")), c("1", "2", "3", "x", "5"))
})

test_that("one text in many numbers is absent", {
  expect_identical(two(1:99, "x"), c(1:99, NA))
})

test_that("logical values and numbers make text", {
  expect_identical(
    two(c("TRUE", "FALSE"), c("1", "0")), c("TRUE", "FALSE", "1", "0")
  )
})

test_that("dates in one file are dates in all", {
  expect_identical(
    two(c("2024-01-01", "2024-05-31"), ""),
    as.Date(c("2024-01-01", "2024-05-31", NA))
  )
})

test_that("a kind that is told is that of all files", {
  whole <- quiet(study(
    at(c("a.csv", "b.csv")),
    kinds = list(x = "text"),
    decimal = "."
  ))$x
  expect_type(whole, "character")
})

test_that("names of folders and files are columns", {
  folder <- withr::local_tempdir()
  for (year in 2023:2024) {
    for (site in c("Fen Gate", "Mill")) {
      place <- file.path(
        folder, paste0("year=", year), paste0("site=", utils::URLencode(site))
      )
      dir.create(place, recursive = TRUE)
      writeLines(
        c("x", year + seq_len(nchar(site))), file.path(place, "rows.csv")
      )
    }
  }
  read <- study(folder, source = c(from = "site=(.*)/rows"))
  expect_identical(read$year, rep(2023:2024, each = 12))
  expect_identical(read$site, rep(rep(c("Fen Gate", "Mill"), c(8, 4)), 2))
  expect_identical(read$from, sub(" ", "%20", read$site))
  withr::local_options(neatsieve.sieve_file_bytes = 1)
  out <- quiet(pour(
    folder, include(year == 2024, site == "Mill"), counts(year)
  ))
  expect_equal(
    out$rows,
    as.data.frame(read)[21:24, c("x", "year", "site")],
    ignore_attr = TRUE
  )
  expect_identical(out$tables$counts$n, 4L)
})

test_that("a broken file stops, or is left out and said", {
  folder <- withr::local_tempdir()
  at <- function(name) file.path(folder, name)
  writeLines(c("id,x", "1,2", "2,3"), at("a.csv"))
  writeLines(c("id,x", "3,4", "5"), at("b.csv"))
  writeLines(c("id,x", "6,\"open", "7,8"), at("c.csv"))
  shown <- function(x) gsub(folder, "FOLDER", x, fixed = TRUE)
  expect_snapshot(
    error = TRUE, study(at(c("a.csv", "b.csv"))), transform = shown
  )
  expect_snapshot(
    error = TRUE, study(at(c("c.csv", "a.csv"))), transform = shown
  )
  said <- problems_of(
    read <- study(at("*.csv"), broken = "skip", source = "file")
  )
  expect_identical(read$id, 1:2)
  expect_match(
    said,
    "b.csv\" is left out: Line 3 has another number of values",
    all = FALSE
  )
  expect_match(
    said, "c.csv\" is left out: A quote opens on line 2",
    all = FALSE
  )
  expect_error(
    study(at(c("b.csv", "c.csv")), broken = "skip"),
    "None of the files",
    class = "neatsieve_error_study"
  )
  out <- pour(read, include(x > 2), statistics(x))
  lines <- as.data.frame(ledger(out))
  expect_identical(lines$level, c("file", "file", "step", "condition", "step"))
  expect_identical(lines$name[1:2], c("b.csv", "c.csv"))
  expect_match(
    lines$because[1:2], "^Line 3 has another number|^A quote opens on line 2"
  )
  expect_identical(lines$rows_in[3], 2)
  expect_match(
    capture.output(print(out)),
    "its rows are not counted: \"b.csv\"",
    all = FALSE
  )
  page <- at("report.html")
  report(out, page)
  expect_match(
    paste(readLines(page), collapse = "\n"),
    "its rows are not counted: &quot;b.csv|counted: \"b"
  )
  expect_identical(nrow(as.data.frame(ledger(pour(read)))), 2L)
})

test_that("a table with reading options of its own stands in plans, code and a run's folder", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  writeLines(c("id,x", "1,2", "2,3"), "a.csv")
  writeLines(c("id;x;d", "7;2,5;03.04.2024", "8;4,5;-8"), "late.csv")
  writeLines(c("id,x", "9,1"), "later.csv")
  late <- study(
    "late.csv",
    decimal = ",",
    absent_codes = list("", d = c(refused = "-8")),
    kinds = list(d = "date %d.%m.%Y")
  )
  plan <- sieve(
    append_rows(late, columns = "all", origin = "from"),
    append_rows(c("a.csv", "later.csv"), origin = "from"),
    absences()
  )
  told <- suppressMessages(out <- pour("a.csv", plan))
  expect_identical(out$rows$x, c(2, 3, 2.5, 4.5, 2, 3, 1))
  expect_identical(out$rows$d[3], as.Date("2024-04-03"))
  expect_identical(
    out$rows$from,
    c("a.csv", "late.csv", "a.csv and 1 more")[c(1, 1, 2, 2, 3, 3, 3)]
  )
  same <- function(other) {
    again <- suppressMessages(pour("a.csv", other))
    expect_identical(again$rows, out$rows)
    expect_identical(again$tables, out$tables)
  }
  write_sieve(plan, "plan.yaml")
  dir.create("sub")
  write_sieve(plan, "sub/plan.json")
  expect_match(readLines("sub/plan.json"), "\\.\\./late.csv", all = FALSE)
  for (path in c("plan.yaml", "sub/plan.json")) same(read_sieve(path))
  read <- read_sieve("plan.yaml")
  same(eval(parse(text = as.character(as_code(read)))))
  expect_identical(
    seal(suppressMessages(pour("a.csv", read)))$plan, seal(out)$plan
  )
  suppressMessages(write_siftings(out, "run"))
  expect_true(all(suppressMessages(verify("run"))$agrees))
  writeLines(
    c(
      "steps:", "  - append_rows:", "      table:", "        file: late.csv",
      "        decimals: ','"
    ),
    "odd.yaml"
  )
  expect_error(
    read_sieve("odd.yaml"),
    "Unknown key `decimals` in the table.*line 5.*`decimal`",
    class = "neatsieve_error_plan"
  )
})

test_that("what is wrong with the files that are asked for is told", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  expect_error(
    study("visits-*.csv"), "No file matches",
    class = "neatsieve_error_study"
  )
  dir.create("empty")
  expect_error(
    study("empty"), "without a table",
    class = "neatsieve_error_study"
  )
  writeLines(c("x", "1"), "a.csv")
  jsonlite::write_json(list(list(x = 1)), "b.json")
  expect_error(study("."), "several formats", class = "neatsieve_error_study")
  expect_error(
    study(c("a.csv", "./a.csv")), "named twice",
    class = "neatsieve_error_study"
  )
  expect_error(
    study(c("a.csv", "-")), "stream",
    class = "neatsieve_error_study"
  )
  refused <- function(said, ...) {
    expect_error(study("*.csv", ...), said, class = "neatsieve_error_study")
  }
  refused("there is one already", source = "x")
  refused("does not fit", source = c(m = "(q)"))
  expect_error(
    study("*.csv", join = "inner"),
    "`join` must be",
    class = "neatsieve_error_study"
  )
  writeLines(c("y", "1"), "c.csv")
  expect_error(
    study(c("a.csv", "c.csv")),
    "no column in common",
    class = "neatsieve_error_study"
  )
  writeLines(c("X,k", "1,2"), "d.csv")
  writeLines(c("x,k", "1,2"), "e.csv")
  expect_match(
    problems_of(study(c("d.csv", "e.csv"))), "spelled nearly alike",
    all = FALSE
  )
})

test_that("several files stand in plans, code, the shell and seals", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  table <- visits_table(90, 8)
  for (i in 1:3) {
    write_part(table[(i - 1) * 30 + 1:30, ], sprintf("v-%d.csv", i))
  }
  steps <- sieve(include(present(weight)), counts(part, town))
  for (data in list("v-*.csv", c("v-1.csv", "v-3.csv"))) {
    s <- quiet(study(data, source = c(part = "v-(.)"), join = "common"))
    write_sieve(steps, "plan.yaml", study = s)
    out <- quiet(pour("plan.yaml"))
    expect_identical(out$tables, quiet(pour(s, steps))$tables)
    code <- parse(text = as_code(read_sieve("plan.yaml")))
    expect_identical(quiet(eval(code[[1]][[3]]))$part, s$part)
    quiet(write_siftings(out, "results", force = TRUE))
    expect_true(attr(quiet(verify("results")), "agrees"))
  }
  expect_error(
    write_table(out, "v-1.csv"), "a file that the study was read from"
  )
  exec <- system.file("exec", "neatsieve", package = "neatsieve")
  said <- withr::with_envvar(c(R_LIBS = paste(.libPaths(), collapse = ":")), {
    system2(
      file.path(R.home("bin"), "Rscript"),
      shQuote(c(
        "--vanilla", exec, "pour", "v-1.csv", "v-2.csv", "--source",
        "part=v-(.)", "--counts", "part"
      )),
      stdout = TRUE,
      stderr = FALSE
    )
  })
  expect_match(said, "^ *1 +30", all = FALSE)
  expect_match(said, "^ *2 +30", all = FALSE)
})

test_that("what was wrong with a file is listed with its line in that file", {
  folder <- withr::local_tempdir()
  at <- function(name) file.path(folder, name)
  numbers <- function(n, odd) c("x", seq_len(n), odd)
  writeLines(numbers(60, character()), at("a.csv"))
  writeLines(c("x", "", "1", "odd", "", "2"), at("b.csv"))
  read <- quiet(study(at(c("a.csv", "b.csv"))))
  account <- reading_account(read)
  expect_identical(account$file, rep(at("b.csv"), nrow(account)))
  expect_identical(account$line[account$text == "odd"], 4)
})

test_that("single files have options of their own", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  writeLines(c("id;x", "1;2,5", "2;-1"), "a.csv")
  writeLines(c("Title", "id,x", "3,4.5", "4,-8", "5,-1"), "b.csv")
  told <- list(
    "b.csv" = list(skip = 1, absent_codes = list("", x = c(refused = "-8"))),
    "a.csv" = list(decimal = ",", absent_codes = "-1")
  )
  s <- quiet(study(c("a.csv", "b.csv"), by_file = told))
  expect_identical(s$x, c(2.5, NA, 4.5, NA, -1))
  steps <- sieve(include(absent(x, "refused")))
  expect_identical(pour(s, steps)$rows$id, 4L)
  write_sieve(steps, "plan.yaml", study = s)
  expect_identical(quiet(pour("plan.yaml"))$rows$id, 4L)
  expect_identical(
    quiet(eval(parse(text = as_code(read_sieve("plan.yaml")))[[1]][[3]]))$x, s$x
  )
  refused <- function(said, by_file) {
    expect_error(
      study(c("a.csv", "b.csv"), by_file = by_file),
      said,
      class = "neatsieve_error_study"
    )
  }
  refused("none of the files", list("c.csv" = list(skip = 1)))
  refused("Did you mean `skip`", list("b.csv" = list(skp = 1)))
  refused("list of options", list(list(skip = 1)))
})

test_that("rows of several files are appended, and each append says where they come from", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  for (i in 1:3) writeLines(c("id", i * 10), sprintf("more-%d.csv", i))
  out <- quiet(pour(
    data.frame(id = 1L),
    append_rows("more-[12].csv", origin = "from"),
    append_rows("more-*.csv", origin = "from")
  ))
  expect_identical(out$rows$id, c(1L, 10L, 20L, 10L, 20L, 30L))
  expect_identical(
    out$rows$from, rep(c("the data", "more-[12].csv", "more-*.csv"), 1:3)
  )
  expect_error(
    pour(
      data.frame(id = 1L, from = "x"),
      append_rows("more-1.csv", origin = "from")
    ),
    "column already",
    class = "neatsieve_error_step"
  )
})

folder <- withr::local_tempdir()
at <- function(name) file.path(folder, name)
writeLines(c("a,b", "1,x", "-9,y"), at("c1.csv"))
writeLines(c("a,b", "-9,x", "4,"), at("c2.csv"))
paths <- at(c("c1.csv", "c2.csv"))
test_that("a code for absent in one file that is a value in another is told", {
  said <- problems_of(study(
    paths,
    by_file = list("c2.csv" = list(absent_codes = c("", "-9")))
  ))
  expect_match(
    said,
    "column `a` \"-9\" means absent in \"c2.csv\", and is a value in \"c1.csv\"",
    all = FALSE
  )
  expect_match(
    said,
    "absent_codes = list(c(\"\", \"NA\"), a = \"-9\")",
    fixed = TRUE,
    all = FALSE
  )
})

test_that("a code that no other file has is not told", {
  said <- problems_of(study(
    paths,
    by_file = list("c2.csv" = list(absent_codes = c("", "-8")))
  ))
  expect_false(any(grepl("means absent", said)))
})
