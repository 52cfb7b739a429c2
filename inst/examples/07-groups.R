# Which apiary has the most even mite counts among treated strong hives in
# spring, and on how many visits and hives does that rest?
library(neatsieve)
hives <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  absent_codes = c("", "NA", "n/a", "-9"),
  ordered = list(
    season = c("spring", "summer", "autumn"),
    temper = c("calm", "lively", "hot")
  ),
  labels = list(mites_per_100 = "Mites per 100 bees")
)

out <- pour(
  hives,
  criteria(
    strong = hive_weight_kg >= 20 & brood_frames > 6,
    treated = treatment != "none"
  ),
  exclude(misread = hive_weight_kg > 200),
  include(season == "spring", strong, treated, present(mites_per_100)),
  statistics(
    mites_per_100,
    relative_spread = sd(mites_per_100) / mean(mites_per_100),
    by = apiary,
    show = c("mean", "sd", "iqr"),
    units = TRUE,
    order = sd
  )
)
out$tables$statistics

# The answer in words: the first line, with its visits (n) and hives (units).
best <- out$tables$statistics[1, ]
sprintf(
  "%s: sd %.2f on %d visits to %d hives",
  best$apiary,
  best$sd,
  best$n,
  best$units
)

# The rows held back because they could not be decided, by condition.
held <- held_back(out, unknown = TRUE)
table(held$held_by)
