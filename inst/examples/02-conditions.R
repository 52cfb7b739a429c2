# Conditions split rows three ways: yes, no, and unknown where a value is
# absent.
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

# Before using conditions: what would they say, and why is a row unknown?
screening(hives, mites_per_100 > 5, treated = treatment != "none", pairs = TRUE)

# include() keeps the yes rows; every row held back can be looked at, with the
# reason.
out <- pour(hives, include(heavy = hive_weight_kg > 60, mites_per_100 > 3))
ledger(out)
held_back(out, "heavy", unknown = TRUE)

# Unknown can be let through, or can stop the run.
ledger(pour(hives, include(hive_weight_kg > 60, unknown = "pass")))

# As it stands, as a formula, as text, with a value of the session.
limit <- 60
condition <- "hive_weight_kg > 60"
nrow(pour(hives, include(hive_weight_kg > .(limit)))$rows)
nrow(pour(hives, include(~ hive_weight_kg > 60))$rows)
nrow(pour(hives, include(written(condition)))$rows)
