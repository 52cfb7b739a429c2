# Draws bars, shares of absent values and sizes of intersections.

draw_bar <- function(chart) {
  coloured <- !is.null(chart$levels$colour)
  beside <- chart$bars == "beside"
  data <- in_slots(chart$data, chart, beside = beside)
  if (chart$bars == "shares") data$value <- data$share
  data$bottom <- 0
  if (coloured && !beside) {
    data <- stacked_bars(data)
  } else {
    data$top <- data$value
  }
  data$left <- data$place - data$width * 0.46
  data$right <- data$place + data$width * 0.46
  flipped <- isTRUE(chart$slots$flipped)
  asked <- chart$options$values
  valued <- !coloured &&
    !isFALSE(asked) &&
    (isTRUE(asked) ||
      (if (flipped) {
        chart$slots$most * panel_rows(chart) <= lines_for_panels(chart)
      } else {
        chart$slots$most * panel_columns(chart) * letters_of_value(data) <=
          letters_across()
      }))
  below <- any(data$bottom < 0 | data$top < 0)
  counts <- if (!chart$whole && chart$bars != "shares") {
    slot_counts(chart, chart$data)
  }
  says_n <- !chart$whole &&
    chart$bars != "shares" &&
    is.null(counts) &&
    any(data$n != 1)
  # A table of panels has no room for it beside the n of the panels.
  if (says_n && (!valued || length(chart$keys) == 2)) {
    chart$caption <- paste(chart$caption, bar_counts_words(data$n))
    says_n <- FALSE
  }
  room <- if (flipped && valued) {
    0.14 + 0.12 * says_n * panel_columns(chart)
  } else if (valued && says_n) {
    0.14
  } else {
    0.08
  }
  figure <- figure_of(chart) +
    bar_scale(chart, data, headroom(chart, if (below) 0.06 else 0, room))
  figure <- figure +
    if (coloured) {
      ggplot2::geom_rect(
        ggplot2::aes(
          xmin = left,
          xmax = right,
          ymin = bottom,
          ymax = top,
          fill = colour,
          linetype = colour
        ),
        data,
        colour = if (length(chart$levels$colour) > length(look_now()$palette)) {
          look_now()$ink
        } else {
          look_now()$background
        },
        linewidth = 0.35
      )
    } else {
      ggplot2::geom_rect(
        ggplot2::aes(xmin = left, xmax = right, ymin = bottom, ymax = top),
        data,
        fill = look_now()$fill
      )
    }
  # Values stand on the bars when there is room for them.
  if (valued) figure <- figure + bar_values(data, flipped, says_n)
  if (coloured && !isFALSE(asked)) {
    figure <- figure + part_values(data, chart, beside)
  }
  figure <- with_colours(figure + slot_axis(chart, counts), chart, lines = TRUE)
  windowed(with_panels(figure, chart), chart)
}

letters_of_value <- function(data) {
  max(
    7.5,
    nchar(number_labels(signif(
      data$value, if (is.integer(data$value)) 15 else 3
    ))) +
      1
  )
}

# The value of each bar and, where the axis does not say it, on how many values
# it rests.
bar_values <- function(data, flipped, says_n) {
  data$label <- number_labels(signif(
    data$value, if (is.integer(data$value)) 15 else 3
  ))
  if (says_n) {
    data$label <- paste0(
      data$label, if (flipped) "  n = " else "\nn = ", format_count(data$n)
    )
  }
  letters_at(
    ggplot2::aes(x = place, y = pmax(top, 0), label = label),
    data,
    size = 3.2,
    colour = look_now()$soft,
    lineheight = 0.95,
    hjust = if (flipped) if (says_n) -0.08 else -0.2 else 0.5,
    vjust = if (flipped) 0.5 else if (says_n) -0.15 else -0.4
  )
}
# The values of parts of bars: on top of those side by side, inside those that
# are stacked where a part is long enough.
part_values <- function(data, chart, beside) {
  shares <- chart$bars == "shares"
  data$label <- if (shares) {
    share_labels(signif(data$value, 2))
  } else {
    number_labels(signif(data$value, if (is.integer(data$value)) 15 else 3))
  }
  flipped <- isTRUE(chart$slots$flipped)
  across <- if (flipped) {
    lines_for_panels(chart) / panel_rows(chart)
  } else {
    letters_across() / panel_columns(chart)
  }
  needs <- if (flipped) 1.3 else max(nchar(data$label)) + 1
  # Room for a label in the width of a bar.
  room <- across / (chart$slots$most + 1) * min(data$width) >= needs
  if (!room && !isTRUE(chart$options$values)) return(NULL)
  if (beside) {
    return(letters_at(
      ggplot2::aes(x = place, y = pmax(top, 0), label = label),
      data,
      size = 3,
      hjust = if (flipped) -0.2 else 0.5,
      vjust = if (flipped) 0.5 else -0.4
    ))
  }
  down <- if (flipped) {
    0.8 * letters_across() / panel_columns(chart) / (max(nchar(data$label)) + 1)
  } else {
    0.8 * lines_for_panels(chart) / panel_rows(chart) / 1.3
  }
  long <- abs(data$top - data$bottom) >=
    diff(range(0, data$top, data$bottom)) / down
  data$value <- data$colour
  data$y <- (data$top + data$bottom) / 2
  if (any(long)) {
    ink_layer(
      "text",
      ggplot2::aes(x = place, y = y, label = label),
      data[long, , drop = FALSE],
      size = letter_size(3),
      family = look_now()$font
    )
  }
}
bar_counts_words <- function(n) {
  ends <- format_count(range(n))
  paste0(
    "Bars rest on ", paste(unique(ends), collapse = " to "), " values each."
  )
}

# Counts have whole marks only.
bar_scale <- function(chart, data, expand) {
  counts <- chart$whole && chart$bars != "shares"
  ggplot2::scale_y_continuous(
    expand = expand,
    labels = if (chart$bars == "shares") share_labels else number_labels,
    breaks = if (counts && !any(data$top < 0)) {
      whole_breaks
    } else {
      ggplot2::waiver()
    }
  )
}

# Parts of a bar on top of each other in the order of the colours, those below 0
# downwards.
stacked_bars <- function(data) {
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
