# What a figure says in words: labels of axes, title, caption, text alternative.

# How an expression is called on an axis: a column by its label and measure, a statistic of a
# column in words.
axis_label <- function(node, state) label_of(node, state, state_axis)
plain_label <- function(node, state) label_of(node, state, state_label)
label_of <- function(node, state, of_column) {
  if (node$node == "column") return(of_column(state, node$name))
  if (node$node == "call" && is_aggregate(node)) {
    if (!length(node$args)) return("Number of rows")
    inner <- flat_args(node)
    said <- aggregate_words[[node$fn]]
    if (length(inner) == 1 && inner[[1]]$node == "column" && !is.null(said)) return(paste(said, of_column(state, inner[[1]]$name)))
  }
  if (node$node == "call" && node$fn %in% names(date_words) && length(node$args) && !is.null(node$args[[1]]$node) && node$args[[1]]$node == "column") {
    column <- of_column(state, node$args[[1]]$name)
    part <- if (node$fn == "start_of" && length(node$args) > 1) node$args[[2]]$value
    return(paste0(column, " (", if (is.null(part)) date_words[[node$fn]] else part, ")"))
  }
  node$text
}
date_words <- list(year = "year", quarter = "quarter", month = "month", week = "week", weekday = "weekday", day = "day of month", hour = "hour", start_of = "start")
aggregate_words <- list(mean = "Mean of", median = "Median of", sum = "Sum of", min = "Smallest", max = "Largest", sd = "Standard deviation of", se = "Standard error of", count = "Number of",
                        share = "Share of", count_true = "Number of", count_different = "Different values of", iqr = "Interquartile range of", first = "First", last = "Last", most_frequent = "Most frequent")

# Everything around the numbers, once they are there.
finish_chart <- function(chart, input, about) {
  state <- input$state
  options <- input$options
  nodes <- input$written
  chart$kind <- sub("^chart_", "", input$step$kind)
  chart$keys <- input$panel_keys
  chart$key_names <- vapply(chart$keys, function(key) {
    node <- input$step$panel_nodes[[key]]
    if (!is.null(node) && node$node == "column" && node$name == key) state_label(state, key) else key
  }, character(1))
  chart$options <- options
  chart$windows <- input$windows
  labels <- lapply(nodes, axis_label, state = state)
  chart$labels <- utils::modifyList(labels, if (is.null(chart$labels)) list() else chart$labels)
  chart$names <- lapply(nodes, plain_label, state = state)
  chart$subject <- if (length(state$epochs)) "groups" else "rows"
  chart$title <- about$title(chart$names, chart)
  if (!is.null(options$title)) chart$title <- options$title
  note_chart(chart, input, about)
  chart$caption <- paste(c(options$caption, rows_caption(state), if (length(input$step$subset_panel)) "A row may be in several subsets.", set_aside_words(chart, input), chart$remarks), collapse = " ")
  chart
}

# What is not drawn, and where it went.
set_aside_words <- function(chart, input) {
  outside <- sum(chart$panels$outside)
  ends <- vapply(names(input$windows), function(role) {
    v <- as_role(input$windows[[role]], input, role)
    paste(if (length(input$windows) > 1) role, if (is.numeric(v)) number_code(v[1]) else format(v[1]), "to", if (is.numeric(v)) number_code(v[2]) else format(v[2]))
  }, character(1))
  infinite <- sum(chart$panels$infinite)
  c(if (length(ends)) paste0("Window ", paste(ends, collapse = ", "), ": ", if (outside) paste(counted(outside, chart$drawn, paste0(chart$drawn, "s")), if (outside == 1) "lies" else "lie") else "nothing lies", " outside it", if (outside) paste(" and", if (outside == 1) "is" else "are", "not shown"), "."),
    if (infinite) paste0(counted(infinite, "infinite value"), if (infinite == 1) " is" else " are", " not drawn."))
}

# One sentence that stands for the picture.
chart_alt <- function(chart) {
  about <- chart_kind(chart$kind)
  n <- sum(chart$panels$n)
  absent <- sum(chart$panels$absent)
  shown <- chart_range(chart)
  groups <- if (length(chart$levels$x)) paste0(" for ", listed(chart$levels$x, 8))
  paste0(toupper(substr(about$called, 1, 1)), substr(about$called, 2, 200), ". ", chart$title, groups, if (length(chart$keys)) paste0(", in ", counted(nrow(chart$panels), "panel"), " by ", listed(chart$keys)),
         if (length(chart$levels$colour)) paste0(", coloured by ", chart$names$colour), ": ", counted(n, if (chart$subject == "groups") "group" else "row"), if (absent) paste0(", ", format_count(absent), " absent"), if (!is.null(shown)) paste0(", ", shown), ".")
}

# From where to where the values go that the figure shows.
chart_range <- function(chart) {
  measured <- intersect(c("value", "mean", "median", "centre", "y", "count"), names(chart$data))
  if (chart$kind == "histogram" && NROW(chart$data)) ends <- range(chart$data$from[chart$data$count > 0], chart$data$to[chart$data$count > 0])
  else if (isTRUE(chart$tiles) && NROW(chart$data)) ends <- range(chart$data$y_from, chart$data$y_to)
  else if (chart$kind %in% c("box", "violin") && all(c("lower", "upper") %in% names(chart$data)) && any(!is.na(chart$data$lower))) ends <- range(chart$data$lower, chart$data$upper, na.rm = TRUE)
  else if (length(measured) && is.numeric(chart$data[[measured[1]]]) && any(is.finite(chart$data[[measured[1]]]))) ends <- range(chart$data[[measured[1]]][is.finite(chart$data[[measured[1]]])])
  else return(NULL)
  if (is.numeric(ends)) paste("from", number_code(signif(ends[1], 4)), "to", number_code(signif(ends[2], 4))) else paste("from", format(ends[1]), "to", format(ends[2]))
}
