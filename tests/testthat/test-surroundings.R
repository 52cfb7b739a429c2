# Whatever the session and the machine are like: the same answer, or an error
# and nothing lost.

# Lines of bash with R's libraries at hand; gives exit code and what was said.
shell <- function(..., env = character()) {
  script <- tempfile(fileext = ".sh")
  lines <- c("export RSCRIPT=\"$R_HOME/bin/Rscript\"", ...)
  writeLines(enc2utf8(lines), script, useBytes = TRUE)
  out <- tempfile()
  code <- suppressWarnings(system2(
    "bash",
    shQuote(script),
    stdout = out,
    stderr = out,
    env = c(
      paste0("R_LIBS=", shQuote(paste(.libPaths(), collapse = ":"))),
      paste0("R_HOME=", shQuote(R.home())),
      paste0(
        "NEATSIEVE=",
        shQuote(system.file("exec", "neatsieve", package = "neatsieve"))
      ),
      env
    )
  ))
  list(code = code, said = readLines(out, encoding = "UTF-8", warn = FALSE))
}
small_study <- function(folder = tempfile("study-")) {
  dir.create(folder)
  writeLines(c("x,t", "1,a", "2,b", "3,c"), file.path(folder, "x.csv"))
  writeLines(
    c(
      "study: x.csv", "steps:", "  - include: [x > 1]", "  - statistics: [x]",
      "  - chart_bar: t"
    ),
    file.path(folder, "plan.yaml")
  )
  folder
}

folder <- small_study()
ran <- shell(
  paste("cd", shQuote(folder)),
  "\"$RSCRIPT\" --vanilla \"$NEATSIEVE\" pour plan.yaml --out ."
)
test_that("a folder that holds the plan is not written into", {
  expect_identical(ran$code, 1L)
})

test_that("the folder that holds the plan is named", {
  expect_match(
    ran$said[1], "The folder \".\" holds \"plan.yaml\"",
    fixed = TRUE
  )
})

before <- tools::md5sum(list.files(folder, full.names = TRUE))
test_that("the folder that holds the plan stays as it was", {
  expect_identical(tools::md5sum(list.files(folder, full.names = TRUE)), before)
})

out <- pour(file.path(folder, "x.csv"), include(x > 1))
test_that("a folder that holds the study is not written into", {
  expect_error(
    write_siftings(out, folder),
    "holds \"x.csv\"",
    class = "neatsieve_error_run"
  )
})

test_that("the folder that holds the study stays as it was", {
  expect_identical(tools::md5sum(list.files(folder, full.names = TRUE)), before)
})

test_that("a folder inside that of the study is written into", {
  expect_true(
    file.exists(file.path(folder, "results", "rows.csv")) ||
      length(write_siftings(
        out,
        file.path(folder, "results"),
        report = FALSE
      )) >
        2
  )
})

test_that("a full disk leaves the old files and fails", {
  skip_on_os("windows")
  folder <- tempfile("full-")
  dir.create(folder)
  targets <- file.path(
    folder,
    c("rows.csv", "plan.yaml", "bar.png", "bar.svg", "bar.pdf", "report.html")
  )
  for (t in targets) writeLines("old", t)
  script <- file.path(folder, "write.R")
  writeLines(
    c(
      "suppressMessages(library(neatsieve)); folder <- commandArgs(TRUE)",
      paste0(
        "out <- pour(data.frame(x = 1:3000, t = 'some text that fills the ",
        "disk'), chart_bar(x ",
        "= t), chart_strip(y = x))"
      ),
      "big <- sieve(lapply(1:400, function(i) include(written(paste('x >', i)))))",
      "at <- function(name) file.path(folder, name)",
      paste0(
        "for (call in list(quote(write_siftings(out, folder, report = ",
        "FALSE)), ",
        "quote(write_sieve(big, at('plan.yaml'))), ",
        "quote(save_figure(out$figures$strip, ",
        "at('bar.png'))), quote(save_figure(out$figures$strip, at('bar.svg'))),"
      ),
      paste0(
        "  quote(save_figure(out$figures$strip, at('bar.pdf'))), ",
        "quote(report(out, ",
        "at('report.html'))))) cat(tryCatch({ eval(call); 'written' }, ",
        "neatsieve_error = ",
        "function(e) 'refused', error = conditionMessage), '\\n')"
      )
    ),
    script
  )
  # Files may not grow beyond 4 KiB, and the signal that says so is not deadly.
  ran <- shell(
    "trap '' XFSZ",
    "ulimit -f 4",
    paste("\"$RSCRIPT\" --vanilla", shQuote(script), shQuote(folder))
  )
  expect_identical(
    trimws(grep("written|refused", ran$said, value = TRUE)), rep("refused", 6)
  )
  for (t in targets) expect_identical(readLines(t), "old", info = t)
  expect_length(list.files(folder, pattern = "part-", all.files = TRUE), 0)
})

test_that("output that cannot be printed fails", {
  skip_if_not(file.exists("/dev/full"))
  folder <- small_study()
  file <- shQuote(file.path(folder, "x.csv"))
  for (asked in c(paste("look", file), paste("pour", file, "--rows-to -"), "look --help")) {
    ran <- shell(paste0(
      "\"$RSCRIPT\" --vanilla \"$NEATSIEVE\" ", asked, " > /dev/full"
    ))
    expect_identical(ran$code, 1L, info = asked)
    expect_match(ran$said, "could not be written", all = FALSE, info = asked)
  }
})

test_that("a link that is written to stays a link", {
  skip_on_os("windows")
  folder <- tempfile("link-")
  dir.create(folder)
  real <- file.path(folder, "real.yaml")
  link <- file.path(folder, "link.yaml")
  writeLines("old", real)
  file.symlink(real, link)
  write_sieve(sieve(include(x > 1)), link)
  expect_identical(Sys.readlink(link), real)
  expect_match(readLines(real), "x > 1", all = FALSE)
})

folder <- tempfile("letters-")
dir.create(folder)
lines <- enc2utf8(c(
  "town,gr\u00f6\u00dfe", "M\u00fcnchen,3", "Ulm,4", "\u0141\u00f3d\u017a,5"
))
con <- file(file.path(folder, "x.csv"), "wb")
writeLines(lines, con, useBytes = TRUE)
close(con)
con <- file(file.path(folder, "plan.yaml"), "wb")
writeLines(
  enc2utf8(c(
    "study: x.csv", "steps:",
    "  - include: ['town == \"M\u00fcnchen\" | gr\u00f6\u00dfe > 4']",
    "  - work_out: {doppelt: 'gr\u00f6\u00dfe * 2'}", "  - counts: [town]"
  )),
  con,
  useBytes = TRUE
)
close(con)
script <- file.path(folder, "s.R")
con <- file(script, "wb")
writeLines(
  enc2utf8(c(
    "suppressMessages(library(neatsieve))",
    "d <- data.frame(town = c('M\u00fcnchen', 'Ulm', NA))",
    "out <- pour(d, include(town == 'M\u00fcnchen'))",
    "cat(nrow(out), '\\n')", "write_sieve(out$sieve, 'again.yaml')",
    "cat(nrow(pour(d, read_sieve('again.yaml'))), '\\n')"
  )),
  con,
  useBytes = TRUE
)
close(con)
ran <- shell(
  paste("cd", shQuote(folder)),
  "export LC_ALL=C LANG=C",
  "\"$RSCRIPT\" --vanilla s.R",
  "\"$RSCRIPT\" --vanilla \"$NEATSIEVE\" pour plan.yaml --out out | head -1",
  paste0(
    "\"$RSCRIPT\" --vanilla \"$NEATSIEVE\" screening x.csv 'town == ",
    "\"M\u00fcnchen\"' 'gr\u00f6\u00dfe > 3' | grep -c ' [12]   [12] '"
  )
)
test_that("letters are letters in a script in the C locale", {
  expect_identical(trimws(ran$said[1:2]), c("1", "1"))
})

test_that("letters are letters on the command line in the C locale", {
  expect_match(ran$said, "2 of 3 rows", all = FALSE)
})

test_that("letters in a condition are letters in the C locale", {
  expect_identical(utils::tail(ran$said, 1), "2")
})

read <- function(name) readLines(file.path(folder, name), encoding = "UTF-8")
test_that("letters in a plan are written in the C locale", {
  expect_match(
    read("again.yaml"), "town == \"M\u00fcnchen\"",
    fixed = TRUE, all = FALSE
  )
})

test_that("letters in rows are written in the C locale", {
  expect_identical(
    read("out/rows.csv"),
    c(
      "town,gr\u00f6\u00dfe,doppelt", "M\u00fcnchen,3,6",
      "\u0141\u00f3d\u017a,5,10"
    )
  )
})

test_that("letters in the plan of a folder are written in the C locale", {
  expect_match(
    read("out/sieve.yaml"), "gr\u00f6\u00dfe > 4",
    fixed = TRUE, all = FALSE
  )
})

test_that("options of the session change nothing", {
  d <- data.frame(
    x = c(0.5, 100000, 1e-10, NA),
    g = c("a", "B", "\u00e9", "b"),
    day = as.Date("2024-01-01") + 0:3
  )
  run <- function() {
    out <- quiet(pour(
      d,
      settings(least = 0.1 + 0.2),
      include(x > least / 1e9 | absent(x)),
      work_out(
        y = as_text(x),
        k = as_category(x),
        b = band(x, c(0, 0.75, 2e5))
      ),
      statistics(x, by = g),
      counts(b),
      chart_bar(x = g, y = mean(x))
    ))
    folder <- tempfile()
    write_siftings(out, folder, report = FALSE)
    texts <- lapply(
      stats::setNames(nm = c("rows.csv", "table-statistics.csv", "sieve.yaml")),
      function(f) readLines(file.path(folder, f), encoding = "UTF-8")
    )
    plan <- tempfile(fileext = ".json")
    write_sieve(out$sieve, plan)
    list(
      out$rows,
      out$tables,
      texts,
      readLines(plan),
      utils::capture.output(print(out)),
      utils::capture.output(print(out$tables)),
      utils::capture.output(print(look(d))),
      out$figures$bar$labels[c("title", "caption", "alt")],
      quiet(pour(d, read_sieve(plan)))$rows
    )
  }
  plain <- run()
  old <- options(
    OutDec = ",", scipen = -8, digits = 3, stringsAsFactors = FALSE, warn = 2
  )
  on.exit(options(old))
  expect_identical(run(), plain)
  options(OutDec = ".", scipen = 50, digits = 15, warn = 0)
  expect_identical(run(), plain)
  options(old)
  collate <- Sys.getlocale("LC_COLLATE")
  zone <- Sys.getenv("TZ", NA)
  on.exit(
    {
      Sys.setlocale("LC_COLLATE", collate)
      if (is.na(zone)) Sys.unsetenv("TZ") else Sys.setenv(TZ = zone)
    },
    add = TRUE
  )
  Sys.setenv(TZ = "Pacific/Auckland")
  suppressWarnings(Sys.setlocale("LC_COLLATE", "C"))
  expect_identical(run(), plain)
})

test_that("memory that runs out while a file is read is one error, read whole or in pieces", {
  skip_on_os(c("windows", "mac"))
  file <- withr::local_tempfile(fileext = ".csv")
  write_table(
    data.frame(a = as.numeric(1:5e6) / 8, b = 5e6:1 / 4, c = 1:5e6), file
  )
  script <- withr::local_tempfile(fileext = ".R")
  writeLines(
    c(
      "suppressMessages(library(neatsieve)); options(neatsieve.threads = 2)",
      # What tells of errors is loaded while there is room.
      "file <- commandArgs(TRUE)[1]; invisible(try(study('none'), silent = TRUE))",
      "bytes <- as.numeric(commandArgs(TRUE)[2]); options(neatsieve.sieve_file_bytes = bytes)",
      "cat(tryCatch({ nrow(pour(file, include(a > 1))$rows); 'done' },",
      "neatsieve_error = function(e)",
      "gsub('\\n', ' ', conditionMessage(e)), error = function(e) 'raw'), '\\n')"
    ),
    script
  )
  for (bytes in c(1, 2^40)) {
    # R begins small, whatever the tests themselves are run with.
    ran <- shell(
      "ulimit -v 450000; unset R_NSIZE R_VSIZE R_GC_MEM_GROW",
      paste("\"$RSCRIPT\" --vanilla", shQuote(script), shQuote(file), bytes)
    )
    expect_identical(ran$code, 0L)
    expect_match(ran$said, "There is not enough memory to read")
  }
})

test_that("memory that runs out in a thread is one error", {
  skip_on_os(c("windows", "mac"))
  script <- tempfile(fileext = ".R")
  writeLines(
    c(
      "suppressMessages(library(neatsieve)); options(neatsieve.threads = 2)",
      "n <- 5e5",
      paste0(
        "d <- data.frame(a = factor(rep_len(1:4000, n)), b = ",
        "factor((rep_len(4000:1, n) * ",
        "rep_len(1:7, n)) %% 4000L))"
      ),
      paste0(
        "cat(tryCatch({ pour(d, counts(a, b)); 'done' }, neatsieve_error_run ",
        "= ",
        "function(e) conditionMessage(e)), '\\n')"
      )
    ),
    script
  )
  ran <- shell(
    "ulimit -v 450000", paste("\"$RSCRIPT\" --vanilla", shQuote(script))
  )
  expect_identical(ran$code, 0L)
  expect_match(ran$said[1], "There is not enough memory for this step")
  # Enough of it: the same script is done.
  if (is_full_run()) {
    expect_match(
      shell(paste("\"$RSCRIPT\" --vanilla", shQuote(script)))$said[1], "done"
    )
  }
})
