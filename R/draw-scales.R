# Windows and axes of figures.

# Columns that tell a layer's panels and groups apart.
panel_parts <- function(data) {
  intersect(c("panel", "panel_row", "panel_column"), names(data))
}

# Groups of rows as factors in the order they are drawn: those that stand out
# last, on top.
colour_factor <- function(data, chart) {
  levels <- chart$levels$colour
  on_top <- isTRUE(chart_kind(chart$kind)$overlays) &
    levels %in% highlighted(chart)
  data$colour <- factor(
    panel_key_text(data$colour), c(levels[!on_top], levels[on_top])
  )
  if (any(on_top)) {
    data[order(data$colour %in% levels[on_top]), , drop = FALSE]
  } else {
    data
  }
}

# The groups that stand out, as texts.
highlighted <- function(chart) {
  if (length(chart$options$highlight)) {
    panel_key_text(chart$options$highlight)
  } else {
    character()
  }
}
# The other groups in one light grey; those that stand out have the colours of
# so many groups.
with_rest_in_grey <- function(look, stands_out) {
  levels <- names(look$colours)
  own <- look_of(levels[levels %in% stands_out])
  grey <- mixed_colours(look_now()$background, look_now()$ink, 0.22)
  parts <- list(colours = grey, shapes = 16, lines = "solid")
  for (part in names(parts)) {
    look[[part]][] <- parts[[part]]
    look[[part]][names(own[[part]])] <- own[[part]]
  }
  look
}

# Values inside the window of a role only; ends of ranges are cut off at its
# ends.
in_window <- function(data, chart, role, column) {
  window <- chart$windows[[role]]
  if (is.null(window)) return(data)
  v <- as.numeric(data[[column]])
  data[v >= window[1] & v <= window[2], , drop = FALSE]
}
cut_off <- function(data, chart, role, columns) {
  window <- chart$windows[[role]]
  if (!is.null(window)) {
    for (column in columns) {
      data[[column]][] <- pmin(pmax(as.numeric(data[[column]]), window[1]), window[2])
    }
  }
  data
}

windowed <- function(figure, chart) {
  figure <- with_extras(figure, chart)
  limits <- lapply(stats::setNames(nm = names(chart$windows)), function(role) {
    like <- chart$like[[role]]
    if (inherits(like, "Date")) {
      structure(chart$windows[[role]], class = "Date")
    } else if (inherits(like, "POSIXct")) {
      .POSIXct(chart$windows[[role]], tz = attr(like, "tzone"))
    } else {
      chart$windows[[role]]
    }
  })
  if (isTRUE(chart$slots$flipped)) {
    return(figure + ggplot2::coord_flip(xlim = limits$x, ylim = limits$y))
  }
  if (length(limits)) {
    figure + ggplot2::coord_cartesian(xlim = limits$x, ylim = limits$y)
  } else {
    figure
  }
}

# Marks of an axis of numbers or dates, as many as there is room for.
axis_scale <- function(
  which, values, expand = ggplot2::waiver(), chart = NULL
) {
  dated <- inherits(values, c("Date", "POSIXct"))
  if (which %in% chart$log_axes) return(log_scale(which, expand, chart))
  kind <- if (inherits(values, "Date")) {
    "date"
  } else if (dated) {
    "datetime"
  } else {
    "continuous"
  }
  scale <- utils::getFromNamespace(
    paste0("scale_", which, "_", kind), "ggplot2"
  )
  marks <- if (which == "x" && !is.null(chart)) {
    max(
      2,
      min(
        5, floor(letters_across() / panel_columns(chart) / if (dated) 12 else 7)
      )
    )
  } else if (is_compact() && !is.null(chart)) {
    max(2, min(5, floor(lines_for_panels(chart) / panel_rows(chart) / 2.5)))
  } else {
    5
  }
  scale(
    expand = expand,
    breaks = function(limits) some_marks(limits, marks),
    labels = if (dated) date_labels else number_labels
  )
}
# An axis of logarithms, marked at 1, 2 and 5 of each power of ten, of many
# powers at these alone.
log_scale <- function(which, expand, chart) {
  scale <- utils::getFromNamespace(
    paste0("scale_", which, "_continuous"), "ggplot2"
  )
  across <- which == "x" || isTRUE(chart$slots$flipped)
  room <- if (across) {
    floor(0.85 * letters_across() / panel_columns(chart) / 8)
  } else {
    floor(lines_for_panels(chart) / panel_rows(chart) / 2.5)
  }
  scale(
    trans = "log10",
    expand = expand,
    labels = number_labels,
    breaks = function(limits) log_marks(limits, max(2, min(7, room)))
  )
}
log_marks <- function(limits, most) {
  powers <- floor(log10(limits[1])):ceiling(log10(limits[2]))
  for (parts in list(c(1, 2, 5), c(1, 3), 1)) {
    marks <- sort(as.vector(outer(parts, 10^powers)))
    marks <- marks[marks >= limits[1] & marks <= limits[2]]
    if (length(marks) <= most && length(marks) >= min(3, most)) return(marks)
  }
  if (length(marks) > most) {
    marks[seq(1, length(marks), by = ceiling(length(marks) / most))]
  } else {
    some_marks(limits, most)
  }
}
# About `n` round marks inside the limits, and two at least where that can be.
some_marks <- function(limits, n) {
  for (asked in n + 0:4) {
    marks <- pretty(limits, asked)
    marks <- marks[marks >= limits[1] & marks <= limits[2]]
    if (length(marks) >= 2) break
  }
  marks
}
# The shortest ISO 8601 form that tells the marks apart.
date_labels <- function(x) {
  known <- x[!is.na(x)]
  form <- if (inherits(x, "POSIXct") &&
    any(format(known, "%H:%M") != "00:00")) {
    "%Y-%m-%d\n%H:%M"
  } else if (all(format(known, "%m-%d") == "01-01")) {
    "%Y"
  } else if (all(format(known, "%d") == "01")) {
    "%Y-%m"
  } else {
    "%Y-%m-%d"
  }
  ifelse(is.na(x), "", format(x, form))
}
# Thousands are parted as in counts, but in numbers that may all be years.
number_labels <- function(x) {
  known <- x[!is.na(x)]
  years <- length(known) && all(known >= 1500 & known <= 2200)
  ifelse(
    is.na(x),
    "",
    formatC(
      x,
      decimal.mark = ".",
      digits = 12,
      format = "g",
      big.mark = if (years) "" else ",",
      width = 1
    )
  )
}
share_labels <- function(x) {
  ifelse(
    is.na(x),
    "",
    paste0(
      formatC(100 * x, decimal.mark = ".", digits = 4, format = "g", width = 1),
      "%"
    )
  )
}
# Counts have whole marks only.
whole_breaks <- function(limits) {
  marks <- pretty(c(0, limits[2]), 4)
  marks[marks == round(marks)]
}
