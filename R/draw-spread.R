# Draws histograms, density curves and cumulative shares.

draw_histogram <- function(chart) {
  data <- chart$data
  data$height <- if (is.null(data$weight)) data$count else data$weight
  chart$like <- list(x = data$from)
  what <- if (is.null(data$weight)) {
    paste("Number of", chart$subject)
  } else {
    "Sum of weights"
  }
  figure <- figure_of(chart, y = what) +
    ggplot2::scale_y_continuous(
      expand = headroom(chart, 0, 0.08),
      breaks = whole_breaks,
      labels = number_labels
    ) +
    axis_scale("x", data$from, chart = chart)
  figure <- if (is.null(chart$levels$colour)) {
    figure +
      ggplot2::geom_rect(
        ggplot2::aes(xmin = from, xmax = to, ymin = 0, ymax = height),
        data,
        fill = look_now()$fill,
        colour = look_now()$background,
        linewidth = if (is_compact()) 0.08 else 0.25
      )
  } else {
    data <- colour_factor(data, chart)
    with_colours(
      figure +
        ggplot2::geom_rect(
          ggplot2::aes(
            xmin = from, xmax = to, ymin = 0, ymax = height, fill = colour
          ),
          data,
          alpha = overlay(chart),
          show.legend = FALSE
        ) +
        ggplot2::geom_path(
          ggplot2::aes(
            x = x, y = y, colour = colour, linetype = colour, group = colour
          ),
          outlines(data),
          linewidth = 0.7
        ),
      chart,
      lines = TRUE
    )
  }
  windowed(with_panels(figure, chart, data$from), chart)
}

# Areas show through each other where they are few, else lines alone.
overlay <- function(chart) if (length(chart$levels$colour) > 4) 0 else 0.12

# The outline of each histogram as a path.
outlines <- function(data) {
  panel <- panel_parts(data)
  at <- split(seq_len(nrow(data)), interaction_code(data[c(panel, "colour")]))
  do.call(
    rbind,
    lapply(at, function(i) {
      from <- data$from[i]
      to <- data$to[i]
      steps <- c(rbind(from, to))
      if (is.object(from)) attributes(steps) <- attributes(from)
      cbind(
        data[rep(i[1], 2 * length(i) + 2), c(panel, "colour"), drop = FALSE],
        x = c(from[1], steps, to[length(to)]),
        y = c(0, rep(data$height[i], each = 2), 0), row.names = NULL
      )
    })
  )
}

draw_density <- function(chart) {
  data <- chart$data
  chart$like <- list(x = data$x)
  what <- if (length(chart$log_axes)) {
    "Density, per factor of ten"
  } else {
    "Density"
  }
  figure <- figure_of(chart, y = what) +
    ggplot2::scale_y_continuous(
      expand = headroom(chart, 0, 0.08),
      labels = number_labels
    ) +
    axis_scale("x", data$x, chart = chart)
  figure <- if (is.null(chart$levels$colour)) {
    figure +
      ggplot2::geom_area(
        ggplot2::aes(x = x, y = density),
        data,
        fill = look_now()$light,
        colour = look_now()$fill,
        linewidth = 0.7,
        outline.type = "upper"
      )
  } else {
    data <- colour_factor(data, chart)
    with_colours(
      figure +
        ggplot2::geom_ribbon(
          ggplot2::aes(
            x = x, ymin = 0, ymax = density, fill = colour, group = colour
          ),
          data,
          alpha = overlay(chart),
          show.legend = FALSE
        ) +
        ggplot2::geom_line(
          ggplot2::aes(
            x = x,
            y = density,
            colour = colour,
            linetype = colour,
            group = colour
          ),
          data,
          linewidth = 0.8
        ),
      chart,
      lines = TRUE
    )
  }
  windowed(with_panels(figure, chart, data$x), chart)
}

draw_cumulative <- function(chart) {
  data <- chart$data
  chart$like <- list(x = data$x)
  figure <- figure_of(chart, y = "Share at or below") +
    ggplot2::scale_y_continuous(
      expand = headroom(chart, 0.02, 0.03),
      limits = c(0, 1),
      breaks = 0:4 / 4,
      labels = share_labels
    ) +
    axis_scale("x", data$x, chart = chart)
  single <- cumulative_ends(
    data,
    above = if (length(chart$log_axes)) 0 else -Inf
  )
  figure <- if (is.null(chart$levels$colour)) {
    figure +
      ggplot2::geom_step(
        ggplot2::aes(x = x, y = share),
        single,
        colour = look_now()$fill,
        linewidth = 0.8
      )
  } else {
    with_colours(
      figure +
        ggplot2::geom_step(
          ggplot2::aes(
            x = x, y = share, colour = colour, linetype = colour, group = colour
          ),
          colour_factor(single, chart),
          linewidth = 0.8
        ),
      chart,
      lines = TRUE
    )
  }
  windowed(with_panels(figure, chart, data$x, scales = "fixed"), chart)
}

# Each line starts at 0 where its smallest value is, or, where values lie below
# what is shown, at their share.
cumulative_ends <- function(data, above = -Inf) {
  keys <- setdiff(names(data), c("x", "share"))
  code <- if (length(keys)) {
    interaction_code(data[keys])
  } else {
    rep(1L, nrow(data))
  }
  starts <- data[!duplicated(code), , drop = FALSE]
  starts$share <- 0
  both <- rbind(
    starts, data
  )[order(c(
    which(!duplicated(code)) - 0.5, seq_len(nrow(data))
  )), , drop = FALSE]
  if (is.finite(above)) {
    both[as.numeric(both$x) > above, , drop = FALSE]
  } else {
    both
  }
}
