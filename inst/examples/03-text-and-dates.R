# Text by pattern, in any case, trimmed, replaced; dates as days, ranges and
# parts.
library(neatsieve)
hives <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  absent_codes = c("", "NA", "n/a", "-9")
)
n <- function(...) nrow(pour(hives, include(...))$rows)

n(contains(notes, "wor", case = FALSE))
n(like(apiary, "%Ri_e"))
n(matches(hive, "^(FG|ML)-0[1-5]$"))
n(lower(trim(queen_line)) == "birch")
n(replace_text(treatment, "-", " ") == "drone comb")

n(visit_date == "2024-06-01")
n(visit_date >= "2024-01-01")
n(between(visit_date, "2024-04-01", "2024-06-30"))
n(year(visit_date) == 2024 & month(visit_date) %in% 4:6)

out <- pour(
  hives,
  work_out(
    line = lower(trim(queen_line)),
    month = start_of(visit_date, "month"),
    follow_up = visit_date + 14,
    mite_level = first_true(
      mites_per_100 > 5,
      "high",
      mites_per_100 > 2,
      "some",
      if_none = "low",
      if_unknown = "not counted"
    ),
    colony = band(brood_frames, c(0, 4, 8, 20), c("small", "middling", "large"))
  )
)
head(
  out$rows[c(
    "visit_date", "month", "follow_up", "line", "mite_level", "colony"
  )]
)
