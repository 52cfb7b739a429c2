# Draws boxes, violins, strips and intervals side by side for the groups of a
# key. Places of groups are in draw-slots.R.

finish_groups <- function(figure, chart, data) {
  figure <- with_colours(
    figure + slot_axis(chart, slot_counts(chart, data)),
    chart,
    shapes = TRUE,
    lines = TRUE
  )
  windowed(with_panels(figure, chart), chart)
}

# Medians that a log axis has no place for.
is_below_log <- function(values, chart) {
  "y" %in% chart$log_axes & !(as.numeric(values) > 0)
}

# Room below the marks for their n.
foot <- function(chart, data, high = 0.06) {
  headroom(chart, if (is.null(count_marks(chart, data))) 0.04 else 0.12, high)
}

draw_box <- function(chart) {
  data <- in_slots(chart$data[chart$data$n > 0, , drop = FALSE], chart)
  data$below_log <- is_below_log(data$median, chart)
  data <- cut_off(data, chart, "y", c("lower", "q1", "median", "q3", "upper"))
  points <- in_slots(in_window(chart$parts$points, chart, "y", "value"), chart)
  chart$like <- list(y = data$median)
  chart <- count_remark(chart, data)
  data$left <- data$place - data$width * 0.42
  data$right <- data$place + data$width * 0.42
  figure <- figure_of(chart) +
    axis_scale("y", data$median, foot(chart, data), chart) +
    box_layers(data, points, coloured = !is.null(chart$levels$colour))
  finish_groups(figure + count_marks(chart, data), chart, chart$data)
}

# Whiskers, boxes, medians and the values beyond, in colours or in ink.
box_layers <- function(data, points, coloured) {
  aes <- function(...) {
    if (!coloured) return(ggplot2::aes(...))
    ggplot2::aes(..., colour = colour, linetype = colour)
  }
  inked <- function(layer, ...) {
    if (coloured) layer(...) else layer(..., colour = look_now()$ink)
  }
  whisker <- function(from, to) {
    inked(
      ggplot2::geom_segment,
      aes(x = place, xend = place, y = .data[[from]], yend = .data[[to]]),
      data,
      linewidth = 0.5
    )
  }
  median <- inked(
    ggplot2::geom_segment,
    aes(x = left, xend = right, y = median, yend = median),
    data[!data$below_log, , drop = FALSE],
    linewidth = 1.1
  )
  beyond <- if (nrow(points)) {
    inked(
      ggplot2::geom_point,
      if (coloured) {
        ggplot2::aes(x = place, y = value, colour = colour)
      } else {
        ggplot2::aes(x = place, y = value)
      },
      points,
      shape = 1,
      size = mark_size(1.4),
      alpha = 0.8
    )
  }
  list(
    whisker("lower", "q1"), whisker("q3", "upper"),
    box_rectangles(data, coloured), median, beyond
  )
}

box_rectangles <- function(data, coloured) {
  corners <- ggplot2::aes(xmin = left, xmax = right, ymin = q1, ymax = q3)
  if (!coloured) {
    return(ggplot2::geom_rect(
      corners, data,
      fill = look_now()$light, colour = look_now()$ink, linewidth = 0.5
    ))
  }
  corners$colour <- corners$fill <- corners$linetype <- quote(colour)
  ggplot2::geom_rect(corners, data, alpha = 0.3, linewidth = 0.5)
}

draw_violin <- function(chart) {
  data <- in_slots(chart$data, chart)
  all <- in_slots(
    chart$parts$quartiles[chart$parts$quartiles$n > 0, , drop = FALSE], chart
  )
  quartiles <- cut_off(all, chart, "y", c("q1", "median", "q3"))
  chart$like <- list(y = data$y)
  chart <- count_remark(chart, all)
  # Each is as wide as its highest density, so that a narrow group does not thin
  # out all others.
  highest <- stats::ave(
    data$density,
    interaction_code(data[c(panel_parts(data), "place")]),
    FUN = max
  )
  data$left <- data$place - data$density / highest * 0.46 * data$width
  data$right <- data$place + data$density / highest * 0.46 * data$width
  shape <- violin_outlines(data)
  figure <- figure_of(chart) + axis_scale("y", data$y, foot(chart, all), chart)
  figure <- figure +
    if (!is.null(chart$levels$colour)) {
      ggplot2::geom_polygon(
        ggplot2::aes(
          x = .data[["edge"]],
          y = y,
          group = group,
          fill = colour,
          colour = colour,
          linetype = colour
        ),
        shape,
        alpha = 0.3,
        linewidth = 0.5
      )
    } else {
      ggplot2::geom_polygon(
        ggplot2::aes(x = .data[["edge"]], y = y, group = group),
        shape,
        fill = look_now()$light,
        colour = look_now()$fill,
        linewidth = 0.5
      )
    }
  quartiles$left <- quartiles$place - quartiles$width * 0.22
  quartiles$right <- quartiles$place + quartiles$width * 0.22
  figure <- figure +
    ggplot2::geom_segment(
      ggplot2::aes(x = place, xend = place, y = q1, yend = q3),
      quartiles,
      linewidth = 1.6,
      colour = look_now()$ink
    ) +
    ggplot2::geom_segment(
      ggplot2::aes(x = left, xend = right, y = median, yend = median),
      quartiles,
      linewidth = 0.9,
      colour = look_now()$ink
    )
  finish_groups(figure + count_marks(chart, all), chart, chart$parts$quartiles)
}

# Left edges upwards and right edges downwards, one outline per group.
violin_outlines <- function(data) {
  data$group <- interaction_code(
    data[c(
      panel_parts(data), intersect(c("x", "colour"), names(data)), "place"
    )]
  )
  do.call(
    rbind,
    lapply(split(data, data$group), function(d) {
      back <- d[rev(seq_len(nrow(d))), , drop = FALSE]
      d$edge <- d$left
      back$edge <- back$right
      rbind(d, back)
    })
  )
}

draw_strip <- function(chart) {
  data <- in_slots(in_window(chart$data, chart, "y", "value"), chart)
  medians <- in_slots(
    chart$parts$medians[chart$parts$medians$n > 0, , drop = FALSE], chart
  )
  chart$like <- list(y = data$value)
  chart <- count_remark(chart, medians)
  seen <- medians[!is_below_log(medians$median, chart), , drop = FALSE]
  data$place <- data$place + data$offset * data$width * 0.36
  seen$left <- seen$place - seen$width * 0.45
  seen$right <- seen$place + seen$width * 0.45
  figure <- figure_of(chart) +
    axis_scale("y", data$value, foot(chart, medians), chart)
  alpha <- see_through(nrow(data) / max(1, nrow(medians)), 40, 400)
  figure <- figure +
    if (!is.null(chart$levels$colour)) {
      ggplot2::geom_point(
        ggplot2::aes(x = place, y = value, colour = colour, shape = colour),
        data,
        size = mark_size(1.3),
        alpha = alpha
      )
    } else {
      ggplot2::geom_point(
        ggplot2::aes(x = place, y = value),
        data,
        colour = look_now()$fill,
        size = mark_size(1.3),
        alpha = alpha
      )
    }
  figure <- figure +
    ggplot2::geom_segment(
      ggplot2::aes(x = left, xend = right, y = median, yend = median),
      seen,
      linewidth = 1,
      colour = look_now()$ink
    )
  finish_groups(
    figure + count_marks(chart, medians), chart, chart$parts$medians
  )
}

# Few points are solid, many let each other show through.
see_through <- function(n, few, many) {
  if (n <= few) 0.85 else if (n >= many) 0.35 else 0.6
}

draw_interval <- function(chart) {
  all <- in_slots(chart$data[chart$data$n > 0, , drop = FALSE], chart)
  data <- cut_off(
    in_window(all, chart, "y", "centre"), chart, "y", c("low", "high")
  )
  chart$like <- list(y = data$centre)
  chart <- count_remark(chart, all)
  ranged <- data[!is.na(data$low), , drop = FALSE]
  reference <- chart$options$reference
  words <- if (is.null(reference)) {
    paste(
      if (chart$options$show == "mean") "Mean of" else "Median of",
      chart$labels$y
    )
  } else {
    paste0("Difference in ", chart$options$show, " ", chart$labels$y)
  }
  figure <- figure_of(chart, y = words) +
    axis_scale("y", data$centre, foot(chart, all), chart)
  if (!is.null(reference)) {
    figure <- figure +
      ggplot2::geom_hline(
        yintercept = 0,
        colour = look_now()$ink,
        linewidth = 0.4,
        linetype = "dashed"
      )
  }
  marks <- if (!is.null(chart$levels$colour)) {
    list(
      ggplot2::geom_segment(
        ggplot2::aes(
          x = place,
          xend = place,
          y = low,
          yend = high,
          colour = colour,
          linetype = colour
        ),
        ranged,
        linewidth = 0.9
      ),
      ggplot2::geom_point(
        ggplot2::aes(x = place, y = centre, colour = colour, shape = colour),
        data,
        size = mark_size(2.8)
      )
    )
  } else {
    list(
      ggplot2::geom_segment(
        ggplot2::aes(x = place, xend = place, y = low, yend = high),
        ranged,
        linewidth = 0.9,
        colour = look_now()$fill
      ),
      ggplot2::geom_point(
        ggplot2::aes(x = place, y = centre),
        data,
        size = mark_size(2.8),
        colour = look_now()$fill
      )
    )
  }
  finish_groups(figure + marks + count_marks(chart, all), chart, chart$data)
}
