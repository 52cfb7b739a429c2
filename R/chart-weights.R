# Weights of charts. Values of rows without a weight count as absent in the
# figure.

# What is summed where no statistic is asked for.
sum_of_weights <- function(weights) {
  x <- unmarked_weights(weights)
  aggregate_node("sum", list(x = x), paste0("sum(", x$text, ")"))
}

# What is said of the weights, and that they are none where they are negative.
look_at_weights <- function(input) {
  weights <- input$nodes$weights
  if (is.null(weights)) return(input)
  a <- new_aggregation(
    input$frame, input$rows, group_rows(list(), input$frame, input$rows)
  )
  of_all <- function(fn) {
    evaluate_summary(aggregate_node(fn, list(x = weights), weights$text), a)
  }
  text <- unmarked_weights(input$written$weights)$text
  if (isTRUE(of_all("min") < 0)) {
    stop_neatly(
      "run",
      paste0("The weights `", text, "` are negative in places."),
      input$state$where,
      paste0("Leave those rows out before: `include(", text, " >= 0)`.")
    )
  }
  absent <- a$grouping$rows_per_group - of_all("count")
  if (isTRUE(absent > 0)) {
    take_note(
      input$state$notes,
      paste0(
        "`", text, "` is absent in ", counted(absent, "row"),
        ": not in the figure."
      ),
      input$state$where
    )
  }
  input$weight <- as.numeric(of_all("sum"))
  input$weights <- chart_values(unmarked_weights(weights), input)
  input$vectors <- lapply(input$vectors, function(x) {
    asked_of(input, "weighed", values = x, weights = input$weights)
  })
  input
}

# "Weighted by w (sum 1,234)."
weights_remark <- function(input) {
  weights <- input$written$weights
  if (is.null(weights)) return(NULL)
  paste0(
    "Weighted by ", unmarked_weights(weights)$text, " (",
    if (are_repeats(weights)) "each row repeated so often, ", "sum ",
    format(
      signif(input$weight, 7),
      digits = 15,
      big.mark = ",",
      decimal.mark = "."
    ),
    ")."
  )
}

# The same request where the figure has weights and where it has none.
weighed_or_plain <- function(input, request, role, ...) {
  if (is.null(input$weights)) {
    return(asked_of(input, request, values = input$vectors[[role]], ...))
  }
  asked_of(
    input,
    paste0("weighed_", request),
    values = input$vectors[[role]],
    weights = input$weights,
    ...
  )
}
