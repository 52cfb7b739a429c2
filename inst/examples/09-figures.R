# Charts are steps: they record a figure of the rows in play and let them
# through. The numbers shown can be asked for; out$figures$box is the figure
# itself, and save_figure() writes it.
library(neatsieve)
hives <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  absent_codes = c("", "NA", "n/a", "-9")
)

# One weight of 512 kg squeezes the scale, and a note says what to write:
out <- pour(hives, chart_box(y = hive_weight_kg, x = season))
out$notes

# With the value set aside, per subset and side by side:
out <- pour(
  hives,
  exclude(hive_weight_kg > 200),
  chart_box(y = hive_weight_kg, x = season, order = "falling"),
  subsets(strong = brood_frames > 8, treated = treatment != "none"),
  chart_histogram(x = mites_per_100, panels = season, window = c(0, 15)),
  chart_interval(
    y = mites_per_100,
    x = season,
    panels = subsets(),
    show = "median"
  )
)
chart_data(out, "box")
chart_data(out, "interval")
chart_data(out, "histogram", subset = "strong", part = "panels")
names(out$figures)
names(out$figures$histogram)
