# Shared by the benches: medians of at least five runs, ratios, and the exit
# code.
suppressPackageStartupMessages(library(neatsieve))
runs <- as.integer(Sys.getenv("BENCH_RUNS", "7"))
misses <- 0L

median_seconds <- function(expression, times = runs) {
  code <- substitute(expression)
  env <- parent.frame()
  gc(FALSE)
  eval(code, env)
  stats::median(vapply(
    seq_len(times),
    function(i) {
      started <- proc.time()[["elapsed"]]
      eval(code, env)
      proc.time()[["elapsed"]] - started
    },
    numeric(1)
  ))
}

# How many times as long one takes as another: medians of runs by turns, so that
# a machine that is slower for a while is so for both.
median_ratio <- function(slow, fast, times = runs) {
  slow <- substitute(slow)
  fast <- substitute(fast)
  env <- parent.frame()
  one <- function(code) {
    gc(FALSE)
    started <- proc.time()[["elapsed"]]
    eval(code, env)
    proc.time()[["elapsed"]] - started
  }
  eval(fast, env)
  seconds <- vapply(
    seq_len(times), function(i) c(one(slow), one(fast)), numeric(2)
  )
  stats::median(seconds[1, ]) / stats::median(seconds[2, ])
}

# At least `least` times as fast as something else, or at most `most` times its
# cost.
judge <- function(what, ratio, least = NULL, most = NULL) {
  good <- if (!is.null(least)) ratio >= least else ratio <= most
  if (!good) misses <<- misses + 1L
  cat(sprintf(
    "%-66s %7.2f  (%s %g)  %s\n",
    what,
    ratio,
    if (!is.null(least)) "at least" else "at most",
    if (!is.null(least)) least else most,
    if (good) "met" else "MISSED"
  ))
}
finish_bench <- function() quit(save = "no", status = if (misses) 1L else 0L)
rows_of_bench <- as.integer(Sys.getenv("BENCH_ROWS", "5000000"))
