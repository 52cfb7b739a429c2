demo_study <- function() {
  suppressMessages(
    study(demo_file("hive-visits.csv"), unit = hive, absent_codes = c("", "NA", "n/a", "-9"),
          ordered = list(temper = c("calm", "lively", "hot"))),
                   classes = "neatsieve_note")
}
quiet <- function(x) suppressMessages(x, classes = "neatsieve_note")
full_sieve <- function() sieve(
  settings(min_weight = 20, places = c("Fen Gate", "Mill Lawn"), since = as.Date("2024-01-01"),
           strict = TRUE),
  criteria(weighed = present(hive_weight_kg), spring = season == "spring",
           strong = (hive_weight_kg >= min_weight & brood_frames > 6) | honey_kg > 10),
  include(weighed, spring, visit_date >= since, unknown = "pass", name = "first"),
  exclude(misread = hive_weight_kg > 200),
  work_out(share = honey_kg / hive_weight_kg,
           late = first_true(month(visit_date) > 4, "late", if_none = "early")),
  include(strong, !contains(notes, "wasps: at #1", case = FALSE) | absent(notes),
          apiary %in% places),
  pick_columns(hive:treatment, "*_kg", share, late, apiary, mites_per_100, visit_date,
               renamed = list(weight = hive_weight_kg)),
  statistics(weight, share, by = c(apiary, year = year(visit_date)), name = "per apiary"),
  chart_histogram(x = mites_per_100 * 2, panels = c(apiary, late), width = 1.5, axes = "own",
                  title = "Mites: doubled")
)
