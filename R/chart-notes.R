# Notes on figures that mislead or cannot be read.

most_panels <- 24
most_colours <- 8
most_slots <- 80

note_chart <- function(chart, input, about) {
  note_panels(chart, input)
  note_slots(chart, input)
  if (!length(chart$options$highlight)) note_colours(chart, input, about)
  measured <- intersect(c(about$far, "colour"), names(input$vectors))
  for (role in setdiff(measured, chart$log_axes)) note_far_values(input, role)
  note_infinite(chart, input, about)
}

note_panels <- function(chart, input) {
  panels <- nrow(chart$panels)
  if (panels <= most_panels) return()
  take_note(
    input$state$notes,
    paste0(
      "`panels = ", paste(input$panel_keys, collapse = ", "), "` makes ",
      panels, " panels, too small to read side by side."
    ),
    input$state$where,
    paste0(
      "Keep some of them with `include()` before, put the key on an axis or ",
      "in ",
      "`colour`, or take `subsets()` for one figure each."
    )
  )
}

note_slots <- function(chart, input) {
  slots <- slots_side_by_side(chart, input)
  if (slots <= most_slots) return()
  take_note(
    input$state$notes,
    paste0(
      "`x = ", input$written$x$text, "` makes ", slots,
      " groups side by side, more than the axis can name."
    ),
    input$state$where,
    "Keep some of them with `include()` before, or take a key of fewer groups."
  )
}

note_colours <- function(chart, input, about) {
  colours <- chart$levels$colour
  n <- length(colours)
  overlays <- isTRUE(about$overlays)
  if (n <= if (overlays) most_colours else most_lines) return()
  if (!overlays && repeats_places(chart)) return()
  key <- input$written$colour
  what <- if (overlays) {
    paste0("lays ", n, " groups on top of each other.")
  } else {
    paste0("makes ", n, " colours, which cannot be told apart.")
  }
  instead <- if (overlays) {
    first <- value_code(setdiff(colours, "(absent)")[1])
    paste0(
      "Give each a panel, `panels = ", key$text,
      "`, or show some before the others, `highlight = ", first, "`."
    )
  } else if (is_graded(key) && key$kind != "category") {
    paste0("Take bands of it: `colour = equal_bands(", key$text, ", 4)`.")
  } else {
    paste0(
      "Give each a panel: `panels = ", key$text,
      "`, or take a key of fewer groups."
    )
  }
  take_note(
    input$state$notes, paste0("`colour = ", key$text, "` ", what),
    input$state$where, instead
  )
}

note_infinite <- function(chart, input, about) {
  infinite <- sum(chart$panels$infinite)
  if (!infinite) return()
  role <- intersect(c(about$window, "x", "y"), names(input$vectors))[1]
  number <- input$written[[role]]$text
  take_note(
    input$state$notes,
    paste0(
      counted(infinite, "row"), if (infinite == 1) " holds" else " hold",
      " an infinite value and cannot be drawn."
    ),
    input$state$where,
    paste0("Set them aside with `exclude(abs(", number, ") == Inf)`.")
  )
}

# The most groups that one panel names.
slots_side_by_side <- function(chart, input) {
  levels <- length(chart$levels$x)
  # Numbers along an axis are no groups.
  if (levels == 0) return(0)
  if (!length(input$panel_keys) ||
    isTRUE(input$options$empty) ||
    !NROW(chart$data) ||
    is.null(chart$data$x)) {
    return(levels)
  }
  panel <- interaction_code(chart$data[input$panel_keys])
  max(tapply(
    panel_key_text(chart$data$x), panel, function(t) length(unique(t))
  ))
}

# A few values far from the rest: beyond the middle nine tenths of the values by
# more than twice their width, at most 10 or 1 in 1,000 of them, the rest taking
# up less than half of the axis.
note_far_values <- function(input, role) {
  spread <- input$spread[[role]]
  fences <- fences_of(spread)
  if (is.null(fences)) return()
  far <- asked_of(
    input,
    "beyond",
    values = input$vectors[[role]],
    fences = fences,
    window = input$windows[[role]],
    most = 3
  )
  rest <- far$ends
  if (anyNA(rest) ||
    far$count > max(10, length(spread$sample) / 1000) ||
    diff(rest) * 2 > diff(spread$ends) ||
    rest[1] == rest[2]) {
    return()
  }
  window <- pretty(rest, 4)[c(1, length(pretty(rest, 4)))]
  if (spread$ends[1] < fences[1]) {
    window[1] <- max(
      window[1], min(rest[1], mean(c(rest[1], max(spread$ends[1], fences[1]))))
    )
  }
  problem <- far_values_told(far, input, role)
  # This note is given once per run, not for every chart of the same values.
  if (problem %in% vapply(input$state$notes$notes, function(n) n$problem, "")) {
    return()
  }
  take_note(
    input$state$notes,
    problem,
    input$state$where,
    far_values_hint(far, window, fences, input, role)
  )
}

# Beyond these a value is far, or NULL where none is.
fences_of <- function(spread) {
  if (anyNA(spread$ends) || length(spread$sample) < 10) return(NULL)
  middle <- stats::quantile(spread$sample, c(0.05, 0.95), names = FALSE)
  if (middle[1] == middle[2]) {
    ends <- range(spread$sample)
    middle <- range(spread$sample[!spread$sample %in% ends], middle)
  }
  if (middle[1] == middle[2]) return(NULL)
  fences <- middle + c(-2, 2) * (middle[2] - middle[1])
  if (spread$ends[1] < fences[1] || spread$ends[2] > fences[2]) fences
}

# Numbers of a role as a note shows them.
shown_as_role <- function(v, input, role) {
  dated <- input$nodes[[role]]$kind %in% c("date", "date-time")
  if (dated) {
    format(as_role(v, input, role))
  } else {
    vapply(signif(v, 6), number_code, "")
  }
}

far_values_told <- function(far, input, role) {
  unit <- input$state$study$unit
  rows <- source_rows(input, far$row)
  units <- units_of_far_values(relation_of(input), input, far)
  units <- if (length(units) && !length(input$state$stages)) {
    paste0(", ", unit, " ", units)
  }
  words <- paste0(
    shown_as_role(far$value, input, role), " (row ", format_count(rows), units,
    ")"
  )
  more <- if (far$count > length(rows)) {
    paste("and", far$count - length(rows), "more")
  }
  paste0(
    counted(far$count, "far value"),
    if (far$count == 1) " squeezes" else " squeeze", " the scale of `",
    input$written[[role]]$text, "`: ", paste(c(words, more), collapse = ", "),
    "."
  )
}

#' @export
units_of_far_values.neatsieve_memory <- function(relation, input, far) {
  unit <- input$state$study$unit
  columns <- input$state$frame$columns
  if (is.null(unit) || !unit %in% names(columns)) return(NULL)
  as.character(
    columns[[unit]][if (is.null(input$stacked)) far$row else input$stacked[far$row]]
  )
}

far_values_hint <- function(far, window, fences, input, role) {
  ends <- input$spread[[role]]$ends
  column <- input$written[[role]]$text
  dated <- input$nodes[[role]]$kind %in% c("date", "date-time")
  code <- function(v) {
    shown <- shown_as_role(v, input, role)
    if (dated) quoted(shown) else shown
  }
  sides <- c(
    if (ends[1] < fences[1]) paste(column, "<", code(window[1])),
    if (ends[2] > fences[2]) paste(column, ">", code(window[2]))
  )
  aside <- paste0(
    if (far$count == 1) "it" else "them", " aside before with `exclude(",
    paste(sides, collapse = " | "), ")`."
  )
  if (role == "colour") return(paste("Set", aside))
  shown <- paste0("c(", code(window[1]), ", ", code(window[2]), ")")
  if (!identical(input$task$about$window, role)) {
    shown <- paste0("list(", role, " = ", shown, ")")
  }
  paste0("Show the rest with `window = ", shown, "`, or set ", aside)
}
