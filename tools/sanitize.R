# A run that goes through every part of the compiled code: conditions, groups,
# statistics, charts, files, bad input. Under a sanitizer it ends at the first
# fault.
suppressMessages(library(neatsieve))
quiet <- function(x) suppressMessages(x)
hives <- quiet(study(
  demo_file("hive-visits.csv"),
  unit = hive,
  absent_codes = c("", "NA", "n/a", "-9"),
  ordered = list(temper = c("calm", "lively", "hot"))
))
for (threads in c(1, 2)) {
  options(neatsieve.threads = threads)
  out <- quiet(pour(
    hives,
    settings(least = 20),
    criteria(strong = hive_weight_kg >= least & brood_frames > 6),
    include(
      strong,
      !contains(notes, "wasps") | absent(notes),
      unknown = "pass"
    ),
    exclude(hive_weight_kg > 200, month(visit_date) %in% 1:2),
    work_out(
      late = band(month(visit_date), c(1, 5, 9, 13)),
      z = (honey_kg - mean(honey_kg, by = apiary)) / sd(honey_kg),
      w = honey_kg %/% 2
    ),
    subsets(calm = temper == "calm", many = mites_per_100 > 2, leftover()),
    statistics(
      hive_weight_kg,
      honey_kg,
      temper,
      visit_date,
      by = c(apiary, season),
      show = c("mean", "sd", "median", "mad", "skewness", "count_different"),
      units = TRUE,
      total = TRUE
    ),
    statistics(
      r = cor(hive_weight_kg, honey_kg, method = "spearman"),
      m = mean(honey_kg, where = queen_seen),
      q = quantile(honey_kg, 0.9, 6),
      by = hive,
      name = "own"
    ),
    counts(season, treatment, shape = "wide"),
    absences(by = season, patterns = TRUE),
    subsets(),
    chart_histogram(x = mites_per_100, panels = apiary, window = c(0, 10)),
    chart_density(x = hive_weight_kg, colour = season),
    chart_box(y = honey_kg, x = apiary),
    chart_violin(y = honey_kg, x = season),
    chart_cumulative(x = honey_kg),
    chart_scatter(x = brood_frames, y = honey_kg, marks = "tiles"),
    chart_strip(y = honey_kg, x = season),
    chart_line(x = visit_date, y = mean(honey_kg)),
    chart_interval(y = honey_kg, x = season, show = "median"),
    chart_heat(x = season, y = apiary),
    chart_bar(x = apiary),
    chart_absence(),
    chart_flow(),
    condense(n = count(), m = mean(honey_kg), by = c(apiary, hive)),
    include(n > 2)
  ))
  invisible(list(
    out$rows,
    out$held,
    out$tables,
    overlaps(quiet(pour(hives, subsets(a = honey_kg > 2, b = queen_seen))))
  ))
}
odd <- data.frame(
  x = c(NA, Inf, -Inf, 1e308, -1e308, 5e-324, 0, 1e18),
  k = c("a", NA, "", "\u00e9", "a", "b", "b", "NA"),
  d = as.Date("2024-01-01") + c(0, 1e12, -1e12, NA, 1, 2, 3, 4)
)
for (rows in list(odd, odd[0, ], odd[1, ], odd[rep(1:8, 9000), ])) {
  for (step in list(
    quote(statistics(x, by = k)),
    quote(counts(x)),
    quote(counts(d)),
    quote(chart_histogram(x = x)),
    quote(chart_density(x = x)),
    quote(chart_box(y = x, x = k)),
    quote(chart_violin(y = x)),
    quote(work_out(y = year(d), w = week(d), s = start_of(d, "month"))),
    quote(include(x > 1 | k == "a")),
    quote(include(x > 1e309)),
    quote(chart_cumulative(x = x, colour = k))
  )) {
    tryCatch(quiet(pour(rows, eval(step))), neatsieve_error = function(e) NULL)
  }
}
broken <- structure(
  list(
    x = 1:3,
    f = structure(c(1L, 9L, 2L), levels = c("a", "b"), class = "factor")
  ),
  class = "data.frame",
  row.names = 1:3
)
for (bad in list(
  broken,
  structure(list(x = 1:3, y = 1:2), class = "data.frame", row.names = 1:3)
)) tryCatch(pour(bad, include(x > 1)), neatsieve_error = function(e) NULL)
many <- paste(rep("x > 1", 2000), collapse = " & ")
many_parts <- quiet(pour(odd, include(written(many))))
folder <- tempfile()
quiet(write_siftings(
  pour(odd, include(x > 0 | absent(x))),
  folder,
  report = FALSE
))
back <- quiet(study(file.path(folder, "rows.csv")))
cat("package: no fault\n")
