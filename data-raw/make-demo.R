# Makes the demo study: the same files each time, on any machine.
# Run from the package's root: Rscript data-raw/make-demo.R

RNGversion("4.1.0")
set.seed(20260401)
folder <- file.path("inst", "demo-study")
dir.create(folder, showWarnings = FALSE, recursive = TRUE)

apiaries <- data.frame(
  apiary = c(
    "Alder Bank", "Quarry End", "Thistle Rise", "Mill Lawn", "Fen Gate",
    "Hazel Copse", "Stone Barn", "Windle Hill"
  ),
  elevation_m = c(85L, 210L, 320L, 60L, 12L, 150L, 240L, 410L),
  landscape = c(
    "river meadow", "heath", "heath", "orchard", "fen", "woodland", "farmland",
    "upland"
  ),
  shade = c(
    "partial", "none", "none", "partial", "none", "full", "none", "partial"
  )
)

# Hives: a strength of their own, a line, a style; Fen Gate stands apart (damp,
# more mites).
hives <- data.frame(
  apiary = rep(apiaries$apiary, times = c(16, 15, 14, 17, 16, 14, 15, 13))
)
hives$hive <- sprintf(
  "%s-%02d",
  substr(gsub("[^A-Z]", "", hives$apiary), 1, 2),
  ave(seq_len(nrow(hives)), hives$apiary, FUN = seq_along)
)
hives$queen_line <- sample(
  c("birch", "rowan", "sorrel", "yarrow"),
  nrow(hives),
  TRUE,
  c(0.35, 0.3, 0.2, 0.15)
)
hives$hive_style <- sample(
  c("deep box", "long box", "skep frame"), nrow(hives), TRUE, c(0.6, 0.3, 0.1)
)
hives$strength <- rnorm(nrow(hives), 0, 1)
hives$treatment <- sample(
  c("none", "thymol", "formic", "drone comb"),
  nrow(hives),
  TRUE,
  c(0.3, 0.25, 0.25, 0.2)
)

visits <- do.call(
  rbind,
  lapply(seq_len(nrow(hives)), function(h) {
    days <- unlist(lapply(2023:2025, function(y) {
      as.Date(paste0(y, "-03-05")) + sort(sample(0:235, sample(5:8, 1)))
    }))
    cbind(
      hives[rep(h, length(days)), ],
      visit_date = as.Date(days, origin = "1970-01-01"), row.names = NULL
    )
  })
)
visits <- visits[order(visits$visit_date, visits$hive), ]
n <- nrow(visits)

month <- as.integer(format(visits$visit_date, "%m"))
day_of_year <- as.integer(format(visits$visit_date, "%j"))
visits$season <- ifelse(
  month <= 5, "spring", ifelse(month <= 8, "summer", "autumn")
)
progress <- (day_of_year - 64) / 236
treated <- c(
  none = 0, thymol = -0.9, formic = -0.7, `drone comb` = -0.35
)[visits$treatment]
fen <- visits$apiary == "Fen Gate"

frames <- 6.5 +
  1.6 * visits$strength +
  3.2 * sin(pi * progress) +
  rnorm(n, 0, 1.1) -
  1.2 * fen
visits$brood_frames <- as.integer(pmin(14, pmax(0, round(frames))))
visits$hive_weight_kg <- round(
  22 +
    2.1 * visits$brood_frames +
    12 * sin(pi * progress * 0.85) +
    rnorm(n, 0, 3.5),
  1
)
visits$mites_per_100 <- round(
  exp(
    -0.5 +
      2.1 * progress +
      treated * pmin(1, 1.4 * progress) +
      0.75 * fen +
      rnorm(n, 0, ifelse(fen, 0.75, 0.45))
  ),
  1
)
visits$honey_kg <- round(
  pmax(
    0,
    (month %in% 6:8) *
      (1.2 * visits$brood_frames -
        4 -
        0.5 * visits$mites_per_100 +
        rnorm(n, 0, 2.2))
  ),
  1
)
temper_score <- 0.4 * (visits$queen_line == "sorrel") +
  0.8 * progress +
  rnorm(n, 0, 0.6)
visits$temper <- as.character(cut(
  temper_score, c(-Inf, 0.5, 1.2, Inf), c("calm", "lively", "hot")
))
visits$queen_seen <- runif(n) < plogis(0.6 + 0.5 * visits$strength)
remarks <- c(
  "worker brood patchy", "good stores", "swarm cells cut", "moved frame",
  "Workers calm on comb", "wasps at entrance", "fed syrup", "queen marked",
  "damp floor", "nothing of note"
)
visits$notes <- ifelse(runif(n) < 0.35, sample(remarks, n, TRUE), "")
visits$visit_id <- seq_len(n)

# Blemishes, as real files have them.
some <- function(k, among = seq_len(n)) sample(among, k)
text <- lapply(visits, as.character)
text$queen_seen <- ifelse(visits$queen_seen, "TRUE", "FALSE")
text$hive_weight_kg <- sprintf("%.1f", visits$hive_weight_kg)
text$mites_per_100 <- sprintf("%.1f", visits$mites_per_100)
text$honey_kg <- sprintf("%.1f", visits$honey_kg)
text$hive_weight_kg[some(round(0.05 * n))] <- ""
text$mites_per_100[some(
  round(0.09 * n), which(runif(n) < ifelse(visits$season == "autumn", 1, 0.5))
)] <-
  ""
text$mites_per_100[some(17)] <- "n/a"
text$honey_kg[some(round(0.03 * n))] <- "NA"
text$brood_frames[some(14)] <- "-9"
text$brood_frames[some(30)] <- ""
text$temper[some(round(0.06 * n))] <- ""
text$queen_seen[some(round(0.04 * n))] <- ""
text$queen_line[some(25)] <- ""
text$queen_line[some(6, which(text$queen_line == "birch"))] <- "Birch "
text$queen_line[some(4, which(text$queen_line == "rowan"))] <- "Rowan"
text$treatment[some(3, which(text$treatment == "drone comb"))] <- "drone-comb"
text$hive_weight_kg[some(
  1, which(visits$season == "spring" & visits$apiary == "Stone Barn")
)] <-
  "512.0"
text$hive_weight_kg[some(
  1, which(visits$season == "spring" & visits$apiary == "Mill Lawn")
)] <-
  "31,5"
lost <- some(
  9, which(visits$apiary == "Windle Hill" & visits$season == "summer")
)
text$apiary[lost[1:3]] <- "Windle hill"
stray <- which(visits$hive == visits$hive[visits$apiary == "Quarry End"][1])
text$hive[stray[1:4]] <- "XX-99" # a hive that is in no other table

columns <- c(
  "visit_id", "visit_date", "season", "apiary", "hive", "queen_line",
  "hive_style", "treatment", "brood_frames", "hive_weight_kg", "mites_per_100",
  "honey_kg", "temper", "queen_seen", "notes"
)
out <- as.data.frame(text[columns], stringsAsFactors = FALSE)
again <- some(7)
out <- rbind(
  out, out[again, ]
)[order(c(seq_len(n), again + 0.5)), ] # seven rows stand twice

save_csv <- function(table, name) {
  quoted <- lapply(table, function(x) {
    x <- as.character(x)
    x[is.na(x)] <- ""
    needs <- grepl("[\",\n]", x)
    x[needs] <- paste0("\"", gsub("\"", "\"\"", x[needs]), "\"")
    x
  })
  lines <- c(
    paste(names(table), collapse = ","),
    do.call(paste, c(unname(quoted), sep = ","))
  )
  con <- file(file.path(folder, name), "wb")
  writeLines(lines, con, sep = "\n", useBytes = TRUE)
  close(con)
}
save_csv(out, "hive-visits.csv")
save_csv(apiaries, "apiaries.csv")

# One row per hive, one column per month of 2025.
weights <- t(vapply(
  seq_len(nrow(hives)),
  function(h) {
    base <- 30 + 4 * hives$strength[h]
    round(
      base + c(-6, -7, -5, 0, 6, 12, 16, 14, 8, 3, -1, -4) + rnorm(12, 0, 1.5),
      1
    )
  },
  numeric(12)
))
weights[sample(length(weights), 60)] <- NA
monthly <- data.frame(hive = hives$hive, weights)
names(monthly)[-1] <- sprintf("weight_%02d", 1:12)
save_csv(monthly, "monthly-weights.csv")

field <- function(
  name, type, title, description, unit = NULL, levels = NULL, missing = NULL
) {
  f <- list(name = name, type = type, title = title, description = description)
  if (!is.null(unit)) f$measured_in <- unit
  if (!is.null(levels)) f$constraints <- list(enum = levels)
  if (!is.null(missing)) f$missingValues <- missing
  f
}
dictionary <- list(
  missingValues = list("", "NA", "n/a"),
  primaryKey = "visit_id",
  fields = list(
    field("visit_id", "integer", "Visit", "Number of the visit"),
    field(
      "visit_date", "date", "Date of visit", "Day on which the hive was opened"
    ),
    field(
      "season",
      "string",
      "Season",
      "Season of the visit",
      levels = c("spring", "summer", "autumn")
    ),
    field(
      "apiary",
      "string",
      "Apiary",
      "Place where the hive stands",
      levels = apiaries$apiary
    ),
    field("hive", "string", "Hive", "The hive: the unit of the study"),
    field("queen_line", "string", "Queen line", "Line the queen was bred from"),
    field("hive_style", "string", "Hive style", "How the hive is built"),
    field(
      "treatment",
      "string",
      "Treatment",
      "Treatment against mites",
      levels = c("none", "thymol", "formic", "drone comb")
    ),
    field(
      "brood_frames",
      "integer",
      "Brood frames",
      "Frames with brood",
      missing = list(
        list(value = ""),
        list(value = "NA"),
        list(value = "-9", label = "not counted")
      )
    ),
    field(
      "hive_weight_kg",
      "number",
      "Hive weight",
      "Weight of the whole hive",
      "kg"
    ),
    field(
      "mites_per_100",
      "number",
      "Mites",
      "Mites per 100 bees in a sugar-roll sample",
      "per 100 bees"
    ),
    field("honey_kg", "number", "Honey", "Honey taken at the visit", "kg"),
    field(
      "temper",
      "string",
      "Temper",
      "How the bees behave",
      levels = c("calm", "lively", "hot")
    ),
    field("queen_seen", "boolean", "Queen seen", "Whether the queen was seen"),
    field("notes", "string", "Notes", "What the visitor wrote down")
  )
)
writeLines(
  jsonlite::toJSON(dictionary, auto_unbox = TRUE, pretty = 2),
  file.path(folder, "hive-visits.schema.json")
)
