# Draws what chart_histogram() computed.
draw_histogram <- function(chart) {
  title <- if (is.null(chart$title)) paste("Spread of", chart$x_name) else chart$title
  subtitle <- if (!length(chart$keys)) panel_counts(chart$panels)
  base <- ggplot2::ggplot() + house_theme() +
    ggplot2::labs(title = title, subtitle = subtitle, caption = wrapped(chart$caption, 130), x = chart$x_label, y = paste("Number of", chart$subject))
  if (is.null(chart$data)) {
    return(base + ggplot2::annotate("text", x = 0, y = 0, label = "No value to draw", colour = "#4b5a66", size = 5) +
             ggplot2::theme(axis.text = ggplot2::element_blank(), panel.grid.major = ggplot2::element_blank()))
  }
  data <- chart$data
  panels <- chart$panels
  drawn <- base + ggplot2::scale_y_continuous(expand = ggplot2::expansion(mult = c(0, 0.08)), breaks = whole_breaks)
  if (!length(chart$keys)) return(drawn + bars_of(data))
  per_panel <- nrow(data) / nrow(panels)
  scales <- if (chart$axes == "own") "free_y" else "fixed"
  if (length(chart$keys) == 1) {
    label <- paste0(panel_key_text(panels[[1]]), "\n", panel_counts(panels))
    data$panel <- factor(rep(label, each = per_panel), levels = label)
    return(drawn + bars_of(data) + ggplot2::facet_wrap(ggplot2::vars(panel), scales = scales) + ggplot2::theme(strip.text = ggplot2::element_text(lineheight = 1.1)))
  }
  # A table of panels says each panel's n inside it.
  keys <- lapply(panels[1:2], function(k) factor(panel_key_text(k), levels = unique(panel_key_text(k[order(match(k, sort(unique(k))))]))))
  data$panel_row <- rep(keys[[1]], each = per_panel)
  data$panel_column <- rep(keys[[2]], each = per_panel)
  said <- data.frame(panel_row = keys[[1]], panel_column = keys[[2]], label = panel_counts(panels))
  drawn + bars_of(data) +
    ggplot2::geom_text(ggplot2::aes(x = Inf, y = Inf, label = label), said, hjust = 1.05, vjust = 1.4, size = 3.1, colour = "#4b5a66") +
    ggplot2::facet_grid(ggplot2::vars(panel_row), ggplot2::vars(panel_column), scales = scales)
}

bars_of <- function(data) {
  ggplot2::geom_rect(ggplot2::aes(xmin = from, xmax = to, ymin = 0, ymax = count), data, fill = house_fill, colour = house_paper, linewidth = 0.25)
}

# Counts have whole marks only.
whole_breaks <- function(limits) {
  marks <- pretty(c(0, limits[2]), 4)
  marks[marks == round(marks)]
}

utils::globalVariables(c("from", "to", "count", "label", "panel_row", "panel_column", "panel"))
