# Panels of figures: their layout, labels and counts.

# Panels are labelled with their keys and say their n, and absent and outside when there are any.
panel_counts <- function(panels) {
  more <- function(count, what) ifelse(count > 0, paste0(", ", what, " ", format_count(count)), "")
  paste0("n = ", format_count(panels$n), more(panels$absent, "absent"), more(panels$infinite, "infinite"), more(panels$outside, "outside"))
}
# A panel's text: numbers and yes or no with the name of what they are of.
panel_text <- function(key, name) if (length(key) && (is.numeric(key) && !is.object(key) || is.logical(key))) paste0(name, ": ", panel_key_text(key)) else panel_key_text(key)
panel_texts <- function(table, chart) Map(panel_text, table[chart$keys], chart$key_names)
ordered_texts <- function(chart, k) {
  key <- chart$panels[[k]]
  unique(panel_text(key[order(match(key, sort(unique(key))), na.last = TRUE)], chart$key_names[k]))
}

# Panels of one key wrap in rows as full as can be; of two keys they make a table.
panel_columns <- function(chart) {
  n <- nrow(chart$panels)
  if (!length(chart$keys)) return(1)
  if (length(chart$keys) == 2) return(length(ordered_texts(chart, 2)))
  if (n <= 3) return(max(1, n))
  choices <- ceiling(sqrt(n)) + 0:1
  choices[which.min(ceiling(n / choices) * choices - n)]
}

panel_labels <- function(chart) paste0(wrap_each(panel_texts(chart$panels, chart)[[1]], floor(letters_across / panel_columns(chart)) - 2), "\n", panel_counts(chart$panels))

# Data with its panel, as facets take it, in place of the panel's keys.
in_panels <- function(data, chart) {
  keys <- chart$keys
  texts <- unname(panel_texts(data, chart))
  data[keys] <- NULL
  if (length(keys) == 1) {
    label <- panel_labels(chart)
    data$panel <- factor(label[match(texts[[1]], panel_texts(chart$panels, chart)[[1]])], label)
  } else if (length(keys) == 2) {
    data$panel_row <- factor(texts[[1]], ordered_texts(chart, 1))
    data$panel_column <- factor(texts[[2]], ordered_texts(chart, 2))
  }
  data
}

# Facets, and in a table of panels each one's n inside, above the marks. `like` is a value of
# the x axis, whose kind the place of the text must have.
with_panels <- function(figure, chart, like = 0, scales = if (identical(chart$options$axes, "own")) "free_y" else "fixed") {
  if (!length(chart$keys)) return(figure)
  if (length(chart$keys) == 1) return(figure + ggplot2::facet_wrap(ggplot2::vars(panel), scales = scales, ncol = panel_columns(chart), drop = FALSE))
  every <- expand.grid(panel_row = ordered_texts(chart, 1), panel_column = ordered_texts(chart, 2), stringsAsFactors = FALSE)
  at <- match(paste(every$panel_row, every$panel_column, sep = "\r"), do.call(paste, c(unname(panel_texts(chart$panels, chart)), sep = "\r")))
  every$label <- ifelse(is.na(at), "n = 0", panel_counts(chart$panels)[at])
  end <- if (inherits(like, "Date")) structure(Inf, class = "Date") else if (inherits(like, "POSIXct")) .POSIXct(Inf) else Inf
  every$panel_row <- factor(every$panel_row, unique(every$panel_row))
  every$panel_column <- factor(every$panel_column, unique(every$panel_column))
  down <- nlevels(every$panel_row)
  figure + ggplot2::theme(strip.text.y = ggplot2::element_text(size = if (down > 4) 8.5 else 11)) + ggplot2::geom_text(ggplot2::aes(x = end, y = Inf, label = label), data = every, hjust = 1.03, vjust = 1.3, size = 3, colour = house_soft) +
    ggplot2::facet_grid(ggplot2::vars(panel_row), ggplot2::vars(panel_column), scales = scales, drop = FALSE,
                        labeller = ggplot2::labeller(panel_row = function(t) wrap_each(t, if (down > 4) 20 else 14), panel_column = function(t) wrap_each(t, floor((letters_across - 22) / panel_columns(chart)) - 2)))
}

# Room above the marks: more where the panels' n stands there.
headroom <- function(chart, low = 0.04, high = 0.06) ggplot2::expansion(mult = c(low, if (length(chart$keys) == 2) 0.2 else high))
