# One plan, many runs: change a value, compare, follow a row, seal and verify.
library(neatsieve)

hives <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  absent_codes = c("", "NA", "n/a", "-9"),
  kinds = list(hive_weight_kg = "number")
)
spring <- sieve(
  settings(min_weight = 20),
  criteria(strong = hive_weight_kg >= min_weight & brood_frames > 6),
  include(weighed = present(hive_weight_kg), season == "spring"),
  exclude(misread = hive_weight_kg > 200),
  include(strong),
  statistics(mites_per_100, by = apiary)
)

# Everything that is wrong is told before it runs.
check_sieve(swap(spring, "strong", hive_wieght_kg >= min_weight), hives)

out <- pour(hives, spring)

# What happened to one visit, and to all visits of a hive.
follow(out, 3)
follow(out, unit = "FG-02")

# The same with other values of a setting, lined up.
runs <- pour_each(hives, spring, list(min_weight = c(20, 30, 40)))
runs
head(runs$tables$statistics, 6)

# What a change of the sieve changes, in words and in rows.
stricter <- swap(
  spring, "strong", hive_weight_kg >= min_weight & brood_frames > 8
)
sieve_difference(spring, stricter)
compare_runs(out, pour(hives, stricter))

# The results in a folder, with a seal; run again, they are the same.
folder <- file.path(tempdir(), "spring")
write_siftings(out, folder, report = FALSE)
verify(folder)
