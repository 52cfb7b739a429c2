# Subsets, frequencies, missing values, groups as rows, and a mean beside each
# row.
library(neatsieve)
hives <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  absent_codes = c("", "NA", "n/a", "-9"),
  ordered = list(
    season = c("spring", "summer", "autumn"),
    temper = c("calm", "lively", "hot")
  )
)

out <- pour(
  hives,
  exclude(hive_weight_kg > 200),
  criteria(strong = brood_frames > 8, treated = treatment != "none"),
  subsets(
    strong,
    weak = !strong,
    strong_treated = strong & treated,
    rest = leftover()
  ),
  statistics(mites_per_100, honey_kg)
)
out$tables$statistics
overlaps(out)
as_study(out, subset = "strong_treated")

tables <- pour(
  hives,
  counts(temper, order = "falling", cumulative = TRUE),
  counts(season, treatment, shape = "wide"),
  absences(hive_weight_kg, mites_per_100, honey_kg, patterns = TRUE),
  statistics(
    mites_per_100,
    by = treatment, reference = "none", name = "compared"
  )
)$tables
tables

# One row per hive; conditions then speak of hives.
pour(
  hives,
  condense(
    visits = count(),
    mites = mean(mites_per_100),
    worst = max(mites_per_100),
    by = c(apiary, hive)
  ),
  include(visits >= 20, mites > 3)
)

# Heavier than usual for its apiary.
nrow(
  pour(hives, include(hive_weight_kg > mean(hive_weight_kg, by = apiary)))$rows
)
