# Draws bars, shares of absent values and sizes of intersections.

draw_bar <- function(chart) {
  data <- chart$data
  data$place <- match(panel_key_text(data$x), chart$levels$x)
  coloured <- !is.null(chart$levels$colour)
  if (chart$bars == "shares") data$value <- data$share
  data$bottom <- 0
  if (coloured) data <- colour_factor(data, chart)
  if (coloured && chart$bars != "beside") data <- stacked_bars(data, chart) else data$top <- data$value
  data$width <- 0.8
  if (chart$bars == "beside") data <- in_slots(data, chart)
  data$left <- data$place - data$width * 0.46
  data$right <- data$place + data$width * 0.46
  figure <- figure_of(chart) + ggplot2::scale_y_continuous(expand = headroom(chart, if (any(data$bottom < 0 | data$top < 0)) 0.06 else 0, 0.08), labels = if (chart$bars == "shares") share_labels else number_labels)
  figure <- figure + if (coloured) ggplot2::geom_rect(ggplot2::aes(xmin = left, xmax = right, ymin = bottom, ymax = top, fill = colour, linetype = colour), data, colour = if (length(chart$levels$colour) > length(house_colours)) house_ink else house_paper, linewidth = 0.35)
    else ggplot2::geom_rect(ggplot2::aes(xmin = left, xmax = right, ymin = bottom, ymax = top), data, fill = house_fill)
  # Values stand on the bars when there is room for them.
  if (!coloured && length(chart$levels$x) * panel_columns(chart) <= 16) figure <- figure + ggplot2::geom_text(ggplot2::aes(x = place, y = pmax(top, 0), label = number_labels(signif(value, if (is.integer(value)) 15 else 3))), data, vjust = -0.4, size = 3.2, colour = house_soft)
  figure <- with_colours(figure + slot_axis(chart), chart, lines = TRUE)
  windowed(with_panels(figure, chart), chart)
}

# Parts of a bar on top of each other in the order of the colours, those below 0 downwards.
stacked_bars <- function(data, chart) {
  data <- data[order(as.integer(data$colour)), , drop = FALSE]
  bar <- interaction_code(data[c(panel_parts(data), "x")])
  sign <- data$value < 0
  data$top <- stats::ave(data$value, bar, sign, FUN = cumsum)
  data$bottom <- data$top - data$value
  data
}

draw_absence <- function(chart) {
  levels <- rev(chart$levels$y)
  data <- chart$data[chart$data$rows > 0, , drop = FALSE]
  if (!nrow(data)) return(nothing_to_draw(chart))
  data$y <- match(data$column, levels)
  data$label <- paste0(share_labels(signif(data$share, 3)), if (is.null(chart$levels$x)) paste0(" (", format_count(data$absent), ")"))
  labels <- wrap_each(unname(chart$column_labels[levels]), 26)
  rows <- ggplot2::scale_y_continuous(breaks = seq_along(levels), labels = labels, limits = c(0.4, length(levels) + if (length(chart$keys) == 2) 1.4 else 0.6), expand = ggplot2::expansion(add = 0))
  bare <- ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
  if (is.null(chart$levels$x)) {
    figure <- figure_of(chart, x = "Share of rows where the value is absent", y = NULL) + rows + bare + ggplot2::scale_x_continuous(labels = share_labels, expand = ggplot2::expansion(mult = c(0, 0.16 * panel_columns(chart)))) +
      ggplot2::geom_rect(ggplot2::aes(xmin = 0, xmax = share, ymin = y - 0.36, ymax = y + 0.36), data, fill = house_fill) + ggplot2::geom_text(ggplot2::aes(x = share, y = y, label = label), data, hjust = -0.1, size = 3.3, colour = house_soft)
    return(with_panels(figure, chart))
  }
  data$place <- match(panel_key_text(data$x), chart$levels$x)
  figure <- figure_of(chart, y = NULL) + rows + bare + tiles_of(data, "share", chart, title = "Share absent", labels = share_labels)
  with_panels(figure, chart)
}

draw_heat <- function(chart) {
  levels <- rev(chart$levels$y)
  data <- chart$data[is.finite(chart$data$value), , drop = FALSE]
  if (!nrow(data)) return(nothing_to_draw(chart))
  data$y <- match(panel_key_text(data$y), levels)
  data$place <- match(panel_key_text(data$x), chart$levels$x)
  data$label <- number_labels(signif(data$value, if (is.integer(data$value)) 15 else 3))
  rows <- ggplot2::scale_y_continuous(breaks = seq_along(levels), labels = wrap_each(levels, 22), limits = c(0.45, length(levels) + if (length(chart$keys) == 2) 1.4 else 0.55), expand = ggplot2::expansion(add = 0))
  figure <- figure_of(chart) + rows + ggplot2::theme(panel.grid.major = ggplot2::element_blank()) + tiles_of(data, "value", chart, chart$labels$value)
  with_panels(figure, chart)
}

# Tiles at (place, y) with their label where there is room, light on dark.
tiles_of <- function(data, value, chart, title, labels = number_labels) {
  data$value <- data[[value]]
  ends <- range(data$value)
  data$ink <- ifelse(ends[2] > ends[1] & (data$value - ends[1]) / (ends[2] - ends[1]) > 0.45, house_paper, house_ink)
  across <- length(chart$levels$x) * panel_columns(chart)
  down <- length(unique(data$y)) * ceiling(nrow(chart$panels) / panel_columns(chart))
  list(ggplot2::geom_rect(ggplot2::aes(xmin = place - 0.48, xmax = place + 0.48, ymin = y - 0.47, ymax = y + 0.47, fill = value), data), shade_scale(data$value, title, labels = labels),
       if (across * (max(nchar(data$label)) + 1) <= letters_across && down <= 30) ggplot2::geom_text(ggplot2::aes(x = place, y = y, label = label), data, colour = data$ink, size = 3.5), slot_axis(chart))
}

draw_overlap <- function(chart) {
  data <- utils::head(chart$data, most_combinations)
  data$y <- rev(seq_len(nrow(data)))
  words <- ifelse(data$subsets == "(none)", "in none", ifelse(data$in_subsets == 1, paste("only", data$subsets), data$subsets))
  data$label <- paste0(" ", format_count(data$rows), if (!is.null(data$units)) paste0(" (", format_count(data$units), " units)"))
  data$group <- factor(data$in_subsets, sort(unique(data$in_subsets)))
  shades <- stats::setNames(c("#b9b2a2", "#8dbdb3", "#2f6f73", "#112a38")[pmin(as.integer(levels(data$group)), 3) + 1], levels(data$group))
  figure_of(chart, x = paste("Number of", chart$subject), y = NULL) + ggplot2::geom_rect(ggplot2::aes(xmin = 0, xmax = .data[["rows"]], ymin = y - 0.36, ymax = y + 0.36, fill = group), data) +
    ggplot2::geom_text(ggplot2::aes(x = .data[["rows"]], y = y, label = label), data, hjust = 0, size = 3.3, colour = house_soft) +
    ggplot2::scale_fill_manual(values = shades, guide = ggplot2::guide_legend(title = "In how many subsets")) +
    ggplot2::scale_y_continuous(breaks = data$y, labels = wrap_each(words, 34), limits = c(0.4, nrow(data) + 0.6), expand = ggplot2::expansion(add = 0)) +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(mult = c(0, 0.18)), labels = number_labels) + ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}
