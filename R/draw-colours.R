# Colours of groups and of values, and their legends.

# One look per group: colours, and after eight of them other shapes and kinds of
# line. The group of absent keys is a quiet grey and takes none of them.
look_of <- function(levels, graded = FALSE) {
  if (graded && sum(levels != "(absent)") > 2) return(graded_look(levels))
  palette <- look_now()$palette
  # Colours by name are for the values of these names, what is left for the
  # others.
  own <- levels %in% names(palette) & nzchar(levels)
  rest <- unname(
    if (is.null(names(palette))) {
      palette
    } else {
      palette[!names(palette) %in% levels]
    }
  )
  if (!length(rest)) rest <- look_now()$absent
  k <- cumsum(levels != "(absent)" & !own) - 1
  again <- pmax(k, 0) %/% length(rest) %% length(house_lines) + 1
  colours <- rest[pmax(k, 0) %% length(rest) + 1]
  colours[own] <- palette[levels[own]]
  again[own] <- 1
  shapes <- house_shapes[again]
  lines <- house_lines[again]
  colours[levels == "(absent)"] <- look_now()$absent
  shapes[levels == "(absent)"] <- 1
  lines[levels == "(absent)"] <- "solid"
  list(
    colours = stats::setNames(colours, levels),
    shapes = stats::setNames(shapes, levels),
    lines = stats::setNames(lines, levels)
  )
}

# Groups in an order, as numbers or calm to hot, from light to dark.
graded_look <- function(levels) {
  is_absent <- levels == "(absent)"
  named <- function(present, absent) {
    stats::setNames(
      replace(rep(present, length.out = length(levels)), is_absent, absent),
      levels
    )
  }
  ramp <- grDevices::colorRampPalette(
    look_now()$grades,
    space = "Lab"
  )(sum(!is_absent))
  colours <- named(look_now()$absent, look_now()$absent)
  colours[!is_absent] <- ramp
  list(
    colours = colours,
    shapes = named(16, 1),
    lines = named("solid", "solid")
  )
}

# The groups that a legend names: all, or of very many in an order some, evenly,
# with both ends.
legend_levels <- function(levels, graded) {
  present <- levels[levels != "(absent)"]
  if (!graded || length(present) <= most_lines) return(levels)
  c(
    present[unique(round(seq(1, length(present), length.out = 6)))],
    levels[levels == "(absent)"]
  )
}

# Scales and legend of the colour key; no legend where the axis names the same
# groups.
with_colours <- function(figure, chart, shapes = FALSE, lines = FALSE) {
  levels <- chart$levels$colour
  if (is.null(levels)) return(figure)
  look <- look_of(levels, chart$graded)
  if (has_bar_of_groups(chart, levels)) {
    return(with_bar_of_groups(figure, chart, look, shapes, lines))
  }
  named <- legend_levels(levels, chart$graded)
  stands_out <- highlighted(chart)
  if (length(stands_out)) {
    look <- with_rest_in_grey(look, stands_out)
    named <- levels[levels %in% stands_out]
  }
  rows <- legend_rows(shown_text(named), chart)
  guide <- function(...) {
    if (repeats_places(chart)) {
      "none"
    } else {
      ggplot2::guide_legend(
        title = wrapped(chart$labels$colour, 40),
        nrow = min(rows, length(named)),
        byrow = TRUE,
        title.position = if (is_compact()) "top" else "left",
        ...
      )
    }
  }
  manual <- function(scale, values) {
    scale(
      values = values,
      breaks = named,
      labels = shown_text(named),
      drop = FALSE,
      limits = levels,
      guide = if (identical(scale, ggplot2::scale_colour_manual)) {
        guide(override.aes = list(alpha = 1))
      } else {
        guide()
      }
    )
  }
  figure <- figure +
    manual(ggplot2::scale_colour_manual, look$colours) +
    manual(ggplot2::scale_fill_manual, look$colours)
  if (shapes) {
    figure <- figure + manual(ggplot2::scale_shape_manual, look$shapes)
  }
  if (lines) {
    figure <- figure + manual(ggplot2::scale_linetype_manual, look$lines)
  }
  figure
}

# Lines of more numbers or dates than a legend names have a bar of their
# colours, as points have.
has_bar_of_groups <- function(chart, levels) {
  values <- chart$data$colour
  chart$kind %in% c("line", "cumulative") &&
    length(levels) > most_lines &&
    chart$graded &&
    (inherits(values, c("Date", "POSIXct")) ||
      is.numeric(values) && !is.object(values)) &&
    !length(highlighted(chart)) &&
    !repeats_places(chart)
}

# The bar belongs to invisible marks, because visible marks have one colour per
# group.
with_bar_of_groups <- function(figure, chart, look, shapes, lines) {
  manual <- function(scale, values) {
    scale(values = values, limits = names(values), drop = FALSE, guide = "none")
  }
  figure <- figure + manual(ggplot2::scale_colour_manual, look$colours)
  if (shapes) {
    figure <- figure + manual(ggplot2::scale_shape_manual, look$shapes)
  }
  if (lines) {
    figure <- figure + manual(ggplot2::scale_linetype_manual, look$lines)
  }
  unseen <- chart$data[!is.na(chart$data$colour), , drop = FALSE]
  unseen <- unseen[unseen$colour %in% range(unseen$colour), , drop = FALSE]
  unseen$value <- unseen$colour
  y <- if (is.null(unseen$y)) "share" else "y"
  figure +
    ggplot2::geom_point(
      ggplot2::aes(x = x, y = .data[[y]], fill = value),
      unseen,
      alpha = 0,
      size = 0,
      shape = 21,
      stroke = 0
    ) +
    colour_bar(unseen$value, chart, ggplot2::scale_fill_gradientn, "fill")
}

# The fewest rows in which a legend fits beside the axis it begins at: its keys
# stand in columns.
legend_rows <- function(named, chart) {
  aside <- if (is_compact()) {
    if (isTRUE(chart$slots$flipped)) {
      min(most_slot_letters, max(nchar(chart$levels$x))) + 4
    } else {
      6
    }
  } else {
    nchar(chart$labels$colour)
  }
  across <- letters_across() - aside
  k <- length(named)
  for (rows in seq_len(k)) {
    columns <- ceiling(k / rows)
    widths <- tapply(nchar(named), (seq_len(k) - 1) %% columns, max)
    # Keys do not become smaller with the letters.
    if (sum(widths + (if (is_compact()) 5 else 6) / page_now()$cex) <= across) {
      return(rows)
    }
  }
  max(k, 1)
}

# Colours of numbers or dates that are values, not groups.
colour_bar <- function(
  values, chart, scale = ggplot2::scale_colour_gradientn, aesthetic = "colour"
) {
  dated <- inherits(values, c("Date", "POSIXct"))
  names <- chart$names
  labels <- if (dated) date_labels else number_labels
  marks <- some_marks(range(values, na.rm = TRUE), if (dated) 3 else 4)
  bar <- if (identical(names$colour, names$x) ||
    identical(names$colour, names$y)) {
    "none"
  } else {
    ggplot2::guide_colourbar(
      title = wrapped(chart$labels$colour, 40),
      title.vjust = 0.9,
      available_aes = aesthetic,
      title.position = if (is_compact()) "top" else "left",
      barwidth = bar_width(labels(marks)),
      barheight = points_across(9, 5)
    )
  }
  scale(
    colours = look_now()$grades,
    guide = bar,
    na.value = look_now()$absent,
    trans = if (inherits(values, "Date")) {
      "date"
    } else if (dated) {
      "time"
    } else {
      "identity"
    },
    breaks = marks,
    labels = labels
  )
}
