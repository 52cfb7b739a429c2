# Values that are absent for a reason: codes that say why, kept beside the
# column.
library(neatsieve)

# The dictionary of the demo study says that -9 means "not counted"; codes can
# be told here, too.
visits <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  absent_codes = list(
    c("", "NA"),
    brood_frames = c("not counted" = "-9"),
    mites_per_100 = c("no sample" = "n/a")
  )
)
look(visits)

# In all that is computed the value is absent, whatever the reason.
out <- pour(visits, statistics(brood_frames, by = season))
out$tables$statistics[c("season", "n", "absent", "mean")]

# Conditions ask for a reason, and why a row is unknown is told with it.
pour(
  visits, include(absent(mites_per_100, "no sample")), counts(apiary)
)$tables$counts
screening(visits, many = brood_frames > 8, few_mites = mites_per_100 < 2)
held_back(pour(visits, include(brood_frames > 8)), unknown = TRUE)

# Counted and drawn by reason, and kept when columns become rows.
by_reason <- pour(
  visits,
  absences(brood_frames, mites_per_100, by = season),
  chart_absence(brood_frames, mites_per_100, honey_kg)
)
by_reason$tables$absences
by_reason$figures$absence
long <- pour(
  visits,
  to_long(brood_frames, mites_per_100, label_as = "what", value_as = "value"),
  counts(what, why = absent_reason(value), where = absent(value))
)
long$tables$counts

# A slip: a reason that is none.
try(pour(visits, include(absent(brood_frames, "not countd"))))

# Written with the codes, so that the next reader has them, too.
file <- file.path(tempdir(), "with-codes.csv")
write_table(visits, file, reasons = "codes")
readLines(file, 3)
