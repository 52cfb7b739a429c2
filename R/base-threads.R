# How many threads the core may use.

thread_count <- function() {
  asked <- getOption("neatsieve.threads")
  if (is.null(asked)) {
    asked <- language_cache$cores
    if (is.null(asked)) {
      asked <- language_cache$cores <- max(1L, parallel::detectCores(), na.rm = TRUE)
    }
  }
  if (nzchar(limit <- Sys.getenv("_R_CHECK_LIMIT_CORES_")) && !limit %in% c("false", "FALSE")) {
    asked <- min(asked, 2L)
  }
  max(1L, as.integer(asked))
}
