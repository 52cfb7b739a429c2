# Draws scatter plots and lines.

draw_scatter <- function(chart) {
  tiles <- isTRUE(chart$tiles)
  data <- chart$data
  if (!tiles) {
    data <- in_window(in_window(data, chart, "x", "x"), chart, "y", "y")
  }
  if (!is.null(data$offset)) data$x <- data$x + data$offset
  x <- if (tiles) data$x_from else data$x
  y <- if (tiles) data$y_from else data$y
  chart$like <- list(x = x, y = y)
  coloured <- !is.null(chart$levels$colour)
  figure <- figure_of(chart) +
    axis_scale("x", x, chart = chart) +
    axis_scale("y", y, headroom(chart), chart) +
    (if (tiles) {
      tiles_and_points(data, chart)
    } else {
      points_of_rows(data, chart)
    }) +
    trend_layers(chart, coloured)
  if (coloured) {
    figure <- with_colours(
      figure,
      chart,
      shapes = TRUE,
      lines = NROW(chart$parts$trend) > 0
    )
  }
  windowed(
    with_panels(
      figure,
      chart,
      x,
      scales = if (chart$options$axes == "own") "free" else "fixed"
    ),
    chart
  )
}

points_of_rows <- function(data, chart) {
  alpha <- see_through(nrow(data) / max(1, nrow(chart$panels)), 150, 1000)
  if (chart$graded_values) {
    return(list(
      ggplot2::geom_point(
        ggplot2::aes(x = x, y = y, colour = colour),
        data,
        size = mark_size(1.8),
        alpha = max(alpha, 0.6)
      ),
      colour_bar(data$colour, chart)
    ))
  }
  if (is.null(chart$levels$colour)) {
    return(ggplot2::geom_point(
      ggplot2::aes(x = x, y = y),
      data,
      colour = look_now()$fill,
      size = mark_size(1.6),
      alpha = alpha
    ))
  }
  ggplot2::geom_point(
    ggplot2::aes(x = x, y = y, colour = colour, shape = colour),
    colour_factor(data, chart),
    size = mark_size(1.6),
    alpha = alpha
  )
}

# Where rows are many, tiles with a shade; rows that lie apart stay points.
tiles_and_points <- function(data, chart) {
  few <- chart$parts$points
  dense <- if (NROW(few)) {
    data[data$count > most_sparse, , drop = FALSE]
  } else {
    data
  }
  list(
    ggplot2::geom_rect(
      ggplot2::aes(
        xmin = x_from, xmax = x_to, ymin = y_from, ymax = y_to, fill = count
      ),
      dense
    ),
    if (nrow(dense) || length(chart$ends$shade)) {
      shade_scale(
        c(dense$count, chart$ends$shade),
        "Rows per tile",
        counts = TRUE
      )
    },
    if (NROW(few)) {
      ggplot2::geom_point(
        ggplot2::aes(x = x, y = y),
        in_window(in_window(few, chart, "x", "x"), chart, "y", "y"),
        size = mark_size(0.9),
        colour = look_now()$fill
      )
    }
  )
}

trend_layers <- function(chart, coloured) {
  trend <- chart$parts$trend
  if (!NROW(trend)) return(NULL)
  band <- trend[is.finite(as.numeric(trend$low)) &
    is.finite(as.numeric(trend$high)), , drop = FALSE]
  band <- cut_off(reaching_window(band, chart), chart, "y", c("low", "high"))
  trend <- in_window(trend, chart, "y", "y")
  if (coloured) {
    return(list(
      ggplot2::geom_ribbon(
        ggplot2::aes(
          x = x, ymin = low, ymax = high, fill = colour, group = colour
        ),
        colour_factor(band, chart),
        alpha = 0.2,
        show.legend = FALSE
      ),
      ggplot2::geom_line(
        ggplot2::aes(
          x = x, y = y, colour = colour, linetype = colour, group = colour
        ),
        colour_factor(trend, chart),
        linewidth = 1
      )
    ))
  }
  ink <- unname(look_now()$palette[2])
  list(
    ggplot2::geom_ribbon(
      ggplot2::aes(x = x, ymin = low, ymax = high),
      band,
      fill = ink,
      alpha = 0.25
    ),
    ggplot2::geom_line(
      ggplot2::aes(x = x, y = y),
      trend,
      colour = ink,
      linewidth = 1
    )
  )
}

# Places where a band reaches into the window.
reaching_window <- function(band, chart) {
  window <- chart$windows$y
  if (is.null(window)) {
    band
  } else {
    band[as.numeric(band$low) <= window[2] &
      as.numeric(band$high) >= window[1], , drop = FALSE]
  }
}

# Shades from light to dark; of counts that differ a great deal, by their
# logarithm.
shade_scale <- function(
  values, title, counts = FALSE, labels = number_labels, whole = counts
) {
  values <- values[is.finite(values)]
  far_apart <- counts &&
    length(values) &&
    min(values) > 0 &&
    max(values) / min(values) > 50
  breaks <- pretty(values, 4)
  if (whole) breaks <- breaks[breaks == round(breaks)]
  powers <- if (far_apart) {
    10^(ceiling(log10(min(values))):floor(log10(max(values))))
  }
  bar <- ggplot2::guide_colourbar(
    title = title,
    title.position = if (is_compact()) "top" else "left",
    title.vjust = 0.9,
    barwidth = bar_width(labels(if (far_apart) powers else breaks)),
    barheight = points_across(9, 5)
  )
  if (far_apart) {
    return(ggplot2::scale_fill_gradientn(
      colours = look_now()$ramp,
      trans = "log10",
      breaks = powers,
      labels = labels,
      guide = bar,
      limits = range(values)
    ))
  }
  ggplot2::scale_fill_gradientn(
    colours = look_now()$ramp,
    breaks = breaks,
    labels = labels,
    guide = bar,
    limits = shade_limits(values)
  )
}

# A bar on which the labels of its marks stand apart.
bar_width <- function(labels) {
  letters <- sum(nchar(labels)) + 2 * length(labels)
  grid::unit(
    if (is_compact()) max(60, 3.8 * letters) else max(150, 6.4 * letters), "pt"
  )
}

# The values of the lightest and the darkest shade; of one value alone from 0.
shade_limits <- function(values) {
  values <- values[is.finite(values)]
  if (length(unique(values)) < 2) range(0, values, 1) else range(values)
}

draw_line <- function(chart) {
  data <- chart$data
  chart$like <- list(x = data$x, y = 0)
  coloured <- !is.null(chart$levels$colour)
  if (coloured) data <- colour_factor(data, chart)
  panel <- panel_parts(data)
  data$series <- interaction_code(
    data[c(panel, intersect(c("colour", "lines"), names(data)), "piece")]
  )
  # A line that leaves the window ends there and begins anew where it comes
  # back.
  inside <- rownames(data) %in%
    rownames(in_window(in_window(data, chart, "x", "x"), chart, "y", "y"))
  data$series <- interaction_code(list(data$series, cumsum(!inside)))
  data <- data[inside, , drop = FALSE]
  if (!nrow(data)) return(nothing_to_draw(chart))
  per_series <- nrow(data) / max(1, length(unique(data$series)))
  lines <- interaction_code(
    data[c(panel, intersect(c("colour", "lines"), names(data)))]
  )
  many <- length(unique(lines)) / max(1, nrow(chart$panels)) > 12
  stands_out <- length(highlighted(chart)) > 0
  alpha <- if (many && !stands_out) 0.45 else 1
  width <- mark_size(if (stands_out) 0.7 else if (many) 0.4 else 0.8)
  # A line of one point would not show.
  lone <- !data$series %in% data$series[duplicated(data$series)]
  pointed <- if (per_series <= 40 && !many) rep(TRUE, nrow(data)) else lone
  figure <- figure_of(chart) +
    axis_scale("x", data$x, chart = chart) +
    axis_scale("y", data$y, headroom(chart), chart)
  figure <- figure +
    if (coloured) {
      ggplot2::geom_line(
        ggplot2::aes(
          x = x, y = y, colour = colour, linetype = colour, group = series
        ),
        data[!lone, , drop = FALSE],
        linewidth = width,
        alpha = alpha
      )
    } else {
      ggplot2::geom_line(
        ggplot2::aes(x = x, y = y, group = series),
        data[!lone, , drop = FALSE],
        colour = look_now()$fill,
        linewidth = width,
        alpha = alpha
      )
    }
  if (any(pointed)) {
    figure <- figure +
      if (coloured) {
        ggplot2::geom_point(
          ggplot2::aes(x = x, y = y, colour = colour, shape = colour),
          data[pointed, , drop = FALSE],
          size = mark_size(1.7)
        )
      } else {
        ggplot2::geom_point(
          ggplot2::aes(x = x, y = y),
          data[pointed, , drop = FALSE],
          colour = look_now()$fill,
          size = mark_size(1.7)
        )
      }
  }
  if (coloured) {
    figure <- with_colours(figure, chart, shapes = TRUE, lines = TRUE)
  }
  windowed(with_panels(figure, chart, data$x), chart)
}
