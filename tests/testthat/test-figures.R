# What figures say and how they are drawn.

test_that(paste0(
  "every chart draws R's own tables, one row, no row and nothing present, ",
  "without a word ",
  "from the drawing package"
), {
  esoph <- datasets::esoph
  airquality$Month <- factor(airquality$Month)
  airquality$windy <- airquality$Wind > 10
  tables <- list(
    list(airquality, every_chart("Ozone", "Temp", "Month", "windy")),
    list(
      as.data.frame(ChickWeight), every_chart("weight", "Time", "Diet", "Time")
    ),
    list(infert, every_chart("age", "parity", "education", "case")),
    list(esoph, every_chart("ncases", "ncontrols", "agegp", "alcgp"))
  )
  nothing <- data.frame(
    x = NA_real_,
    y = NA_real_,
    g = c("a", "b"),
    h = NA_character_
  )
  # Of every kind one is saved; their variants are drawn of the small tables
  # below.
  is_variant <- duplicated(vapply(
    tables[[1]][[2]], function(step) step$kind, ""
  ))
  if (!is_full_run()) {
    tables <- list(list(tables[[1]][[1]], tables[[1]][[2]][!is_variant]))
  }
  some <- data.frame(
    x = c(2, NA, 5, 5),
    y = c(1, 2, NA, 1),
    g = c("a", "b", NA, "a"),
    h = c("k", NA, "k", "k")
  )
  small <- every_chart("x", "y", "g", "h")
  few <- list(nothing, some, some[1, ], some[0, ])
  tables <- c(
    tables,
    lapply(seq_along(few), function(k) {
      list(few[[k]], small[rounds_of(TRUE, seq_along(small) %% 8 == k - 1)])
    })
  )
  # The first table's are saved, of the others all that the layers show is
  # drawn, in two processes; what each figure said and is comes back to be
  # looked at here.
  told <- parallel::mclapply(
    seq_along(tables),
    function(k) {
      t <- tables[[k]]
      numeric <- names(Filter(is.numeric, t[[1]]))[1:2]
      sets <- eval(bquote(sieve(
        subsets(
          first = present(.(as.name(numeric[1]))),
          second = .(as.name(numeric[2])) > 1,
          rest = leftover()
        ),
        chart_overlap(),
        chart_box(
          y = .(as.name(numeric[1])),
          panels = subsets(),
          name = "beside"
        )
      )))
      if (!is_full_run() && k > 1) sets <- sieve()
      beside <- quiet(pour(t[[1]], sets))
      out <- quiet(do.call(pour, c(t[1], unname(t[[2]]))))
      figures <- c(out$figures, beside$figures)
      lapply(stats::setNames(nm = names(figures)), function(name) {
        said <- character()
        path <- tempfile(fileext = ".png")
        tryCatch(
          withCallingHandlers(
            if (k == 1) {
              save_figure(
                figures[[name]],
                path,
                width = 5,
                height = 3.6,
                measure = "in",
                per_inch = 40
              )
            } else {
              draw_layers(figures[[name]])
            },
            warning = function(w) said <<- c(said, conditionMessage(w)),
            message = function(m) {
              said <<- c(said, conditionMessage(m))
            }
          ),
          error = function(e) said <<- c(said, conditionMessage(e))
        )
        rows <- if (name %in% names(out$figures) && name != "flow") {
          chart_data(out, name, part = "panels")
        }
        list(
          said = said,
          bytes = if (k == 1) file.size(path),
          alternative = ggplot2::get_alt_text(figures[[name]]),
          counted = if (!is.null(rows)) {
            sum(rows$n + rows$absent + rows$infinite) - nrow(out$rows)
          } else {
            0
          }
        )
      })
    },
    mc.cores = if (.Platform$OS.type == "windows") 1L else 2L
  )
  expect_length(told, rounds_of(8L, 5L))
  for (i in seq_along(told)) {
    expect_length(
      told[[i]],
      length(tables[[i]][[2]]) + if (i == 1) 2L else rounds_of(2L, 0L)
    )
    for (name in names(told[[i]])) {
      figure <- told[[i]][[name]]
      expect_identical(figure$said, character(), info = paste(i, name))
      if (i == 1) expect_gt(figure$bytes, 500)
      expect_gt(nchar(figure$alternative), 20)
      expect_identical(as.integer(figure$counted), 0L, info = paste(i, name))
    }
  }
})

test_that("charts of every kind come back from a plan file and say what they show", {
  d <- demo_study()
  steps <- c(
    every_chart("mites_per_100", "hive_weight_kg", "treatment", "season"),
    list(
      chart_line(
        x = start_of(visit_date, "month"),
        y = share(mites_per_100 > 3),
        colour = year(visit_date),
        window = c(0, 1),
        title = "Share: high",
        name = "shares_line"
      ),
      chart_scatter(
        x = visit_date,
        y = honey_kg,
        window = list(x = c("2024-03-01", "2024-06-30"), y = c(0, 9)),
        caption = "Honey of one spring.",
        name = "spring"
      ),
      chart_histogram(
        x = mites_per_100 * 2,
        panels = c(late = month(visit_date) > 6),
        bins = 12,
        name = "doubled"
      )
    )
  )
  plan <- sieve(
    subsets(strong = brood_frames > 8, weak = brood_frames <= 4),
    chart_box(y = honey_kg, panels = c(subsets(), season), name = "beside"),
    chart_overlap(),
    subsets(),
    unname(steps)
  )
  first <- quiet(pour(d, plan))
  for (ending in c(".yaml", ".json")) {
    path <- tempfile(fileext = ending)
    write_sieve(plan, path)
    again <- read_sieve(path)
    expect_equal(
      utils::capture.output(print(again)), utils::capture.output(print(plan))
    )
    if (!is_full_run() && ending == ".json") next
    second <- quiet(pour(d, again))
    for (name in names(first$figures)) {
      expect_equal(
        chart_data(second, name), chart_data(first, name),
        info = name
      )
    }
  }
  expect_snapshot(sieve(unname(steps)))
  expect_snapshot(writeLines(vapply(first$figures, function(f) {
    paste0(
      f$labels$title, "\n    ", caption_of(f), "\n    ",
      ggplot2::get_alt_text(f)
    )
  }, "")))
})

test_that("slips in charts say what is wrong and what to write", {
  d <- demo_study()
  tell <- function(...) {
    tryCatch(
      quiet(pour(d, ...)),
      neatsieve_error = function(e) cat(conditionMessage(e), "\n\n")
    )
  }
  expect_snapshot({
    tell(chart_box(x = season))
    tell(chart_histogram(x = notes))
    tell(chart_box(y = hive_wieght_kg))
    tell(chart_bar(
      x = apiary,
      y = mean(honey_kg),
      colour = season,
      bars = "stacked"
    ))
    tell(chart_bar(x = apiary, y = honey_kg))
    tell(chart_heat(x = season, y = apiary, value = most_frequent(temper)))
    tell(chart_box(y = honey_kg, panels = subsets()))
    tell(chart_box(y = honey_kg, panels = c(x = season)))
    tell(chart_box(y = honey_kg, panels = c(season, temper, apiary)))
    tell(chart_box(y = honey_kg, order = "up"))
    tell(chart_box(y = honey_kg, window = c(9, 1)))
    tell(chart_scatter(
      x = brood_frames,
      y = honey_kg,
      window = list(z = c(0, 1))
    ))
    tell(chart_histogram(x = visit_date, window = c("spring", "summer")))
    tell(chart_scatter(
      x = brood_frames, y = honey_kg, colour = season, marks = "tiles"
    ))
    tell(chart_histogram(x = honey_kg, width = 0.0001))
    tell(chart_histogram(x = honey_kg, title = season))
    tell(chart_flow(d))
    tell(chart_absence(honey_kg, panel = season))
  })
})

d <- demo_study()
test_that("a far value is told as it was", {
  expect_snapshot(invisible(pour(d, chart_box(y = hive_weight_kg, x = season))))
})

note <- capture_messages(pour(d, chart_box(y = hive_weight_kg)))
test_that("a note names the far value and its row", {
  expect_match(
    note[1],
    "1 far value squeezes the scale of `hive_weight_kg`: 512 (row",
    fixed = TRUE
  )
})

test_that("the window that the note offers silences it", {
  window <- eval(str2lang(sub(
    ".*window = (c\\([^)]*\\)).*", "\\1", gsub("\n *", " ", note[1])
  )))
  expect_silent(pour(
    d, eval(bquote(chart_box(y = hive_weight_kg, window = .(window))))
  ))
})

condition <- str2lang(sub(
  ".*(exclude\\([^)]*\\)).*", "\\1", gsub("\n *", " ", note[1])
))
out <- pour(d, eval(condition))
test_that("the condition that the note offers holds one row back", {
  expect_equal(nrow(out$held), 1L)
})

test_that("without the far value no note is left", {
  expect_silent(pour(out, chart_box(y = hive_weight_kg)))
})

test_that("far values are told once a run", {
  twice <- quiet(pour(
    d, chart_box(y = hive_weight_kg), chart_histogram(x = hive_weight_kg)
  ))
  expect_length(grep("squeeze", twice$notes), 1L)
})

test_that("far values at both ends are named", {
  # Both sides, and a skewed number without far values.
  both <- data.frame(v = c(1:200, -9000, 12000))
  expect_message(
    pour(both, chart_histogram(x = v)),
    "v < .* | v > ",
    class = "neatsieve_note"
  )
})

test_that("a long tail is no far value", {
  set.seed(1)
  expect_silent(pour(data.frame(v = rexp(2000)), chart_histogram(x = v)))
})

test_that("many equal values make no far value", {
  expect_silent(pour(
    data.frame(v = c(rep(0, 500), 1:20)), chart_histogram(x = v)
  ))
})

d <- demo_study()
test_that("too many panels are noted", {
  expect_message(
    pour(d, chart_histogram(x = honey_kg, panels = hive)),
    "makes 12[0-9] panels",
    class = "neatsieve_note"
  )
})

test_that("too many curves are noted", {
  expect_message(
    pour(d, chart_density(x = honey_kg, colour = hive)),
    "on top of each other",
    class = "neatsieve_note"
  )
})

test_that("a line through several rows a day is noted", {
  expect_message(
    pour(d, chart_line(x = visit_date, y = honey_kg)),
    "mean\\(honey_kg\\).*lines = hive",
    class = "neatsieve_note"
  )
})

test_that("too many lines are noted", {
  expect_message(
    pour(ChickWeight, chart_line(x = Time, y = weight, lines = Chick)),
    "50 lines cannot be told apart.*panels = Chick",
    class = "neatsieve_note"
  )
})

test_that("lines in panels need no note", {
  expect_silent(pour(
    ChickWeight, chart_line(x = Time, y = weight, lines = Chick, panels = Diet)
  ))
})

test_that("too many colours are noted", {
  expect_message(
    pour(d, chart_bar(x = season, colour = hive)),
    "colours, which cannot be told apart.*panels = hive",
    class = "neatsieve_note"
  )
})

out <- quiet(pour(
  data.frame(x = c(1, 2, Inf, NA), y = c(1, 2, 3, -Inf)),
  chart_scatter(x = x, y = y),
  chart_box(y = x)
))
test_that("infinite values are noted", {
  expect_match(out$notes[1], "2 rows hold an infinite value")
})

test_that("panels count rows with an infinite value", {
  panels <- chart_data(out, "scatter", part = "panels")
  expect_equal(c(panels$n, panels$absent, panels$infinite), c(2L, 0L, 2L))
})

test_that("a box counts infinite values", {
  expect_equal(chart_data(out, "box", part = "panels")$infinite, 1L)
})

d <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  labels = list(hive_weight_kg = "Hive weight"),
  measures = list(hive_weight_kg = "kg"),
  absent_codes = c("", "NA", "n/a", "-9")
) |>
  suppressMessages()
out <- pour(
  d,
  exclude(hive_weight_kg > 200),
  chart_box(
    y = hive_weight_kg,
    x = season,
    title = "Weights",
    caption = "Scales of 2023."
  ),
  chart_bar(x = season, y = mean(hive_weight_kg)),
  chart_heat(x = year(visit_date), y = season)
)
box <- out$figures$box
test_that("an axis has the label and measure of its column", {
  expect_identical(box$labels$y, "Hive weight (kg)")
})

test_that("a figure has the title that is given", {
  expect_identical(box$labels$title, "Weights")
})

test_that("the caption says which rows a figure shows", {
  expect_match(
    caption_of(box),
    paste0(
      "^Scales of 2023. 2,344 of 2,345 rows of hive-visits.csv: without rows ",
      "where hive_weight_kg is above 200."
    )
  )
})

test_that("the subtitle counts rows and absent values", {
  expect_match(box$labels$subtitle, "n = 2,226, absent 118", fixed = TRUE)
})

test_that("the axis of a statistic names both", {
  expect_identical(out$figures$bar$labels$y, "Mean of Hive weight (kg)")
})

test_that("the axis of a derived key names both", {
  expect_identical(out$figures$heat$labels$x, "visit_date (year)")
})

test_that("a figure can be added to", {
  added <- box + ggplot2::labs(title = "Other")
  expect_identical(added$labels$title, "Other")
})

test_that("each panel says its n and absent", {
  panels <- pour(
    d, chart_histogram(x = honey_kg, panels = season)
  )$figures$histogram
  shown <- levels(panels$layers[[1]]$data$panel)
  expect_match(shown, "^(autumn|spring|summer)\nn = [0-9,]+, absent [0-9]+$")
})

test_that("a part that a figure does not have is refused", {
  parts <- pour(d, chart_histogram(x = honey_kg, panels = season))
  expect_error(
    chart_data(parts, part = "points"), "no part",
    class = "neatsieve_error_run"
  )
})

d <- data.frame(
  v = 1:40,
  place = rep(c("a", "b"), 20),
  left = rep(c("k", "l"), each = 20)
)
out <- pour(
  d,
  chart_box(y = v, x = left, panels = place),
  chart_bar(x = place, panels = left)
)
test_that("a panel key may be called place or left", {
  expect_equal(nlevels(out$figures$box$layers[[1]]$data$panel), 2L)
})

test_that("a box with such a key is drawn", {
  expect_silent(drawn(out$figures$box))
})

test_that("bars with such a key are drawn", {
  expect_silent(drawn(out$figures$bar))
})

long <- paste("a rather long name of a treatment", 1:6)
d <- data.frame(
  v = seq_len(600),
  k = rep(long, 100),
  p = rep(paste("panel of the place called", letters[1:8]), each = 75),
  many = rep(sprintf("g%02d", 1:60), 10)
)
built <- function(...) {
  ggplot2::ggplot_build(suppressMessages(pour(d, ...))$figures[[1]])
}
upright <- function(b) inherits(b$plot$coordinates, "CoordFlip")
test_that("groups that are many or have long names stand upright", {
  for (step in list(
    quote(chart_box(y = v, x = k, panels = p)),
    quote(chart_violin(y = v, x = many)),
    quote(chart_bar(x = many)),
    quote(chart_interval(y = v, x = k, panels = p)),
    quote(chart_strip(y = v, x = many))
  )) {
    expect_true(upright(eval(bquote(built(.(step))))), info = deparse(step))
  }
})

test_that("short names stand side by side", {
  expect_false(upright(built(chart_box(y = v, x = substring(k, 10, 20)))))
})

test_that("the first group in order stands on top", {
  # The first group stands on top.
  marks <- built(chart_box(y = v, x = many, order = "falling"))
  places <- marks$layout$panel_params[[1]]$y$get_breaks()
  expect_identical(
    marks$layout$panel_params[[1]]$y$get_labels()[which.max(places)] |>
      substr(1, 3),
    names(sort(-tapply(d$v, d$many, stats::median)))[1]
  )
})

test_that("no label of a panel is wider than its room", {
  expect_true(all(
    nchar(unlist(strsplit(
      levels(
        built(chart_histogram(x = v, panels = p))$plot$layers[[1]]$data$panel
      ),
      "\n"
    ))) <=
      125 / 4
  ))
})

d <- data.frame(
  v = c(1:40, NA),
  k = c(rep(c("a", "b", "c", "d"), 10), "d"),
  p = c(rep(c("first", "second"), c(20, 20)), "second")
)
d <- d[!(d$p == "first" & d$k %in% c("c", "d")), ]
labels_of <- function(b, i) {
  l <- b$layout$panel_params[[i]]$x$get_labels()
  l[!is.na(l)]
}
shared <- pour(d, chart_box(y = v, x = k, panels = p))$figures$box
test_that("panels share their groups", {
  for (i in 1:2) {
    expect_identical(
      labels_of(ggplot2::ggplot_build(shared), i), c("a", "b", "c", "d")
    )
  }
})

test_that("the caption is silent where panels share their groups", {
  expect_no_match(caption_of(shared), "Each panel has its own groups")
})

nested <- transform(d[d$k %in% c("a", "b"), ], h = paste0(substr(p, 1, 1), k))
own <- pour(nested, chart_box(y = v, x = h, panels = p))$figures$box
test_that("the first panel has its own groups where most are another's", {
  expect_identical(labels_of(ggplot2::ggplot_build(own), 1), c("fa", "fb"))
})

test_that("the second panel has its own groups where most are another's", {
  expect_identical(labels_of(ggplot2::ggplot_build(own), 2), c("sa", "sb"))
})

test_that("the caption says that panels have their own groups", {
  expect_match(
    caption_of(own), "Each panel has its own groups of h.",
    fixed = TRUE
  )
})

test_that("empty groups are kept when asked", {
  kept <- ggplot2::ggplot_build(
    pour(d, chart_box(y = v, x = k, panels = p, empty = TRUE))$figures$box
  )
  expect_identical(labels_of(kept, 1), c("a", "b", "c", "d"))
})

test_that("empty categories are kept when asked", {
  table <- transform(d, f = factor(k, c("a", "b", "c", "d", "e")))
  bars <- ggplot2::ggplot_build(
    pour(table, chart_bar(x = f, empty = TRUE))$figures$bar
  )
  expect_identical(labels_of(bars, 1), c("a", "b", "c", "d", "e"))
})

test_that("every mark in panels says its n", {
  for (step in list(
    quote(chart_box(y = v, x = k, panels = p)),
    quote(chart_interval(y = v, x = k, colour = p)),
    quote(chart_violin(y = v, colour = k)),
    quote(chart_strip(y = v, x = k, panels = p))
  )) {
    out <- suppressMessages(eval(bquote(pour(d, .(step)))))
    texts <- Filter(
      function(l) inherits(l$geom, "GeomText"), out$figures[[1]]$layers
    )[[1]]$data
    expect_equal(
      sum(as.numeric(texts$label)), sum(!is.na(d$v)),
      info = deparse(step)
    )
    expect_match(
      caption_of(out$figures[[1]]),
      "Small numbers: values in each group.",
      fixed = TRUE
    )
  }
})

test_that("marks without panels say their n", {
  alone <- ggplot2::ggplot_build(pour(d, chart_box(y = v, x = k))$figures$box)
  expect_identical(
    labels_of(alone, 1),
    paste0(
      c("a", "b", "c", "d"), "\nn = ", as.vector(tapply(!is.na(d$v), d$k, sum))
    )
  )
})

d <- data.frame(
  day = as.Date(c(
    "2024-01-05", "2024-02-05", "2024-05-05", "2024-06-05", "2024-06-20"
  )),
  y = c(1, 2, 3, 4, 6),
  g = "a"
)
line <- pour(d, chart_line(x = start_of(day, "month"), y = mean(y)))
test_that("lines break where a period has no value", {
  expect_equal(chart_data(line)$piece, c(1, 1, 2, 2))
})

test_that("the caption counts lines and breaks", {
  expect_match(
    caption_of(line$figures$line),
    "1 line of 5 rows. Lines break where a value in between is absent (1 time).",
    fixed = TRUE
  )
})

test_that("each piece of a line is drawn for itself", {
  expect_equal(
    length(unique(ggplot2::ggplot_build(line$figures$line)$data[[1]]$group)), 2
  )
})

test_that("lines of rows break at an absent value", {
  rows <- pour(
    data.frame(x = 1:5, y = c(1, 2, NA, 4, 5)), chart_line(x = x, y = y)
  )
  expect_equal(chart_data(rows)$piece, c(1, 1, 2, 2))
})

spread <- function() pour(mtcars, chart_scatter(x = cyl, y = mpg))
test_that("few values of x are spread the same each time", {
  expect_identical(chart_data(spread()), chart_data(spread()))
})

test_that("values that are spread keep their x", {
  expect_identical(chart_data(spread())$x, mtcars$cyl)
})

test_that("values are spread within their lane", {
  expect_true(
    all(abs(chart_data(spread())$offset) <= 0.4) &&
      stats::sd(chart_data(spread())$offset) > 0
  )
})

test_that("the caption says that values are spread", {
  expect_match(
    caption_of(spread()$figures$scatter),
    "spread sideways, since cyl takes 3 values only",
    fixed = TRUE
  )
})

test_that("many values of x are not spread", {
  expect_null(chart_data(pour(mtcars, chart_scatter(x = wt, y = mpg)))$offset)
})

d <- data.frame(
  v = c(1:12, 5, 6),
  k = c(rep(c("Birch ", "rowan"), 6), NA, NA),
  m = c(rep("x", 12), "y", "y")
)
dens <- pour(d, chart_strip(y = v, colour = k))$figures$strip
scale <- dens$scales$get_scales("colour")
test_that("absent colours are grey", {
  colours <- stats::setNames(scale$palette(3), scale$breaks)
  expect_lt(diff(range(grDevices::col2rgb(colours[["(absent)"]]))), 12)
})

test_that("blanks in a label are quoted", {
  expect_true("\"Birch \"" %in% scale$labels)
})

test_that("counts have whole marks", {
  bars <- ggplot2::ggplot_build(pour(d[1:3, ], chart_bar(x = m))$figures$bar)
  marks <- bars$layout$panel_params[[1]]$y$get_breaks()
  expect_equal(marks, round(marks))
})

heat <- pour(d, chart_heat(x = m, y = k, value = mean(v)))
test_that("heat maps count the rows of each tile", {
  expect_equal(sort(chart_data(heat)$n), c(2, 6, 6))
})

test_that("the caption says what a dashed border is", {
  expect_match(
    caption_of(heat$figures$heat),
    "dashed border rest on fewer than 5 rows.",
    fixed = TRUE
  )
})

drawn <- ggplot2::ggplot_build(heat$figures$heat)$data
test_that("a tile of few rows has a dashed border", {
  expect_identical(nrow(drawn[[2]]), 1L)
})

test_that("numbers on a single tile can be read", {
  # Letters stand out from their cell, also where all cells are alike.
  one <- quiet(pour(
    data.frame(a = c("x", "y"), b = c("p", "q"), v = 7),
    chart_heat(x = a, y = b, value = mean(v))
  ))$figures$heat
  inks <- ggplot2::ggplot_build(one)$data
  expect_true(all(contrast(inks[[1]]$fill, inks[[3]]$colour) > 4.5))
})

test_that("numbers on tiles can be read", {
  expect_true(all(contrast(drawn[[1]]$fill, drawn[[3]]$colour) > 4.5))
})

test_that("numbers on tiles can be read in other shades", {
  # Likewise where somebody takes another scale.
  other <- ggplot2::ggplot_build(suppressMessages(
    heat$figures$heat +
      ggplot2::scale_fill_gradient(low = "black", high = "yellow")
  ))$data
  expect_true(all(contrast(other[[1]]$fill, other[[3]]$colour) > 4.5))
})

test_that("four subsets have shades of their own", {
  sets <- suppressMessages(pour(
    data.frame(a = 0:15),
    subsets(b1 = a %% 2 >= 1, b2 = a %% 4 >= 2, b3 = a %% 8 >= 4, b4 = a >= 8),
    chart_overlap()
  ))$figures$overlap
  expect_length(unique(ggplot2::ggplot_build(sets)$data[[1]]$fill), 5L)
})

table <- pour(
  airquality, chart_histogram(x = Temp, panels = c(Month, hot = Temp > 80))
)$figures$histogram
test_that("panels of several keys name each in rows", {
  expect_identical(levels(table$layers[[1]]$data$panel_row)[1], "Month: 5")
})

test_that("panels of several keys name each in columns", {
  expect_identical(
    levels(table$layers[[1]]$data$panel_column), c("hot: no", "hot: yes")
  )
})

test_that("a panel of a number says what it is", {
  diets <- pour(
    ChickWeight, chart_histogram(x = weight, panels = Diet)
  )$figures$histogram
  expect_match(levels(diets$layers[[1]]$data$panel)[1], "^Diet: 1\n")
})

d <- demo_study()
t <- as.data.frame(d)
alt <- function(...) ggplot2::get_alt_text(quiet(pour(d, ...))$figures[[1]])
number <- function(v) {
  formatC(signif(v, 6), digits = 6, format = "g", width = 1)
}
ends <- function(v) {
  paste0(
    "values from ", number(min(v, na.rm = TRUE)), " to ",
    number(max(v, na.rm = TRUE))
  )
}
test_that("text alternatives say the range that is shown", {
  kept <- t$hive_weight_kg[t$hive_weight_kg <= 60]
  for (step in list(
    quote(chart_box(y = hive_weight_kg, x = season, window = c(0, 60))),
    quote(chart_histogram(x = hive_weight_kg, window = c(0, 60))),
    quote(chart_density(x = hive_weight_kg, window = c(0, 60))),
    quote(chart_violin(y = hive_weight_kg, window = c(0, 60))),
    quote(chart_strip(y = hive_weight_kg, window = c(0, 60))),
    quote(chart_cumulative(x = hive_weight_kg, window = c(0, 60)))
  )) {
    expect_match(
      eval(bquote(alt(.(step)))), ends(kept),
      fixed = TRUE, info = deparse(step)
    )
  }
})

both <- t[!is.na(t$brood_frames) & !is.na(t$honey_kg), ]
test_that("the alternative of points says their range", {
  expect_match(
    alt(chart_scatter(x = brood_frames, y = honey_kg)),
    ends(both$honey_kg),
    fixed = TRUE
  )
})

test_that("the alternative of tiles says their range", {
  expect_match(
    alt(chart_scatter(x = brood_frames, y = honey_kg, marks = "tiles")),
    ends(both$honey_kg),
    fixed = TRUE
  )
})

test_that("the alternative of boxes says their medians", {
  medians <- tapply(t$mites_per_100, t$season, stats::median, na.rm = TRUE)
  expect_match(
    alt(chart_box(y = mites_per_100, x = season)),
    paste0(
      "medians: ", paste(names(medians), number(medians), collapse = ", ")
    ),
    fixed = TRUE
  )
})

test_that("the alternative of bars says their values", {
  means <- tapply(t$honey_kg, t$season, mean, na.rm = TRUE)
  expect_match(
    alt(chart_bar(x = season, y = mean(honey_kg))),
    paste0("values: ", paste(names(means), number(means), collapse = ", ")),
    fixed = TRUE
  )
})

test_that("the alternative of intervals says the range of means", {
  expect_match(
    alt(chart_interval(y = honey_kg, x = season, colour = queen_seen)),
    "means from "
  )
})

test_that("the alternative of the flow says what became of rows", {
  run <- quiet(pour(
    d,
    include(weighed = present(hive_weight_kg)),
    exclude(misread = hive_weight_kg > 200)
  ))
  expect_match(
    ggplot2::get_alt_text(chart_flow(run)),
    paste0(
      "of 2,345 rows, ", format(sum(!is.na(t$hive_weight_kg)), big.mark = ","),
      " go on after step 1 include, ", format(nrow(run), big.mark = ","),
      " go on after step 2 exclude"
    ),
    fixed = TRUE
  )
})

test_that("the alternative of absences says the range of shares", {
  shares <- tapply(is.na(t$temper), t$season, mean)
  expect_match(
    alt(chart_absence(temper, x = season)),
    paste0(
      "shares absent from ", number(100 * min(shares)), "% to ",
      number(100 * max(shares)), "%"
    ),
    fixed = TRUE
  )
})

test_that("figures are saved as PNG, SVG and PDF in the size asked for, whole or not at all", {
  out <- quiet(pour(
    demo_study(),
    subsets(strong = brood_frames > 8, `very calm` = temper == "calm"),
    chart_box(y = honey_kg, x = season),
    subsets(),
    chart_bar(x = season)
  ))
  folder <- tempfile()
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE))
  at <- function(name) file.path(folder, name)
  save_figure(out$figures$bar, at("bar.png"))
  size <- function(path) {
    bytes <- as.integer(readBin(path, "raw", 24))
    c(sum(bytes[17:20] * 256^(3:0)), sum(bytes[21:24] * 256^(3:0)))
  }
  expect_equal(size(at("bar.png")), c(1280, 800))
  save_figure(
    out$figures$bar,
    at("bar.png"),
    width = 8,
    height = 5,
    measure = "cm",
    per_inch = 254
  )
  expect_equal(size(at("bar.png")), c(800, 500))
  save_figure(out$figures$bar, at("bar.svg"), width = 100, height = 50)
  svg <- paste(readLines(at("bar.svg")), collapse = "\n")
  expect_match(svg, "<title>Rows by season</title>", fixed = TRUE)
  expect_match(svg, "<desc>Bars. Rows by season", fixed = TRUE)
  expect_match(svg, "width='283.46pt'", fixed = TRUE)
  save_figure(out$figures$bar, at("bar.pdf"))
  expect_identical(readBin(at("bar.pdf"), "raw", 4), charToRaw("%PDF"))
  paths <- save_figure(out$figures$box, at("box.png"))
  expect_identical(basename(paths), c("box-strong.png", "box-very-calm.png"))
  for (wrong in list(
    quote(save_figure(out$figures$bar, at("bar.gif"))),
    quote(save_figure(1, at("bar.png"))),
    quote(save_figure(out, at("bar.png"))),
    quote(save_figure(out$figures$bar, at("bar.png"), width = 1)),
    quote(save_figure(out$figures$bar, at("no/bar.png"))),
    quote(save_figure(out$figures$bar, at("bar.png"), measure = "px"))
  )) expect_error(eval(wrong), class = "neatsieve_error_run")
  expect_error(
    save_figure(
      out$figures$bar +
        ggplot2::geom_point(ggplot2::aes(x = nothing_there), data.frame(a = 1)),
      at("bar.png")
    ),
    class = "neatsieve_error_run"
  )
  expect_equal(size(at("bar.png")), c(800, 500))
  expect_setequal(
    list.files(folder, all.files = TRUE, no.. = TRUE),
    c("bar.png", "bar.svg", "bar.pdf", "box-strong.png", "box-very-calm.png")
  )
  written <- basename(write_siftings(out, file.path(folder, "all")))
  expect_true(all(
    c(
      "figure-box-strong.png", "figure-box-very-calm.png", "figure-bar.png",
      "figures.csv"
    ) %in%
      written
  ))
  expect_match(
    utils::read.csv(file.path(folder, "all", "figures.csv"))$text_alternative,
    "Bars|Box plots"
  )
})

test_that("the colour arithmetic agrees with published pairs of CIEDE2000", {
  # From the test data of Sharma, Wu and Dalal (2005), table 1.
  pairs <- matrix(
    c(
      50, 2.6772, -79.7751, 50, 0, -82.7485, 2.0425, 50, 3.1571, -77.2803, 50,
      0, -82.7485, 2.8615, 50, 2.5, 0, 73, 25, -18, 27.1492, 50, 2.5, 0, 58,
      24, 15, 19.4535, 60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387,
      1.2644, 2.0776, 0.0795, -1.1350, 0.9033, -0.0636, -0.5514, 0.9082
    ),
    ncol = 7,
    byrow = TRUE
  )
  expect_equal(
    ciede2000(pairs[, 1:3], pairs[, 4:6]), pairs[, 7],
    tolerance = 1e-4
  )
  expect_equal(contrast("#000000", "#ffffff"), 21)
})

levels <- paste0("group ", 1:20)
d <- data.frame(x = seq_len(200), y = seq_len(200), g = rep(levels, 10))
figure <- suppressMessages(pour(
  d, chart_scatter(x = x, y = y, colour = g, trend = "linear")
))$figures$scatter
scale_of <- function(aesthetic) {
  scales <- figure$scales$get_scales(aesthetic)
  unname(scales$palette(20)[match(levels, scales$breaks)])
}
colours <- scale_of("colour")
test_that("the palette has eight colours", {
  expect_length(unique(colours), 8L)
})

test_that("eight colours are told apart", {
  expect_gte(nearest_pair(lab_of(unique(colours))), 12)
})

test_that("eight colours are told apart by every kind of sight", {
  for (kind in names(blind_kinds)) {
    expect_gte(nearest_pair(seen_by(unique(colours), kind)), 8)
  }
})

paper <- figure$theme$plot.background$fill
test_that("eight colours stand out from the paper", {
  expect_true(all(contrast(unique(colours), paper) >= 3))
})

test_that("behind eight colours shapes differ", {
  expect_equal(anyDuplicated(paste(colours, scale_of("shape"))), 0L)
})

test_that("behind eight colours lines differ", {
  expect_equal(anyDuplicated(paste(colours, scale_of("linetype"))), 0L)
})

test_that("areas behind eight colours differ in another way", {
  # Boxes, violins, bars and curves of repeated colours have other outlines.
  others <- suppressMessages(pour(
    d,
    chart_box(y = x, colour = g),
    chart_violin(y = x, colour = g),
    chart_bar(x = g, colour = g),
    chart_density(x = x, colour = g),
    chart_interval(y = x, colour = g)
  ))$figures
  for (other in others) {
    of <- function(aesthetic) {
      scale <- other$scales$get_scales(aesthetic)
      unname(scale$palette(20)[match(levels, scale$breaks)])
    }
    expect_equal(anyDuplicated(paste(of("fill"), of("linetype"))), 0L)
    drawn_as <- unique(unlist(lapply(
      ggplot2::ggplot_build(other)$data,
      function(l) {
        if (!is.null(l$linetype)) {
          paste(
            if (is.null(l$fill) || all(is.na(l$fill))) l$colour else l$fill,
            l$linetype
          )
        }
      }
    )))
    expect_gte(length(drawn_as), 20L)
  }
})

test_that("letters of figures can be read", {
  # Text on the paper.
  for (part in c("plot.title", "axis.text", "plot.caption")) {
    expect_gte(
      contrast(ggplot2::calc_element(part, figure$theme)$colour, paper), 4.5
    )
  }
})

figure <- quiet(pour(
  demo_study(), chart_heat(x = season, y = apiary)
))$figures$heat
shades <- figure$scales$get_scales("fill")$palette(seq(0, 1, length.out = 50))
# Numbers in the tiles can be read.
texts <- figure$layers[[which(vapply(
  figure$layers, function(l) inherits(l$geom, "GeomText"), logical(1)
))]]
test_that("shades go from light to dark without a turn", {
  expect_true(all(diff(lab_of(shades)[, "L"]) < 0))
})

test_that("the lightest shade stands off the paper", {
  expect_gte(
    ciede2000(lab_of(shades[1]), lab_of(figure$theme$plot.background$fill)), 5
  )
})

test_that("numbers on shades can be read", {
  built <- ggplot2::ggplot_build(figure)
  tiles <- built$data[[1]]
  words <- built$data[[2]]
  at <- match(
    paste(words$x, words$y),
    paste((tiles$xmin + tiles$xmax) / 2, (tiles$ymin + tiles$ymax) / 2)
  )
  expect_true(all(mapply(contrast, words$colour, tiles$fill[at]) >= 3))
})

test_that("the main charts look as they did", {
  skip_if_not_installed("vdiffr")
  d <- demo_study()
  look <- function(name, ...) {
    vdiffr::expect_doppelganger(
      name,
      quiet(pour(
        d, exclude(hive_weight_kg > 200), include(season == "spring"), ...
      ))$figures[[1]]
    )
  }
  look(
    "box plots by treatment",
    chart_box(
      y = mites_per_100,
      x = treatment,
      panels = c(queen_seen, year = year(visit_date)),
      window = c(0, 8)
    )
  )
  look(
    "densities in colours",
    chart_density(x = hive_weight_kg, colour = treatment)
  )
  look("violins", chart_violin(y = hive_weight_kg, x = treatment))
  look(
    "strips in order",
    chart_strip(y = mites_per_100, x = treatment, order = "falling")
  )
  look(
    "scatter with trend",
    chart_scatter(
      x = brood_frames, y = hive_weight_kg, colour = treatment, trend = "linear"
    )
  )
  look(
    "tiles",
    chart_scatter(x = brood_frames, y = hive_weight_kg, marks = "tiles")
  )
  look(
    "lines of means",
    chart_line(
      x = start_of(visit_date, "month"),
      y = mean(mites_per_100),
      colour = treatment
    )
  )
  look(
    "bars in shares", chart_bar(x = apiary, colour = temper, bars = "shares")
  )
  look("intervals", chart_interval(y = mites_per_100, x = treatment))
  look(
    "heat map",
    chart_heat(x = month(visit_date), y = apiary, value = mean(mites_per_100))
  )
  look("absent values", chart_absence())
  look("flow", chart_flow())
})

test_that("the faceted histogram looks as it did", {
  skip_if_not_installed("vdiffr")
  out <- pour(
    demo_study(),
    include(present(hive_weight_kg), season == "spring"),
    exclude(hive_weight_kg > 200),
    chart_histogram(x = mites_per_100, panels = apiary)
  )
  vdiffr::expect_doppelganger("histogram by apiary", out$figures$histogram)
})

test_that("captions spell out criteria and the values of settings", {
  out <- pour(
    demo_study(),
    settings(least = 20),
    criteria(
      weighed = present(hive_weight_kg),
      strong = hive_weight_kg >= least & brood_frames > 6,
      good = strong & weighed
    ),
    include(weighed, good),
    exclude(season == "autumn"),
    chart_bar(x = season),
    set = list(least = 30)
  )
  expect_match(
    caption_of(out$figures$bar),
    paste0(
      "only rows where weighed (hive_weight_kg is present), and good ",
      "((hive_weight_kg is at least 30 and brood_frames is above 6) and ",
      "(hive_weight_kg is present)); without rows where season is \"autumn\"."
    ),
    fixed = TRUE
  )
})

d <- data.frame(
  at = as.POSIXct("2024-03-01 06:00", tz = "UTC") + 3600 * (0:95),
  v = sin(0:95),
  g = rep(c("a", "b"), 48)
)
out <- pour(
  d,
  criteria(above = v > 0),
  chart_line(x = at, y = v, colour = g),
  chart_histogram(x = at, window = c("2024-03-02 00:00", "2024-03-03 12:00")),
  chart_bar(x = as_date(at), colour = above),
  chart_scatter(
    x = at,
    y = v,
    panels = c(above, g),
    trend = "linear",
    window = list(x = c("2024-03-01", "2024-03-03"))
  ),
  chart_density(x = at, colour = above),
  chart_heat(x = hour(at), y = as_date(at))
)
test_that("a line over date-times keeps them", {
  expect_s3_class(chart_data(out, "line")$x, "POSIXct")
})

test_that("a window of date-times counts what is inside", {
  expect_equal(
    sum(chart_data(out, "histogram")$count),
    sum(
      d$at >= as.POSIXct("2024-03-02", tz = "UTC") &
        d$at <= as.POSIXct("2024-03-03 12:00", tz = "UTC")
    )
  )
})

test_that("a key of days counts each day", {
  expect_equal(
    as.vector(tapply(
      chart_data(out, "bar")$value, chart_data(out, "bar")$x, sum
    )),
    as.vector(table(as.Date(d$at)))
  )
})

test_that("panels by a criterion count what lies outside", {
  expect_equal(
    chart_data(out, "scatter", part = "panels")$outside,
    as.vector(
      table(
        d$at > as.POSIXct("2024-03-03", tz = "UTC"), interaction(d$g, d$v > 0)
      )["TRUE", ]
    )
  )
})

test_that("figures with criteria and times are drawn", {
  for (figure in out$figures) expect_silent(drawn(figure))
})

test_that("the alternative names a criterion as colour", {
  expect_match(ggplot2::get_alt_text(out$figures$bar), "coloured by above")
})

many <- data.frame(id = 1:3000, v = 1:3000)
test_that("too many panels are an error", {
  expect_error(
    pour(many, chart_histogram(x = v, panels = id)),
    "3,000 groups, more than the 400",
    class = "neatsieve_error_run"
  )
})

test_that("too many groups are an error", {
  expect_error(
    pour(many, chart_box(y = v, x = id)),
    "`x` makes 3,000 groups",
    class = "neatsieve_error_run"
  )
})

test_that("many groups are noted", {
  expect_message(
    pour(many[1:100, ], chart_box(y = v, x = id)),
    "100 groups side by side",
    class = "neatsieve_note"
  )
})

d <- demo_study()
first <- pour(d, include(present(mites_per_100)))
out <- pour(
  first,
  condense(
    visits = count(),
    mites = mean(mites_per_100),
    by = c(apiary, hive)
  ),
  chart_strip(y = mites, x = apiary),
  chart_histogram(x = visits)
)
test_that("the axis counts groups where groups became rows", {
  expect_identical(out$figures$histogram$labels$y, "Number of groups")
})

test_that("the caption says that rows are groups", {
  expect_match(
    caption_of(out$figures$strip), "groups made from hive-visits.csv"
  )
})

test_that("a strip of groups has their means", {
  direct <- as.data.frame(first$rows)
  means <- aggregate(mites_per_100 ~ hive + apiary, direct, mean)
  expect_equal(sort(chart_data(out, "strip")$value), sort(means$mites_per_100))
})

test_that("figures of groups are named as usual", {
  expect_named(out$figures, c("strip", "histogram"))
})

test_that("panels of numbers and of yes and no say what they are of", {
  labels <- function(...) {
    levels(pour(airquality, ...)$figures[[1]]$layers[[1]]$data$panel)
  }
  expect_identical(
    labels(chart_histogram(x = Ozone, panels = Month))[1],
    "Month: 5\nn = 26, absent 5"
  )
  expect_match(
    labels(chart_histogram(x = Ozone, panels = c(windy = Wind > 10))),
    "^windy: (yes|no)\n"
  )
})

d <- demo_study()
out <- quiet(pour(
  d,
  chart_bar(x = season, window = c(0, 800)),
  chart_bar(
    x = season,
    colour = queen_seen,
    window = c(0, 800),
    name = "stacked"
  ),
  chart_bar(
    x = season,
    colour = temper,
    bars = "shares",
    window = c(0, 0.5),
    name = "shares"
  ),
  chart_interval(y = mites_per_100, x = season, window = c(0, 2)),
  chart_line(
    x = visit_date,
    y = count(),
    window = list(x = c("2024-01-01", "2024-12-31"), y = c(0, 3))
  )
))
outside <- function(name) chart_data(out, name, part = "panels")$outside
rows <- table(as.data.frame(d)$season)
test_that("bars beyond a window are counted", {
  expect_equal(outside("bar"), sum(rows > 800))
})

test_that("parts of bars beyond a window are counted", {
  expect_equal(
    outside("stacked"),
    nrow(chart_data(out, "stacked")) -
      sum(chart_data(out, "stacked")$x %in% names(rows)[rows <= 800])
  )
})

test_that("shares beyond a window are counted", {
  expect_equal(outside("shares"), sum(chart_data(out, "shares")$share > 0.5))
})

test_that("centres beyond a window are counted", {
  expect_equal(outside("interval"), sum(chart_data(out, "interval")$centre > 2))
})

test_that("points of a line beyond a window are counted", {
  per_day <- table(as.data.frame(d)$visit_date)
  expect_equal(
    outside("line"), sum(per_day > 3 | !startsWith(names(per_day), "2024"))
  )
})

test_that("figures with windows are drawn", {
  for (figure in out$figures) expect_silent(drawn(figure))
})

# A line that leaves the window is cut there, not joined across.
wave <- quiet(pour(
  data.frame(x = 1:9, y = c(1, 2, 9, 2, 1, 1, 9, 9, 3)),
  chart_line(x = x, y = y, window = c(0, 5))
))$figures$line
test_that("a line is cut where it leaves the window", {
  shown <- ggplot2::ggplot_build(wave)$data[[1]]
  expect_equal(split(shown$x, shown$group), list(1:2, 4:6), ignore_attr = TRUE)
})

test_that("a line that leaves the window is drawn", {
  expect_silent(drawn(wave))
})

test_that("a line outside its window is drawn", {
  expect_silent(drawn(
    quiet(pour(
      data.frame(x = 1:9, y = 1:9), chart_line(x = x, y = y, window = c(50, 60))
    ))$figures$line
  ))
})

test_that("the caption counts bars outside the window", {
  expect_match(
    caption_of(out$figures$bar),
    paste0(
      "Window 0 to 800: [0-9]+ bars? lies? outside|Window 0 to 800: [0-9]+ ",
      "bars ",
      "lie outside"
    )
  )
})

test_that("a window of an axis of groups is refused", {
  expect_error(
    pour(d, chart_box(y = honey_kg, x = season, window = list(x = c(1, 2)))),
    "no axis",
    class = "neatsieve_error_step"
  )
})

test_that("a seed that is no whole number is refused", {
  for (seed in c(0.5, 1e308, NA)) {
    expect_error(
      pour(d, chart_strip(y = honey_kg, seed = seed)),
      "`seed` of `chart_strip\\(\\)`",
      class = "neatsieve_error_step",
      info = seed
    )
  }
})

test_that("calls on finished siftings say what is missing there", {
  out <- quiet(pour(
    demo_study(),
    include(season == "spring"),
    chart_box(y = honey_kg),
    chart_flow()
  ))
  expect_error(
    chart_overlap(out), "In chart_overlap\\(\\)",
    class = "neatsieve_error_step"
  )
  expect_error(
    chart_data(out, "bx"), "Did you mean \"box\"",
    class = "neatsieve_error_run"
  )
})

test_that("labels from right to left keep their digits, and letters without a font are named", {
  skip_if_not(capabilities("cairo"))
  drawn <- function(label) {
    out <- quiet(pour(
      data.frame(g = label, k = 1), chart_bar(x = g, title = "Bars")
    ))
    figure <- out$figures$bar
    path <- tempfile(fileext = ".png")
    suppressMessages(save_figure(figure, path))
    readBin(path, "raw", 1e6)
  }
  for (word in c("\u05e9\u05dc\u05d5\u05dd", "\u0645\u0631\u062d\u0628\u0627")) {
    expect_false(identical(drawn(paste(word, "1")), drawn(paste(word, "2"))))
    expect_false(identical(drawn(paste(word, "kg")), drawn(paste(word, "mg"))))
  }
  # No font has the last of the private letters.
  out <- pour(
    data.frame(g = c("a\U10fffd", "plain", "\u00e9")), chart_bar(x = g)
  )
  for (ending in c(".png", ".pdf")) {
    expect_message(
      save_figure(out$figures$bar, tempfile(fileext = ending)),
      "No font here has the letter .*U\\+10FFFD",
      class = "neatsieve_note"
    )
  }
  expect_no_message(save_figure(out$figures$bar, tempfile(fileext = ".svg")))
  plain <- pour(
    data.frame(g = c("\u00e9t\u00e9", "\u00fc", "mark \u200f")),
    chart_bar(x = g)
  )
  expect_no_message(save_figure(plain$figures$bar, tempfile(fileext = ".png")))
})

d <- data.frame(
  v = 1:12,
  k = rep(c("a", "b"), 6),
  p = rep(c("x", "y", "z"), each = 4)
)
texts <- function(figure) {
  of_text <- Filter(function(l) inherits(l$geom, "GeomText"), figure$layers)
  of_text[[1]]$data$label
}
test_that("bars of means say on how many values they rest", {
  in_panels <- quiet(pour(
    d, chart_bar(x = k, y = mean(v), panels = p)
  ))$figures$bar
  expect_identical(
    texts(in_panels),
    paste0(as.vector(t(tapply(d$v, d[c("p", "k")], mean))), "\nn = 2")
  )
})

test_that("the caption says so where bars are coloured", {
  coloured <- quiet(pour(
    d, chart_bar(x = k, y = mean(v), colour = p)
  ))$figures$bar
  expect_match(
    caption_of(coloured), "Bars rest on 2 values each.",
    fixed = TRUE
  )
})

counts <- quiet(pour(d, chart_bar(x = k, panels = p)))$figures$bar
test_that("bars of counts say their count alone", {
  expect_identical(texts(counts), rep("2", 6))
})

test_that("the caption of counts is silent on it", {
  expect_no_match(caption_of(counts), "Bars rest on")
})

d <- data.frame(
  x = 1:60,
  y = 60:1,
  n = rep(1:20, 3),
  k = rep(letters[1:3], 20),
  o = factor(
    rep(c("low", "mid", "high"), 20),
    c("low", "mid", "high"),
    ordered = TRUE
  )
)
test_that("too many colours of a number get bands to write", {
  expect_message(
    pour(d, chart_bar(x = k, colour = n)),
    "20 colours, which cannot be told apart.*equal_bands\\(n, 4\\)"
  )
})

test_that("too many ordered colours get panels to write", {
  many <- transform(d, o = factor(letters[n], letters[1:20], ordered = TRUE))
  expect_message(
    pour(many, chart_bar(x = k, colour = o)), "Give each a panel: `panels = o`"
  )
})

# Numbers are values along a bar in points, and groups of which a legend names
# some in lines.
out <- quiet(pour(
  d,
  sieve(
    chart_scatter(x = x, y = y, colour = n),
    chart_line(x = x, y = y, colour = n),
    chart_density(x, colour = n)
  )
))
bar <- out$figures$scatter$scales$get_scales("colour")
test_that("colours of a number have a bar of shades", {
  expect_true(inherits(bar, "ScaleContinuous"))
})

test_that("points keep the number they are coloured by", {
  expect_identical(chart_data(out, "scatter")$colour, d$n)
})

test_that("lines of a number have a bar of shades", {
  expect_true(inherits(
    out$figures$line$scales$get_scales("fill"), "ScaleContinuous"
  ))
})

shades <- function(figure) {
  scale <- Filter(
    function(s) "fill" %in% s$aesthetics, figure$scales$scales
  )[[1]]
  colours <- scale$palette(0)
  grDevices::convertColor(
    t(grDevices::col2rgb(colours)) / 255, "sRGB", "Lab"
  )[, 1]
}
test_that("curves of a number go from light to dark", {
  expect_true(all(diff(shades(out$figures$density)) < 0))
})

test_that("a long legend names some of its shades", {
  scale <- out$figures$density$scales$get_scales("colour")
  expect_identical(scale$get_labels(), c("1", "5", "9", "12", "16", "20"))
})

test_that("colours of an order go from light to dark", {
  ordered <- pour(d, chart_bar(x = k, colour = o))$figures$bar
  expect_true(all(diff(shades(ordered)) < -10))
})

test_that("colours without an order do not", {
  plain <- pour(d, chart_bar(x = o, colour = k))$figures$bar
  expect_false(all(diff(shades(plain)) < 0))
})

test_that("bands of a number have as many shades", {
  banded <- quiet(pour(
    d, chart_scatter(x = x, y = y, colour = equal_bands(n, 4))
  ))
  expect_length(shades(banded$figures$scatter), 4)
})
