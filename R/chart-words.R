# Text of a figure: labels of axes, title, caption, text alternative.

# How an expression is called on an axis: a column by its label and measure, a
# statistic of a column in words.
axis_label <- function(node, state) label_of(node, state, state_axis)
plain_label <- function(node, state) label_of(node, state, state_label)
label_of <- function(node, state, of_column) {
  if (node$node == "column") return(of_column(state, node$name))
  if (node$node != "call") return(node$text)
  if (is_aggregate(node)) return(label_of_aggregate(node, state, of_column))
  first <- if (length(node$args)) node$args[[1]]
  if (is.null(first) || first$node != "column") return(node$text)
  column <- of_column(state, first$name)
  if (node$fn == "band") return(paste(column, "(bands)"))
  if (!node$fn %in% names(date_words)) return(node$text)
  part <- if (node$fn == "start_of" && length(node$args) > 1) {
    node$args[[2]]$value
  }
  paste0(column, " (", if (is.null(part)) date_words[[node$fn]] else part, ")")
}
label_of_aggregate <- function(node, state, of_column) {
  if (!is.null(node$where)) return(node$text)
  if (!length(node$args)) return("Number of rows")
  words <- aggregate_words[[node$fn]]
  plain <- length(node$args) == 1 &&
    node$args[[1]]$node == "column" &&
    !is.null(words)
  if (plain) paste(words, of_column(state, node$args[[1]]$name)) else node$text
}
date_words <- list(
  year = "year",
  quarter = "quarter",
  month = "month",
  week = "week",
  weekday = "weekday",
  day = "day of month",
  hour = "hour",
  start_of = "start"
)
aggregate_words <- list(
  mean = "Mean of",
  median = "Median of",
  sum = "Sum of",
  min = "Smallest",
  max = "Largest",
  sd = "Standard deviation of",
  se = "Standard error of",
  count = "Number of",
  share = "Share of",
  count_true = "Number of",
  count_different = "Different values of",
  iqr = "Interquartile range of",
  first = "First",
  last = "Last",
  most_frequent = "Most frequent"
)

# "strong: brood_frames is above 8; weak: not strong. A row may be in several
# subsets."
subsets_caption <- function(state) {
  words <- state$subsets$words
  text <- ifelse(
    words == names(words), names(words), paste0(names(words), ": ", words)
  )
  paste0(
    "Subsets: ", paste(text, collapse = "; "),
    ". A row may be in several subsets."
  )
}

# What is not drawn, and where it went.
set_aside_words <- function(chart, input) {
  outside <- sum(chart$panels$outside)
  windows <- input$windows[setdiff(names(input$windows), chart$open_windows)]
  if (!length(windows)) outside <- 0
  ends <- vapply(
    names(windows),
    function(role) {
      v <- as_role(windows[[role]], input, role)
      paste(
        if (length(windows) > 1) role,
        if (is.numeric(v)) number_code(v[1]) else format(v[1]), "to",
        if (is.numeric(v)) number_code(v[2]) else format(v[2])
      )
    },
    character(1)
  )
  infinite <- sum(chart$panels$infinite)
  c(
    if (length(ends)) {
      paste0(
        "Window ", paste(ends, collapse = ", "), ": ",
        if (outside) {
          paste(
            counted(outside, chart$drawn, paste0(chart$drawn, "s")),
            if (outside == 1) "lies" else "lie"
          )
        } else {
          "nothing lies"
        },
        " outside it",
        if (outside) {
          paste(" and", if (outside == 1) "is" else "are", "not shown")
        },
        "."
      )
    },
    if (infinite) {
      paste0(
        counted(infinite, "infinite value"),
        if (infinite == 1) " is" else " are", " not drawn."
      )
    }
  )
}

# One sentence that stands for the picture: what is drawn, of how many rows, and
# its main numbers.
chart_alt <- function(chart) {
  about <- chart_kind(chart$kind)
  n <- sum(chart$panels$n)
  absent <- sum(chart$panels$absent)
  groups <- if (length(chart$levels$x)) {
    paste0(" for ", listed(whole_text(chart$levels$x), 8))
  }
  words <- chart$told
  paste0(
    toupper(substr(about$called, 1, 1)), substr(about$called, 2, 200), ". ",
    chart$title, groups,
    if (length(chart$keys)) {
      paste0(
        ", in ", counted(nrow(chart$panels), "panel"), " by ",
        listed(chart$keys)
      )
    },
    if (length(chart$levels$colour)) {
      paste0(", coloured by ", chart$names$colour)
    },
    ": ", counted(n, if (chart$subject == "groups") "group" else "row"),
    if (absent) paste0(", ", format_count(absent), " absent"),
    if (length(words)) paste0("; ", words), "."
  )
}

# The main numbers in words, once they are computed.
chart_told <- function(chart, input) {
  if (NROW(chart$data)) {
    paste(chart_kind(chart$kind)$told(chart, input), collapse = ", ")
  }
}

# From the smallest to the largest value among the rows shown.
values_told <- function(chart, input) {
  role <- intersect(c("y", "x"), names(input$vectors))[1]
  span_told(input$spread[[role]]$ends, input, role)
}
pairs_told <- function(input) {
  span_told(
    asked_of(
      input,
      "pair_ends",
      x = input$vectors$x,
      y = input$vectors$y,
      windows = input$windows
    ),
    input,
    "y"
  )
}
span_told <- function(ends, input, role) {
  if (anyNA(ends) || any(!is.finite(ends))) return(NULL)
  paste("values", ends_told(as_role(ends, input, role)))
}
shares_told <- function(shares) {
  if (any(!is.na(shares))) {
    paste("shares absent", ends_told(100 * range(shares, na.rm = TRUE), "%"))
  }
}
centres_told <- function(chart) {
  what <- if (!is.null(chart$options$reference)) {
    "differences"
  } else if (chart$options$show == "mean") {
    "means"
  } else {
    "medians"
  }
  marks_told(chart, chart$data$centre, what)
}

told_number <- function(v) {
  if (inherits(v, c("Date", "POSIXct"))) return(format(v))
  vapply(signif(as.numeric(v), 6), number_code, character(1))
}
ends_told <- function(ends, measure = "") {
  paste0(
    "from ", told_number(ends[1]), measure, " to ", told_number(ends[2]),
    measure
  )
}

# Each group's median where groups are few and stand alone, else the range of
# them.
medians_told <- function(chart, table) {
  chart$data <- table
  marks_told(chart, table$median, "medians")
}

marks_told <- function(chart, values, what) {
  known <- !is.na(values) &
    (inherits(values, c("Date", "POSIXct")) | is.finite(as.numeric(values)))
  if (!any(known)) return(NULL)
  lone <- !length(chart$keys) &&
    !length(chart$levels$colour) &&
    length(chart$levels$x) %in% 1:8 &&
    is.null(chart$data$y)
  if (!lone) return(paste(what, ends_told(range(values[known]))))
  paste0(
    what, ": ",
    paste(
      whole_text(panel_key_text(chart$data$x))[known],
      told_number(values[known]),
      collapse = ", "
    )
  )
}

flow_told <- function(data) {
  steps <- data[-1, , drop = FALSE]
  c(
    paste0("of ", counted(data$rows[1], "row")),
    if (nrow(steps)) {
      paste0(
        format_count(steps$rows), " go on after step ", steps$label,
        collapse = ", "
      )
    }
  )
}
overlap_told <- function(data) {
  shown <- utils::head(data, 8)
  c(
    paste(
      ifelse(shown$subsets == "(none)", "in none", shown$subsets),
      format_count(shown$rows)
    ),
    if (nrow(data) > 8) paste(nrow(data) - 8, "more combinations")
  )
}

# Whether colours say what the axis or the panels say already.
repeats_places <- function(chart) {
  chart$like_panels ||
    (!is.null(chart$names$x) &&
      !is.null(chart$levels$x) &&
      identical(chart$names$x, chart$names$colour))
}

# Texts as figures show them: with quotes where blanks at the ends would not be
# seen, and no longer than there is room for; whole_text() is what the text
# alternative says.
shown_text <- function(text, most = 60) cut_off_text(whole_text(text), most)
whole_text <- function(text) {
  text <- visible_text(text)
  ifelse(grepl("^\\s|\\s$", text), paste0("\"", text, "\""), text)
}
