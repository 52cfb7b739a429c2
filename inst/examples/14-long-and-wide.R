# Months in columns become rows, a chart of them by apiary, and a table turned
# wide.
library(neatsieve)
weights <- study(demo_file("monthly-weights.csv"), unit = hive)

# Twelve columns, one for each month, become one row for each hive and month.
months <- to_long(
  "weight_*",
  label_as = "month",
  value_as = "weight_kg",
  label_pattern = "weight_(.*)",
  label_kind = "whole"
)
long <- pour(weights, months)
print(long, rows = 4)

# The apiary of each hive comes from its visits, then the chart: one line for
# each apiary.
visits <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  absent_codes = c("", "NA", "n/a", "-9")
)
homes <- pour(
  visits,
  include(apiary != "Windle hill"),
  drop_repeats(hive),
  pick_columns(hive, apiary)
)$rows
year <- pour(
  long,
  look_up(homes, hive),
  include(present(weight_kg)),
  chart_line(
    x = month,
    y = mean(weight_kg),
    panels = apiary,
    title = "Mean weight of the hives over the year"
  ),
  statistics(weight_kg, by = apiary, show = c("mean", "sd"))
)
year$tables$statistics
year$figures$line

# Back again: the same table.
identical(
  pour(long, to_wide(label = month, value = weight_kg, by = hive))$rows[["7"]],
  as.data.frame(weights)$weight_07
)

# Mean honey by apiary and season, as a table to print.
pour(
  visits,
  to_wide(label = season, value = honey_kg, by = apiary, statistic = mean(it)),
  order_rows(apiary)
)

# Several values for one place are an error that shows them.
try(pour(visits, to_wide(label = season, value = honey_kg, by = apiary)))
