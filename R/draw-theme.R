# How figures look. The palette is of our own making: dark enough for white paper, told apart
# by lightness as well as hue.

house_ink <- "#22303c"
house_paper <- "#fffdf8"
house_fill <- "#2f6f73"
house_grid <- "#e4ded0"

house_theme <- function() {
  ggplot2::theme_minimal(base_size = 12) +
    ggplot2::theme(
      text = ggplot2::element_text(colour = house_ink),
      plot.title = ggplot2::element_text(face = "bold", size = 15, margin = ggplot2::margin(b = 3)),
      plot.subtitle = ggplot2::element_text(size = 11, colour = "#4b5a66", margin = ggplot2::margin(b = 10)),
      plot.caption = ggplot2::element_text(size = 9, colour = "#4b5a66", hjust = 0, margin = ggplot2::margin(t = 10)),
      plot.title.position = "plot", plot.caption.position = "plot",
      plot.background = ggplot2::element_rect(fill = house_paper, colour = NA),
      panel.grid.major = ggplot2::element_line(colour = house_grid, linewidth = 0.4),
      panel.grid.minor = ggplot2::element_blank(),
      panel.spacing = grid::unit(12, "pt"),
      axis.text = ggplot2::element_text(size = 10, colour = "#4b5a66"),
      axis.title = ggplot2::element_text(size = 11),
      strip.text = ggplot2::element_text(hjust = 0, size = 11, colour = house_ink),
      strip.background = ggplot2::element_blank(),
      plot.margin = ggplot2::margin(14, 18, 12, 14)
    )
}

wrapped <- function(text, width) paste(strwrap(text, width), collapse = "\n")

# Panels are labelled with their keys and say their n, and absent when there are any.
panel_counts <- function(panels) {
  paste0("n = ", format_count(panels$n), ifelse(panels$absent > 0, paste0(", absent ", format_count(panels$absent)), ""))
}
panel_key_text <- function(x) {
  text <- if (inherits(x, c("Date", "POSIXct"))) format(x) else if (is.logical(x)) ifelse(x, "yes", "no") else as.character(x)
  ifelse(is.na(x), "(absent)", text)
}

draw_chart <- function(chart) {
  if (!is.null(chart$subset)) {
    chart$caption <- paste0("Subset ", chart$subset, ". ", chart$caption)
    chart$title <- paste0(if (is.null(chart$title)) paste("Spread of", chart$x_name) else chart$title, ": ", chart$subset, " (n = ", format_count(sum(chart$panels$n)), ")")
  }
  switch(chart$kind, histogram = draw_histogram(chart))
}
