# Sorting, ranks within an apiary, and what changed since the visit before.
library(neatsieve)
hives <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  absent_codes = c("", "NA", "n/a", "-9")
)
tidy <- sieve(
  exclude(misread = hive_weight_kg > 200),
  work_out(apiary = relabel(apiary, c("Windle Hill" = "Windle hill")))
)

# Which hives of each apiary gave the most honey? One row per hive, then its
# rank in the apiary: hives that gave the same share a rank.
yields <- pour(
  hives,
  tidy,
  condense(visits = count(), honey = sum(honey_kg), by = c(apiary, hive)),
  work_out(place = rank(falling(honey), ties = "min"), by = apiary),
  include(place <= 3),
  order_rows(apiary, place)
)
print(yields, rows = 9)

# How much did each hive gain or lose since its last visit? The first visit of a
# hive has nothing before it: its change is absent, which the ledger counts.
gains <- pour(
  hives,
  tidy,
  drop_repeats(hive, visit_date),
  work_out(
    gain_kg = change(hive_weight_kg),
    days = change(visit_date),
    visit = row_number(),
    by = hive,
    order = visit_date,
    after = hive_weight_kg
  )
)
print(
  gains,
  rows = 6,
  columns = c(hive, visit_date, visit, hive_weight_kg, gain_kg, days)
)
ledger(gains)

# The largest losses, and the honey each hive had given by then.
print(
  pour(
    gains,
    work_out(honey_so_far = cumsum(honey_kg, order = visit_date, by = hive)),
    scoop(5, lowest = gain_kg),
    order_rows(gain_kg)
  ),
  columns = c(hive, visit_date, gain_kg, days, honey_so_far)
)

# Without an order the rows are gone through as they stand, and that is said.
invisible(pour(hives, work_out(weight_before = lag(hive_weight_kg, by = hive))))
