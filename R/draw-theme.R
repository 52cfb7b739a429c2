# How figures look: theme, colours, and what every figure has around its marks.

house_ink <- "#22303c"
house_soft <- "#4b5a66"
house_paper <- "#fffdf8"
house_fill <- "#2f6f73"
house_light <- "#a5c6c0"
house_grid <- "#e4ded0"
house_absent <- "#8a8a84"

# Found by data-raw/make-palette.R: far apart for every kind of sight, dark enough for the paper.
house_colours <- c("#2f6f73", "#d16219", "#5341b2", "#6c996f", "#6a1001", "#b671c6", "#6d6249",
                   "#42293e")
house_shapes <- c(16, 17, 15, 3, 8)
house_lines <- c("solid", "longdash", "dotted", "twodash", "dotdash")
# Groups in an order: from light to dark in even steps, each of another hue.
house_grades <- c("#d9a03f", "#c0602f", "#84305a", "#2a1a4a")
# From light to dark, in CIELAB.
house_ramp <- c("#dfe7d6", "#8dbdb3", "#3f8789", "#1d5361", "#112a38")

house_theme <- function() {
  ggplot2::theme_minimal(base_size = 12) +
    ggplot2::theme(
      text = ggplot2::element_text(colour = house_ink),
      plot.title = ggplot2::element_text(face = "bold", size = 15, margin = ggplot2::margin(b = 3)),
      plot.subtitle = ggplot2::element_text(size = 11, colour = house_soft,
                                            margin = ggplot2::margin(b = 8)),
      plot.caption = ggplot2::element_text(size = 9, colour = house_soft, hjust = 0,
                                           lineheight = 1.15, margin = ggplot2::margin(t = 10)),
      plot.title.position = "plot", plot.caption.position = "plot",
      plot.background = ggplot2::element_rect(fill = house_paper, colour = NA),
      panel.grid.major = ggplot2::element_line(colour = house_grid, linewidth = 0.4),
      panel.grid.minor = ggplot2::element_blank(),
      panel.spacing = grid::unit(12, "pt"),
      axis.text = ggplot2::element_text(size = 10, colour = house_soft),
      axis.title = ggplot2::element_text(size = 11),
      strip.text = ggplot2::element_text(hjust = 0, size = 11, colour = house_ink,
                                         lineheight = 1.1),
      strip.text.y = ggplot2::element_text(angle = 0, hjust = 0),
      strip.background = ggplot2::element_blank(),
      legend.position = "top", legend.justification = "left",
      legend.margin = ggplot2::margin(0, 0, 2, 0),
      legend.title = ggplot2::element_text(size = 10, colour = house_soft),
      legend.text = ggplot2::element_text(size = 10),
      plot.margin = ggplot2::margin(14, 18, 12, 14)
    )
}

wrapped <- function(text, width) paste(strwrap(text, max(width, 4) + 1), collapse = "\n")
wrap_each <- function(text, width) {
  vapply(text, wrapped, character(1), width = width, USE.NAMES = FALSE)
}

# How many letters fit across a figure: of the default size, and of the one that is being drawn.
usual_letters <- 125
usual_width <- 1280 / 110
drawing <- new.env(parent = emptyenv())
drawing$letters <- usual_letters
letters_across <- function() drawing$letters
# Where only text is kept a figure is named instead of drawn, while code runs.
drawing$in_words <- FALSE
figures_in_words <- function(code) {
  drawing$in_words <- TRUE
  on.exit(drawing$in_words <- FALSE)
  force(code)
}

utils::globalVariables(
  c("from", "to", "count", "label", "panel_row", "panel_column", "panel", "x", "y", "colour",
    "density", "share", "value", "low", "high", "left", "right", "bottom", "top", "middle", "lower",
    "q1", "median",
    "q3", "upper", "group", "ink", "place", "centre", "x_from", "x_to",
    "y_from", "y_to", "series", ".data"))
