# Computes a chart from its input.

make_chart <- function(task, state) {
  about <- task$about
  input <- chart_input(task, state)
  chart <- new_chart(about$kind, about$compute(input, task$options))
  finish_chart(chart, input, about)
}

# A chart: the numbers it shows and what is said beside them, from what was
# computed. data: one row for each mark, parts: further tables of marks, panels:
# the account of each panel, levels: texts of groups in the order drawn, drawn:
# what a panel's n counts, remarks: sentences of the caption; graded: whether
# colours have an order, as numbers have. The rest is known when it is finished,
# or filled by what draws it.
new_chart <- function(kind, made) {
  fields <- list(
    kind = kind,
    name = NULL,
    data = NULL,
    parts = list(),
    panels = NULL,
    levels = list(),
    drawn = NULL,
    remarks = NULL,
    labels = list(),
    bars = NULL,
    tiles = NULL,
    like = NULL,
    column_labels = NULL,
    keys = NULL,
    key_names = NULL,
    options = list(),
    windows = list(),
    names = NULL,
    subject = NULL,
    title = NULL,
    told = NULL,
    caption = NULL,
    subset = NULL,
    subset_words = NULL,
    slots = NULL,
    whole = NULL,
    ends = NULL,
    graded = FALSE,
    look = NULL,
    log_axes = character(),
    open_windows = character(),
    like_panels = FALSE,
    graded_values = FALSE
  )
  made <- compact(made)
  strange <- setdiff(names(made), names(fields))
  if (length(strange)) {
    stop("A chart has no field `", strange[1], "`.", call. = FALSE)
  }
  fields[names(made)] <- made
  new_record("chart", fields)
}

# Whether the values of a key go from less to more.
is_graded <- function(node) {
  !is.null(node) &&
    (node$kind %in% c("number", "whole", "date", "date-time") ||
      isTRUE(node$ordered))
}

# Everything around the numbers, once they are there.
finish_chart <- function(chart, input, about) {
  state <- input$state
  options <- input$options
  nodes <- input$written[intersect(names(input$written), names(about$roles))]
  chart$keys <- input$panel_keys
  chart$key_names <- vapply(
    chart$keys,
    function(key) {
      node <- input$task$panel_nodes[[key]]
      if (!is.null(node) && node$node == "column" && node$name == key) {
        state_label(state, key)
      } else {
        key
      }
    },
    character(1)
  )
  chart$options <- options
  chart$windows <- input$windows
  labels <- lapply(nodes, axis_label, state = state)
  chart$labels <- utils::modifyList(labels, chart$labels)
  chart$labels <- utils::modifyList(chart$labels, as.list(options$labels))
  chart$log_axes <- input$task$log_axes
  chart$names <- lapply(nodes, plain_label, state = state)
  chart$subject <- paste0(state$subject, "s")
  chart$title <- about$title(chart$names, chart)
  if (!is.null(options$title)) chart$title <- options$title
  chart$look <- state$look
  chart$graded <- is_graded(input$written$colour)
  chart$like_panels <- is_like_panels(input)
  chart <- account_for_log(chart, input)
  chart$told <- chart_told(chart, input)
  note_chart(chart, input, about)
  chart$caption <- paste(
    c(
      options$caption, rows_caption(state),
      if (length(input$task$subset_panel)) subsets_caption(state),
      set_aside_words(chart, input), weights_remark(input), chart$remarks,
      extras_remarks(chart, input)
    ),
    collapse = " "
  )
  chart
}
