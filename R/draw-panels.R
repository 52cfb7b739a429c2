# Panels of figures: their layout, labels and counts.

# Data with its panel, as facets take it, in place of the panel's keys.
in_panels <- function(data, chart) {
  keys <- chart$keys
  texts <- unname(panel_texts(data, chart))
  data[keys] <- NULL
  if (length(keys) == 1) {
    label <- panel_labels(chart)
    data$panel <- factor(
      label[match(texts[[1]], panel_texts(chart$panels, chart)[[1]])], label
    )
  } else if (length(keys) == 2) {
    data$panel_row <- factor(texts[[1]], ordered_texts(chart, 1))
    data$panel_column <- factor(texts[[2]], ordered_texts(chart, 2))
  }
  data
}

# Facets, and in a table of panels each one's n inside, above the marks. `like`
# is a value of the x axis, whose kind the place of the text must have.
with_panels <- function(figure, chart, like = 0, scales = panel_scales(chart)) {
  if (!length(chart$keys)) return(figure)
  # The last number of an axis and the first of the next one stand apart.
  if (isTRUE(chart$slots$flipped)) {
    figure <- figure + ggplot2::theme(panel.spacing.x = grid::unit(24, "pt"))
  }
  if (length(chart$keys) == 1) {
    return(
      figure +
        ggplot2::facet_wrap(
          ggplot2::vars(panel),
          scales = scales,
          ncol = panel_columns(chart),
          drop = FALSE,
          labeller = ggplot2::labeller(panel = in_few_lines)
        )
    )
  }
  down <- length(ordered_texts(chart, 1))
  across <- floor((letters_across() - 22) / panel_columns(chart)) - 2
  figure +
    panel_table_counts(chart, like) +
    ggplot2::theme(
      strip.text.y.left = ggplot2::element_text(
        size = ggplot2::rel(if (down > 4 && !is_compact()) 0.77 else 1),
        angle = 0,
        hjust = 1
      ),
      strip.placement = "outside"
    ) +
    ggplot2::facet_grid(
      ggplot2::vars(panel_row),
      ggplot2::vars(panel_column),
      scales = scales,
      drop = FALSE,
      switch = "y",
      labeller = ggplot2::labeller(
        panel_row = function(t) {
          wrap_each(cut_off_text(t, 60), if (down > 4) 20 else 14)
        },
        panel_column = function(t) in_few_lines(wrap_each(t, across))
      )
    )
}

# Very long names by their first lines; what stands last, the n, stays.
in_few_lines <- function(text, most = 4) {
  vapply(strsplit(text, "\n", fixed = TRUE), function(lines) {
    if (length(lines) > most) {
      lines <- c(lines[seq_len(most - 2)], "...", lines[length(lines)])
    }
    paste(lines, collapse = "\n")
  }, "")
}

# Which axes are a panel's own: that of the numbers on request, that of the
# groups where panels have different ones. Turned coordinates turn the meaning
# of the two.
panel_scales <- function(chart) {
  numbers <- identical(chart$options$axes, "own")
  groups <- isTRUE(chart$slots$own)
  if (isTRUE(chart$slots$flipped)) {
    swapped <- numbers
    numbers <- groups
    groups <- swapped
  }
  if (numbers && groups) {
    "free"
  } else if (numbers) {
    "free_y"
  } else if (groups) {
    "free_x"
  } else {
    "fixed"
  }
}

# The n of each panel of a table, on paper of its own so that no grid line
# crosses it.
panel_table_counts <- function(chart, like) {
  every <- expand.grid(
    panel_row = ordered_texts(chart, 1),
    panel_column = ordered_texts(chart, 2),
    stringsAsFactors = FALSE
  )
  at <- match(
    paste(every$panel_row, every$panel_column, sep = "\r"),
    do.call(paste, c(unname(panel_texts(chart$panels, chart)), sep = "\r"))
  )
  every$label <- ifelse(is.na(at), "n = 0", panel_counts(chart$panels)[at])
  every$panel_row <- factor(every$panel_row, unique(every$panel_row))
  every$panel_column <- factor(every$panel_column, unique(every$panel_column))
  end <- if (inherits(like, "Date")) {
    structure(Inf, class = "Date")
  } else if (inherits(like, "POSIXct")) {
    .POSIXct(Inf)
  } else {
    Inf
  }
  place <- if (isTRUE(chart$slots$flipped)) {
    ggplot2::aes(x = Inf, y = Inf, label = label)
  } else {
    ggplot2::aes(x = end, y = Inf, label = label)
  }
  ggplot2::geom_label(
    place,
    data = every,
    hjust = 1,
    vjust = 1,
    size = letter_size(3),
    family = look_now()$font,
    colour = look_now()$soft,
    fill = look_now()$background,
    label.size = 0,
    label.padding = grid::unit(2, "pt"),
    label.r = grid::unit(0, "pt")
  )
}

# Room above the marks: more where the panels' n stands there.
headroom <- function(chart, low = 0.04, high = 0.06) {
  ggplot2::expansion(mult = c(low, if (length(chart$keys) == 2) 0.2 else high))
}
