# Conditions on 5 million rows; see bench/README.md. Exit code 1 when an aim is
# missed.
source("bench/common.R")
Rcpp::sourceCpp("bench/loop.cpp")
set.seed(1)
n <- rows_of_bench
gaps <- function(x) {
  x[sample.int(n, n %/% 20L)] <- NA
  x
}
words <- paste0(
  sample(c("alder", "birch", "hazel", "rowan", "yarrow"), 200, TRUE), "-",
  sprintf("%03d", 1:200)
)
table <- data.frame(
  number = gaps(rnorm(n, 50, 20)),
  whole = gaps(sample.int(1000L, n, TRUE)),
  text = gaps(sample(words, n, TRUE)),
  day = gaps(as.Date("2020-01-01") + sample.int(2000L, n, TRUE)),
  other = rnorm(n),
  more = sample.int(9L, n, TRUE)
)
cat(
  "rows:", format(n, big.mark = ","), " cores:", parallel::detectCores(),
  " threads: all unless said, medians of", runs, "\n\n"
)

coding <- median_seconds(neatsieve:::core_code_text(table$text))
factoring <- median_seconds(factor(table$text))
judge(
  "coding 200 distinct texts, share of factor()'s time",
  coding / factoring,
  most = 1 / 3
)

hives <- study(table)
# text coded once, outside the timings
invisible(pour(hives, include(text == "alder-001" | present(text))))

ours <- median_seconds(pour(
  hives, include(number > 45, whole < 600, day >= "2021-06-01")
))
base <- median_seconds(which(
  table$number > 45 & table$whole < 600 & table$day >= as.Date("2021-06-01")
))
loop <- median_seconds(plain_loop(
  table$number,
  table$whole,
  as.numeric(table$day),
  45,
  600L,
  as.numeric(as.Date("2021-06-01"))
))
day <- as.numeric(table$day)
loop <- median_seconds(plain_loop(
  table$number, table$whole, day, 45, 600L, as.numeric(as.Date("2021-06-01"))
))
judged <- neatsieve:::siftings_parts(pour(
  hives, include(number > 45, whole < 600, day >= "2021-06-01")
))$state$rows
stopifnot(
  identical(
    judged,
    which(
      table$number > 45 & table$whole < 600 & table$day >= as.Date("2021-06-01")
    )
  ),
  identical(
    judged,
    plain_loop(
      table$number,
      table$whole,
      day,
      45,
      600L,
      as.numeric(as.Date("2021-06-01"))
    )
  )
)
judge(
  "three conditions to row numbers, times as fast as base which()",
  base / ours,
  least = 6
)
judge(
  "three conditions, share of a loop written for them",
  ours / loop,
  most = 2.5
)
cat(sprintf(
  "    ours %.1f ms, loop %.1f ms, base %.1f ms\n",
  1e3 * ours,
  1e3 * loop,
  1e3 * base
))
single <- local({
  old <- options(neatsieve.threads = 1)
  on.exit(options(old))
  median_seconds(pour(
    hives, include(number > 45, whole < 600, day >= "2021-06-01")
  ))
})
cat(sprintf(
  "    with one thread %.1f ms (%.2f of the loop)\n",
  1e3 * single,
  single / loop
))

regex <- median_seconds(pour(
  hives, include(matches(text, "^(alder|hazel)-0[0-4]"))
))
base <- median_seconds(grepl("^(alder|hazel)-0[0-4]", table$text), times = 5)
judge(
  "a regex on 200 distinct texts, times as fast as base grepl()",
  base / regex,
  least = 50
)

fifty <- words[1:50]
ours <- median_seconds(pour(hives, include(text %in% .(fifty))))
base <- median_seconds(which(table$text %in% fifty))
judge("%in% of 50 texts, times as fast as base", base / ours, least = 5)

# Extra memory: the peak of R's own account above what was there before, per row
# and condition, less the row numbers. What the core allocates for itself is a
# few blocks per thread.
invisible(gc(FALSE))
invisible(gc(reset = TRUE))
before <- sum(gc()[, 2])
out <- pour(hives, include(number > 45, whole < 600, day >= "2021-06-01"))
peak <- sum(gc()[, 6]) - before
numbers <- 4 * length(neatsieve:::siftings_parts(out)$state$rows) / 2^20
judge(
  "extra memory in bytes per row and condition, less row numbers",
  (peak - numbers) * 2^20 / n / 3,
  most = 1
)

rows <- judged
ours <- median_seconds(
  pour(hives, include(number > 45, whole < 600, day >= "2021-06-01"))$rows,
  times = 5
)
base <- median_seconds(table[rows, ], times = 5)
condition <- median_seconds(pour(
  hives, include(number > 45, whole < 600, day >= "2021-06-01")
))
judge(
  "pour()$rows of six columns, share of base df[rows, ] + condition",
  ours / (base + condition),
  most = 1.3
)

demo <- suppressMessages(study(demo_file("hive-visits.csv"), unit = hive))
small <- median_seconds(
  for (i in 1:20) {
    pour(
      demo,
      include(
        present(hive_weight_kg),
        season == "spring",
        brood_frames > 4,
        treatment != "none"
      )
    )
  }
) /
  20
judge(
  "pour() of four conditions on the demo study, in ms",
  1e3 * small,
  most = 10
)
finish_bench()
