# Draws what stands side by side for the groups of a key: boxes, violins, strips, intervals.
# Groups stand at 1, 2, 3, ... on the axis, colours beside each other within a group.

most_slot_letters <- 24

# Each row's place on the axis and the width it has there.
in_slots <- function(data, chart) {
  groups <- length(chart$levels$colour)
  data$place <- if (is.null(chart$levels$x)) rep(1, nrow(data)) else match(panel_key_text(data$x), chart$levels$x)
  data$width <- rep(0.8, nrow(data))
  if (groups) {
    data <- colour_factor(data, chart)
    if (groups > 1 && !same_as_x(chart)) {
      data$width <- data$width / groups
      data$place <- data$place + (as.integer(data$colour) - (groups + 1) / 2) * data$width
    }
  }
  data
}

# The axis of the groups: labels wrap to the room there is, and turn where it is too narrow.
slot_axis <- function(chart, which = "x", counts = NULL, levels = chart$levels[[which]]) {
  if (is.null(levels)) return(list(ggplot2::scale_x_continuous(breaks = NULL, limits = c(0.4, 1.6), name = NULL)))
  k <- length(levels)
  columns <- panel_columns(chart)
  room <- floor(letters_across / (columns * k)) - 1
  text <- if (is.null(counts)) levels else paste0(levels, "\nn = ", format_count(counts))
  longest <- max(nchar(unlist(strsplit(levels, " "))), if (!is.null(counts)) nchar(paste("n =", format_count(counts))))
  turned <- longest > room
  # Turned labels need about two letters' width each.
  every <- max(1, ceiling(k * columns / (letters_across * 0.75)))
  breaks <- seq(1, k, by = if (turned) every else 1)
  labels <- if (turned) wrap_each(levels[breaks], if (room >= 4) most_slot_letters else 60) else vapply(strsplit(text, "\n", fixed = TRUE), function(lines) paste(c(wrap_each(lines[1], room), lines[-1]), collapse = "\n"), "")
  # Slanted labels reach into what is left of them, so only short ones of a single panel are.
  angle <- if (!turned) 0 else if (columns == 1 && room >= 2 && max(nchar(levels)) <= 12) 35 else 90
  list(ggplot2::scale_x_continuous(breaks = breaks, labels = labels, limits = c(0.45, k + 0.55), expand = ggplot2::expansion(add = 0)),
       ggplot2::theme(panel.grid.major.x = ggplot2::element_blank(), axis.text.x = ggplot2::element_text(angle = angle, hjust = if (turned) 1 else 0.5, vjust = if (angle == 90) 0.5 else 1)))
}

# Counts of the groups for the labels of the axis, where nothing else splits them.
slot_counts <- function(chart, data) {
  if (length(chart$keys) || length(chart$levels$colour) || is.null(chart$levels$x)) return(NULL)
  data$n[match(chart$levels$x, panel_key_text(data$x))]
}

finish_groups <- function(figure, chart, counts) {
  figure <- with_panels(with_colours(figure + slot_axis(chart, counts = counts), chart, shapes = TRUE, lines = TRUE), chart)
  windowed(figure, chart)
}

draw_box <- function(chart) {
  data <- in_slots(chart$data[chart$data$n > 0, , drop = FALSE], chart)
  data <- cut_off(data, chart, "y", c("lower", "q1", "median", "q3", "upper"))
  points <- in_slots(in_window(chart$parts$points, chart, "y", "value"), chart)
  chart$like <- list(y = data$median)
  data$left <- data$place - data$width * 0.42
  data$right <- data$place + data$width * 0.42
  figure <- figure_of(chart) + axis_scale("y", data$median, headroom(chart))
  coloured <- !is.null(chart$levels$colour)
  aes <- function(...) if (coloured) ggplot2::aes(..., colour = colour, linetype = colour) else ggplot2::aes(...)
  fixed <- function(layer, ...) if (coloured) layer(...) else layer(..., colour = house_ink)
  figure <- figure + fixed(ggplot2::geom_segment, aes(x = place, xend = place, y = lower, yend = q1), data, linewidth = 0.5) + fixed(ggplot2::geom_segment, aes(x = place, xend = place, y = q3, yend = upper), data, linewidth = 0.5)
  figure <- figure + if (coloured) ggplot2::geom_rect(ggplot2::aes(xmin = left, xmax = right, ymin = q1, ymax = q3, colour = colour, fill = colour, linetype = colour), data, alpha = 0.3, linewidth = 0.5)
    else ggplot2::geom_rect(ggplot2::aes(xmin = left, xmax = right, ymin = q1, ymax = q3), data, fill = house_light, colour = house_ink, linewidth = 0.5)
  figure <- figure + fixed(ggplot2::geom_segment, aes(x = left, xend = right, y = median, yend = median), data, linewidth = 1.1)
  if (nrow(points)) figure <- figure + fixed(ggplot2::geom_point, if (coloured) ggplot2::aes(x = place, y = value, colour = colour) else ggplot2::aes(x = place, y = value), points, shape = 1, size = 1.4, alpha = 0.8)
  finish_groups(figure, chart, slot_counts(chart, chart$data))
}

draw_violin <- function(chart) {
  data <- in_slots(chart$data, chart)
  quartiles <- in_slots(chart$parts$quartiles[chart$parts$quartiles$n > 0, , drop = FALSE], chart)
  quartiles <- cut_off(quartiles, chart, "y", c("q1", "median", "q3"))
  chart$like <- list(y = data$y)
  scale <- 0.46 / max(data$density)
  data$left <- data$place - data$density * scale * data$width
  data$right <- data$place + data$density * scale * data$width
  panel <- panel_parts(data)
  data$group <- interaction_code(data[c(panel, intersect(c("x", "colour"), names(data)), "place")])
  shape <- do.call(rbind, lapply(split(data, data$group), function(d) { back <- d[rev(seq_len(nrow(d))), , drop = FALSE]; d$edge <- d$left; back$edge <- back$right; rbind(d, back) }))
  figure <- figure_of(chart) + axis_scale("y", data$y, headroom(chart))
  figure <- figure + if (!is.null(chart$levels$colour)) ggplot2::geom_polygon(ggplot2::aes(x = .data[["edge"]], y = y, group = group, fill = colour, colour = colour, linetype = colour), shape, alpha = 0.3, linewidth = 0.5)
    else ggplot2::geom_polygon(ggplot2::aes(x = .data[["edge"]], y = y, group = group), shape, fill = house_light, colour = house_fill, linewidth = 0.5)
  quartiles$left <- quartiles$place - quartiles$width * 0.22
  quartiles$right <- quartiles$place + quartiles$width * 0.22
  figure <- figure + ggplot2::geom_segment(ggplot2::aes(x = place, xend = place, y = q1, yend = q3), quartiles, linewidth = 1.6, colour = house_ink) +
    ggplot2::geom_segment(ggplot2::aes(x = left, xend = right, y = median, yend = median), quartiles, linewidth = 0.9, colour = house_ink)
  finish_groups(figure, chart, slot_counts(chart, chart$parts$quartiles))
}

draw_strip <- function(chart) {
  data <- in_slots(in_window(chart$data, chart, "y", "value"), chart)
  medians <- in_slots(chart$parts$medians[chart$parts$medians$n > 0, , drop = FALSE], chart)
  chart$like <- list(y = data$value)
  data$place <- data$place + data$offset * data$width * 0.36
  medians$left <- medians$place - medians$width * 0.45
  medians$right <- medians$place + medians$width * 0.45
  figure <- figure_of(chart) + axis_scale("y", data$value, headroom(chart))
  alpha <- see_through(nrow(data) / max(1, nrow(medians)), 40, 400)
  figure <- figure + if (!is.null(chart$levels$colour)) ggplot2::geom_point(ggplot2::aes(x = place, y = value, colour = colour, shape = colour), data, size = 1.3, alpha = alpha)
    else ggplot2::geom_point(ggplot2::aes(x = place, y = value), data, colour = house_fill, size = 1.3, alpha = alpha)
  figure <- figure + ggplot2::geom_segment(ggplot2::aes(x = left, xend = right, y = median, yend = median), medians, linewidth = 1, colour = house_ink)
  finish_groups(figure, chart, slot_counts(chart, chart$parts$medians))
}

# Few points are solid, many let each other show through.
see_through <- function(n, few, many) if (n <= few) 0.85 else if (n >= many) 0.35 else 0.6

draw_interval <- function(chart) {
  data <- in_slots(chart$data[chart$data$n > 0, , drop = FALSE], chart)
  data <- cut_off(in_window(data, chart, "y", "centre"), chart, "y", c("low", "high"))
  chart$like <- list(y = data$centre)
  ranged <- data[!is.na(data$low), , drop = FALSE]
  measure <- chart$labels$y
  figure <- figure_of(chart, y = paste(if (chart$options$show == "mean") "Mean of" else "Median of", measure)) + axis_scale("y", data$centre, headroom(chart, 0.06))
  figure <- figure + if (!is.null(chart$levels$colour)) list(ggplot2::geom_segment(ggplot2::aes(x = place, xend = place, y = low, yend = high, colour = colour, linetype = colour), ranged, linewidth = 0.9), ggplot2::geom_point(ggplot2::aes(x = place, y = centre, colour = colour, shape = colour), data, size = 2.8))
    else list(ggplot2::geom_segment(ggplot2::aes(x = place, xend = place, y = low, yend = high), ranged, linewidth = 0.9, colour = house_fill), ggplot2::geom_point(ggplot2::aes(x = place, y = centre), data, size = 2.8, colour = house_fill))
  finish_groups(figure, chart, slot_counts(chart, chart$data))
}
