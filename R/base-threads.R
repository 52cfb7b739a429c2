# How many threads the core may use.

most_threads <- 256
is_thread_count <- function(x) {
  is.numeric(x) &&
    length(x) == 1 &&
    !is.na(x) &&
    x == floor(x) &&
    x >= 1 &&
    x <= most_threads
}

thread_count <- function() {
  asked <- getOption("neatsieve.threads")
  if (is.null(asked)) {
    asked <- language_cache$cores
    if (is.null(asked)) {
      asked <- language_cache$cores <- max(1L, core_machine_threads())
    }
  } else if (!is_thread_count(asked)) {
    stop_neatly(
      "run",
      paste0(
        "Option `neatsieve.threads` must be a whole number from 1 to ",
        most_threads, "."
      ),
      NULL,
      "Write `options(neatsieve.threads = 2)`, or NULL for all cores."
    )
  }
  if (nzchar(limit <- Sys.getenv("_R_CHECK_LIMIT_CORES_")) &&
    !limit %in% c("false", "FALSE")) {
    asked <- min(asked, 2L)
  }
  as.integer(asked)
}

# lapply() in two processes where that is possible and threads are allowed; an
# error there is an error here.
in_processes <- function(x, f) {
  processes <- min(2L, thread_count(), length(x))
  if (.Platform$OS.type == "windows" || processes < 2) return(lapply(x, f))
  answer <- parallel::mclapply(
    x,
    function(one) tryCatch(list(made = f(one)), error = identity),
    mc.cores = processes
  )
  lapply(answer, function(one) {
    if (inherits(one, "error")) stop(one)
    if (is.null(one)) stop("a process ended before its work was done")
    one$made
  })
}

# Whether a person sees what is told on the way: in a session, or where messages
# go to a terminal.
is_watched <- function() interactive() || isTRUE(isatty(stderr()))
