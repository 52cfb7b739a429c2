# The study
# Visits to bee hives, with labels and measures for the axes. Odd spellings are set right and a
# misread weight is set aside once, in a sieve that the figures below share.
library(neatsieve)
hives <- study(demo_file("hive-visits.csv"), unit = hive, absent_codes = c("", "NA", "n/a", "-9"),
               ordered = list(season = c("spring", "summer", "autumn"),
                              temper = c("calm", "lively", "hot")),
               labels = list(hive_weight_kg = "Hive weight", honey_kg = "Honey",
                             mites_per_100 = "Mites per 100 bees",
                             brood_frames = "Brood frames", visit_date = "Visit date"),
               measures = list(hive_weight_kg = "kg", honey_kg = "kg"))
sound <- sieve(
  work_out(apiary = relabel(apiary, c("Windle Hill" = "Windle hill")),
           treatment = relabel(treatment, c("drone comb" = "drone-comb"))),
  exclude(misread = hive_weight_kg > 200)
)

# Histogram
# How a number is spread: one panel per apiary, the same bins in all of them, and a window that
# leaves far values out and says how many there are.
pour(hives, sound, chart_histogram(x = mites_per_100, panels = apiary, window = c(0, 15)))

# Histogram of groups in colours
pour(hives, sound, chart_histogram(x = hive_weight_kg, colour = season))

# Density curves
pour(hives, sound, chart_density(x = hive_weight_kg, colour = season))

# Cumulative shares
# What share of visits had at most so many mites?
pour(hives, sound, chart_cumulative(x = mites_per_100, colour = treatment, window = c(0, 15)))

# Box plots, and a far value
# One misread weight squeezes the scale; a note names it and says how to set it aside.
pour(hives, chart_box(y = hive_weight_kg, x = season))

# Box plots in a table of panels
pour(hives, sound,
     chart_box(y = mites_per_100, x = treatment, panels = c(season, year = year(visit_date)),
               window = c(0, 12)))

# Violin plots
pour(hives, sound, chart_violin(y = hive_weight_kg, x = season, colour = treatment))

# Strips of single values
pour(hives, sound, include(season == "autumn"),
     chart_strip(y = mites_per_100, x = apiary, order = "falling"))

# Scatter plot with straight trends
pour(hives, sound,
     chart_scatter(x = brood_frames, y = hive_weight_kg, panels = season, trend = "linear"))

# Scatter plot with smooth trends
pour(hives, sound,
     chart_scatter(x = week(visit_date), y = hive_weight_kg, colour = year(visit_date),
                   trend = "smooth"))

# Scatter plot in tiles
# With more than 5,000 rows, or when asked for, tiles show how many rows there are.
pour(hives, sound, chart_scatter(x = visit_date, y = hive_weight_kg, marks = "tiles"))

# Lines of a statistic
pour(hives, sound,
     chart_line(x = start_of(visit_date, "month"), y = mean(mites_per_100), colour = treatment))

# One line per hive
pour(hives, sound, include(year(visit_date) == 2024),
     chart_line(x = start_of(visit_date, "month"), y = max(hive_weight_kg), lines = hive,
                panels = apiary))

# Bars: counts
pour(hives, sound, chart_bar(x = apiary, colour = treatment))

# Bars: shares
pour(hives, sound, include(present(temper)),
     chart_bar(x = apiary, colour = temper, bars = "shares"))

# Bars: a statistic, sorted
pour(hives, sound, chart_bar(x = apiary, y = mean(honey_kg), order = "falling"))

# Means with intervals
pour(hives, sound, chart_interval(y = mites_per_100, x = treatment, colour = season))

# Heat map
pour(hives, sound, chart_heat(x = month(visit_date), y = apiary, value = mean(mites_per_100)))

# Where values are missing
pour(hives, chart_absence())

# Where values are missing, by group
pour(hives, chart_absence(hive_weight_kg, mites_per_100, honey_kg, temper, x = season))

# The way of the rows
# What went on at each step, and what was held back, by which condition and why.
run <- pour(hives,
            include(weighed = present(hive_weight_kg), spring = season == "spring"),
            exclude(misread = hive_weight_kg > 200),
            include(treated = treatment != "none", strong = brood_frames > 6))
chart_flow(run)

# Sizes of subset intersections
pour(hives,
     subsets(strong = brood_frames > 8, treated = treatment != "none", calm = temper == "calm"),
     chart_overlap())

# Subsets side by side
pour(hives, sound,
     subsets(strong = brood_frames > 8, treated = treatment != "none", calm = temper == "calm"),
     chart_box(y = mites_per_100, x = season, panels = subsets(), window = c(0, 15)))
