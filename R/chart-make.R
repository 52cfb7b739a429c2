# A chart computed from its input.

make_chart <- function(task, state) {
  about <- task$about
  input <- chart_input(task, state)
  chart <- about$compute(input, task$options)
  finish_chart(chart, input, about)
}

# Everything around the numbers, once they are there.
finish_chart <- function(chart, input, about) {
  state <- input$state
  options <- input$options
  nodes <- input$written
  chart$kind <- input$task$about$kind
  chart$keys <- input$panel_keys
  chart$key_names <- vapply(chart$keys, function(key) {
    node <- input$task$panel_nodes[[key]]
    if (!is.null(node) && node$node == "column" && node$name == key) state_label(state, key)
    else key
  }, character(1))
  chart$options <- options
  chart$windows <- input$windows
  labels <- lapply(nodes, axis_label, state = state)
  chart$labels <- utils::modifyList(labels, if (is.null(chart$labels)) list() else chart$labels)
  chart$names <- lapply(nodes, plain_label, state = state)
  chart$subject <- if (length(state$epochs)) "groups" else "rows"
  chart$title <- about$title(chart$names, chart)
  if (!is.null(options$title)) chart$title <- options$title
  chart$told <- chart_told(chart, input)
  note_chart(chart, input, about)
  chart$caption <-
    paste(
      c(options$caption, rows_caption(state),
        if (length(input$task$subset_panel)) subsets_caption(state), set_aside_words(chart, input),
        chart$remarks), collapse = " ")
  chart
}
