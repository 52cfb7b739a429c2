# Files as they come, what is known about their columns, and results in other
# formats.
library(neatsieve)

# A file with the traps of daily work: a long id, a code with a leading zero, a
# line end within a text, a blank line, a value that is no number.
folder <- file.path(tempdir(), "in-and-out")
dir.create(folder, showWarnings = FALSE)
file <- file.path(folder, "spring.csv")
weights <- c(sprintf("%.1f", seq(20, 44.5, 0.5)), "31 kg")
writeLines(
  c(
    "visit,tag,hive,weight,note",
    paste0(
      "9000000000000000", 10:60, ",", sprintf("%03d", 1:51), ",FG-03,",
      weights, ",", c("\"quiet,\nno smoke\"", rep("", 50))
    ),
    "", "900000000000000061,052,FG-04,30.5,"
  ),
  file
)
visits <- study(file, unit = hive)
visits

# Line by line: what did not come in as it was written.
reading_account(visits)

# A dictionary: a draft, to be edited by hand. The demo study has one.
draft <- write_dictionary(visits, file.path(folder, "spring.schema.json"))
cat(readLines(draft, 20), sep = "\n")
hives <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  dictionary = demo_file("hive-visits.schema.json")
)
pour(hives, counts(season))$tables$counts

# A table in the format of its ending, and the same table back.
out <- pour(hives, include(honey_kg > 10))
for (ending in c("csv", "jsonl")) {
  small <- file.path(folder, paste0("honey.", ending))
  write_table(out, small)
  print(fingerprint(study(small, kinds = list(notes = "text"))))
}

# A slip: an ending that is no format.
try(write_table(out, file.path(folder, "honey.cvs")))
