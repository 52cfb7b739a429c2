# The flow of rows as bars of an HTML page: screen readers can read them, users
# can copy them, and they are quick to draw.

# chart: of the account, see chart_flow(). One line for each step: how many went
# on, and to the right of the bar how many were held back there and why. Of many
# steps the first stand in sight.
flow_bars <- function(chart, most = 3, in_sight = 6) {
  t <- htmltools::tags
  data <- chart$data
  whole <- max(data$rows, 1)
  lines <- lapply(seq_len(nrow(data)), function(i) {
    now <- data$rows[i] / whole
    before <- if (i > 1) data$rows[i - 1] / whole else now
    t$li(
      t$div(
        class = "said",
        t$b(visible_text(data$label[i])),
        " ",
        flow_count(data[i, ])
      ),
      t$div(
        class = "band",
        `aria-hidden` = "true",
        flow_part("on", now),
        if (data$held[i] > 0) flow_part("off", before - now)
      ),
      t$div(
        class = "why",
        if (data$held[i] > 0) {
          held_words(data[i, ], chart$parts$reasons, most)
        }
      )
    )
  })
  if (length(lines) <= in_sight) {
    return(t$ol(id = "flow-bars", class = "flow", lines))
  }
  rest <- lines[-seq_len(in_sight - 1)]
  list(
    t$ol(id = "flow-bars", class = "flow", lines[seq_len(in_sight - 1)]),
    t$details(
      t$summary(counted(length(rest), "further step")),
      t$ol(class = "flow", start = in_sight, rest)
    )
  )
}

flow_part <- function(class, share) {
  if (share <= 0) return(NULL)
  width <- number_texts(round(100 * share, 3))
  htmltools::tags$span(class = class, style = paste0("width:", width, "%"))
}

flow_count <- function(line) {
  units <- if (!is.na(line$units)) paste0(", ", counted(line$units, "unit"))
  paste0(counted(line$rows, "row"), units)
}

held_words <- function(line, reasons, most) {
  t <- htmltools::tags
  mine <- reasons[reasons$step == line$step, , drop = FALSE]
  mine <- mine[order(-mine$rows), , drop = FALSE]
  words <- visible_text(paste0(
    format_count(mine$rows), " ", mine$condition, " (", mine$because, ")"
  ))
  if (length(words) > most) {
    rest <- seq_along(words) >= most
    words <- c(
      words[!rest],
      paste0(
        format_count(sum(mine$rows[rest])), " for ", sum(rest), " other reasons"
      )
    )
  }
  list(
    t$span(paste0(counted(line$held, "row"), " held back:")),
    paste(words, collapse = ", ")
  )
}
