# Writes the Collate field of DESCRIPTION: the files of R/ in the order of their
# layers, so that what definitions are made with is there before them, and what
# compiles some of them at the end.
first <- c(
  "base", "expr-functions", "field", "sieve-definition", "chart-kind",
  "chart-step"
)
stems <- sub("[.]R$", "", list.files("R", "[.]R$"))
place <- vapply(
  stems,
  function(stem) {
    fits <- which(
      stem == first |
        startsWith(stem, paste0(first[1], "-")) & seq_along(first) == 1
    )
    if (length(fits)) fits[1] else length(first) + 1L
  },
  integer(1)
)
files <- paste0(stems, ".R")[order(place, stems, method = "radix")]
description <- readLines("DESCRIPTION")
start <- grep("^Collate:", description)
if (length(start)) {
  inside <- start
  while (inside < length(description) &&
    grepl("^ ", description[inside + 1])) inside <- inside + 1
  description <- description[-(start:inside)]
}
last <- files == "face-often-called.R"
files <- c(files[!last], files[last])
writeLines(
  c(description, "Collate:", paste0("    '", files, "'")), "DESCRIPTION"
)
