# Draws the sizes of intersections of subsets.

draw_overlap <- function(chart) {
  data <- utils::head(chart$data, most_combinations)
  data$y <- rev(seq_len(nrow(data)))
  words <- ifelse(
    data$subsets == "(none)",
    "in none",
    ifelse(data$in_subsets == 1, paste("only", data$subsets), data$subsets)
  )
  data$label <- paste0(
    " ", format_count(data$rows),
    if (!is.null(data$units)) paste0(" (", format_count(data$units), " units)")
  )
  data$group <- factor(data$in_subsets, sort(unique(data$in_subsets)))
  shades <- overlap_shades(levels(data$group))
  figure_of(chart, x = paste("Number of", chart$subject), y = NULL) +
    ggplot2::geom_rect(
      ggplot2::aes(
        xmin = 0,
        xmax = .data[["rows"]],
        ymin = y - 0.36,
        ymax = y + 0.36,
        fill = group
      ),
      data
    ) +
    letters_at(
      ggplot2::aes(x = .data[["rows"]], y = y, label = label),
      data,
      hjust = 0,
      size = 3.3,
      colour = look_now()$soft
    ) +
    ggplot2::scale_fill_manual(
      values = shades,
      guide = ggplot2::guide_legend(title = "In how many subsets", nrow = 1)
    ) +
    ggplot2::scale_y_continuous(
      breaks = data$y,
      labels = wrap_each(words, 34),
      limits = c(0.4, nrow(data) + 0.6),
      expand = ggplot2::expansion(add = 0)
    ) +
    ggplot2::scale_x_continuous(
      expand = ggplot2::expansion(mult = c(0, 0.18)),
      labels = number_labels
    ) +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}

# One shade for each number of subsets a row is in: none, then from light to
# dark.
overlap_shades <- function(levels) {
  counts <- as.integer(levels)
  ramp <- grDevices::colorRampPalette(look_now()$ramp[-1])(max(3, counts))
  stats::setNames(c("#b9b2a2", ramp)[counts + 1], levels)
}
