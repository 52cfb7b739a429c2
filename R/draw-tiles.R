# Draws tiles of two keys.

draw_heat <- function(chart) {
  levels <- rev(chart$levels$y)
  data <- chart$data[is.finite(chart$data$value), , drop = FALSE]
  if (!nrow(data)) return(nothing_to_draw(chart))
  data$y <- match(panel_key_text(data$y), levels)
  data$place <- match(panel_key_text(data$x), chart$levels$x)
  data$label <- number_labels(signif(
    data$value, if (is.integer(data$value)) 15 else 3
  ))
  averaged <- !chart$whole
  if (averaged) {
    data$faint <- data$n < few_rows
    data$label <- paste0(data$label, "\nn = ", format_count(data$n))
    if (any(data$faint)) {
      chart$caption <- paste(
        chart$caption,
        paste0(
          "Cells with a dashed border rest on fewer than ", few_rows, " rows."
        )
      )
    }
  }
  top <- length(levels) + if (length(chart$keys) == 2) 1.4 else 0.55
  rows <- ggplot2::scale_y_continuous(
    breaks = seq_along(levels),
    labels = wrap_each(shown_text(levels), 22),
    limits = c(0.45, top),
    expand = ggplot2::expansion(add = 0)
  )
  figure <- figure_of(chart) +
    rows +
    ggplot2::theme(panel.grid.major = ggplot2::element_blank()) +
    tiles_of(data, "value", chart, chart$labels$value)
  with_panels(figure, chart)
}
# Cells of fewer rows have a dashed border.
few_rows <- 5

# Tiles at (place, y) with their label where there is room, light on dark.
tiles_of <- function(data, value, chart, title, labels = number_labels) {
  data$value <- data[[value]]
  if (is.null(data$faint)) data$faint <- FALSE
  values <- c(data$value, chart$ends$shade)
  across <- length(chart$levels$x) * panel_columns(chart)
  down <- length(unique(data$y)) *
    ceiling(nrow(chart$panels) / panel_columns(chart))
  lines <- max(lengths(strsplit(data$label, "\n")))
  if (lines > 1 && down > 15) {
    data$label <- sub("\n.*", "", data$label)
    lines <- 1
  }
  room <- across * (max(nchar(unlist(strsplit(data$label, "\n")))) + 1) <=
    letters_across() &&
    down * lines <= 0.7 * lines_for_panels(chart)
  list(
    ggplot2::geom_rect(
      ggplot2::aes(
        xmin = place - 0.48,
        xmax = place + 0.48,
        ymin = y - 0.47,
        ymax = y + 0.47,
        fill = value
      ),
      data
    ),
    if (any(data$faint)) {
      ink_layer(
        "rect",
        ggplot2::aes(
          xmin = place - 0.455,
          xmax = place + 0.455,
          ymin = y - 0.44,
          ymax = y + 0.44
        ),
        data[data$faint, , drop = FALSE],
        alpha = 0,
        linetype = "22",
        linewidth = 0.5
      )
    },
    shade_scale(values, title, labels = labels, whole = isTRUE(chart$whole)),
    if (room) {
      ink_layer(
        "text",
        ggplot2::aes(x = place, y = y, label = label),
        data,
        size = letter_size(if (lines > 1) 3.1 else 3.5),
        lineheight = 0.95,
        family = look_now()$font
      )
    },
    slot_axis(chart)
  )
}

# Letters or borders in tiles, light or dark by the colour that the tile has in
# the end, also where another scale was added to the figure.
ink_layer <- function(geom, place, data, ...) {
  dark <- if (relative_luminance(look_now()$ink) < 0.5) {
    look_now()$ink
  } else {
    look_now()$background
  }
  light <- if (dark == look_now()$ink) look_now()$background else look_now()$ink
  after_scale <- ggplot2::after_scale
  mapping <- ggplot2::aes(
    fill = value,
    colour = after_scale(ink_on(fill, dark, light))
  )
  base <- if (geom == "text") ggplot2::GeomText else ggplot2::GeomRect
  shaded <- ggplot2::ggproto(
    NULL,
    base,
    default_aes = utils::modifyList(base$default_aes, list(fill = NA))
  )
  ggplot2::layer(
    geom = shaded,
    stat = "identity",
    position = "identity",
    data = data,
    mapping = utils::modifyList(place, mapping),
    inherit.aes = FALSE,
    show.legend = FALSE,
    params = list(...)
  )
}
