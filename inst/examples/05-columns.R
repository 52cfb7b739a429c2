# Columns are picked by name, range, position, pattern, kind and gaps, in the
# order written.
library(neatsieve)
hives <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  absent_codes = c("", "NA", "n/a", "-9")
)
columns <- function(...) names(pour(hives, pick_columns(...))$rows)

columns(hive, apiary)
columns(season:treatment)
columns(1:3, from_end(1:2))
columns("*_kg", "mites_*")
columns(of_kind("date", "logical"), both(of_kind("number"), gappy()))
columns(honey_kg, rest())
columns(except(notes, "*_kg"))
columns(hive, hive_weight_kg, renamed = list(weight = hive_weight_kg))
columns(1:4, recase = "upper")
