# Results for other readers: a table with labels for a document, and what plot()
# shows.
library(neatsieve)
hives <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  dictionary = demo_file("hive-visits.schema.json")
)

# Which conditions would keep which rows; plot(seen) draws it.
seen <- screening(hives, weighed = present(hive_weight_kg), season == "spring")
as_table(seen)

# A table as a document shows it: rounded, with headings as labels.
out <- pour(
  hives,
  include(season == "spring"),
  exclude(hive_weight_kg > 200),
  statistics(hive_weight_kg, by = apiary)
)
table <- as_table(out$tables$statistics)
table[1:3, ]
vapply(table, attr, "", "label")

# One page for everybody, a document for whom it must be one:
# report(out, "spring.html"); report(out, "spring.docx")
