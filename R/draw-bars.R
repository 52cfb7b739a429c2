# Draws bars: single, stacked, side by side, or as shares.

draw_bar <- function(chart) {
  coloured <- !is.null(chart$levels$colour)
  data <- bar_places(chart, coloured)
  flipped <- isTRUE(chart$slots$flipped)
  valued <- bars_have_values(chart, data, coloured)
  counts <- if (!chart$whole && chart$bars != "shares") {
    slot_counts(chart, chart$data)
  }
  can_say_n <- !chart$whole && chart$bars != "shares" && is.null(counts)
  says_n <- can_say_n && any(data$n != 1)
  # A table of panels has no room for it beside the n of the panels.
  if (says_n && (!valued || length(chart$keys) == 2)) {
    chart$caption <- paste(chart$caption, bar_counts_words(data$n))
    says_n <- FALSE
  }
  room <- room_above_bars(chart, valued, says_n)
  is_below <- any(data$bottom < 0 | data$top < 0)
  figure <- figure_of(chart) +
    bar_scale(chart, data, headroom(chart, if (is_below) 0.06 else 0, room)) +
    bar_rectangles(chart, data, coloured)
  # Values stand on the bars when there is room for them.
  if (valued) figure <- figure + bar_values(data, flipped, says_n)
  if (coloured && !isFALSE(chart$options$values)) {
    figure <- figure + part_values(data, chart, chart$bars == "beside")
  }
  figure <- with_colours(figure + slot_axis(chart, counts), chart, lines = TRUE)
  windowed(with_panels(figure, chart), chart)
}

room_above_bars <- function(chart, valued, says_n) {
  if (!valued) return(0.08)
  if (!isTRUE(chart$slots$flipped)) return(if (says_n) 0.14 else 0.08)
  0.14 + 0.12 * says_n * panel_columns(chart)
}

bar_places <- function(chart, coloured) {
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
  data
}

bars_have_values <- function(chart, data, coloured) {
  asked <- chart$options$values
  if (coloured || isFALSE(asked)) return(FALSE)
  if (isTRUE(asked)) return(TRUE)
  most <- chart$slots$most
  if (isTRUE(chart$slots$flipped)) {
    return(most * panel_rows(chart) <= lines_for_panels(chart))
  }
  most * panel_columns(chart) * letters_of_value(data) <= letters_across()
}

bar_rectangles <- function(chart, data, coloured) {
  corners <- ggplot2::aes(xmin = left, xmax = right, ymin = bottom, ymax = top)
  look <- look_now()
  if (!coloured) return(ggplot2::geom_rect(corners, data, fill = look$fill))
  corners$fill <- corners$linetype <- quote(colour)
  repeated <- length(chart$levels$colour) > length(look$palette)
  edge <- if (repeated) look$ink else look$background
  ggplot2::geom_rect(corners, data, colour = edge, linewidth = 0.35)
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
