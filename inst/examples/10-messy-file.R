# A file as it comes: semicolons, decimal commas, days in another form, codes
# for absent, and one name spelled in several ways.
library(neatsieve)
file <- tempfile(fileext = ".csv")
writeLines(
  c(
    "day;hive;weight;treatment", "28/03/2024;A-1;31,5;thymol",
    "28/03/2024;A-2;29,25;Thymol", "04/04/2024;A-1;n/a;thymol ",
    "04/04/2024;A-2;30,5;none", "11/04/2024;A-1;33,75;thymol"
  ),
  file
)

# Read without more ado, days and weights stay text; look() says so, and what to
# write.
look(file)

# Told how it is written, it is read as meant.
hives <- study(
  file,
  unit = hive,
  name = "Spring weights",
  decimal = ",",
  absent_codes = c("", "n/a"),
  kinds = list(day = "date %d/%m/%Y", weight = "number")
)
look(hives)

# Spellings are set right in the sieve, so that next month's file is too.
tidy <- work_out(treatment = relabel(trim(treatment), c("thymol" = "Thymol")))
pour(hives, tidy, statistics(weight, by = treatment))$tables$statistics

# What is left out is said: three visits weigh in, one has no weight.
out <- pour(hives, tidy, include(treatment == "thymol", weight > 30))
out
held_back(out, unknown = TRUE)
