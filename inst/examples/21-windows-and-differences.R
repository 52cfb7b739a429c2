# Windows along the rows, several answers in one cell, and how groups differ.
library(neatsieve)

hives <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  absent_codes = c("", "NA", "n/a", "-9")
)

# The mean of the last three visits, the honey of the last 28 days, and days
# since a treatment.
watched <- pour(
  hives,
  work_out(
    mites_3 = rolling(
      mean(mites_per_100),
      rows = 3,
      needs = 2,
      order = visit_date,
      by = hive
    ),
    honey_28 = rolling(sum(honey_kg), days = 28, order = visit_date, by = hive),
    untreated_for = days_since(treatment != "none", visit_date, by = hive)
  ),
  include(hive == "FG-03"),
  order_rows(visit_date),
  pick_columns(visit_date, mites_per_100, mites_3, honey_kg, honey_28)
)
watched

# Means of each hive within each subset, and a table of them, in one sieve.
per_hive <- pour(
  hives,
  subsets(strong = brood_frames > 8, weak = brood_frames < 4),
  condense(visits = count(), mites = mean(mites_per_100), by = hive),
  include(visits >= 3),
  statistics(mites, by = subset)
)
per_hive$tables$statistics

# How treatments differ from none: visits of one hive are alike, so each hive
# counts once.
compared <- pour(
  hives,
  differences(
    mites_per_100,
    queen_seen,
    by = treatment,
    reference = "none",
    compare = "units"
  ),
  chart_interval(
    y = mites_per_100, x = treatment, reference = "none", panels = season
  )
)
compared$tables$differences
compared$figures$interval

# Errors that allow for hives being alike, beside those that do not.
errors <- statistics(
  plain = se(mites_per_100),
  of_hives = se(mites_per_100, cluster = hive),
  by = treatment,
  with_n = FALSE
)
pour(hives, errors)$tables$statistics

# Several answers in one cell: a row for each, and shares of those who gave
# them.
asked <- study(
  data.frame(
    keeper = 1:5,
    fed = c("syrup; pollen", "syrup", NA, "pollen; fondant; syrup", "fondant")
  ),
  unit = keeper
)
answers <- pour(
  asked,
  to_long(fed, split = ";"),
  include(present(fed)),
  counts(fed, units = TRUE)
)
answers$tables$counts
pour(
  asked,
  to_long(fed, split = ";"),
  to_wide(label = fed, there = TRUE, as = "fed_*")
)$rows

# A slip: a window that nobody can lay out.
try(pour(hives, work_out(m = rolling(mean(honey_kg), days = 28))))
