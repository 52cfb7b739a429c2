# Random vectors, whole and malformed, for as many seconds as the argument says:
# written in every format and read back, where bits that differ must be named by
# a note; and given to steps, where a raw error or a warning is a finding.
# NEATSIEVE_FUZZ_FROM is the first seed (else the clock's); a seed as second
# argument runs that one round alone.
library(neatsieve)
arguments <- commandArgs(TRUE)
seconds <- if (length(arguments)) as.numeric(arguments[1]) else 10
from <- Sys.getenv("NEATSIEVE_FUZZ_FROM", as.integer(Sys.time()) %% 1000000L)
seed <- as.integer(if (length(arguments) > 1) arguments[2] else from)
one <- length(arguments) > 1

options(device = function(...) ragg::agg_png(tempfile(fileext = ".png")))
pick <- function(x, n = 1) x[[sample.int(length(x), n)]]
some <- function(x, n) x[sample.int(length(x), n, replace = TRUE)]
moment <- function(x, zone) .POSIXct(x, zone)
zones <- c(
  "UTC", "Europe/Berlin", "Africa/Monrovia", "Asia/Kolkata",
  "America/St_Johns", ""
)
words <- c(
  "fen", "a,b", "a;b", "say \"x\"", " lead", "trail ", "", "NA", "TRUE", "1e5",
  "007", "1,5", "2024-01-01", "=1+1", "_x0041_", "a\nb", "\t", "\u00e9t\u00e9",
  "\U0001F41D", "'", "-", "null", "Inf", "a\rb", "\\", "\u200b", "|", "#"
)
doubles <- function(n) {
  switch(sample.int(6, 1),
    rnorm(n),
    round(rnorm(n) * 100),
    some(c(0, -0, 1, 2.5), n),
    rnorm(n) * 10^sample(-300:300, n, replace = TRUE),
    some(2^(50:54), n),
    some(c(Inf, -Inf, 1.5, NA, NaN, 5e-324), n)
  )
}
whole <- list(
  double = doubles,
  integer = function(n) some(c(NA, -.Machine$integer.max, 0:9), n),
  logical = function(n) some(c(TRUE, FALSE, NA), n),
  text = function(n) some(c(some(words, 4), NA), n),
  category = function(n) factor(some(c(some(words, 3), NA), n)),
  day = function(n) {
    .Date(some(c(NA, sample(-40000:40000, 5), -719528, 2932896), n))
  },
  time = function(n) {
    moment(
      switch(sample.int(4, 1),
        runif(n, -4e9, 4e9),
        round(runif(n, -4e9, 4e9), 3),
        round(runif(n, -4e9, 4e9)),
        some(c(NA, 0, 86400, 0.5), n)
      ),
      pick(zones)
    )
  }
)
class_as <- function(x, ...) {
  attributes(x) <- list(...)
  x
}
broken <- list(
  function(n) {
    class_as(
      sample(-1:4, n, replace = TRUE),
      levels = c("a", "b"),
      class = "factor"
    )
  },
  function(n) {
    class_as(rep(1:2, length.out = n), levels = c("a", "a"), class = "factor")
  },
  function(n) {
    class_as(rep(1:2, length.out = n), levels = c(1, 2), class = "factor")
  },
  function(n) class_as(some(words, n), class = "Date"),
  function(n) class_as(some(words, n), class = c("POSIXct", "POSIXt")),
  function(n) {
    class_as(
      rnorm(n),
      class = c("POSIXct", "POSIXt"),
      tzone = pick(list("No/Where", 5))
    )
  },
  function(n) {
    `Encoding<-`(
      some(c("a", "\xff\xfe"), n), pick(c("bytes", "unknown", "UTF-8"))
    )
  },
  function(n) complex(n),
  function(n) as.raw(rep(1, n)),
  function(n) I(rep(list(mean, 1), n)[1:n]),
  function(n) class_as(rnorm(n), class = "integer64"),
  function(n) rnorm(n + 1),
  function(n) matrix(1, n, 2),
  function(n) as.POSIXlt("2024-01-01", tz = "UTC") + seq_len(n),
  function(n) class_as(rnorm(n), class = "unheard"),
  function(n) as.difftime(rnorm(n), units = "mins")
)

table_of <- function(columns) {
  n <- length(columns[[1]])
  class_as(
    columns,
    names = names(columns),
    class = "data.frame",
    row.names = seq_len(n)
  )
}
endings <- c(
  "csv", "tsv", "csv.gz", "jsonl", "json", "jsonl.gz",
  Filter(
    function(e) {
      requireNamespace(
        c(xlsx = "writexl", parquet = "nanoparquet")[[e]],
        quietly = TRUE
      )
    },
    c("xlsx", "parquet")
  )
)
bits <- function(x) {
  if (is.character(x) || is.factor(x)) return(enc2utf8(as.character(x)))
  x <- as.double(x)
  ifelse(is.na(x), "absent", paste(sprintf("%a", x), 1 / x < 0 & x == 0))
}
formats_round <- function() {
  kind <- pick(names(whole))
  x <- whole[[kind]](sample.int(8, 1))
  ending <- pick(endings)
  list(
    what = paste(ending, kind, paste(deparse(x), collapse = " ")),
    run = function() {
      file <- tempfile(fileext = paste0(".", ending))
      on.exit(unlink(file))
      said <- character()
      withCallingHandlers(
        write_table(data.frame(id = seq_along(x), x = x), file),
        neatsieve_note = function(m) said <<- c(said, conditionMessage(m))
      )
      # The kind is told, as a plan tells it: "007" is a text, and so may be
      # "TRUE".
      asked <- c(
        double = "number", integer = "number", logical = "logical",
        text = "text", category = "text", day = "date", time = "date-time"
      )[[kind]]
      by_itself <- kind %in% c("double", "integer", "logical", "day", "time")
      y <- as.data.frame(
        if (by_itself) study(file) else study(file, kinds = list(x = asked))
      )$x
      if (all(is.na(x)) && all(is.na(y)) && !(is.character(x) && "" %in% x)) {
        return()
      }
      if (!identical(bits(x), bits(y)) && !any(grepl("Column `x`", said))) {
        stop("read back as ", paste(deparse(y), collapse = " "))
      }
    }
  )
}
uses <- list(
  function(d) study(d),
  function(d) print(look(d)),
  function(d) pour(d, include(present(x))),
  function(d) pour(d, statistics(x, by = id)),
  function(d) pour(d, counts(x)),
  function(d) pour(d, order_rows(x)),
  function(d) pour(d, drop_repeats(x)),
  function(d) fingerprint(d),
  function(d) pour(data.frame(id = 1:2), look_up(d, by = id)),
  function(d) pour(data.frame(id = 1:2), append_rows(d)),
  function(d) screening(d),
  function(d) pour(d, work_out(y = max(x, over = "all"))),
  function(d) pour(d, absences(by = x)),
  function(d) pour(d, condense(n = count(), by = x)),
  function(d) pour(d, to_long(x)),
  function(d) pour(d, chart_bar(x))$figures[[1]],
  function(d) pour(d, scoop(1, highest = x)),
  function(d) write_table(d, tempfile(fileext = paste0(".", pick(endings))))
)
vectors_round <- function() {
  make <- if (stats::runif(1) < 0.7) pick(broken) else pick(whole)
  use <- pick(uses)
  n <- sample(0:5, 1)
  x <- make(n)
  d <- table_of(list(id = seq_len(n), x = x))
  list(
    what = paste(deparse(body(use)), deparse(make), collapse = " "),
    run = function() print(use(d))
  )
}

found <- 0
rounds <- 0
start <- Sys.time()
repeat {
  set.seed(seed)
  round <- switch(sample.int(2, 1),
    formats_round(),
    vectors_round()
  )
  problem <- NULL
  invisible(utils::capture.output(tryCatch(
    withCallingHandlers(
      round$run(),
      message = function(m) invokeRestart("muffleMessage"),
      warning = function(w) {
        problem <<- paste("warning:", conditionMessage(w))
        invokeRestart("muffleWarning")
      }
    ),
    neatsieve_error = function(e) NULL,
    error = function(e) problem <<- paste("error:", conditionMessage(e))
  )))
  rounds <- rounds + 1
  if (!is.null(problem)) {
    found <- found + 1
    cat(
      "seed ", seed, ": ", substr(gsub("\n", " | ", problem), 1, 300),
      "\n    ", substr(round$what, 1, 600), "\n",
      sep = ""
    )
    if (found >= 25) break
  }
  seed <- seed + 1L
  if (one || as.numeric(Sys.time() - start, units = "secs") > seconds) break
}
cat("vectors: ", rounds, " rounds, ", found, " findings\n", sep = "")
quit(save = "no", status = if (found) 1 else 0)
