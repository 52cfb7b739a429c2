# What a chart is given beside its numbers: scales, lines, texts, labels, order,
# looks.

set.seed(4)
skewed <- data.frame(
  x = c(exp(stats::rnorm(300)), 0, 0, -1, NA),
  g = rep(c("a", "b"), 152),
  h = rep(c("u", "v", "w", "z"), 76),
  y = c(exp(stats::rnorm(303, 1)), 5)
)

out <- quiet(pour(
  skewed,
  sieve(
    chart_histogram(x, panels = g, scale = "log", bins = 12),
    chart_density(x, scale = "log")
  )
))
bins <- chart_data(out, "histogram")
test_that("bins on a log axis have equal widths in logarithms", {
  edges <- log10(unique(c(bins$from, bins$to[nrow(bins)])))
  expect_equal(diff(edges), rep(edges[2] - edges[1], length(edges) - 1))
})

test_that("counts of bins on a log axis equal cut()", {
  for (g in c("a", "b")) {
    logs <- log10(skewed$x[skewed$g == g & skewed$x > 0])
    own <- bins[bins$g == g, ]
    counts <- table(cut(
      logs,
      log10(c(own$from, own$to[nrow(own)])),
      right = FALSE,
      include.lowest = TRUE
    ))
    expect_equal(own$count, as.integer(counts))
  }
})

test_that("a density on a log axis has the area 1", {
  curve <- chart_data(out, "density")
  width <- diff(log10(curve$x))
  expect_equal(
    sum(width * (head(curve$density, -1) + tail(curve$density, -1)) / 2),
    1,
    tolerance = 0.01
  )
})

test_that("panels on a log axis count what they cannot show", {
  panels <- neatsieve:::siftings_parts(out)$charts$histogram$panels
  expect_identical(
    c(sum(panels$n), sum(panels$absent), sum(panels$outside)),
    c(303L, 1L, 3L) - c(3L, 0L, 0L)
  )
})

test_that("the caption says how many values a log axis cannot show", {
  expect_match(
    out$figures$histogram$labels$caption,
    "3 rows with a value of 0 or below are not"
  )
})

test_that("a note says how many values a log axis cannot show", {
  expect_message(
    pour(skewed, chart_histogram(x, scale = "log")),
    "0 or below, which a log axis"
  )
})

test_that("medians, means and boxes on a log axis stay those of the values", {
  steps <- function(scale) {
    sieve(
      chart_box(y = x, x = g, scale = scale),
      chart_interval(y = y, x = g, scale = scale),
      chart_line(x = y, y = x, colour = g, scale = scale)
    )
  }
  plain <- quiet(pour(skewed, steps(NULL)))
  logged <- quiet(pour(skewed, steps("log")))
  for (name in c("box", "interval", "line")) {
    expect_equal(
      chart_data(logged, name),
      chart_data(plain, name),
      ignore_attr = TRUE,
      tolerance = 0
    )
    expect_silent(ggplot2::ggplot_build(logged$figures[[name]]))
  }
  axis <- logged$figures$box$scales$get_scales("y")
  expect_identical(axis$trans$name, "log-10")
  fit <- stats::lm(log10(y) ~ log10(x), skewed[skewed$x > 0, ])
  scatter <- quiet(pour(
    skewed,
    chart_scatter(x, y, trend = "linear", scale = list(x = "log", y = "log"))
  ))
  trend <- chart_data(scatter, part = "trend")
  expect_equal(
    log10(trend$y), unname(stats::predict(fit, data.frame(x = trend$x)))
  )
})

test_that("where no value can be shown on a log axis figures say so and are drawn", {
  none <- data.frame(
    x = c(-1, 0, NA, -5),
    g = c("a", "b", "a", NA),
    day = as.Date("2024-01-01") + 0:3
  )
  steps <- sieve(
    chart_histogram(x, scale = "log"),
    chart_density(x, scale = "log"),
    chart_box(y = x, x = g, scale = "log"),
    chart_violin(y = x, x = g, scale = "log"),
    chart_strip(y = x, x = g, scale = "log"),
    chart_cumulative(x, scale = "log"),
    chart_line(x = day, y = x, scale = "log"),
    chart_interval(y = x, x = g, scale = "log")
  )
  out <- quiet(pour(none, steps))
  path <- tempfile(fileext = ".png")
  for (figure in out$figures) expect_silent(save_figure(figure, path))
  # A median of 0 or below has no line.
  half <- data.frame(
    x = c(-3, -2, -1, 5, 1, 2, 3, 4),
    g = rep(c("a", "b"), each = 4)
  )
  box <- quiet(pour(half, chart_box(y = x, x = g, scale = "log")))$figures$box
  drawn <- ggplot2::ggplot_build(box)$data
  thick <- Filter(function(l) any(l$linewidth == 1.1), drawn)[[1]]
  expect_equal(10^thick$y, 2.5)
})

test_that("groups stand in the order of any statistic of theirs", {
  out <- quiet(pour(skewed, chart_box(y = x, x = h, order = falling(sd(y)))))
  expected <- sort(tapply(skewed$y, skewed$h, stats::sd), decreasing = TRUE)
  expect_identical(
    neatsieve:::siftings_parts(out)$charts$box$levels$x, names(expected)
  )
  bars <- quiet(pour(skewed, chart_bar(x = h, order = mean(y, where = x > 1))))
  kept <- skewed[skewed$x > 1 & !is.na(skewed$x), ]
  expect_identical(
    neatsieve:::siftings_parts(bars)$charts$bar$levels$x,
    names(sort(tapply(kept$y, kept$h, mean)))
  )
})

d <- data.frame(
  day = as.Date("2024-01-01") + 0:99,
  k = rep(letters[1:20], 5),
  v = 1:100
)
step <- chart_line(
  x = day,
  y = v,
  colour = k,
  highlight = c("c", "t"),
  reference_lines = list(y = c("half" = 50), x = "2024-02-01"),
  texts = list("here" = list("2024-03-01", 20)),
  labels = list(y = "Value", x = "")
)
figure <- quiet(pour(d, step))$figures$line
layers <- ggplot2::ggplot_build(figure)$data
at <- function(column) unlist(lapply(layers, `[[`, column))
test_that("a reference line of a number stands at its value", {
  expect_identical(unname(at("yintercept")), 50)
})

test_that("a reference line of a date stands at its day", {
  expect_identical(unname(at("xintercept")), as.numeric(as.Date("2024-02-01")))
})

test_that("names of lines and texts are drawn", {
  expect_setequal(unlist(lapply(layers, `[[`, "label")), c("half", "here"))
})

test_that("labels of axes are those given", {
  expect_identical(
    figure$labels[c("x", "y")],
    list(x = NULL, y = "Value")[c("x", "y")],
    ignore_attr = TRUE
  )
})

colours <- figure$scales$get_scales("colour")
test_that("highlighted groups alone have a key", {
  expect_identical(colours$get_labels(), c("c", "t"))
})

test_that("groups that are not highlighted are grey", {
  expect_length(unique(colours$palette(20)), 3)
})

test_that("the caption counts groups in grey", {
  expect_match(
    gsub("\n", " ", figure$labels$caption), "In grey: 18 other groups of k."
  )
})

test_that("the caption says where lines are", {
  expect_match(
    gsub("\n", " ", figure$labels$caption),
    "Lines at y = 50 (half) and x = 2024-02-01.",
    fixed = TRUE
  )
})

test_that("points of the highlighted group are drawn last", {
  # A point's marks in front of those in grey.
  points <- quiet(pour(
    d, chart_scatter(x = day, y = v, colour = k, highlight = "c")
  ))
  drawn <- ggplot2::ggplot_build(points$figures$scatter)$data[[1]]
  expect_identical(length(unique(utils::tail(drawn$colour, 5))), 1L)
})

test_that("what is given beside the numbers comes back from plans and code", {
  steps <- sieve(
    look_of_figures(
      font = "serif",
      size = 14,
      palette = c(a = "grey40", b = "#d47416"),
      background = "white",
      grid = FALSE
    ),
    chart_scatter(
      x,
      y,
      scale = list(x = "log"),
      reference_lines = list(x = c(low = 1, high = 2), y = 3),
      texts = list("a b" = c(1, 2)),
      labels = list(x = "X"),
      colour = g,
      highlight = "a"
    ),
    chart_box(
      y = x,
      x = h,
      order = falling(sd(y)),
      texts = list(few = list("u", 2))
    ),
    chart_line(
      x = as_date("2024-01-01") + x,
      y = y,
      reference_lines = list(x = "2024-01-03")
    )
  )
  path <- tempfile(fileext = ".yaml")
  write_sieve(steps, path)
  back <- read_sieve(path)
  expect_identical(as_code(back), as_code(steps))
  expect_identical(as_code(eval(parse(text = as_code(steps)))), as_code(steps))
  first <- quiet(pour(skewed, steps))
  second <- quiet(pour(skewed, back))
  for (name in names(first$figures)) {
    expect_identical(
      ggplot2::ggplot_build(second$figures[[name]])$data,
      ggplot2::ggplot_build(first$figures[[name]])$data
    )
  }
})

test_that("a reference line of no axis is named", {
  expect_error(
    pour(skewed, chart_histogram(x, reference_lines = list(z = 1))),
    "list of numbers"
  )
})

test_that("a reference line of an axis of groups is refused", {
  expect_error(
    pour(skewed, chart_box(y = x, x = g, reference_lines = list(x = 1))),
    "no axis of numbers"
  )
})

test_that("a log scale of an axis of groups is refused", {
  expect_error(
    pour(skewed, chart_box(y = x, x = g, scale = list(x = "log"))),
    "no axis of numbers"
  )
})

test_that("a window below 0 on a log axis is refused", {
  expect_error(
    pour(skewed, chart_box(y = x, x = g, scale = "log", window = c(-1, 2))),
    "above 0"
  )
})

test_that("a width of bins on a log axis is refused", {
  expect_error(
    pour(skewed, chart_histogram(x, scale = "log", width = 2)), "has none"
  )
})

test_that("a date as a reference line of numbers is refused", {
  expect_error(
    pour(
      skewed, chart_box(y = x, x = g, reference_lines = list(y = "2024-01-01"))
    ),
    "which has numbers"
  )
})

test_that("a highlight without colours is refused", {
  expect_error(
    pour(skewed, chart_box(y = x, x = g, highlight = "a")), "there is none"
  )
})

test_that("a highlight spelled wrong gets the nearest", {
  expect_error(
    pour(skewed, chart_box(y = x, x = h, colour = g, highlight = "A")),
    "Did you mean \"a\""
  )
})

test_that("a text at no group is refused", {
  expect_error(
    quiet(pour(
      skewed, chart_box(y = x, x = g, texts = list(t = list("A", 1)))
    ))$figures,
    "no such group"
  )
})

test_that("a label of what a chart does not show is refused", {
  expect_error(
    pour(skewed, chart_histogram(x, labels = list(colour = "c"))),
    "does not show"
  )
})

test_that("a background on which no letters stand out is refused", {
  expect_error(look_of_figures(background = "#808080"), "No letters stand out")
})

test_that("a font that is not there is named", {
  expect_error(look_of_figures(font = "no such font"), "has no font")
})

test_that("a palette of one colour is refused", {
  expect_error(look_of_figures(palette = "red"), "two or more colours")
})

test_that("a size of letters out of range is refused", {
  expect_error(look_of_figures(size = 40), "from 6 to 24")
})

test_that("every chart of numbers takes what charts share", {
  kinds <- ls(neatsieve:::chart_table)
  measured <- Filter(function(kind) {
    any(
      c("measure", "value", "summary") %in% neatsieve:::chart_kind(kind)$roles
    )
  }, kinds)
  expect_gte(length(measured), 10)
  for (kind in measured) {
    arguments <- names(formals(get(
      paste0("chart_", kind), asNamespace("neatsieve")
    )))
    shared <- if (kind == "heat") {
      "labels"
    } else {
      c(
        "labels", "reference_lines", "texts", "highlight",
        if (kind != "bar") "scale"
      )
    }
    expect_true(all(shared %in% arguments), info = kind)
  }
})

test_that("looks hold for a sieve, a session and what is drawn again", {
  box <- chart_box(y = x, x = g)
  size_of <- function(figure) figure$theme$text$size
  plain <- quiet(pour(skewed, box))$figures$box
  large <- quiet(pour(
    skewed, sieve(box, look_of_figures(size = 18, background = "black"), box)
  ))
  expect_identical(size_of(plain), 12)
  expect_identical(size_of(large$figures$box), 12)
  expect_identical(size_of(large$figures$box_2), 18)
  expect_identical(large$figures$box_2$theme$plot.background$fill, "black")
  expect_gt(contrast(large$figures$box_2$theme$plot.title$colour, "black"), 7)
  withr::local_options(neatsieve.look = look_of_figures(size = 9))
  expect_identical(size_of(quiet(pour(skewed, box))$figures$box), 9)
  withr::local_options(neatsieve.look = "large")
  expect_error(quiet(pour(skewed, box))$figures, "neatsieve.look")
  # Colours by name, whichever groups there are.
  named <- look_of_figures(palette = c(b = "#d47416", "#2f6f73"))
  fills <- quiet(pour(
    skewed, sieve(named, chart_bar(x = h, colour = g))
  ))$figures$bar
  expect_identical(
    fills$scales$get_scales("fill")$palette(2), c(a = "#2f6f73", b = "#d47416")
  )
  expect_message(
    pour(
      skewed, sieve(look_of_figures(palette = c("#777777", "#7a7a7a")), box)
    ),
    "Hard to tell apart"
  )
  expect_message(
    pour(skewed, sieve(look_of_figures(palette = c("yellow", "black")), box)),
    "Hard to see"
  )
})

colours <- neatsieve:::new_look()
test_that("colours of the palette are told apart", {
  expect_gte(nearest_pair(lab_of(colours$palette)), 15)
})

test_that("colours of the palette are told apart with colour-blind vision", {
  for (kind in names(blind_kinds)) {
    expect_gte(nearest_pair(seen_by(colours$palette, kind)), 15)
  }
})

test_that("colours of the palette stand out from the background", {
  expect_gte(min(contrast(colours$palette, colours$background)), 3)
})

test_that("small letters stand out from the background", {
  expect_gte(contrast(colours$soft, colours$background), 7)
})

test_that("distances of colours are those of CIEDE2000", {
  # The package's own arithmetic agrees with the tests' copy of the definitions.
  pairs <- utils::combn(colours$palette, 2)
  p <- lab_of(pairs[1, ])
  q <- lab_of(pairs[2, ])
  expect_equal(neatsieve:::colour_distance(p, q), ciede2000(p, q))
})

d <- data.frame(
  g = rep(c("a", "b"), c(30, 70)),
  k = rep(c("x", "y", "y", "y", "y"), 20)
)
label_of <- function(...) {
  drawn <- ggplot2::ggplot_build(
    quiet(pour(d, chart_bar(x = g, colour = k, ...)))$figures$bar
  )
  Filter(function(l) !is.null(l$label), drawn$data)
}
stacked <- label_of()[[1]]
test_that("values stand on parts of bars", {
  expect_setequal(stacked$label, as.character(table(d$g, d$k)))
})

test_that("values on bars are in ink that can be read", {
  expect_true(all(contrast(stacked$fill, stacked$colour) > 3))
})

test_that("values on bars are left out when asked", {
  expect_length(label_of(values = FALSE), 0)
})

test_that("bars of shares show percents", {
  shares <- label_of(bars = "shares")[[1]]
  expect_setequal(shares$label, c("20%", "80%"))
})

test_that("bars beside each other show counts", {
  beside <- label_of(bars = "beside", values = TRUE)[[1]]
  expect_setequal(beside$label, as.character(table(d$g, d$k)))
})

set.seed(8)
d <- data.frame(
  x = c(stats::rnorm(8000), 9, -9),
  y = c(stats::rnorm(8000), 9, 9),
  g = "a"
)
out <- quiet(pour(d, sieve(chart_scatter(x, y), chart_strip(y = x, x = g))))
tiles <- chart_data(out, "scatter")
test_that("tiles count every row", {
  expect_identical(sum(tiles$count), 8002L)
})

points <- chart_data(out, "scatter", part = "points")
test_that("rows of nearly empty tiles are points", {
  expect_identical(sum(tiles$count[tiles$count <= 3]), nrow(points))
})

test_that("rows that lie apart are points", {
  expect_true(all(8001:8002 %in% points$source_row))
})

test_that("a tile counts the rows inside its ends", {
  in_tile <- function(i) {
    sum(
      d$x >= tiles$x_from[i] &
        d$x < tiles$x_to[i] &
        d$y >= tiles$y_from[i] &
        d$y < tiles$y_to[i]
    )
  }
  inner <- which(tiles$count > 3)[1:20]
  expect_identical(vapply(inner, in_tile, 0L), tiles$count[inner])
})

strip <- chart_data(out, "strip")
test_that("a strip draws at most 1,000 points", {
  expect_identical(nrow(strip), 1000L)
})

test_that("a strip keeps the ends", {
  expect_true(all(
    c(sort(d$x)[1:5], utils::tail(sort(d$x), 5)) %in% strip$value
  ))
})

test_that("a strip is wide where values are many", {
  middle <- abs(strip$value) < 0.5
  expect_gt(
    max(abs(strip$offset[middle])),
    5 * max(abs(strip$offset[abs(strip$value) > 3]))
  )
})

out <- quiet(pour(
  skewed, sieve(subsets(a = g == "a", b = g == "b"), chart_box(y = y, x = h))
))
figures <- out$figures$box
test_that("figures by subset are one value", {
  expect_true(inherits(figures, "neatsieve_figures"))
})

test_that("figures by subset are named by subset", {
  expect_named(figures, c("a", "b"))
})

large <- figures + ggplot2::theme_bw() + ggplot2::labs(title = "Both")
test_that("parts are added to all figures of subsets", {
  expect_true(inherits(large, "neatsieve_figures"))
})

test_that("a title and a theme reach every figure of subsets", {
  for (one in as.list(large)) {
    expect_identical(one$labels$title, "Both")
    expect_identical(one$theme$panel.background$fill, "white")
  }
})

test_that("one figure of subsets is a figure", {
  expect_s3_class(large$a, "ggplot")
})

test_that("some figures of subsets stay such a value", {
  expect_named(large["b"], "b")
})

test_that("figures of subsets are saved in files of their own", {
  path <- tempfile(fileext = ".png")
  expect_length(save_figure(large, path), 2)
})

test_that("figures of subsets print a page each", {
  pages <- tempfile(fileext = ".pdf")
  grDevices::pdf(pages, compress = FALSE)
  print(large)
  methods::show(large)
  grDevices::dev.off()
  lines <- readLines(pages, warn = FALSE)
  expect_identical(
    sum(grepl("/Type /Page /", lines, useBytes = TRUE, fixed = TRUE)), 4L
  )
})

test_that("documents in HTML have an alternative for each figure, and tables that scroll", {
  skip_if_not_installed("rmarkdown")
  skip_if_not(rmarkdown::pandoc_available(), "pandoc is not here")
  path <- tempfile(fileext = ".Rmd")
  writeLines(
    c(
      "---", "output: html_document", "---", "```{r, include = FALSE}",
      "library(neatsieve)",
      "d <- data.frame(x = c(1, 2, NA, 4), g = c('<b>', 'b', 'b', '<b>'))",
      "out <- pour(d, chart_box(y = x, x = g), statistics(x, by = g),",
      "  subsets(l = x < 3, m = x > 1),",
      "            chart_histogram(x), chart_bar(x = g))", "```", "```{r}",
      "plot(1:3)", "out$figures$box",
      "out$figures$bar + ggplot2::labs(title = 'Own')",
      "plot(screening(d, x > 1))", "for (f in out$figures$histogram) print(f)",
      "```", "```{r}", "out$tables$statistics", "out", "```"
    ),
    path
  )
  html <- quiet(rmarkdown::render(path, quiet = TRUE))
  text <- paste(readLines(html, warn = FALSE), collapse = "\n")
  images <- regmatches(text, gregexpr("<img[^>]*>", text))[[1]]
  expect_length(images, 7)
  expect_identical(grepl(" alt=\"[^\"]{20,}", images), c(FALSE, rep(TRUE, 6)))
  region <- "(?s)<div role=\"region\"[^>]*overflow-x: auto.*?</table>"
  table <- regmatches(text, regexpr(region, text, perl = TRUE))
  expect_match(
    table, "<th scope=\"col\" style=\"text-align: right;\">n</th>",
    fixed = TRUE
  )
  expect_match(table, "&lt;b&gt;", fixed = TRUE)
})

test_that("notebooks get the same tables", {
  skip_if_not_installed("htmltools")
  out <- quiet(pour(
    skewed, sieve(include(x > 1), include(y > 0), statistics(y, by = g))
  ))
  for (x in list(
    out,
    out$tables$statistics,
    ledger(out),
    held_back(out),
    quiet(look(study(skewed))),
    quiet(study(skewed)),
    screening(skewed, x > 1)
  )) {
    method <- utils::getFromNamespace(
      paste0("repr_html.", grep("^neatsieve_", class(x), value = TRUE)[1]),
      "neatsieve"
    )
    html <- method(x)
    expect_match(html, "<table", fixed = TRUE)
    expect_silent(htmltools::HTML(html))
  }
  expect_match(
    utils::getFromNamespace("repr_html.neatsieve_siftings", "neatsieve")(out),
    "<li>",
    fixed = TRUE
  )
})

test_that("a table goes to the clipboard as a spreadsheet takes it", {
  skip_on_os(c("windows", "mac"))
  folder <- tempfile()
  dir.create(folder)
  kept <- file.path(folder, "kept.tsv")
  writeLines(
    c("#!/bin/sh", paste0("cat > '", kept, "'")), file.path(folder, "xclip")
  )
  Sys.chmod(file.path(folder, "xclip"), "755")
  withr::local_envvar(
    PATH = paste0(folder, ":", Sys.getenv("PATH")),
    DISPLAY = ":0",
    WAYLAND_DISPLAY = ""
  )
  table <- data.frame(a = c(1 / 3, NA, 1e6), b = c("x\ty", "=1+1", "z"))
  write_table(table, "clipboard")
  expect_identical(as.data.frame(quiet(study(kept)))$a, table$a)
  expect_message(
    write_table(table, "clipboard", formulas = "text"), "apostrophe"
  )
  expect_match(readLines(kept)[3], "'=1+1", fixed = TRUE)
  withr::local_envvar(PATH = "/nowhere", DISPLAY = "")
  expect_error(write_table(table, "clipboard"), "no clipboard")
})

# The figures of a registry's kinds on the demo study.
figures_of_kinds <- function() {
  quiet(pour(
    demo_study(),
    sieve(
      include(hive_weight_kg < 200),
      chart_histogram(mites_per_100, panels = season),
      chart_strip(y = mites_per_100, x = treatment),
      chart_bar(x = apiary, colour = treatment),
      chart_line(
        x = start_of(visit_date, "month"),
        y = mean(mites_per_100),
        colour = treatment
      ),
      chart_heat(x = season, y = apiary, value = mean(mites_per_100)),
      chart_flow(),
      chart_box(y = honey_kg, x = apiary),
      chart_absence(),
      chart_density(honey_kg),
      chart_scatter(x = brood_frames, y = honey_kg, colour = season),
      chart_bar(x = hive, y = mean(honey_kg), order = "falling"),
      chart_histogram(
        mites_per_100,
        panels = c(season, treatment),
        scale = "log"
      ),
      chart_interval(y = honey_kg, x = month(visit_date), colour = treatment)
    )
  ))$figures
}

test_that("a small figure has letters of 6 points at least and room, or says what it needs", {
  path <- tempfile(fileext = ".pdf")
  smallest <- function(grob) {
    sizes <- unlist(lapply(grob$children, smallest))
    own <- if (inherits(grob, "text")) grob$gp$fontsize
    inner <- if (inherits(grob, "gtable")) unlist(lapply(grob$grobs, smallest))
    c(own, sizes, inner)
  }
  for (figure in figures_of_kinds()) {
    for (size in list(c(85, 60), c(60, 40), c(180, 60))) {
      said <- tryCatch(
        save_figure(figure, path, width = size[1], height = size[2]),
        neatsieve_error_run = function(e) gsub("\\s+", " ", conditionMessage(e))
      )
      if (!identical(unname(said), path)) {
        asked <- as.numeric(
          regmatches(
            said, regexec("width = ([0-9]+), height = ([0-9]+)", said)
          )[[1]][-1]
        )
        expect_true(all(asked >= size))
        expect_silent(quiet(save_figure(
          figure,
          path,
          width = asked[1],
          height = asked[2]
        )))
      } else {
        page <- neatsieve:::new_page_size(size[1] / 25.4, size[2] / 25.4)
        grDevices::pdf(NULL, size[1] / 25.4, size[2] / 25.4)
        table <- neatsieve:::grobs_of(neatsieve:::laid_out_for(figure, page))
        expect_gte(min(smallest(table)), 5.99)
        grDevices::dev.off()
      }
    }
  }
})

test_that("the size that is asked for can be written as the error has it, whatever the measure", {
  figure <- figures_of_kinds()$line
  path <- tempfile(fileext = ".png")
  said <- tryCatch(
    save_figure(figure, path, width = 2.4, height = 1.6, measure = "in"),
    error = function(e) gsub("\\s+", " ", conditionMessage(e))
  )
  asked <- sub(".*Write `([^`]*)`.*", "\\1", said)
  expect_match(asked, "measure = \"mm\"", fixed = TRUE)
  eval(parse(text = paste0("quiet(save_figure(figure, path, ", asked, "))")))
  expect_gt(file.size(path), 1000)
})

figure <- quiet(pour(skewed, chart_bar(x = h)))$figures$bar
larger <- figure + ggplot2::theme(text = ggplot2::element_text(size = 24))
test_that("letters inside panels follow the size of a theme", {
  page <- neatsieve:::new_page_size()
  letters_of <- function(f) {
    layers <- Filter(function(l) inherits(l$geom, "GeomText"), f$layers)
    layers[[1]]$aes_params$size
  }
  expect_equal(
    letters_of(neatsieve:::laid_out_for(larger, page)), 2 * letters_of(figure)
  )
})

test_that("letters of axes follow the size of a theme", {
  expect_equal(ggplot2::calc_element("axis.text.x", larger$theme)$size, 20)
})

path <- tempfile(fileext = ".tiff")
save_figure(figure, path, width = 85, height = 60)
test_that("a figure is saved as TIFF", {
  head <- readBin(path, "raw", 8)
  expect_identical(rawToChar(head[1:2]), "II")
  expect_gt(file.size(path), 1000)
})

test_that("a TIFF that is cut is not whole", {
  writeBin(readBin(path, "raw", 2000), path)
  expect_error(neatsieve:::check_whole_tiff(path), "not whole")
})

eps <- tempfile(fileext = ".eps")
save_figure(figure, eps)
test_that("a figure is saved as EPS", {
  expect_match(readLines(eps, 1), "%!PS-Adobe-3.0 EPSF")
})

test_that("EPS brings its fonts", {
  expect_true(any(grepl(
    "FontFile|FontName|FontType",
    readLines(eps, warn = FALSE),
    useBytes = TRUE
  )))
})

figures <- figures_of_kinds()
both <- combine_figures(figures$box, figures$line, columns = 1, title = "Two")
test_that("combined figures have one caption with letters", {
  expect_match(both$labels$caption, "B: [0-9]+ lines of")
})

test_that("what all captions say stands once", {
  once <- gregexpr("hive_weight_kg is below 200", both$labels$caption)
  expect_length(regmatches(both$labels$caption, once)[[1]], 1)
})

test_that("combined figures have one text alternative with letters", {
  expect_match(neatsieve:::figure_alt(both), "A: Box plots.*B: Lines")
})

test_that("combined figures are saved in any format, and too small a picture is refused", {
  for (ending in c(".png", ".svg", ".pdf")) {
    path <- tempfile(fileext = ending)
    quiet(save_figure(both, path, width = 85, height = 140))
    expect_gt(file.size(path), 5000)
  }
  expect_error(save_figure(both, path, width = 60, height = 40), "no room")
})

test_that("what is no figure cannot be combined", {
  expect_error(combine_figures(1), "something else")
})

test_that("letters of combined figures are of a known kind", {
  expect_error(combine_figures(figures$box, letters = "x"), "is \"A\"")
})

test_that("columns of combined figures are 1 to 12", {
  expect_error(combine_figures(figures$box, columns = 0), "1 to 12")
})

test_that("panels of combined figures stand below each other", {
  grDevices::pdf(NULL, 3.35, 5.5)
  page <- neatsieve:::new_page_size(3.35, 2.5)
  tables <- lapply(
    figures[c("box", "strip")],
    neatsieve:::cell_grobs,
    sign = "A",
    cell = page
  )
  one <- neatsieve:::aligned_grobs(tables, 1)
  expect_equal(
    grid::convertWidth(sum(one[[1]]$widths[1:4]), "in", TRUE),
    grid::convertWidth(sum(one[[2]]$widths[1:4]), "in", TRUE)
  )
  grDevices::dev.off()
})
