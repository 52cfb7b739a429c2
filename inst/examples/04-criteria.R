# Criteria name conditions once; settings name the values that change.
library(neatsieve)
hives <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  absent_codes = c("", "NA", "n/a", "-9")
)

plan <- sieve(
  settings(min_weight = 45),
  criteria(
    weighed = present(hive_weight_kg),
    misread = hive_weight_kg > 200,
    strong = hive_weight_kg >= min_weight & brood_frames > 6,
    treated = treatment != "none",
    healthy = strong & !(mites_per_100 > 3)
  ),
  include(weighed),
  exclude(misread),
  include(healthy, treated),
  statistics(hive_weight_kg, honey_kg, by = apiary)
)
plan

out <- pour(hives, plan)
out$tables$statistics

# One value, or one criterion, changed and run again.
nrow(pour(hives, plan, set = list(min_weight = 50))$rows)
nrow(pour(hives, swap(plan, "healthy", strong & mites_per_100 <= 1))$rows)

# Conditions over several columns, in three values.
nrow(
  pour(
    hives, include(row_complete(hive_weight_kg, mites_per_100, honey_kg))
  )$rows
)
nrow(pour(hives, include(row_any(hive_weight_kg, honey_kg, it > 60)))$rows)
nrow(pour(hives, include(row_all("*_kg", it > 1)))$rows)
