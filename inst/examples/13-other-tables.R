# Columns from another table, rows that are not in it, and rows of another
# table.
library(neatsieve)
hives <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  absent_codes = c("", "NA", "n/a", "-9")
)
sites <- demo_file("apiaries.csv")

# How high up does the honey come from? Three visits find no apiary: the note
# says which, and what they were probably meant to be.
looked_up <- look_up(sites, apiary, take = c(elevation_m, landscape))
first <- pour(hives, looked_up)
print(first, rows = 4, columns = c(hive, apiary, elevation_m, landscape))

# Mended before the look-up:
mended <- work_out(apiary = relabel(apiary, c("Windle Hill" = "Windle hill")))
pour(
  hives,
  mended,
  looked_up,
  statistics(
    honey_kg,
    by = c(highland = elevation_m > 150),
    show = c("mean", "median")
  )
)$tables

# Which hive was never weighed month by month? It is in no table.
strange <- pour(hives, drop_matched(demo_file("monthly-weights.csv"), hive))
print(strange, columns = c(hive, apiary, visit_date, queen_line))

# A key that stands there twice is an error before anything is computed.
doubled <- rbind(read.csv(sites), read.csv(sites)[1, ])
try(pour(hives, look_up(doubled, apiary)))

# The nearest weighing of a log that somebody else kept, at most 10 days before
# the visit.
log <- data.frame(
  hive = c("FG-03", "FG-03", "SB-01"),
  weighed = c(27.1, 30.2, 40.4),
  day = as.Date(c("2023-03-01", "2023-04-20", "2023-02-01"))
)
nearest <- look_up(
  log,
  list(hive = "hive", visit_date = "day"),
  take = weighed,
  nearest = "before",
  within = 10
)
print(
  pour(
    hives,
    include(hive %in% c("FG-03", "SB-01"), visit_date < "2023-05-15"),
    nearest
  ),
  columns = c(hive, visit_date, hive_weight_kg, weighed)
)

# Late visits on another sheet, below the others.
late <- data.frame(
  hive = c("FG-03", "SB-01"),
  season = "autumn",
  honey_kg = c(4.5, 6)
)
all <- pour(hives, append_rows(late, origin = "sheet"))$rows
tail(all[c("hive", "season", "honey_kg", "sheet")], 3)
