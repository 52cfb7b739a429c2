# Pictures of screenings, comparisons and looks.

# A picture that is no chart of a sieve: its title, caption and text
# alternative.
overview_figure <- function(title, caption, alt) {
  figure <- ggplot2::ggplot() +
    house_theme() +
    ggplot2::labs(
      title = wrapped(title, 0.68 * letters_across()),
      x = NULL,
      y = NULL,
      alt = alt,
      caption = wrapped(caption, 1.32 * letters_across())
    ) +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
  class(figure) <- c("neatsieve_figure", class(figure))
  figure
}

outcome_colours <- function() {
  c(yes = look_now()$fill, no = "#d9c9b4", unknown = look_now()$absent)
}

# table: condition, yes, no, unknown. together: which conditions say yes at
# once, and on how many rows.
draw_split <- function(table, together, title, rows) {
  # From the first one downwards.
  places <- -seq_len(nrow(table))
  names(places) <- table$condition
  counts <- as.matrix(table[c("yes", "no", "unknown")])
  ends <- t(apply(counts, 1, cumsum))
  bars <- data.frame(
    place = rep(places, 3),
    from = c(ends - counts),
    to = c(ends),
    outcome = factor(
      rep(colnames(counts), each = nrow(table)), colnames(counts)
    ),
    count = c(counts)
  )
  words <- bars[bars$count > 0.04 * rows, ]
  labels <- c(stats::setNames(table$condition, places))
  figure <- overview_figure(
    title,
    split_caption(together),
    paste0(
      "How conditions split ", counted(rows, "row"), ": ",
      paste0(
        table$condition, ": ", format_count(table$yes), " yes, ",
        format_count(table$no), " no, ", format_count(table$unknown),
        " unknown",
        collapse = "; "
      ),
      "."
    )
  )
  figure +
    ggplot2::geom_rect(
      ggplot2::aes(
        xmin = from,
        xmax = to,
        ymin = place - 0.36,
        ymax = place + 0.36,
        fill = outcome
      ),
      bars
    ) +
    letters_at(
      ggplot2::aes(x = (from + to) / 2, y = place, label = format_count(count)),
      words,
      size = 3.4,
      colour = ifelse(
        words$outcome == "no", look_now()$ink, look_now()$background
      )
    ) +
    ggplot2::scale_fill_manual(
      values = outcome_colours(),
      name = NULL,
      drop = FALSE
    ) +
    ggplot2::scale_y_continuous(
      breaks = places,
      labels = wrap_each(shown_text(cut_off_text(table$condition, 60)), 30)
    ) +
    ggplot2::scale_x_continuous(
      labels = number_labels,
      breaks = whole_breaks,
      expand = ggplot2::expansion(c(0, 0.02))
    )
}

split_caption <- function(together) {
  if (!NROW(together)) return("")
  shown <- utils::head(together, 8)
  words <- paste0(
    ifelse(shown$conditions == "", "none of them", shown$conditions), " ",
    format_count(shown$rows)
  )
  more <- nrow(together) - nrow(shown)
  paste0(
    "Rows by the conditions that say yes: ", paste(words, collapse = "; "),
    if (more > 0) paste0("; ", counted(more, "more combination")), "."
  )
}

# What came in and what went, by the reason in the run it is not in.
draw_changes <- function(reasons, title, alt) {
  if (!nrow(reasons)) {
    return(
      overview_figure(title, "", alt) +
        ggplot2::annotate(
          "text",
          x = 0,
          y = 0,
          label = "No row came in or went",
          size = 5,
          colour = look_now()$soft
        ) +
        ggplot2::theme(axis.text = ggplot2::element_blank())
    )
  }
  reasons <- reasons[order(reasons$rows, decreasing = TRUE), ]
  reasons$place <- -seq_len(nrow(reasons))
  colours <- stats::setNames(
    c(look_now()$fill, "#d16219", look_now()$light, "#d9c9b4"), change_kinds
  )
  reasons$change <- factor(reasons$change, change_kinds)
  overview_figure(title, "", alt) +
    ggplot2::geom_rect(
      ggplot2::aes(
        xmin = 0,
        xmax = rows,
        ymin = place - 0.36,
        ymax = place + 0.36,
        fill = change
      ),
      reasons
    ) +
    letters_at(
      ggplot2::aes(
        x = rows,
        y = place,
        label = paste0(" ", format_count(rows))
      ),
      reasons,
      hjust = 0,
      size = 3.4,
      colour = look_now()$ink
    ) +
    ggplot2::scale_fill_manual(values = colours, name = NULL) +
    ggplot2::scale_y_continuous(
      breaks = reasons$place,
      labels = wrap_each(cut_off_text(reasons$reason, 90), 40)
    ) +
    ggplot2::scale_x_continuous(
      labels = number_labels,
      breaks = whole_breaks,
      expand = ggplot2::expansion(c(0, 0.12))
    )
}
change_kinds <- c("came in", "went", "new, held back", "gone, was held back")

# A small picture for each column: the spread of numbers, the shares of
# categories, and how much is absent. columns: see look().
draw_look <- function(columns, title, alt, most = 40) {
  shown <- utils::head(columns, most)
  rows <- lapply(seq_along(shown), function(i) look_marks(shown[[i]], -i))
  part <- function(name) do.call(rbind, lapply(rows, `[[`, name))
  labels <- wrap_each(cut_off_text(visible_text(names(shown)), 48), 28)
  more <- length(columns) - length(shown)
  caption <- paste0(
    "Numbers and dates: from the smallest to the largest value, a box from ",
    "quartile to quartile, a line at the median. Others: shares of the most ",
    "frequent values. Right: share of absent values.",
    if (more > 0) paste0(" ", counted(more, "more column"), " not shown.")
  )
  figure <- overview_figure(title, caption, alt) +
    look_layers(part("lines"), part("boxes"), part("texts"))
  figure +
    ggplot2::scale_y_continuous(
      breaks = -seq_along(shown),
      labels = labels,
      expand = ggplot2::expansion(add = 0.6)
    ) +
    ggplot2::scale_x_continuous(
      limits = c(-0.16, 1.62),
      breaks = NULL,
      expand = ggplot2::expansion(0)
    ) +
    ggplot2::scale_fill_identity() +
    ggplot2::scale_colour_identity()
}

look_layers <- function(lines, boxes, texts) {
  list(
    if (NROW(lines)) {
      ggplot2::geom_segment(
        ggplot2::aes(x = from, xend = to, y = place, yend = place),
        lines,
        colour = look_now()$soft,
        linewidth = 0.5
      )
    },
    if (NROW(boxes)) {
      ggplot2::geom_rect(
        ggplot2::aes(
          xmin = from,
          xmax = to,
          ymin = place - high,
          ymax = place + high,
          fill = ink
        ),
        boxes,
        colour = look_now()$background,
        linewidth = 0.2
      )
    },
    if (NROW(texts)) {
      ggplot2::geom_text(
        ggplot2::aes(
          x = x, y = place, label = label, hjust = side, colour = ink
        ),
        texts,
        size = letter_size(3),
        family = look_now()$font
      )
    }
  )
}

# Lines, boxes and texts of one column's picture.
look_marks <- function(column, place) {
  box <- function(from, to, ink, high = 0.28) {
    data.frame(from = from, to = to, ink = ink, high = high, place = place)
  }
  text <- function(x, label, side, ink = look_now()$soft) {
    data.frame(x = x, label = label, side = side, ink = ink, place = place)
  }
  marks <- if (!is.null(column$summary) && isTRUE(column$summary$n > 0)) {
    s <- column$summary
    at <- function(v) {
      if (s$max > s$min) (v - s$min) / (s$max - s$min) else 0.5 + 0 * v
    }
    ends <- spread_ends(column)
    list(
      lines = data.frame(from = 0, to = 1, place = place),
      boxes = rbind(
        box(at(s$q1), at(s$q3), look_now()$light),
        box(
          max(0, at(s$median) - 0.003),
          min(1, at(s$median) + 0.003),
          look_now()$ink
        )
      ),
      texts = rbind(text(-0.01, ends[1], 1), text(1.01, ends[2], 0))
    )
  } else if (sum(column$counts) > 0) {
    share_marks(column$counts, box, text)
  }
  absent <- column$share_absent
  if (isTRUE(absent > 0)) {
    marks$boxes <- rbind(
      marks$boxes, box(1.3, 1.3 + 0.2 * absent, look_now()$absent)
    )
    marks$texts <- rbind(
      marks$texts,
      text(
        1.31 + 0.2 * absent,
        paste0(if (absent < 0.01) "<1" else round(100 * absent), "%"),
        0
      )
    )
  }
  marks
}

share_marks <- function(counts, box, text, most = 5) {
  top <- utils::head(counts[counts > 0], most)
  share <- top / sum(counts)
  to <- cumsum(share)
  inks <- rep_len(c(look_now()$fill, look_now()$light), length(top))
  boxes <- box(to - share, to, inks)
  if (to[length(to)] < 0.999) {
    boxes <- rbind(boxes, box(to[length(to)], 1, look_now()$grid_ink))
  }
  room <- floor(share * 66)
  named <- share > 0.07
  labels <- cut_off_text(visible_text(names(top)), 40)
  labels <- ifelse(
    nchar(labels) > room,
    paste0(substr(labels, 1, pmax(room - 1, 1)), "~"),
    labels
  )
  list(
    boxes = boxes,
    texts = if (any(named)) {
      text(
        (to - share / 2)[named],
        labels[named],
        0.5,
        ifelse(
          inks[named] == look_now()$fill, look_now()$background, look_now()$ink
        )
      )
    }
  )
}

utils::globalVariables(c("outcome", "change", "rows", "high", "side"))
