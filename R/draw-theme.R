# How figures look: theme, colours, and what every figure has around its marks.

house_ink <- "#22303c"
house_soft <- "#4b5a66"
house_paper <- "#fffdf8"
house_fill <- "#2f6f73"
house_light <- "#a5c6c0"
house_grid <- "#e4ded0"

# Found by data-raw/make-palette.R: far apart for every kind of sight, dark enough for the paper.
house_colours <- c("#2f6f73", "#d16219", "#5341b2", "#6c996f", "#6a1001", "#b671c6", "#6d6249", "#42293e")
house_shapes <- c(16, 17, 15, 3, 8)
house_lines <- c("solid", "longdash", "dotted", "twodash", "dotdash")
# From light to dark, in CIELAB.
house_ramp <- c("#dfe7d6", "#8dbdb3", "#3f8789", "#1d5361", "#112a38")

house_theme <- function() {
  ggplot2::theme_minimal(base_size = 12) +
    ggplot2::theme(
      text = ggplot2::element_text(colour = house_ink),
      plot.title = ggplot2::element_text(face = "bold", size = 15, margin = ggplot2::margin(b = 3)),
      plot.subtitle = ggplot2::element_text(size = 11, colour = house_soft, margin = ggplot2::margin(b = 8)),
      plot.caption = ggplot2::element_text(size = 9, colour = house_soft, hjust = 0, lineheight = 1.15, margin = ggplot2::margin(t = 10)),
      plot.title.position = "plot", plot.caption.position = "plot",
      plot.background = ggplot2::element_rect(fill = house_paper, colour = NA),
      panel.grid.major = ggplot2::element_line(colour = house_grid, linewidth = 0.4),
      panel.grid.minor = ggplot2::element_blank(),
      panel.spacing = grid::unit(12, "pt"),
      axis.text = ggplot2::element_text(size = 10, colour = house_soft),
      axis.title = ggplot2::element_text(size = 11),
      strip.text = ggplot2::element_text(hjust = 0, size = 11, colour = house_ink, lineheight = 1.1),
      strip.text.y = ggplot2::element_text(angle = 0, hjust = 0),
      strip.background = ggplot2::element_blank(),
      legend.position = "top", legend.justification = "left", legend.margin = ggplot2::margin(0, 0, 2, 0),
      legend.title = ggplot2::element_text(size = 10, colour = house_soft), legend.text = ggplot2::element_text(size = 10),
      plot.margin = ggplot2::margin(14, 18, 12, 14)
    )
}

wrapped <- function(text, width) paste(strwrap(text, max(width, 4) + 1), collapse = "\n")
wrap_each <- function(text, width) vapply(text, wrapped, character(1), width = width, USE.NAMES = FALSE)

# How many letters fit across a figure of the default size.
letters_across <- 125

draw_chart <- function(chart) {
  if (!is.null(chart$subset)) {
    chart$caption <- paste0("Subset ", chart$subset, ". ", chart$caption)
    chart$title <- paste0(chart$title, ": ", chart$subset, " (n = ", format_count(sum(chart$panels$n)), ")")
  }
  if (!NROW(chart$data)) return(nothing_to_draw(chart))
  chart$data <- in_panels(chart$data, chart)
  for (part in names(chart$parts)) if (all(chart$keys %in% names(chart$parts[[part]]))) chart$parts[[part]] <- in_panels(chart$parts[[part]], chart)
  chart_kind(chart$kind)$draw(chart)
}

# The frame of every figure: words around it and, without panels, its n below the title.
figure_of <- function(chart, x = chart$labels$x, y = chart$labels$y) {
  ggplot2::ggplot() + house_theme() +
    ggplot2::labs(title = wrapped(chart$title, 85), subtitle = if (!length(chart$keys)) panel_counts(chart$panels), caption = wrapped(chart$caption, 165), x = x, y = y, alt = chart_alt(chart))
}

nothing_to_draw <- function(chart) {
  figure_of(chart, NULL, NULL) + ggplot2::annotate("text", x = 0, y = 0, label = "No value to draw", colour = house_soft, size = 5) +
    ggplot2::theme(axis.text = ggplot2::element_blank(), panel.grid.major = ggplot2::element_blank())
}

# Panels are labelled with their keys and say their n, and absent and outside when there are any.
panel_counts <- function(panels) {
  more <- function(count, what) ifelse(count > 0, paste0(", ", what, " ", format_count(count)), "")
  paste0("n = ", format_count(panels$n), more(panels$absent, "absent"), more(panels$infinite, "infinite"), more(panels$outside, "outside"))
}
panel_key_text <- function(x) {
  text <- if (inherits(x, c("Date", "POSIXct"))) format(x) else if (is.logical(x)) ifelse(x, "yes", "no") else as.character(x)
  ifelse(is.na(x), "(absent)", text)
}
# A panel's text: numbers and yes or no with the name of what they are of.
panel_text <- function(key, name) if (length(key) && (is.numeric(key) && !is.object(key) || is.logical(key))) paste0(name, ": ", panel_key_text(key)) else panel_key_text(key)
panel_texts <- function(table, chart) Map(panel_text, table[chart$keys], chart$key_names)
ordered_texts <- function(chart, k) {
  key <- chart$panels[[k]]
  unique(panel_text(key[order(match(key, sort(unique(key))), na.last = TRUE)], chart$key_names[k]))
}

# Panels of one key wrap in rows as full as can be; of two keys they make a table.
panel_columns <- function(chart) {
  n <- nrow(chart$panels)
  if (!length(chart$keys)) return(1)
  if (length(chart$keys) == 2) return(length(ordered_texts(chart, 2)))
  if (n <= 3) return(max(1, n))
  choices <- ceiling(sqrt(n)) + 0:1
  choices[which.min(ceiling(n / choices) * choices - n)]
}

panel_labels <- function(chart) paste0(wrap_each(panel_texts(chart$panels, chart)[[1]], floor(letters_across / panel_columns(chart)) - 2), "\n", panel_counts(chart$panels))

# Data with its panel, as facets take it, in place of the panel's keys.
in_panels <- function(data, chart) {
  keys <- chart$keys
  texts <- unname(panel_texts(data, chart))
  data[keys] <- NULL
  if (length(keys) == 1) {
    label <- panel_labels(chart)
    data$panel <- factor(label[match(texts[[1]], panel_texts(chart$panels, chart)[[1]])], label)
  } else if (length(keys) == 2) {
    data$panel_row <- factor(texts[[1]], ordered_texts(chart, 1))
    data$panel_column <- factor(texts[[2]], ordered_texts(chart, 2))
  }
  data
}

# Facets, and in a table of panels each one's n inside, above the marks. `like` is a value of
# the x axis, whose kind the place of the text must have.
with_panels <- function(figure, chart, like = 0, scales = if (identical(chart$options$axes, "own")) "free_y" else "fixed") {
  if (!length(chart$keys)) return(figure)
  if (length(chart$keys) == 1) return(figure + ggplot2::facet_wrap(ggplot2::vars(panel), scales = scales, ncol = panel_columns(chart), drop = FALSE))
  every <- expand.grid(panel_row = ordered_texts(chart, 1), panel_column = ordered_texts(chart, 2), stringsAsFactors = FALSE)
  at <- match(paste(every$panel_row, every$panel_column, sep = "\r"), do.call(paste, c(unname(panel_texts(chart$panels, chart)), sep = "\r")))
  every$label <- ifelse(is.na(at), "n = 0", panel_counts(chart$panels)[at])
  end <- if (inherits(like, "Date")) structure(Inf, class = "Date") else if (inherits(like, "POSIXct")) .POSIXct(Inf) else Inf
  every$panel_row <- factor(every$panel_row, unique(every$panel_row))
  every$panel_column <- factor(every$panel_column, unique(every$panel_column))
  down <- nlevels(every$panel_row)
  figure + ggplot2::theme(strip.text.y = ggplot2::element_text(size = if (down > 4) 8.5 else 11)) + ggplot2::geom_text(ggplot2::aes(x = end, y = Inf, label = label), data = every, hjust = 1.03, vjust = 1.3, size = 3, colour = house_soft) +
    ggplot2::facet_grid(ggplot2::vars(panel_row), ggplot2::vars(panel_column), scales = scales, drop = FALSE,
                        labeller = ggplot2::labeller(panel_row = function(t) wrap_each(t, if (down > 4) 20 else 14), panel_column = function(t) wrap_each(t, floor((letters_across - 22) / panel_columns(chart)) - 2)))
}

# Room above the marks: more where the panels' n stands there.
headroom <- function(chart, low = 0.04, high = 0.06) ggplot2::expansion(mult = c(low, if (length(chart$keys) == 2) 0.2 else high))

# One look per group: colours, and after eight of them other shapes and kinds of line.
look_of <- function(levels) {
  k <- seq_along(levels) - 1
  again <- k %/% length(house_colours) %% length(house_lines) + 1
  list(colours = stats::setNames(house_colours[k %% length(house_colours) + 1], levels), shapes = stats::setNames(house_shapes[again], levels), lines = stats::setNames(house_lines[again], levels))
}

# Scales and legend of the colour key; no legend where the axis names the same groups.
with_colours <- function(figure, chart, shapes = FALSE, lines = FALSE) {
  levels <- chart$levels$colour
  if (is.null(levels)) return(figure)
  look <- look_of(levels)
  rows <- max(1, ceiling(sum(nchar(levels) + 6) / (letters_across - nchar(chart$labels$colour))))
  guide <- function(...) if (same_as_x(chart)) "none" else ggplot2::guide_legend(title = wrapped(chart$labels$colour, 40), nrow = min(rows, length(levels)), byrow = TRUE, ...)
  manual <- function(scale, values) scale(values = values, breaks = levels, drop = FALSE, guide = if (identical(scale, ggplot2::scale_colour_manual)) guide(override.aes = list(alpha = 1)) else guide())
  figure <- figure + manual(ggplot2::scale_colour_manual, look$colours) + manual(ggplot2::scale_fill_manual, look$colours)
  if (shapes) figure <- figure + manual(ggplot2::scale_shape_manual, look$shapes)
  if (lines) figure <- figure + manual(ggplot2::scale_linetype_manual, look$lines)
  figure
}
same_as_x <- function(chart) !is.null(chart$labels$x) && !is.null(chart$levels$x) && identical(chart$labels$x, chart$labels$colour)

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
  if (!is.null(window)) for (column in columns) data[[column]][] <- pmin(pmax(as.numeric(data[[column]]), window[1]), window[2])
  data
}

windowed <- function(figure, chart) {
  limits <- lapply(stats::setNames(nm = names(chart$windows)), function(role) {
    like <- chart$like[[role]]
    if (inherits(like, "Date")) structure(chart$windows[[role]], class = "Date") else if (inherits(like, "POSIXct")) .POSIXct(chart$windows[[role]], tz = attr(like, "tzone")) else chart$windows[[role]]
  })
  if (length(limits)) figure + ggplot2::coord_cartesian(xlim = limits$x, ylim = limits$y) else figure
}

# Marks of an axis of numbers or dates, as many as there is room for.
axis_scale <- function(which, values, expand = ggplot2::waiver(), chart = NULL) {
  dated <- inherits(values, c("Date", "POSIXct"))
  kind <- if (inherits(values, "Date")) "date" else if (dated) "datetime" else "continuous"
  scale <- utils::getFromNamespace(paste0("scale_", which, "_", kind), "ggplot2")
  marks <- if (which == "x" && !is.null(chart)) max(2, min(5, floor(letters_across / panel_columns(chart) / if (dated) 12 else 7))) else 5
  scale(expand = expand, breaks = function(limits) some_marks(limits, marks), labels = if (dated) date_labels else number_labels)
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
  form <- if (inherits(x, "POSIXct") && any(format(known, "%H:%M") != "00:00")) "%Y-%m-%d\n%H:%M" else if (all(format(known, "%m-%d") == "01-01")) "%Y" else if (all(format(known, "%d") == "01")) "%Y-%m" else "%Y-%m-%d"
  ifelse(is.na(x), "", format(x, form))
}
number_labels <- function(x) ifelse(is.na(x), "", formatC(x, digits = 12, format = "g", big.mark = if (any(abs(x) >= 1e4, na.rm = TRUE)) "," else "", width = 1))
share_labels <- function(x) ifelse(is.na(x), "", paste0(formatC(100 * x, digits = 4, format = "g", width = 1), "%"))
# Counts have whole marks only.
whole_breaks <- function(limits) {
  marks <- pretty(c(0, limits[2]), 4)
  marks[marks == round(marks)]
}

utils::globalVariables(c("from", "to", "count", "label", "panel_row", "panel_column", "panel", "x", "y", "colour", "density", "share", "value", "low", "high", "left", "right", "bottom", "top", "middle", "lower", "q1", "median",
                         "q3", "upper", "group", "ink", "place", "centre", "x_from", "x_to", "y_from", "y_to", "series", ".data"))
