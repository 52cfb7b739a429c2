# Draws reference lines and texts.

with_extras <- function(figure, chart) {
  figure <- with_reference_lines(figure, chart)
  texts <- chart$options$texts
  if (!length(texts)) return(figure)
  at <- function(i) lapply(texts, function(place) as.list(place)[[i]])
  data <- data.frame(text = names(texts), stringsAsFactors = FALSE)
  data$x <- places_of_texts(at(1), chart, "x")
  data$y <- places_of_texts(at(2), chart, "y")
  figure +
    letters_at(
      ggplot2::aes(x = x, y = y, label = .data[["text"]]),
      data,
      size = 3.4,
      colour = look_now()$ink
    )
}

places_of_texts <- function(values, chart, axis) {
  slots <- chart$slots
  if (axis == "x" && !is.null(slots)) {
    level <- vapply(values, panel_key_text, "")
    place <- slots$table$place[match(level, slots$table$level)]
    number <- suppressWarnings(as.numeric(level))
    if (any(is.na(place) & is.na(number))) {
      stop_neatly(
        "run",
        paste0(
          "`texts` names ", quoted(level[is.na(place) & is.na(number)][1]),
          ", and `x` has no such group."
        ),
        NULL,
        c(
          meant(level[is.na(place)][1], slots$table$level, quoted),
          paste0("It has ", listed(quoted(unique(slots$table$level)), 8), ".")
        )
      )
    }
    return(ifelse(is.na(place), if (slots$flipped) -number else number, place))
  }
  as_on_axis(unlist(values), chart, axis)
}

# Values as the axis has them: dates where it has dates.
as_on_axis <- function(values, chart, axis) {
  like <- chart$like[[axis]]
  values <- unname(values)
  if (inherits(like, "Date")) return(as.Date(values))
  if (inherits(like, "POSIXct")) {
    return(as.POSIXct(values, tz = attr(like, "tzone")[1]))
  }
  as.numeric(values)
}

# Dashed lines across each panel, with their texts at the end of the axis.
with_reference_lines <- function(figure, chart) {
  for (axis in names(chart$options$reference_lines)) {
    given <- unlist(chart$options$reference_lines[[axis]])
    names <- names(given)
    at <- data.frame(
      at = as_on_axis(chart$options$reference_lines[[axis]], chart, axis),
      label = if (is.null(names)) "" else names
    )
    line <- if (axis == "y") {
      ggplot2::geom_hline(
        ggplot2::aes(yintercept = at),
        at,
        colour = look_now()$ink,
        linewidth = 0.45,
        linetype = "dashed"
      )
    } else {
      ggplot2::geom_vline(
        ggplot2::aes(xintercept = at),
        at,
        colour = look_now()$ink,
        linewidth = 0.45,
        linetype = "dashed"
      )
    }
    figure <- figure + line
    named <- at[nzchar(at$label), , drop = FALSE]
    if (nrow(named)) figure <- figure + names_of_lines(named, axis, chart)
  }
  figure
}

names_of_lines <- function(named, axis, chart) {
  flipped <- isTRUE(chart$slots$flipped)
  # In data terms the text of a line of y stands at an end of x.
  along <- if (axis == "y") "x" else "y"
  like <- chart$like[[along]]
  far <- if (along == "y" && along %in% chart$log_axes) {
    Inf
  } else if (flipped) {
    -Inf
  } else {
    Inf
  }
  named$end <- if (inherits(like, "Date")) {
    structure(far, class = "Date")
  } else if (inherits(like, "POSIXct")) {
    .POSIXct(far)
  } else {
    far
  }
  across <- (axis == "y") != flipped
  mapping <- if (axis == "y") {
    ggplot2::aes(x = .data[["end"]], y = at, label = label)
  } else {
    ggplot2::aes(x = at, y = .data[["end"]], label = label)
  }
  if (!across) {
    return(letters_at(
      mapping,
      named,
      size = 3.1,
      colour = look_now()$ink,
      hjust = 1.05,
      vjust = -0.4,
      angle = 90
    ))
  }
  ggplot2::geom_label(
    mapping,
    named,
    size = letter_size(3.1),
    colour = look_now()$ink,
    family = look_now()$font,
    fill = look_now()$background,
    label.size = 0,
    label.padding = grid::unit(1.5, "pt"),
    label.r = grid::unit(0, "pt"),
    alpha = 0.85,
    hjust = 1,
    vjust = -0.15
  )
}

utils::globalVariables("at")
