# Draws docs/cheat-sheet.svg and .pdf: one page of the words by job. Run from
# the root: `Rscript tools/cheat-sheet.R`.
library(grid)
# Every code runs on the demo study, in this order: test-docs.R sees to it. Some
# stand in one line with three blanks between them.
blocks <- list(
  list(
    "Load and look",
    c(
      "hives <- study(demo_file(\"hive-visits.csv\"), unit = hive)" =
        "a table, and what is studied",
      "look(hives)" = "kinds, gaps, spread, what is worth a look",
      "reading_account(hives)" = "what did not come in as written",
      "screening(hives, honey_kg > 3)" = "how a condition would split the rows"
    )
  ),
  list(
    "Conditions: yes, no, unknown",
    c(
      "honey_kg > 3 & season == \"spring\"" = "R's own operators",
      "season %in% c(\"spring\", \"summer\")" = "in a list",
      "between(visit_date, \"2024-03-01\", \"2024-05-31\")" = "in a range",
      "absent(notes)   present(hive)   row_complete(hive, notes)" = "never unknown",
      "contains(notes, \"swarm\")   matches(hive, \"^FG\")" = "by text, by pattern",
      "limit <- 3   include(honey_kg > .(limit))" = "a value of the session"
    )
  ),
  list(
    "Rows",
    c(
      "include(honey_kg > 3, season == \"summer\")" = "keep rows where all are yes",
      "exclude(misread = hive_weight_kg > 200)" = "set aside where one is yes",
      "include(honey_kg > 3, unknown = \"pass\")" = "what becomes of unknown",
      "order_rows(apiary, falling(honey_kg))" = "sort",
      "scoop(3, highest = honey_kg, by = apiary)" = "the most, the least",
      "scoop(200, seed = 7)   scoop(at = 1)" = "at random, by place",
      "drop_repeats(hive, visit_date)" = "one row per key"
    )
  ),
  list(
    "Columns",
    c(
      "pick_columns(hive, \"*_kg\", except(notes))" = "choose",
      "work_out(share = honey_kg / hive_weight_kg)" = "derive",
      "work_out(off = honey_kg - mean(honey_kg, by = apiary))" = "beside its group",
      "work_out(d = lag(honey_kg, by = hive, order = visit_date))" = "along time",
      "first_true(honey_kg > 5, \"high\", if_none = \"low\")" = "choose; unknown stays absent",
      "relabel(trim(queen_line), c(\"birch\" = \"Birch\"))" = "mend spellings"
    )
  ),
  list(
    "Names and subsets",
    c(
      "settings(min_weight = 20)" = "values that may change",
      "criteria(strong = brood_frames > 8)" = "conditions with names",
      "subsets(strong = brood_frames > 8, rest = leftover())" = "each table, each figure for each"
    )
  ),
  list(
    "Tables",
    c(
      "statistics(honey_kg, by = apiary)" = "n, absent, mean, sd, quartiles",
      "statistics(honey_kg, show = list(p90 = quantile(it, 0.9)))" = "your own",
      "counts(season, treatment, shape = \"wide\")" = "frequencies",
      "absences(by = apiary)" = "what is missing",
      "condense(n = count(), by = hive)" = "groups become rows"
    )
  ),
  list(
    "Other tables, other shapes",
    c(
      "look_up(demo_file(\"apiaries.csv\"), apiary)" = "columns by a key",
      "few <- head(hives)   keep_matched(few, hive)" = "rows by a key",
      "append_rows(few)" = "rows of another table",
      "to_long(\"*_kg\", label_as = \"what\", value_as = \"kg\")" = "columns become rows",
      "to_wide(season, honey_kg, by = hive, statistic = mean(it))" = "rows become columns"
    )
  ),
  list(
    "Figures",
    c(
      "chart_box(y = honey_kg, x = season, panels = apiary)" = "box, strip, violin, interval",
      "chart_histogram(x = mites_per_100, window = c(0, 15))" = "histogram, density, cumulative",
      "chart_line(x = month(visit_date), y = mean(honey_kg))" = "line, scatter",
      "chart_bar(x = apiary, colour = season)" = "bar, heat, absence, flow, overlap"
    )
  ),
  list(
    "Run, and account",
    c(
      "s <- sieve(settings(least = 3), include(honey_kg > least))" = "a sieve is a value",
      "out <- pour(hives, s, set = list(least = 2))" = "run it",
      "ledger(out)" = "each step: met, held, let through",
      "held_back(out, unknown = TRUE)" = "the rows, and why",
      "follow(out, 12)" = "one row's way",
      "pour_each(hives, s, list(least = c(2, 5)))" = "many runs",
      "compare_runs(out, pour(hives, s))   check_sieve(s, hives)" = "what differs; what is wrong"
    )
  ),
  list(
    "Keep and hand over",
    c(
      "write_sieve(s, \"plan.yaml\")   read_sieve(\"plan.yaml\")" = "a plan is a file",
      "write_siftings(out, \"results\")   verify(\"results\")" = "a folder, sealed",
      "write_table(out, \"small.csv\")" = "by its ending",
      "report(out, \"spring.html\")" = "one page for everybody",
      "$ neatsieve pour plan.yaml" = "the same from a shell"
    )
  )
)

draw <- function() {
  grid.newpage()
  grid.rect(gp = gpar(fill = "#fffefa", col = NA))
  put <- function(text, x, y, ...) {
    grid.text(
      text,
      unit(x, "mm"),
      unit(210 - y, "mm"),
      just = c("left", "top"),
      gp = gpar(...)
    )
  }
  put("Neat Sieve", 10, 7, fontsize = 18, fontface = "bold", col = "#1f6160")
  put(
    paste(
      "A study is poured over a sieve of steps: pour(study, step, step, ...). Steps that",
      "keep or make rows and columns are verbs; tables and figures are recorded on the way."
    ),
    52,
    9.5,
    fontsize = 8.5,
    col = "#22303c"
  )
  columns <- list(1:3, c(4, 5, 6, 7), 8:10)
  for (k in seq_along(columns)) {
    x <- 10 + (k - 1) * 94
    y <- 20
    for (block in blocks[columns[[k]]]) {
      grid.rect(
        unit(x, "mm"),
        unit(210 - y, "mm"),
        unit(89, "mm"),
        unit(5.6, "mm"),
        just = c("left", "top"),
        gp = gpar(fill = "#dfeceb", col = NA)
      )
      put(
        block[[1]],
        x + 1.5,
        y + 1.2,
        fontsize = 9.5,
        fontface = "bold",
        col = "#22303c"
      )
      y <- y + 7.4
      for (i in seq_along(block[[2]])) {
        put(
          names(block[[2]])[i],
          x + 1.5,
          y,
          fontsize = 6.9,
          fontfamily = "mono",
          fontface = "bold",
          col = "#123c3c"
        )
        put(block[[2]][[i]], x + 4, y + 3, fontsize = 6.6, col = "#55626d")
        y <- y + 7.3
      }
      y <- y + 1.6
    }
  }
}
svglite::svglite(
  "docs/cheat-sheet.svg",
  width = 297 / 25.4,
  height = 210 / 25.4
)
draw()
invisible(dev.off())
grDevices::pdf(
  "docs/cheat-sheet.pdf",
  width = 297 / 25.4,
  height = 210 / 25.4,
  title = "Neat Sieve"
)
draw()
invisible(dev.off())
