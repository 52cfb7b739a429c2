# A study is a table and what is known about it. look() shows kinds, absent
# values, spread and what is worth a look before anything is computed.
library(neatsieve)

hives <- study(demo_file("hive-visits.csv"), unit = hive)
look(hives)

# Told which codes mean absent, in what order the tempers go, and what is
# measured in what:
hives <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  absent_codes = c("", "NA", "n/a", "-9"),
  kinds = list(),
  ordered = list(
    season = c("spring", "summer", "autumn"),
    temper = c("calm", "lively", "hot")
  ),
  measures = list(hive_weight_kg = "kg", honey_kg = "kg")
)
hives
