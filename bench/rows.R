# Row steps on 5 million rows; see bench/README.md. Exit code 1 when an aim is
# missed.
source("bench/common.R")
set.seed(1)
n <- rows_of_bench
gaps <- function(x) {
  x[sample.int(n, n %/% 50L)] <- NA
  x
}
words <- sprintf("apiary-%03d", 1:200)
table <- data.frame(
  number = gaps(rnorm(n, 50, 20)),
  text = sample(words, n, TRUE),
  whole = sample.int(max(n %/% 5L, 1L), n, TRUE)
)
sites <- data.frame(text = rev(words), height = seq_along(words) * 2.5)
hives <- study(table)
cat(
  "rows:", format(n, big.mark = ","), " cores:", parallel::detectCores(),
  " threads: all, medians of", runs, "\n\n"
)
quietly <- function(x) suppressMessages(x, classes = "neatsieve_note")
# Texts are coded once for each study, outside the timings.
invisible(quietly(pour(hives, counts(text))))

judge(
  "sorting by a number, share of order(method = \"radix\")",
  most = 1,
  median_ratio(
    quietly(pour(hives, order_rows(number))),
    order(table$number, method = "radix")
  )
)
sorted <- neatsieve:::siftings_parts(quietly(pour(
  hives, order_rows(number)
)))$state$rows
stopifnot(identical(sorted, order(table$number, method = "radix")))

judge(
  "sorting by text, then number, times as fast as base",
  least = 3,
  median_ratio(
    order(table$text, table$number, method = "radix"),
    quietly(pour(hives, order_rows(text, number)))
  )
)

# duplicated() of 5 million rows takes half a minute: once is enough.
ours <- median_seconds(quietly(pour(hives, drop_repeats(text, whole))))
started <- proc.time()[["elapsed"]]
again <- duplicated(table[c("text", "whole")])
base <- proc.time()[["elapsed"]] - started
judge(
  "drop_repeats() on two columns, times as fast as duplicated()",
  base / ours,
  least = 60
)
once <- neatsieve:::siftings_parts(quietly(pour(
  hives, drop_repeats(text, whole)
)))$state$rows
stopifnot(identical(once, which(!again)))

judge(
  "scoop(3) by 200 groups, times as fast as split and order",
  least = 10,
  median_ratio(
    {
      parts <- split(seq_len(n), table$text)
      unlist(lapply(
        parts, function(i) i[order(table$number[i], decreasing = TRUE)][1:3]
      ))
    },
    quietly(pour(hives, scoop(3, highest = number, by = text)))
  )
)

along <- list(
  cumsum = list(
    ours = quote(cumsum(number, by = text)),
    base = function(v) {
      v[is.na(v)] <- 0
      cumsum(v)
    }
  ),
  lag = list(
    ours = quote(lag(number, by = text)),
    base = function(v) c(NA, v[-length(v)])
  ),
  rank = list(
    ours = quote(rank(number, by = text)),
    base = function(v) rank(v, "keep")
  )
)
for (name in names(along)) {
  step <- eval(bquote(work_out(new = .(along[[name]]$ours))))
  judge(
    paste0(name, "() by 200 groups, times as fast as ave()"),
    least = 10,
    median_ratio(
      ave(table$number, table$text, FUN = along[[name]]$base),
      quietly(pour(hives, step)),
      times = 5
    )
  )
}

judge(
  "look_up() of 200 keys, share of match() and indexing",
  most = 2,
  median_ratio(
    quietly(pour(hives, look_up(sites, text))),
    sites$height[match(table$text, sites$text)]
  )
)

# Memory: how far a process of its own grows at its peak, R's vectors and what
# the core takes.
peak_of <- function(step) {
  script <- tempfile(fileext = ".R")
  writeLines(
    c(
      "library(neatsieve)", "set.seed(1)", paste("n <-", n),
      "table <- data.frame(number = rnorm(n), text = sample(sprintf(\"%03d\", 1:200), n, TRUE))",
      "hives <- study(table)", "status <- function(what) {",
      "  line <- grep(what, readLines(\"/proc/self/status\"), value = TRUE)",
      "  as.numeric(gsub(\"[^0-9]\", \"\", line)) * 1024", "}",
      "invisible(pour(hives, counts(text)))", "invisible(gc(FALSE))",
      "writeLines(\"5\", \"/proc/self/clear_refs\")",
      "before <- status(\"VmRSS\")",
      paste0("out <- suppressMessages(pour(hives, ", step, "))"),
      "cat(status(\"VmHWM\") - before)"
    ),
    script
  )
  as.numeric(system2(
    file.path(R.home("bin"), "Rscript"),
    c("--vanilla", script),
    stdout = TRUE,
    env = paste0("R_LIBS=", paste(.libPaths(), collapse = ":"))
  ))
}
if (file.exists("/proc/self/clear_refs")) {
  judge(
    "memory of a sort, bytes per row: result, keys and row numbers twice",
    peak_of("order_rows(text, number)") / n,
    most = 4 + 2 * (8 + 4)
  )
  judge(
    "memory of ranks, bytes per row: result, keys and row numbers twice",
    peak_of("work_out(r = rank(number, by = text))") / n,
    most = 8 + 2 * (8 + 4)
  )
}

# To long and back: 1 million rows by 12 columns.
m <- n %/% 5L
cells <- matrix(rnorm(12 * m), m, dimnames = list(NULL, paste0("w_", 1:12)))
wide <- data.frame(id = seq_len(m), cells)
w <- study(wide)
turn <- list(
  to_long("w_*", label_as = "month", value_as = "weight"),
  to_wide(label = month, value = weight)
)
ours <- median_seconds(
  back <- quietly(pour(w, turn[[1]], turn[[2]]))$rows,
  times = 5
)
stopifnot(identical(back, wide))
started <- proc.time()[["elapsed"]]
long <- stats::reshape(
  wide,
  direction = "long",
  idvar = "id",
  varying = paste0("w_", 1:12),
  v.names = "weight",
  timevar = "month",
  times = paste0("w_", 1:12)
)
again <- stats::reshape(
  long,
  direction = "wide", idvar = "id", timevar = "month", v.names = "weight"
)
base <- proc.time()[["elapsed"]] - started
judge("to long and back, times as fast as reshape()", base / ours, least = 5)
finish_bench()
