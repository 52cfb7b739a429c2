# Draws shares of absent values, in shades by reason.

draw_absence <- function(chart) {
  levels <- rev(chart$levels$y)
  data <- chart$data[chart$data$rows > 0, , drop = FALSE]
  if (!nrow(data)) return(nothing_to_draw(chart))
  data$y <- match(data$column, levels)
  of_reasons <- data[!is.null(data$reason) &
    !data$reason %in% "(any)", , drop = FALSE]
  if (!is.null(data$reason)) {
    data <- data[data$reason == "(any)", , drop = FALSE]
  }
  data$label <- paste0(
    share_labels(signif(data$share, 3)),
    if (is.null(chart$levels$x)) paste0(" (", format_count(data$absent), ")")
  )
  labels <- wrap_each(shown_text(unname(chart$column_labels[levels])), 26)
  rows <- ggplot2::scale_y_continuous(
    breaks = seq_along(levels),
    labels = labels,
    limits = c(0.4, length(levels) + if (length(chart$keys) == 2) 1.4 else 0.6),
    expand = ggplot2::expansion(add = 0)
  )
  # Labels of neighbouring axes stand apart.
  bare <- ggplot2::theme(
    panel.grid.major.y = ggplot2::element_blank(),
    panel.spacing.x = grid::unit(28, "pt")
  )
  if (is.null(chart$levels$x)) {
    figure <- figure_of(
      chart,
      x = "Share of rows where the value is absent", y = NULL
    ) +
      rows +
      bare +
      ggplot2::scale_x_continuous(
        labels = share_labels,
        expand = ggplot2::expansion(
          mult = c(0, room_for_labels(data$label, chart))
        )
      ) +
      absence_bars(data, of_reasons) +
      letters_at(
        ggplot2::aes(x = share, y = y, label = label),
        data,
        hjust = -0.1,
        size = 3.3,
        colour = look_now()$soft
      )
    return(with_panels(figure, chart))
  }
  data$place <- match(panel_key_text(data$x), chart$levels$x)
  figure <- figure_of(chart, y = NULL) +
    rows +
    bare +
    tiles_of(
      data, "share", chart,
      title = "Share absent", labels = share_labels
    )
  with_panels(figure, chart)
}

# How much farther an axis goes for labels behind the longest bar.
room_for_labels <- function(labels, chart) {
  share <- (max(nchar(labels)) + 1) /
    (0.75 * letters_across() / panel_columns(chart))
  share <- min(share, 0.7)
  max(0.16 * panel_columns(chart), share / (1 - share))
}

# One bar for each column, in shades by reason where reasons are known.
absence_bars <- function(data, of_reasons) {
  if (!nrow(of_reasons)) {
    return(ggplot2::geom_rect(
      ggplot2::aes(xmin = 0, xmax = share, ymin = y - 0.36, ymax = y + 0.36),
      data,
      fill = look_now()$fill
    ))
  }
  parts <- of_reasons[of_reasons$share > 0, , drop = FALSE]
  labels <- unique(of_reasons$reason)
  labels <- c(setdiff(labels, "(no reason)"), "(no reason)")
  parts$reason <- factor(parts$reason, labels)
  parts <- parts[order(as.integer(parts$reason)), , drop = FALSE]
  bar <- interaction_code(parts[c(panel_parts(parts), "y")])
  parts$to <- stats::ave(parts$share, bar, FUN = cumsum)
  parts$from <- parts$to - parts$share
  all <- data[data$column == "(any of these)", , drop = FALSE]
  list(
    ggplot2::geom_rect(
      ggplot2::aes(xmin = 0, xmax = share, ymin = y - 0.36, ymax = y + 0.36),
      all,
      fill = NA,
      colour = look_now()$soft,
      linewidth = 0.4
    ),
    ggplot2::geom_rect(
      ggplot2::aes(
        xmin = from,
        xmax = to,
        ymin = y - 0.36,
        ymax = y + 0.36,
        fill = reason
      ),
      parts,
      colour = look_now()$background,
      linewidth = 0.3
    ),
    ggplot2::scale_fill_manual(
      values = shades_of_reasons(labels),
      labels = shown_text,
      name = NULL,
      drop = FALSE
    )
  )
}

# From dark to light; what has no reason is grey.
shades_of_reasons <- function(labels) {
  n <- length(labels) - 1
  shades <- grDevices::colorRampPalette(c(
    "#12343b", look_now()$fill, "#8cc0ae"
  ))(max(n, 1))
  stats::setNames(
    c(if (n == 1) look_now()$fill else shades[seq_len(n)], "#d3d6d0"), labels
  )
}
