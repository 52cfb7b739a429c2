# Every kind of chart of a table with numbers `x` and `y`, keys `g` and `h`, as
# steps by name.
every_chart <- function(x, y, g, h, ...) {
  n <- lapply(list(x = x, y = y, g = g, h = h), as.name)
  eval(bquote(list(
    histogram = chart_histogram(x = .(n$x), panels = .(n$g)),
    coloured = chart_histogram(x = .(n$x), colour = .(n$g), name = "coloured"),
    table = chart_histogram(
      x = .(n$x),
      panels = c(.(n$g), .(n$h)),
      axes = "own",
      name = "table"
    ),
    density = chart_density(x = .(n$x), colour = .(n$g)),
    cumulative = chart_cumulative(x = .(n$x), colour = .(n$g), panels = .(n$h)),
    box = chart_box(y = .(n$x), x = .(n$g), panels = c(.(n$g), .(n$h))),
    boxes = chart_box(
      y = .(n$x),
      x = .(n$g),
      colour = .(n$h),
      order = "falling",
      name = "boxes"
    ),
    violin = chart_violin(y = .(n$x), x = .(n$g)),
    strip = chart_strip(y = .(n$x), x = .(n$g), colour = .(n$g)),
    scatter = chart_scatter(
      x = .(n$x),
      y = .(n$y),
      colour = .(n$g),
      trend = "linear"
    ),
    smooth = chart_scatter(
      x = .(n$x),
      y = .(n$y),
      panels = .(n$g),
      trend = "smooth",
      axes = "own",
      name = "smooth"
    ),
    tiles = chart_scatter(
      x = .(n$x),
      y = .(n$y),
      marks = "tiles",
      panels = .(n$g),
      name = "tiles"
    ),
    line = chart_line(x = .(n$x), y = mean(.(n$y)), colour = .(n$g)),
    lines = chart_line(
      x = .(n$x),
      y = .(n$y),
      lines = .(n$g),
      panels = .(n$h),
      name = "lines"
    ),
    bar = chart_bar(x = .(n$g), colour = .(n$h)),
    shares = chart_bar(
      x = .(n$g),
      colour = .(n$h),
      bars = "shares",
      name = "shares"
    ),
    means = chart_bar(
      x = .(n$g),
      y = mean(.(n$y)),
      order = "rising",
      panels = .(n$h),
      name = "means"
    ),
    interval = chart_interval(y = .(n$x), x = .(n$g)),
    medians = chart_interval(
      y = .(n$x),
      x = .(n$g),
      colour = .(n$h),
      show = "median",
      name = "medians"
    ),
    heat = chart_heat(x = .(n$g), y = .(n$h)),
    heat_of_means = chart_heat(
      x = .(n$g),
      y = .(n$h),
      value = mean(.(n$y)),
      panels = .(n$h),
      name = "heat_of_means"
    ),
    absence = chart_absence(.(n$x), .(n$y)),
    absence_by = chart_absence(
      .(n$x),
      .(n$y),
      x = .(n$g),
      panels = .(n$h),
      name = "absence_by"
    ),
    flow = chart_flow()
  )))
}
# Draws to nowhere, and gives the figure back: every part of it is laid out, as
# it is when saved.
drawn <- function(figure) {
  grDevices::pdf(NULL, width = 8, height = 6)
  on.exit(grDevices::dev.off())
  expect_s3_class(ggplot2::ggplotGrob(figure), "gtable")
  figure
}
numbers <- function(table, step) {
  suppressMessages(chart_data(pour(table, step)), classes = "neatsieve_note")
}
plain_frame <- function(x) {
  x <- as.data.frame(x)
  attr(x, "panels") <- NULL
  rownames(x) <- NULL
  x
}
# Rows of a table by groups in code point or category order, absent last, as a
# list by label.
groups_of <- function(table, keys) {
  text <- lapply(table[keys], function(k) {
    t <- as.character(k)
    ifelse(is.na(t), "(absent)", t)
  })
  split(table, factor(do.call(paste, c(unname(text), sep = " | "))))
}
label_of_rows <- function(data, keys) {
  do.call(
    paste,
    c(
      unname(lapply(data[keys], function(k) {
        t <- as.character(k)
        ifelse(is.na(t), "(absent)", t)
      })),
      sep = " | "
    )
  )
}
caption_of <- function(figure) gsub("\n", " ", figure$labels$caption)
# Everything that a figure's layers show, as they are drawn into panels; scales,
# legends and titles are built, not laid out.
draw_layers <- function(figure) {
  built <- ggplot2::ggplot_build(figure)
  plot <- built$plot
  for (i in seq_along(plot$layers)) {
    plot$layers[[i]]$draw_geom(built$data[[i]], built$layout)
  }
}
