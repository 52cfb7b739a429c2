# Draws the account as a band that narrows from step to step: to the left what
# went on, to the right what was held back and why.

draw_flow <- function(chart) {
  data <- chart$data
  k <- nrow(data)
  total <- max(data$rows, 1)
  data$y <- -seq_len(k)
  data$top <- data$rows / total
  is_narrow <- letters_across() < 80
  unit <- if (all(is.na(data$units))) {
    ""
  } else {
    ifelse(
      is.na(data$units),
      "",
      paste0(if (is_narrow) ",\n" else ", ", format_count(data$units), " units")
    )
  }
  data$label <- paste0(
    wrap_each(data$label, min(34, 0.27 * letters_across())), "\n",
    format_count(data$rows), ifelse(data$rows == 1, " row", " rows"), unit
  )
  stays <- held <- list()
  for (i in seq_len(k)[-1]) {
    on <- min(data$top[i], data$top[i - 1])
    stays[[
      i
    ]] <- data.frame(
      group = i,
      x = c(0, on, on, 0),
      y = c(data$y[i - 1], data$y[i - 1], data$y[i], data$y[i])
    )
    if (data$held[i] > 0) {
      from <- seq(0, 1, length.out = 30)
      bend <- from^2 * (3 - 2 * from)
      depth <- data$y[i - 1] - 0.55 * from
      gone <- data$top[i - 1] - on
      edge <- max(data$top[i - 1], on + 0.004)
      left <- on + bend * (1.12 - on)
      right <- edge + bend * (1.12 + max(gone, 0.012) - edge)
      held[[
        i
      ]] <- data.frame(
        group = i,
        x = c(left, rev(right)),
        y = c(depth, rev(depth))
      )
    }
  }
  reasons <- flow_words(chart, data)
  figure <- figure_of(chart, NULL, NULL)
  if (length(held)) {
    figure <- figure +
      ggplot2::geom_polygon(
        ggplot2::aes(x = x, y = y, group = group),
        do.call(rbind, held),
        fill = "#d9c9b4"
      )
  }
  if (length(stays)) {
    figure <- figure +
      ggplot2::geom_polygon(
        ggplot2::aes(x = x, y = y, group = group),
        do.call(rbind, stays),
        fill = look_now()$light
      )
  }
  figure <- figure +
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
      size = if (k > 9) 3 else 3.8,
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
        size = if (k > 9) 2.7 else 3.5,
        lineheight = 1.05,
        colour = look_now()$soft
      )
  }
  # Room for the texts on both sides, whose width does not change with the
  # scale.
  across <- c(
    left = widest_line(data$label, if (k > 9) 3 else 3.8),
    right = widest_line(reasons$label, if (k > 9) 2.7 else 3.5)
  ) /
    1230 *
    usual_letters /
    letters_across()
  range <- (max(1.05, reasons$x) + 0.06) /
    (1 - min(if (is_narrow) 0.85 else 0.7, sum(across)))
  figure +
    ggplot2::scale_x_continuous(
      limits = c(
        -0.05 - across[["left"]] * range,
        max(1.05, reasons$x) + across[["right"]] * range
      ),
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
    said <- paste0(
      format_count(mine$rows), "  ", substr(mine$condition, 1, room),
      ifelse(nchar(mine$condition) > room, "...", ""), " (", mine$because, ")"
    )
    if (length(said) > 4) {
      said <- c(
        said[1:3],
        paste0(
          format_count(sum(mine$rows[-(1:3)])), "  for ", length(said) - 3,
          " other reasons"
        )
      )
    }
    gone <- data$top[i - 1] - min(data$top[i], data$top[i - 1])
    data.frame(
      x = 1.12 + max(gone, 0.012) + 0.03,
      y = data$y[i - 1] - 0.55,
      label = paste(
        c(paste(counted(data$held[i], "row"), "held back"), said),
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
