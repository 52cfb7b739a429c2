# The best of each group, a random half that stays the same, and visits written
# down twice.
library(neatsieve)
hives <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  absent_codes = c("", "NA", "n/a", "-9")
)

# The three visits of each apiary with the most honey. Visits that tie with the
# third come along; those without a number cannot be the best, and are held back
# as unknown.
best <- pour(
  hives,
  scoop(3, highest = honey_kg, by = apiary),
  order_rows(apiary, falling(honey_kg))
)
print(best, rows = 8, columns = c(apiary, hive, visit_date, honey_kg))
table(best$held$held_because)

# Only three of each, whatever ties:
nrow(pour(hives, scoop(3, highest = honey_kg, by = apiary, ties = "first")))

# Half of the visits to each apiary, drawn with a seed: the same half on every
# machine.
half <- scoop(share = 0.5, seed = 7, by = apiary)
half
pour(hives, half, counts(apiary))$tables$counts

# The last visit to each hive.
print(
  pour(hives, order_rows(visit_date), scoop(at = -1, by = hive)),
  columns = c(hive, visit_date, brood_frames)
)

# Visits that were written down twice: all of them, pair by pair ...
print(
  pour(hives, find_repeats(hive, visit_date)),
  rows = 6,
  columns = c("repeat_*", visit_id, hive, visit_date)
)

# ... and the study without the second of each.
once <- pour(hives, drop_repeats(hive, visit_date, order = visit_id))
once
held_back(once, "drop_repeats")
