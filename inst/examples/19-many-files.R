# Many files that are one study, and files with more than a table in them.
library(neatsieve)

# A file for each season, as the apiaries send them.
folder <- file.path(tempdir(), "seasons")
dir.create(folder, showWarnings = FALSE)
lines <- readLines(demo_file("hive-visits.csv"))
season <- sub("^[^,]*,[^,]*,([^,]*),.*", "\\1", lines)
for (one in c("spring", "summer", "autumn")) {
  writeLines(
    lines[c(1, which(season == one))],
    file.path(folder, paste0("visits-", one, ".csv"))
  )
}

# All of them are one study; `source` says which file each row is from.
visits <- study(
  file.path(folder, "visits-*.csv"),
  unit = hive,
  source = c(file_of = "visits-(.*)[.]csv")
)
pour(visits, counts(file_of, season))$tables$counts

# Rows held back are told with their file and the row in it.
out <- pour(visits, include(hive_weight_kg < 200))
head(
  held_back(out)[c("source_row", "source_file", "file_row", "hive_weight_kg")]
)

# An export with a title, remarks and a total. As it stands it cannot be read;
# the error says how.
scale <- file.path(folder, "scale.csv")
writeLines(
  c(
    "Weights of May, kg", "", "hive,weight,mites", "# a new battery",
    "FG-03,41.5 kg,<0.5", "SB-01,20 kg,1.2", "TR-11,38 kg,0.7", "Total,99.5 kg"
  ),
  scale
)
try(study(scale))
weights <- study(
  scale,
  skip = 2,
  comment = "#",
  footer = 1,
  kinds = list(weight = "number kg", mites = "number <")
)
as.data.frame(weights)
pour(weights, include(absent(mites, "below 0.5")))$rows
reading_account(weights)
