# Runs the core's own tests and the package's; ends with "N passed, N failed" from true counts. With "hostile" as
# second argument: the tests of results alone, in a session whose options are as unlike the usual as can be.
Sys.setenv(NOT_CRAN = "true")
core <- commandArgs(trailingOnly = TRUE)[1]
hostile <- identical(commandArgs(trailingOnly = TRUE)[2], "hostile")
of_results <- "account|same-rows|study|picks|figure-numbers|aggregates|kept-values|calls|reading|report|statistics|language"
if (hostile) options(OutDec = ",", scipen = 50, digits = 15, warn = 2, stringsAsFactors = FALSE)
said <- suppressWarnings(system2(core, c("-r", "xml"), stdout = TRUE, stderr = TRUE))
total <- regmatches(said, regexec("^  <OverallResults successes=\"([0-9]+)\" failures=\"([0-9]+)\"", said))
total <- Filter(length, total)
core_passed <- core_failed <- 0
if (length(total)) {
  last <- total[[length(total)]]
  core_passed <- as.integer(last[2])
  core_failed <- as.integer(last[3])
} else {
  core_failed <- 1
}
status <- attr(said, "status")
if (core_failed > 0 || !is.null(status)) {
  suppressWarnings(system2(core))
  core_failed <- max(core_failed, 1)
}
cat("core tests:", core_passed, "passed,", core_failed, "failed\n")

results <- as.data.frame(testthat::test_dir(
  "tests/testthat", package = "neatsieve", load_package = "installed", stop_on_failure = FALSE, filter = if (hostile) of_results,
  reporter = testthat::MultiReporter$new(list(testthat::ListReporter$new(), testthat::CheckReporter$new()))
))
failed <- sum(results$failed) + sum(results$error)
passed <- sum(results$nb) - sum(results$failed) - sum(results$skipped) - sum(results$warning)
if (sum(results$warning)) cat("warnings in tests:", sum(results$warning), "\n")
cat("slowest:", paste0(utils::head(results$test[order(-results$real)], 3), " (", round(utils::head(sort(results$real, decreasing = TRUE), 3), 1), " s)", collapse = "; "), "\n")
if (nrow(results) == 0) failed <- failed + 1
cat(sprintf("%d passed, %d failed\n", passed + core_passed, failed + core_failed))
quit(save = "no", status = if (failed + core_failed > 0) 1 else 0)
