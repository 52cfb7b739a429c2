# Slots: where the groups of a key stand on the axis, at 1, 2, 3, ..., colours
# beside each other within one. Panels have slots of their own where they have
# few of all groups, and groups that are many or have long names stand on the
# vertical axis.

most_slot_letters <- 26
# How much of the way to the next group its marks take, alone and side by side.
lone_width <- 0.8
beside_width <- 0.64

# Panels share the groups on the axis, with gaps where one has none of a group,
# unless there were more than this many times the places that the fullest panel
# needs, as of hives within apiaries.
most_shared_slots <- 1.5

# A chart's slots: a table of places by `group` (a column or row of panels) and
# level.
slots_of <- function(chart) {
  levels <- chart$levels$x
  if (is.null(levels)) return(NULL)
  flipped <- stands_upright(chart, levels, levels_per_panel(chart, levels))
  panel <- slot_panel(chart, flipped)
  levels_here <- if (is.null(panel)) list(levels) else levels_met(chart, levels, panel)
  whole <- chart$kind %in% c("heat", "absence") || isTRUE(chart$options$empty)
  own <- !whole && has_own_slots(levels_here, levels)
  if (!own) levels_here <- list(levels)
  before <- c(0, cumsum(lengths(levels_here) + 1))[seq_along(levels_here)]
  place <- unlist(Map(
    function(k, base) base + seq_len(k), lengths(levels_here), before
  ))
  table <- data.frame(
    group = rep(if (own) names(levels_here) else "", lengths(levels_here)),
    level = unlist(levels_here),
    place = if (flipped) -place else place,
    stringsAsFactors = FALSE
  )
  list(
    table = table,
    flipped = flipped,
    own = own,
    panel = if (own) panel,
    most = max(lengths(levels_here), 1L)
  )
}

# The panel column that decides which slots a panel has: an axis is shared along
# a column or row.
slot_panel <- function(chart, flipped) {
  if (length(chart$keys) == 1) return("panel")
  if (length(chart$keys) == 2) {
    return(if (flipped) "panel_row" else "panel_column")
  }
  NULL
}

levels_met <- function(chart, levels, panel) {
  text <- panel_key_text(chart$data$x)
  lapply(
    split(text, chart$data[[panel]], drop = TRUE),
    function(t) levels[levels %in% t]
  )
}
levels_per_panel <- function(chart, levels) {
  panel <- slot_panel(chart, FALSE)
  if (is.null(panel) || isTRUE(chart$options$empty)) return(length(levels))
  levels_here <- levels_met(chart, levels, panel)
  if (has_own_slots(levels_here, levels)) max(lengths(levels_here), 1L) else length(levels)
}
has_own_slots <- function(met, levels) {
  length(levels) > most_shared_slots * max(lengths(met), 1L)
}

# Groups stand upright when their names do not fit below the axis.
stands_upright <- function(chart, levels, most) {
  if (chart$kind %in% c("heat", "absence")) return(FALSE)
  room <- floor(letters_across() / (panel_columns(chart) * most)) - 1
  labels <- shown_text(levels)
  longest <- max(nchar(unlist(strsplit(labels, " "))))
  lines <- if (room >= longest) {
    max(lengths(strsplit(wrap_each(labels, room), "\n")))
  } else {
    99
  }
  longest > room || lines > 3
}

# Each row's place on the axis and the width it has there.
in_slots <- function(data, chart, beside = TRUE) {
  groups <- length(chart$levels$colour)
  slots <- chart$slots
  data$place <- rep(1, nrow(data))
  if (!is.null(slots)) {
    group <- if (slots$own) {
      as.character(data[[slots$panel]])
    } else {
      rep("", nrow(data))
    }
    at <- match(
      paste(group, panel_key_text(data$x), sep = "\r"),
      paste(slots$table$group, slots$table$level, sep = "\r")
    )
    data$place <- slots$table$place[at]
  }
  data$width <- rep(lone_width, nrow(data))
  if (!groups) return(data)
  data <- colour_factor(data, chart)
  if (beside && groups > 1 && !repeats_places(chart)) {
    data$width <- rep(beside_width / groups, nrow(data))
    side <- as.integer(data$colour) - (groups + 1) / 2
    data$place <- data$place +
      (if (isTRUE(slots$flipped)) -side else side) * data$width
  }
  data
}

# The axis of the groups, with room at both ends of every panel.
slot_axis <- function(chart, counts = NULL) {
  slots <- chart$slots
  if (is.null(slots)) {
    return(list(ggplot2::scale_x_continuous(
      breaks = NULL,
      limits = c(0.4, 1.6),
      name = NULL
    )))
  }
  labels <- slot_labels(chart, counts)
  shown <- slots$table$place[slot_marks(chart)]
  breaks <- function(limits) shown[shown >= limits[1] & shown <= limits[2]]
  named <- function(b) labels[match(b, slots$table$place)]
  grid <- if (slots$flipped) {
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
  } else {
    ggplot2::theme(panel.grid.major.x = ggplot2::element_blank())
  }
  small <- if (slots$flipped &&
    !is_compact() &&
    slots$most * panel_rows(chart) > 26) {
    ggplot2::theme(
      axis.text.y = ggplot2::element_text(size = ggplot2::rel(0.8))
    )
  }
  c(
    list(
      ggplot2::scale_x_continuous(
        breaks = breaks,
        labels = named,
        expand = ggplot2::expansion(add = 0)
      ),
      ends_of_slots(chart),
      grid
    ),
    turned_labels(chart, labels), if (!is.null(small)) list(small)
  )
}

# Names that do not fit side by side below an axis that cannot stand upright
# (tiles) are turned.
turned_labels <- function(chart, labels) {
  slots <- chart$slots
  room <- floor(letters_across() / (panel_columns(chart) * slots$most)) - 1
  if (slots$flipped || max(nchar(unlist(strsplit(labels, "\n")))) <= room) {
    return(NULL)
  }
  short <- panel_columns(chart) == 1 && room >= 2 && max(nchar(labels)) <= 12
  list(ggplot2::theme(
    axis.text.x = ggplot2::element_text(
      angle = if (short) 35 else 90,
      hjust = 1,
      vjust = if (short) 1 else 0.5
    )
  ))
}

# Lines of text that a column of panels has room for, beside what stands around
# it.
lines_for_panels <- function(chart) {
  if (!is_compact()) return(lines_down())
  max(1, lines_down() - 12 - 2.5 * panel_rows(chart) * (length(chart$keys) > 0))
}

# Which slots are named: all where there is room, else every second, third, ...
slot_marks <- function(chart) {
  slots <- chart$slots
  room <- if (slots$flipped) {
    lines_for_panels(chart) / panel_rows(chart)
  } else {
    letters_across() * 0.75 / panel_columns(chart)
  }
  every <- max(1, ceiling(slots$most / room))
  unlist(lapply(
    split(seq_len(nrow(slots$table)), slots$table$group),
    function(i) i[seq(1, length(i), by = every)]
  ))
}

slot_labels <- function(chart, counts) {
  slots <- chart$slots
  text <- shown_text(slots$table$level)
  room <- floor(letters_across() / (panel_columns(chart) * slots$most)) - 1
  text <- wrap_each(
    text, if (slots$flipped) most_slot_letters else max(room, 4)
  )
  if (is.null(counts)) return(text)
  n <- counts[match(slots$table$level, chart$levels$x)]
  paste0(text, if (slots$flipped) "  n = " else "\nn = ", format_count(n))
}

# Invisible marks half a step beyond the first and last slot of each panel.
ends_of_slots <- function(chart) {
  slots <- chart$slots
  ends <- do.call(
    rbind,
    lapply(split(slots$table, slots$table$group), function(t) {
      data.frame(group = t$group[1], place = range(t$place) + c(-0.55, 0.55))
    })
  )
  if (slots$own) {
    levels <- levels(chart$data[[slots$panel]])
    ends[[slots$panel]] <- factor(ends$group, levels)
  }
  ggplot2::geom_blank(ggplot2::aes(x = place), ends)
}

# Counts of the groups for the labels of the axis, where nothing else splits
# them.
slot_counts <- function(chart, data) {
  if (length(chart$keys) ||
    length(chart$levels$colour) ||
    is.null(chart$levels$x)) {
    return(NULL)
  }
  n <- data$n[match(chart$levels$x, panel_key_text(data$x))]
  if (chart$kind == "bar" && all(n == 1, na.rm = TRUE)) return(NULL)
  room <- floor(letters_across() / max(1, chart$slots$most)) - 1
  if (!chart$slots$flipped &&
    room < max(nchar(paste("n =", format_count(n))))) {
    return(NULL)
  }
  n
}

# The n of each mark at the foot of the panel, where the axis does not say it.
# In compact figures they are there only where there is room for letters that
# can be read.
count_marks <- function(chart, data) {
  if (!is_compact()) return(all_count_marks(chart, data))
  beside <- if (repeats_places(chart)) {
    1
  } else {
    max(1, length(chart$levels$colour))
  }
  groups <- beside * max(1, chart$slots$most)
  letters <- max(0, nchar(format_count(data$n))) + 1
  room <- if (isTRUE(chart$slots$flipped)) {
    lines_for_panels(chart) / panel_rows(chart) >= groups
  } else {
    letters_across() / panel_columns(chart) >= 1.4 * letters * groups
  }
  if (room) all_count_marks(chart, data)
}
all_count_marks <- function(chart, data) {
  data <- data[data$n > 0, , drop = FALSE]
  lone <- is.null(chart$levels$x) && length(chart$levels$colour) < 2
  if (lone || !nrow(data) || !is.null(slot_counts(chart, data))) return(NULL)
  data$label <- format_count(data$n)
  # No logarithm is at the very foot.
  data$foot <- if ("y" %in% chart$log_axes) chart$windows$y[1] else -Inf
  flipped <- isTRUE(chart$slots$flipped)
  side_by_side <- max(
    1, if (repeats_places(chart)) 1 else length(chart$levels$colour)
  ) *
    max(1, chart$slots$most)
  if (flipped) {
    size <- max(1.9, min(2.9, 110 / (side_by_side * panel_rows(chart))))
    return(letters_at(
      ggplot2::aes(x = place, y = .data[["foot"]], label = label),
      data,
      hjust = -0.15,
      size = size,
      colour = look_now()$soft
    ))
  }
  room <- letters_across() /
    (panel_columns(chart) * side_by_side) *
    (if (side_by_side > max(1, chart$slots$most)) beside_width else 1)
  size <- min(2.9, 2.9 * room / (max(nchar(data$label)) + 0.8))
  turned <- size < 1.9
  letters_at(
    ggplot2::aes(x = place, y = .data[["foot"]], label = label),
    data,
    size = if (turned) min(2.6, max(1.8, 2.2 * room)) else size,
    colour = look_now()$soft,
    angle = if (turned) 90 else 0,
    hjust = if (turned) -0.2 else 0.5,
    vjust = if (turned) 0.5 else -0.5
  )
}
# What the numbers at the foot are, for the caption.
count_remark <- function(chart, data) {
  if (is.null(count_marks(chart, data))) {
    if (is_compact() && !is.null(all_count_marks(chart, data))) {
      ends <- unique(format_count(range(data$n[data$n > 0])))
      chart$caption <- paste0(
        chart$caption, " Groups of ", paste(ends, collapse = " to "), " values."
      )
    }
    return(chart)
  }
  chart$caption <- paste(chart$caption, "Small numbers: values in each group.")
  chart
}

panel_rows <- function(chart) {
  ceiling(max(1, nrow(chart$panels)) / panel_columns(chart))
}
