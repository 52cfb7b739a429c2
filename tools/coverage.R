# What share of the lines of R/ and src/ the tests run, and the files below the
# aim. Takes a while: the package is built without optimisation. Run from the
# root: `make coverage`. What runs only in processes that a test starts and ends
# by force does not count.
Sys.setenv(NOT_CRAN = "true")
options(covr.gcov_additional_paths = NULL)
code <- paste0(
  "source(file.path(\"",
  getwd(),
  "\", \"tools\", \"trace-tables.R\")); ",
  "testthat::test_dir(file.path(\"",
  getwd(),
  "\", \"tests\", \"testthat\"), ",
  "package = \"neatsieve\", load_package = \"installed\", reporter = ",
  "\"silent\", ",
  "stop_on_failure = FALSE); ",
  # Traces of processes that tests end in the middle of writing.
  "for (f in list.files(.libPaths()[1], \"^covr_trace_\", full.names = TRUE)) ",
  "if (inherits(try(readRDS(f), silent = TRUE), \"try-error\")) unlink(f)"
)
found <- covr::package_coverage(".", type = "none", code = code, quiet = TRUE)
lines <- covr::tally_coverage(found, by = "line")
share <- function(of) 100 * mean(of$value > 0)
cat(sprintf(
  "%.1f%% of %d lines; R %.1f%%, C++ %.1f%%\n",
  share(lines),
  nrow(lines),
  share(lines[grepl("^R/", lines$filename), ]),
  share(lines[grepl("^src/", lines$filename), ])
))
by_file <- vapply(split(lines, lines$filename), share, 0)
low <- sort(by_file[by_file < 85])
cat(sprintf("  %5.1f%% %s\n", low, names(low)), sep = "")
gone <- lines[lines$value == 0, c("filename", "line")]
dir.create("build", showWarnings = FALSE)
utils::write.csv(gone, "build/not-covered.csv", row.names = FALSE)
# Why lines are not run, by the files they stand in; the first that fits.
reasons <- c(
  "^src/" = "many groups, keys or rows: run by the core's own tests and in the longer runs",
  "-sql|in-database|source-connect" =
    "drawn by random sieves over databases, few of them in a usual run; searches of many rows",
  "gallery|demo-file|cli-examples|cli-commands|step-each" =
    "the demo and the command, run by tests in processes that end before they are counted",
  "expr-help|expr-functions|expr-running|field|definition" =
    "definitions and help, which run when the package is built",
  "." = "answers to slips and to rare values, one line each, that only random rounds meet"
)
reason <- vapply(gone$filename, function(file) {
  reasons[[which(vapply(names(reasons), grepl, NA, file))[1]]]
}, "")
cat(sprintf("  %5d lines: %s\n", table(reason)[reasons], reasons), sep = "")
cat("Lines that no usual test runs, in build/not-covered.csv.\n")
quit(status = share(lines) < 92)
