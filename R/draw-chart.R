# From a chart to a figure.

draw_chart <- function(chart) {
  if (!is.null(chart$subset)) {
    said <- if (!identical(unname(chart$subset_words), chart$subset))
      paste0(" (", chart$subset_words, ")")
    chart$caption <- paste0("Subset ", chart$subset, said, ". ", chart$caption)
    chart$title <- paste0(chart$title, ": ", chart$subset)
  }
  nothing <- sum(chart$panels$n) == 0 && !isTRUE(chart_kind(chart$kind)$whole)
  if (!NROW(chart$data) || nothing) return(nothing_to_draw(chart))
  chart$data <- in_panels(chart$data, chart)
  for (part in names(chart$parts)) if (all(chart$keys %in% names(chart$parts[[part]])))
    chart$parts[[part]] <- in_panels(chart$parts[[part]], chart)
  if (!is.null(chart$levels$x)) chart$slots <- slots_of(chart)
  figure <- get(paste0("draw_", chart$kind), mode = "function")(chart)
  # Figures of several subsets reach equally far.
  ends <- chart$ends[!names(chart$ends) %in% names(chart$windows)]
  if (length(compact(ends))) figure + do.call(ggplot2::expand_limits, compact(ends)) else figure
}

# The frame of every figure: words around it and, without panels, its n below the title.
figure_of <- function(chart, x = chart$labels$x, y = chart$labels$y) {
  ggplot2::ggplot() + house_theme() +
    ggplot2::labs(title = wrapped(chart$title, 85),
                  subtitle = if (!length(chart$keys)) panel_counts(chart$panels),
                  caption = wrapped(chart$caption, 165), x = x, y = y, alt = chart_alt(chart))
}

# One sentence that stands for a figure, with what was added to it.
figure_alt <- function(figure) ggplot2::get_alt_text(figure)

is_figure <- function(x) inherits(x, "ggplot")

nothing_to_draw <- function(chart) {
  figure_of(chart, NULL, NULL) +
    ggplot2::annotate("text", x = 0, y = 0, label = "No value to draw", colour = house_soft,
                      size = 5) +
    ggplot2::theme(axis.text = ggplot2::element_blank(),
                   panel.grid.major = ggplot2::element_blank())
}
