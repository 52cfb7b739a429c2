# Draws the account as a band that narrows from step to step: rows that went on
# to the left, rows held back and why to the right.

draw_flow <- function(chart) {
  data <- flow_places(chart$data)
  k <- nrow(data)
  reasons <- flow_words(chart, data)
  size <- if (k > 9) c(steps = 3, reasons = 2.7) else c(steps = 3.8, reasons = 3.5)
  figure <- with_flow_bands(figure_of(chart, NULL, NULL), data) +
    ggplot2::geom_segment(
      ggplot2::aes(x = 0, xend = pmax(top, 0.003), y = y, yend = y),
      data,
      linewidth = 2.2,
      colour = look_now()$fill
    ) +
    letters_at(
      ggplot2::aes(x = -0.03, y = y, label = label),
      data,
      hjust = 1,
      size = size[["steps"]],
      lineheight = 1.05,
      colour = look_now()$ink
    )
  if (nrow(reasons)) {
    figure <- figure +
      letters_at(
        ggplot2::aes(x = x, y = y, label = label),
        reasons,
        hjust = 0,
        vjust = 0.5,
        size = size[["reasons"]],
        lineheight = 1.05,
        colour = look_now()$soft
      )
  }
  figure +
    ggplot2::scale_x_continuous(
      limits = flow_limits(data, reasons, size),
      expand = ggplot2::expansion(0)
    ) +
    ggplot2::scale_y_continuous(
      limits = c(-k - 0.5, -0.6),
      expand = ggplot2::expansion(0)
    ) +
    ggplot2::theme(
      axis.text = ggplot2::element_blank(),
      panel.grid.major = ggplot2::element_blank()
    )
}

is_narrow_flow <- function() letters_across() < 80

# The steps one below the other: how wide the band is there, and its label.
flow_places <- function(data) {
  data$y <- -seq_len(nrow(data))
  data$top <- data$rows / max(data$rows, 1)
  unit <- if (all(is.na(data$units))) {
    ""
  } else {
    before <- if (is_narrow_flow()) ",\n" else ", "
    ifelse(
      is.na(data$units), "", paste0(before, format_count(data$units), " units")
    )
  }
  data$label <- paste0(
    wrap_each(data$label, min(34, 0.27 * letters_across())), "\n",
    format_count(data$rows), ifelse(data$rows == 1, " row", " rows"), unit
  )
  data
}

# The band of rows that go on, and the bands that bend away with those held.
with_flow_bands <- function(figure, data) {
  steps <- seq_len(nrow(data))[-1]
  bands <- function(make, steps, fill) {
    if (!length(steps)) return(NULL)
    ggplot2::geom_polygon(
      ggplot2::aes(x = x, y = y, group = group),
      do.call(rbind, lapply(steps, make, data = data)),
      fill = fill
    )
  }
  figure +
    bands(flow_band_held, steps[data$held[steps] > 0], "#d9c9b4") +
    bands(flow_band_on, steps, look_now()$light)
}

flow_band_on <- function(i, data) {
  on <- min(data$top[i], data$top[i - 1])
  y <- data$y[c(i - 1, i - 1, i, i)]
  data.frame(group = i, x = c(0, on, on, 0), y = y)
}

flow_band_held <- function(i, data) {
  on <- min(data$top[i], data$top[i - 1])
  from <- seq(0, 1, length.out = 30)
  bend <- from^2 * (3 - 2 * from)
  depth <- data$y[i - 1] - 0.55 * from
  drop <- data$top[i - 1] - on
  edge <- max(data$top[i - 1], on + 0.004)
  left <- on + bend * (1.12 - on)
  right <- edge + bend * (1.12 + max(drop, 0.012) - edge)
  data.frame(group = i, x = c(left, rev(right)), y = c(depth, rev(depth)))
}

# Room for the texts on both sides, whose width does not change with the scale.
flow_limits <- function(data, reasons, size) {
  widest <- c(
    left = widest_line(data$label, size[["steps"]]),
    right = widest_line(reasons$label, size[["reasons"]])
  )
  across <- widest / 1230 * usual_letters / letters_across()
  end <- max(1.05, reasons$x)
  most <- if (is_narrow_flow()) 0.85 else 0.7
  range <- (end + 0.06) / (1 - min(most, sum(across)))
  c(-0.05 - across[["left"]] * range, end + across[["right"]] * range)
}

# The width of the longest line of some texts of a size in mm, in pixels of a
# figure of usual size. A letter is 0.62 of the size wide in the broadest of the
# usual fonts.
widest_line <- function(labels, size) {
  lines <- unlist(strsplit(labels, "\n"))
  0.62 * size * ggplot2::.pt * 110 / 72 * max(0, nchar(lines, type = "width"))
}

# "held 640: weighed (unknown) 512, in spring (no) 128", beside the end of the
# held band.
flow_words <- function(chart, data) {
  reasons <- chart$parts$reasons
  lines <- lapply(which(data$held > 0), function(i) {
    mine <- reasons[reasons$step == data$step[i], , drop = FALSE]
    mine <- mine[order(-mine$rows), , drop = FALSE]
    room <- max(
      10,
      floor(min(
        46, (if (letters_across() < 80) 0.22 else 0.37) * letters_across()
      ))
    )
    words <- paste0(
      format_count(mine$rows), "  ", substr(mine$condition, 1, room),
      ifelse(nchar(mine$condition) > room, "...", ""), " (", mine$because, ")"
    )
    if (length(words) > 4) {
      words <- c(
        words[1:3],
        paste0(
          format_count(sum(mine$rows[-(1:3)])), "  for ", length(words) - 3,
          " other reasons"
        )
      )
    }
    drop <- data$top[i - 1] - min(data$top[i], data$top[i - 1])
    data.frame(
      x = 1.12 + max(drop, 0.012) + 0.03,
      y = data$y[i - 1] - 0.55,
      label = paste(
        c(paste(counted(data$held[i], "row"), "held back"), words),
        collapse = "\n"
      )
    )
  })
  do.call(
    rbind,
    c(
      list(data.frame(x = numeric(), y = numeric(), label = character())), lines
    )
  )
}
