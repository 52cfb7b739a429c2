# Runs the core's own tests and the package's; ends with "N passed, N failed"
# from true counts. With "hostile" as second argument: the tests of results
# alone, in a session whose options are as unlike the usual as can be. The files
# run in two processes (as many as NEATSIEVE_TEST_PROCESSES says), the longest
# first; NEATSIEVE_SLOWEST says how many of the slowest tests to list.
Sys.setenv(NOT_CRAN = "true")
arguments <- commandArgs(trailingOnly = TRUE)
core <- arguments[1]
hostile <- identical(arguments[2], "hostile")
processes <- as.integer(Sys.getenv("NEATSIEVE_TEST_PROCESSES", "2"))
of_results <- paste0(
  "account|same-rows|row-steps|study|picks|figure-numbers|aggregates|kept-values|calls|reading|",
  "report|statistics|language"
)
if (hostile) {
  options(
    OutDec = ",", scipen = 50, digits = 15, warn = 2, stringsAsFactors = FALSE
  )
}

# Passed and failed checks of the core's program, by its own account.
core_counts <- function(program) {
  said <- suppressWarnings(system2(
    program,
    c("-r", "xml"),
    stdout = TRUE,
    stderr = TRUE
  ))
  shape <- "^  <OverallResults successes=\"([0-9]+)\" failures=\"([0-9]+)\""
  total <- Filter(length, regmatches(said, regexec(shape, said)))
  counts <- if (length(total)) {
    as.integer(total[[length(total)]][2:3])
  } else {
    c(0L, 1L)
  }
  if (!is.null(attr(said, "status")) || counts[2] > 0) {
    suppressWarnings(system2(program))
    counts[2] <- max(counts[2], 1L)
  }
  counts
}

# One file in a process of its own; what it prints is kept and shown in one
# piece.
run_file <- function(file) {
  started <- proc.time()[["elapsed"]]
  said <- utils::capture.output(
    met <- testthat::test_dir(
      "tests/testthat",
      package = "neatsieve",
      load_package = "installed",
      stop_on_failure = FALSE,
      filter = paste0("^", file, "$"),
      reporter = testthat::ListReporter$new()
    )
  )
  list(
    file = file,
    results = as.data.frame(met),
    said = c(said, unlist(lapply(met, faults_of))),
    seconds = proc.time()[["elapsed"]] - started
  )
}

# What failed in a test, or was skipped or warned of, in words.
faults_of <- function(test) {
  is_fault <- function(x) !inherits(x, "expectation_success")
  unlist(lapply(Filter(is_fault, test$results), function(x) {
    line <- if (is.null(x$srcref)) "" else paste0(":", x$srcref[1])
    c(
      paste0("-- ", class(x)[1], " in ", test$file, line, ": ", test$test),
      conditionMessage(x)
    )
  }))
}

files <- sub(
  "^test-(.*)[.]R$", "\\1", list.files("tests/testthat", "^test-.*[.]R$")
)
if (hostile) files <- grep(of_results, files, value = TRUE)
# The longest come first: how long each takes, roughly, in seconds.
slow <- c(
  figures = 99, "desk-page" = 86, "figure-extras" = 67, pages = 60,
  "large-plans" = 55, "figure-properties" = 51, "sieved-files" = 50,
  cli = 47, "database-edges" = 47, "cli-steps" = 45, databases = 45,
  "database-forms" = 41, docs = 35, surroundings = 32, desk = 26,
  "database-account" = 25, damaged = 23, "parquet-parts" = 20, continued = 18,
  runs = 16, extremes = 15, layers = 15, "database-interrupt" = 13,
  "written-back" = 12, readme = 12, documents = 12, "language-random" = 12,
  "database-servers" = 12, robust = 12
)
# With all random rounds some take far longer than the rest.
all_rounds <- as.numeric(Sys.getenv("NEATSIEVE_ROUNDS", "0")) > 1000
if (all_rounds) {
  slow[c(
    "sieved-files", "language-plans", "parquet-parts", "databases",
    "text-files", "text-parts"
  )] <- c(800, 620, 300, 240, 240, 130)
}
weight <- ifelse(files %in% names(slow), slow[files], 3)
files <- files[order(-weight, files)]
# Drawn snapshots begin a process, whatever else is longer.
files <- unique(c(intersect("figures", files), files))

# What nearly every file needs is loaded once, before the processes part.
for (package in c(
  "testthat", "ggplot2", "ragg", "svglite", "htmltools", "optparse", "stringi",
  "vctrs", "yaml", "jsonlite", "mgcv"
)) loadNamespace(package)
library(neatsieve)
of_core <- parallel::mcparallel(core_counts(core))
# Methods of the drawing package are compiled at their second call: here, for
# all processes.
grDevices::pdf(NULL)
for (i in 1:2) {
  out <- pour(
    warpbreaks,
    chart_box(y = breaks, x = wool, panels = tension),
    chart_histogram(x = breaks, colour = wool),
    statistics(breaks, by = wool)
  )
  for (figure in out$figures) print(figure)
  invisible(utils::capture.output(print(out)))
}
invisible(grDevices::dev.off())
# Each process takes the next file that nobody has begun, so that all end at
# about the same time, and keeps what R has compiled in it. Drawn snapshots are
# in one file, the first of its process: sizes of texts that were measured for
# other kinds of pictures stay known and differ in the last digit.
queue <- tempfile("queue-")
dir.create(queue)
run_files <- function(process) {
  results <- list()
  for (i in seq_along(files)) {
    is_mine <- dir.create(file.path(queue, i), showWarnings = FALSE)
    if (is_mine) results[[files[i]]] <- run_file(files[i])
  }
  results
}
by_process <- parallel::mclapply(
  seq_len(processes),
  run_files,
  mc.cores = processes,
  mc.preschedule = FALSE
)
ran <- unlist(Filter(is.list, by_process), recursive = FALSE)[files]
counts <- parallel::mccollect(of_core)[[1]]
if (!is.integer(counts)) counts <- c(0L, 1L)
cat("core tests:", counts[1], "passed,", counts[2], "failed\n")

failed <- passed <- 0
for (i in seq_along(files)) {
  one <- ran[[i]]
  if (!is.list(one) || nrow(one$results) == 0) {
    cat("== ", files[i], ": ended before its tests did\n", sep = "")
    failed <- failed + 1
    next
  }
  bad <- sum(one$results$failed) + sum(one$results$error)
  failed <- failed + bad
  passed <- passed +
    sum(one$results$nb) -
    sum(one$results$failed) -
    sum(one$results$skipped) -
    sum(one$results$warning)
  cat(sprintf("%-22s %5.1f s\n", files[i], one$seconds))
  if (bad + sum(one$results$warning)) writeLines(one$said)
}
if (!length(files)) failed <- failed + 1
slowest <- as.integer(Sys.getenv("NEATSIEVE_SLOWEST", "0"))
if (slowest > 0) {
  times <- do.call(
    rbind,
    lapply(Filter(is.list, ran), function(one) {
      one$results[c("file", "test", "real")]
    })
  )
  times <- utils::head(times[order(-times$real), ], slowest)
  cat(
    sprintf("%6.1f s  %-28s %s\n", times$real, times$file, times$test),
    sep = ""
  )
}
cat(sprintf("%d passed, %d failed\n", passed + counts[1], failed + counts[2]))
quit(save = "no", status = if (failed + counts[2] > 0) 1 else 0)
