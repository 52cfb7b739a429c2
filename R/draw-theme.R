# The look of figures: theme, colours, titles and captions.

# Shapes and lines tell further groups apart where colours repeat.
house_shapes <- c(16, 17, 15, 3, 8)
house_lines <- c("solid", "longdash", "dotted", "twodash", "dotdash")

# The look of the figure that is being drawn.
look_now <- function() {
  if (is.null(drawing$look)) session_look() else drawing$look
}
with_look <- function(look, code) {
  before <- drawing$look
  drawing$look <- look
  on.exit(drawing$look <- before)
  force(code)
}

# All sizes are shares of one, so that `theme(text = element_text(size = 16))`
# moves them together.
house_theme <- function() {
  look <- look_now()
  of_size <- function(points) ggplot2::rel(compact_points(points) / usual_size)
  gap <- function(...) ggplot2::margin(...) * if (is_compact()) 0.3 else 1
  words <- function(points, ..., colour = look$ink) {
    ggplot2::element_text(size = of_size(points), colour = colour, ...)
  }
  ggplot2::theme_minimal(base_size = look$size, base_family = look$font) +
    ggplot2::theme(
      text = ggplot2::element_text(colour = look$ink),
      plot.title = words(15, face = "bold", margin = gap(b = 3)),
      plot.subtitle = words(11, colour = look$soft, margin = gap(b = 8)),
      plot.caption = words(
        9,
        colour = look$soft,
        hjust = 0,
        lineheight = 1.15,
        margin = gap(t = 10)
      ),
      plot.title.position = "plot",
      plot.caption.position = "plot",
      plot.background = ggplot2::element_rect(
        fill = look$background, colour = NA
      ),
      panel.grid.major = if (look$grid) {
        ggplot2::element_line(colour = look$grid_ink, linewidth = 0.4)
      } else {
        ggplot2::element_blank()
      },
      panel.grid.minor = ggplot2::element_blank(),
      axis.line = if (look$grid) {
        ggplot2::element_blank()
      } else {
        ggplot2::element_line(colour = look$soft, linewidth = 0.4)
      },
      axis.ticks = if (look$grid) {
        ggplot2::element_blank()
      } else {
        ggplot2::element_line(colour = look$soft, linewidth = 0.4)
      },
      panel.spacing = points_across(12, 5),
      axis.text = words(10, colour = look$soft),
      axis.title = words(11),
      strip.text = words(11, hjust = 0, lineheight = 1.1),
      strip.text.y = ggplot2::element_text(angle = 0, hjust = 0),
      strip.background = ggplot2::element_blank(),
      legend.position = "top",
      legend.justification = "left",
      legend.margin = gap(0, 0, 2, 0),
      legend.key.size = if (is_compact()) {
        grid::unit(7, "pt")
      } else {
        grid::unit(1.2, "lines")
      },
      legend.box.spacing = points_across(12, 2),
      legend.title = words(10, colour = look$soft),
      legend.text = words(10),
      plot.margin = gap(14, 18, 12, 14)
    ) +
    (if (is_compact()) ggplot2::theme(legend.spacing.x = grid::unit(2.5, "pt")))
}

wrapped <- function(text, width) {
  paste(strwrap(text, max(width, 4) + 1), collapse = "\n")
}
wrap_each <- function(text, width) {
  vapply(text, wrapped, character(1), width = width, USE.NAMES = FALSE)
}

# Letters inside a panel, in the millimetres that layers take, beside letters of
# 12 points.
letter_size <- function(mm) {
  mm *
    look_now()$size /
    usual_size *
    if (is_compact()) max(0.68, 2.12 / mm) else 1
}
mark_size <- function(size) size * if (is_compact()) 0.6 else 1
letters_at <- function(mapping, data, size, colour = look_now()$soft, ...) {
  ggplot2::geom_text(
    mapping,
    data,
    size = letter_size(size),
    colour = colour,
    family = look_now()$font,
    ...
  )
}
# While code runs, figures are named and not drawn, for readers that keep only
# text.
drawing$in_words <- FALSE
figures_in_words <- function(code) {
  drawing$in_words <- TRUE
  on.exit(drawing$in_words <- FALSE)
  force(code)
}

utils::globalVariables(c(
  "reason", "height", "fill",
  "from", "to", "count", "label", "panel_row", "panel_column", "panel", "x",
  "y", "colour", "density", "share", "value", "low", "high", "left", "right",
  "bottom", "top", "middle", "lower", "q1", "median", "q3", "upper", "group",
  "ink", "place", "centre", "x_from", "x_to", "y_from", "y_to", "series",
  ".data"
))
