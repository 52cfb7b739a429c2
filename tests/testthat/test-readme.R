# What README.md and the tour behind it show runs: R code in one session,
# command lines in a shell.

readme_blocks <- function(language) {
  paths <- file.path("..", "..", c("README.md", file.path("docs", "tour.md")))
  skip_if_not(all(file.exists(paths)), "README.md is not here")
  lines <- unlist(lapply(paths, readLines, encoding = "UTF-8"))
  start <- which(lines == paste0("```", language))
  ends <- which(lines == "```")
  lapply(start, function(s) lines[(s + 1):(min(ends[ends > s]) - 1)])
}
# The files that its examples name.
local_readme_folder <- function(env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  withr::local_dir(folder, .local_envir = env)
  file.copy(
    list.files(dirname(demo_file("hive-visits.csv")), full.names = TRUE), folder
  )
  writeLines(
    c(
      "day;hive;weight;treatment;temper", "28/03/2024;A-1;31,5;thymol;calm",
      "04/04/2024;A-2;n/a;Thymol ;hot", "11/04/2024;A-1;33,75;none;lively"
    ),
    "spring.csv"
  )
  con <- DBI::dbConnect(RSQLite::SQLite(), "hives.sqlite")
  write_table(quiet(demo_study()), database(con, "visits"))
  DBI::dbDisconnect(con)
  packed <- gzfile("visits.csv.gz", "w")
  writeLines(readLines("hive-visits.csv"), packed)
  close(packed)
  folder
}

test_that("every call of README.md runs", {
  skip_if_not_installed("RSQLite")
  skip_if_not_installed("writexl")
  blocks <- readme_blocks("r")
  expect_gt(length(blocks), 8)
  local_readme_folder()
  grDevices::pdf(NULL)
  withr::defer(grDevices::dev.off())
  session <- new.env(parent = globalenv())
  for (block in blocks) {
    for (call in parse(text = block)) {
      said <- tryCatch(
        {
          utils::capture.output(quiet(suppressWarnings(print(eval(
            call, session
          )))))
          ""
        },
        error = conditionMessage
      )
      expect_identical(said, "", info = deparse1(call))
    }
  }
})

test_that("what README.md says beside a call is what comes out", {
  lines <- Filter(
    function(block) all(grepl("# [0-9]+ rows", block)), readme_blocks("r")
  )[[1]]
  calls <- sub(" *#.*", "", lines)
  said <- sub(".*# *", "", lines)
  expect_length(lines, 5)
  for (i in seq_along(lines)) {
    out <- quiet(eval(str2lang(calls[i])))
    expect_match(said[i], paste0("^", nrow(out$rows), " rows"), info = calls[i])
  }
  counts <- unlist(
    ledger(eval(str2lang(calls[1])))[2, c("yes", "no", "unknown")]
  )
  expect_match(
    said[1], paste0(counts[["no"]], " no and ", counts[["unknown"]], " unknown")
  )
})

test_that("every command line of README.md runs", {
  skip_if_not_installed("RSQLite")
  skip_on_os("windows")
  blocks <- readme_blocks("sh")
  plan <- readme_blocks("yaml")[[1]]
  local_readme_folder()
  dir.create("bin")
  writeLines(
    c(
      "#!/bin/sh",
      paste0(
        "exec ", file.path(R.home("bin"), "Rscript"),
        " -e 'neatsieve:::cli_main(commandArgs(TRUE))' \"$@\""
      )
    ),
    file.path("bin", "neatsieve")
  )
  Sys.chmod(file.path("bin", "neatsieve"))
  withr::local_path(file.path(getwd(), "bin"))
  blocks <- Filter(
    function(block) any(grepl("neatsieve (pour|screening|look)", block)), blocks
  )
  expect_gt(length(blocks), 1)
  for (block in blocks) {
    code <- suppressWarnings(system2(
      "bash",
      c("-e", "-o", "pipefail"),
      input = block,
      stdout = FALSE,
      stderr = FALSE
    ))
    expect_identical(code, 0L, info = paste(block, collapse = "\n"))
  }
  writeLines(plan, "plan.yaml")
  expect_identical(
    system2(
      "neatsieve",
      c("pour", "plan.yaml"),
      stdout = FALSE,
      stderr = FALSE
    ),
    0L
  )
  expect_true(file.exists("heavy.yaml"))
  expect_true(file.size("with-hive.csv") > 1e5)
})

test_that("the map of the words links every exported one, and every page leads on", {
  source <- file.path("..", "..", "R", "neatsieve-package.R")
  skip_if_not(file.exists(source), "the sources are not here")
  map <- paste(readLines(source), collapse = "\n")
  words <- setdiff(getNamespaceExports("neatsieve"), "show")
  for (word in grep("^[.]__", words, value = TRUE, invert = TRUE)) {
    expect_true(
      grepl(paste0("[", word, "()]"), map, fixed = TRUE),
      label = word
    )
  }
  pages <- list.files(file.path("..", "..", "man"), "[.]Rd$", full.names = TRUE)
  for (page in setdiff(pages, grep("neatsieve-package", pages, value = TRUE))) {
    text <- paste(readLines(page, encoding = "UTF-8"), collapse = "\n")
    expect_match(text, "\\seealso{", fixed = TRUE, label = basename(page))
    if (grepl("\\value{", text, fixed = TRUE)) {
      expect_match(
        text, "\\section{Errors}",
        fixed = TRUE, label = basename(page)
      )
    }
  }
})
