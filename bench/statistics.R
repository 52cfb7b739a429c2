# Statistics per group on 5 million rows; see bench/README.md. Exit code 1 when
# an aim is missed.
source("bench/common.R")
Rcpp::sourceCpp("bench/sum.cpp")
set.seed(2)
n <- rows_of_bench
gaps <- function(x) {
  x[sample.int(n, n %/% 20L)] <- NA
  x
}
words <- paste0(c("alder", "birch"), sprintf("-%03d", 1:200))
table <- data.frame(
  x = gaps(rnorm(n, 50, 20)),
  place = gaps(sample(words, n, TRUE)),
  kind = gaps(sample(c("low", "mid", "high"), n, TRUE)),
  id = sample.int(1000000L, n, TRUE)
)
cat(
  "rows:", format(n, big.mark = ","), " cores:", parallel::detectCores(),
  " medians of", runs, "(base: of 5)\n\n"
)
s <- study(table)
base_runs <- 5L
poured <- function(...) suppressMessages(pour(s, ...))
# texts coded once; coding is measured in conditions.R
invisible(poured(statistics(x, by = c(place, kind), show = "mean")))

moments <- function(v) {
  p <- v[!is.na(v)]
  c(length(p), sum(is.na(v)), mean(p), sd(p), min(p), max(p))
}
six <- function(v) {
  p <- v[!is.na(v)]
  c(moments(v), quantile(p, c(.25, .5, .75), names = FALSE))
}
one <- c("mean", "sd", "min", "max")

plain <- median_seconds(plain_sum(table$x))
ours <- median_seconds(poured(statistics(
  x,
  by = place,
  show = c("mean", "sd", "min", "max")
)))
base <- median_seconds(
  vapply(split(table$x, table$place), moments, numeric(6)), base_runs
)
judge(
  "n, absent, mean, sd, min, max by 200 texts, times split + vapply",
  base / ours,
  least = 15
)
judge(
  "the same, share of a plain pass that sums the column",
  ours / plain,
  most = 3
)
cat(sprintf(
  "    ours %.1f ms, plain sum %.1f ms, base %.0f ms\n",
  1e3 * ours,
  1e3 * plain,
  1e3 * base
))
ours <- median_seconds(poured(statistics(x, by = place)))
base <- median_seconds(
  vapply(split(table$x, table$place), six, numeric(9)), base_runs
)
judge("with median and quartiles, times split + vapply", base / ours, least = 6)

ours <- median_seconds(poured(statistics(
  x,
  by = c(place, kind),
  show = c("mean", "sd", "min", "max")
)))
base <- median_seconds(
  vapply(split(table$x, list(table$place, table$kind)), moments, numeric(6)),
  base_runs
)
judge("by two keys (200 by 3), times split + vapply", base / ours, least = 15)
ours <- median_seconds(poured(statistics(x, by = c(place, kind))))
base <- median_seconds(
  vapply(split(table$x, list(table$place, table$kind)), six, numeric(9)),
  base_runs
)
judge("the same with median and quartiles", base / ours, least = 6)

ours <- median_seconds(poured(statistics(x, by = id, show = "mean")))
base <- median_seconds(tapply(table$x, table$id, mean, na.rm = TRUE), base_runs)
judge("means of 1 million groups, times tapply()", base / ours, least = 60)
cat(sprintf("    ours %.0f ms, base %.0f ms\n", 1e3 * ours, 1e3 * base))

ours <- median_seconds(poured(counts(place, kind)))
base <- median_seconds(table(table$place, table$kind), base_runs)
judge("counts() of two keys, times table()", base / ours, least = 20)

ours <- median_seconds(poured(work_out(m = mean(x, by = place))))
base <- median_seconds(
  ave(table$x, table$place, FUN = function(v) mean(v, na.rm = TRUE)), base_runs
)
judge(
  "a mean beside each row by 200 groups, times ave()",
  base / ours,
  least = 8
)

six_criteria <- criteria(
  a = x > 40,
  b = x > 60,
  c = kind == "low",
  d = kind != "high",
  e = id < 300000,
  f = id %% 2 == 0
)
pairs <- utils::combn(letters[1:6], 2, function(p) paste(p, collapse = " & "))
others <- c(
  letters[1:6], pairs, gsub("&", "|", pairs), paste0("!", letters[1:6]),
  paste0(letters[1:6], " & !", letters[c(2:6, 1)]), "a & b & c", "d | e | f"
)
fifty <- setNames(
  lapply(others[1:50], function(t) bquote(written(.(t)))), paste0("s", 1:50)
)
many <- poured(six_criteria, eval(as.call(c(quote(subsets), fifty))))
single <- poured(six_criteria, subsets(s1 = a))
ours <- median_seconds(suppressMessages(pour(
  many, statistics(x, by = place, show = c("mean", "sd", "min", "max"))
)))
base <- median_seconds(suppressMessages(pour(
  single, statistics(x, by = place, show = c("mean", "sd", "min", "max"))
)))
judge(
  "50 subsets of 6 criteria, share of one subset's time",
  ours / base,
  most = 4
)
cat(sprintf("    50 subsets %.0f ms, one %.0f ms\n", 1e3 * ours, 1e3 * base))

# Windows of 28 days along the visits of 200 hives; the keys as they stand,
# texts and dates.
days <- data.frame(
  hive = sample(sprintf("hive-%03d", 1:200), n, TRUE),
  day = as.Date("2020-01-01") + sample.int(1500L, n, TRUE),
  x = rnorm(n)
)
hives <- study(days)
windows <- work_out(p = rolling(mean(x), days = 28, order = day, by = hive))
judge(
  "a rolling mean of 28 days by 200 hives, times order() of its keys",
  most = 1.5,
  median_ratio(
    suppressMessages(pour(hives, windows)),
    order(days$hive, days$day, method = "radix"),
    times = 5
  )
)
rm(days, hives)

# The table of characteristics: 14 numbers and 6 categories by 3 groups.
numbers <- paste0("n", 1:14)
categories <- paste0("c", 1:6)
columns <- c(
  stats::setNames(lapply(numbers, function(i) gaps(rnorm(n))), numbers),
  stats::setNames(
    lapply(categories, function(i) gaps(sample(letters[1:5], n, TRUE))),
    categories
  ),
  list(arm = sample(c("a", "b", "c"), n, TRUE))
)
wide <- study(as.data.frame(columns))
rm(columns)
quietly <- function(x) suppressMessages(x, classes = "neatsieve_note")
all_columns <- eval(bquote(
  characteristics(..(lapply(c(numbers, categories), as.name)), by = arm),
  splice = TRUE
))
alone <- lapply(c(numbers, categories), function(name) {
  eval(bquote(statistics(.(as.name(name)), by = arm)))
})
of_all <- median_seconds(quietly(pour(wide, all_columns)), 5)
of_each <- median_seconds(for (step in alone) quietly(pour(wide, step)), 5)
judge(
  "characteristics() of 20 columns by 3 groups, share of the passes over each",
  of_all / of_each,
  most = 2
)
cat(sprintf(
  "    all %.0f ms, one by one %.0f ms\n", 1e3 * of_all, 1e3 * of_each
))
rm(wide)

demo <- suppressMessages(study(demo_file("hive-visits.csv"), unit = hive))
small <- median_seconds(
  for (i in 1:20) {
    pour(
      demo, statistics(hive_weight_kg, mites_per_100, by = c(apiary, treatment))
    )
  }
) /
  20
judge(
  "statistics() of the demo study by two keys, in ms",
  1e3 * small,
  most = 15
)
finish_bench()
