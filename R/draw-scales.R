# Colours, windows and axes of figures.

# One look per group: colours, and after eight of them other shapes and kinds of line.
# The group of absent keys is a quiet grey and takes none of them.
look_of <- function(levels, graded = FALSE) {
  if (graded && sum(levels != "(absent)") > 2) return(graded_look(levels))
  k <- cumsum(levels != "(absent)") - 1
  again <- k %/% length(house_colours) %% length(house_lines) + 1
  colours <- house_colours[k %% length(house_colours) + 1]
  shapes <- house_shapes[again]
  lines <- house_lines[again]
  colours[levels == "(absent)"] <- house_absent
  shapes[levels == "(absent)"] <- 1
  lines[levels == "(absent)"] <- "solid"
  list(colours = stats::setNames(colours, levels), shapes = stats::setNames(shapes, levels),
       lines = stats::setNames(lines, levels))
}

# Groups in an order, as numbers or calm to hot, from light to dark.
graded_look <- function(levels) {
  is_absent <- levels == "(absent)"
  named <- function(present, absent) {
    stats::setNames(replace(rep(present, length.out = length(levels)), is_absent, absent), levels)
  }
  ramp <- grDevices::colorRampPalette(house_grades, space = "Lab")(sum(!is_absent))
  colours <- named(house_absent, house_absent)
  colours[!is_absent] <- ramp
  list(colours = colours, shapes = named(16, 1), lines = named("solid", "solid"))
}

# The groups that a legend names: all, or of very many in an order some, evenly, with both ends.
legend_levels <- function(levels, graded) {
  present <- levels[levels != "(absent)"]
  if (!graded || length(present) <= most_lines) return(levels)
  c(present[unique(round(seq(1, length(present), length.out = 6)))],
    levels[levels == "(absent)"])
}

# Scales and legend of the colour key; no legend where the axis names the same groups.
with_colours <- function(figure, chart, shapes = FALSE, lines = FALSE) {
  levels <- chart$levels$colour
  if (is.null(levels)) return(figure)
  look <- look_of(levels, chart$graded)
  named <- legend_levels(levels, chart$graded)
  rows <- max(1, ceiling(sum(nchar(named) + 6) / (letters_across() - nchar(chart$labels$colour))))
  guide <- function(...) {
    if (same_as_x(chart)) "none"
    else ggplot2::guide_legend(title = wrapped(chart$labels$colour, 40),
                               nrow = min(rows, length(named)), byrow = TRUE, ...)
  }
  manual <- function(scale, values) {
    scale(values = values, breaks = named, labels = shown_text(named), drop = FALSE,
          limits = levels,
          guide = if (identical(scale, ggplot2::scale_colour_manual))
            guide(override.aes = list(alpha = 1)) else guide())
  }
  figure <- figure + manual(ggplot2::scale_colour_manual, look$colours) +
    manual(ggplot2::scale_fill_manual, look$colours)
  if (shapes) figure <- figure + manual(ggplot2::scale_shape_manual, look$shapes)
  if (lines) figure <- figure + manual(ggplot2::scale_linetype_manual, look$lines)
  figure
}

# Columns that tell a layer's panels and groups apart.
panel_parts <- function(data) intersect(c("panel", "panel_row", "panel_column"), names(data))

# Groups of rows as factors in the order they are drawn.
colour_factor <- function(data, chart) {
  data$colour <- factor(panel_key_text(data$colour), chart$levels$colour)
  data
}

# Values inside the window of a role only; ends of ranges are cut off at its ends.
in_window <- function(data, chart, role, column) {
  window <- chart$windows[[role]]
  if (is.null(window)) return(data)
  v <- as.numeric(data[[column]])
  data[v >= window[1] & v <= window[2], , drop = FALSE]
}
cut_off <- function(data, chart, role, columns) {
  window <- chart$windows[[role]]
  if (!is.null(window)) {
    for (column in columns) data[[column]][] <- pmin(pmax(as.numeric(data[[column]]), window[1]),
      window[2])
  }
  data
}

windowed <- function(figure, chart) {
  limits <- lapply(stats::setNames(nm = names(chart$windows)), function(role) {
    like <- chart$like[[role]]
    if (inherits(like, "Date")) structure(chart$windows[[role]], class = "Date")
    else if (inherits(like, "POSIXct")) .POSIXct(chart$windows[[role]], tz = attr(like, "tzone"))
    else chart$windows[[role]]
  })
  if (isTRUE(chart$slots$flipped)) {
    return(figure + ggplot2::coord_flip(xlim = limits$x, ylim = limits$y))
  }
  if (length(limits)) figure + ggplot2::coord_cartesian(xlim = limits$x, ylim = limits$y)
  else figure
}

# Marks of an axis of numbers or dates, as many as there is room for.
axis_scale <- function(which, values, expand = ggplot2::waiver(), chart = NULL) {
  dated <- inherits(values, c("Date", "POSIXct"))
  kind <- if (inherits(values, "Date")) "date" else if (dated) "datetime" else "continuous"
  scale <- utils::getFromNamespace(paste0("scale_", which, "_", kind), "ggplot2")
  marks <- if (which == "x" && !is.null(chart))
    max(2, min(5, floor(letters_across() / panel_columns(chart) / if (dated) 12 else 7))) else 5
  scale(expand = expand, breaks = function(limits) some_marks(limits, marks),
        labels = if (dated) date_labels else number_labels)
}
# About `n` round marks inside the limits, and two at least where that can be.
some_marks <- function(limits, n) {
  for (asked in n + 0:4) {
    marks <- pretty(limits, asked)
    marks <- marks[marks >= limits[1] & marks <= limits[2]]
    if (length(marks) >= 2) break
  }
  marks
}
# The shortest ISO 8601 form that tells the marks apart.
date_labels <- function(x) {
  known <- x[!is.na(x)]
  form <- if (inherits(x, "POSIXct") && any(format(known, "%H:%M") != "00:00")) "%Y-%m-%d\n%H:%M"
    else if (all(format(known, "%m-%d") == "01-01")) "%Y"
    else if (all(format(known, "%d") == "01")) "%Y-%m" else "%Y-%m-%d"
  ifelse(is.na(x), "", format(x, form))
}
number_labels <- function(x) {
  ifelse(is.na(x), "",
         formatC(x, decimal.mark = ".", digits = 12, format = "g",
                 big.mark = if (any(abs(x) >= 1e4, na.rm = TRUE)) "," else "", width = 1))
}
share_labels <- function(x) {
  ifelse(is.na(x), "",
         paste0(formatC(100 * x, decimal.mark = ".", digits = 4, format = "g", width = 1), "%"))
}
# Counts have whole marks only.
whole_breaks <- function(limits) {
  marks <- pretty(c(0, limits[2]), 4)
  marks[marks == round(marks)]
}
