# Log axes of charts. Where a chart counts bins or fits curves it does so over
# logarithms, so that bins are equally wide on the axis; else the values
# themselves are summed up, and the axis alone changes.

counts_logs <- function(about) {
  about$kind %in% c("histogram", "density", "violin", "scatter")
}
whole_log_window <- c(.Machine$double.xmin, .Machine$double.xmax)

# Which axes are shown by logarithms.
log_axes <- function(task, where) {
  scale <- task$options$scale
  about <- task$about
  if (is.null(scale)) return(character())
  if (!is.list(scale)) scale <- stats::setNames(list(scale), about$window)
  axes <- names(scale)[scale == "log"]
  for (axis in axes) {
    measured <- isTRUE(
      task$types[axis] %in% c("number", "measure", "summary", "value")
    )
    node <- task$nodes[[axis]]
    if (measured && node$kind %in% numeric_kinds) next
    what <- if (measured) {
      paste0("`", node$text, "` is ", kind_words(node))
    } else {
      paste0("`", axis, "` of `chart_", about$kind, "()` is no axis of numbers")
    }
    stop_neatly(
      "step",
      paste0("`scale = \"log\"` is for numbers, and ", what, "."),
      where,
      if (identical(axis, about$window)) {
        "Leave `scale` out."
      } else {
        paste0("Write `scale = list(", about$window, " = \"log\")`.")
      }
    )
  }
  axes
}

# The task with the logarithms of a role in place of its values where these are
# counted, else with a window of what such an axis can show. `step` has the
# roles as written.
with_log_axes <- function(task, step, typing) {
  where <- where_of(typing)
  axes <- log_axes(task, where)
  task$log_axes <- axes
  if (!length(axes)) return(task)
  if (!is.null(task$options$width) || !is.null(task$options$bandwidth)) {
    stop_neatly(
      "step",
      "`width` and `bandwidth` are distances, and a log axis has none.",
      where,
      "Leave them out, or write `bins`."
    )
  }
  for (axis in axes) {
    ends <- task$windows[[axis]]
    check_log_window(ends, where)
    if (counts_logs(task$about)) {
      x <- roles_of(step)[[axis]]$lang
      lang <- call("first_true", call(">", x, 0), call("log10", x))
      task$nodes[[axis]] <- type_expression(new_expression(lang), typing)
      if (!is.null(ends)) task$windows[[axis]] <- log10(ends)
    } else if (is.null(ends)) {
      task$windows[[axis]] <- whole_log_window
    }
  }
  of_rows <- axes[task$types[axes] != "summary"]
  if (length(of_rows)) {
    below <- lapply(
      roles_of(step)[of_rows], function(role) call("<=", role$lang, 0)
    )
    lang <- call("count_true", Reduce(function(a, b) call("|", a, b), below))
    task$nodes$below_log <- type_summary(
      new_expression(lang), per_group(typing), task$panel_nodes
    )
    task$types[["below_log"]] <- "summary"
  }
  task
}

check_log_window <- function(ends, where) {
  if (is.null(ends) || ends[1] > 0) return(invisible())
  stop_neatly(
    "step",
    paste0(
      "`window` begins at ", number_code(ends[1]),
      ", and a log axis has numbers above 0 alone."
    ),
    where,
    paste0(
      "Begin it above 0, as in `window = c(0.1, ",
      number_code(max(ends[2], 1)), ")`."
    )
  )
}

# The account of a chart with log axes: rows that cannot be shown are outside,
# not absent, and said.
account_for_log <- function(chart, input) {
  if (!length(chart$log_axes)) return(chart)
  if (!is.null(input$nodes$below_log)) {
    below <- as_count(group_summary(input, "below_log", chart_groups(input)))
    if (counts_logs(input$task$about)) {
      chart$panels$absent <- chart$panels$absent - below
      chart$panels$outside <- chart$panels$outside + below
    }
    below <- sum(below)
    chart$remarks <- c(
      chart$remarks,
      paste0(
        "Log axis",
        if (below) {
          paste0(
            ": ", counted(below, "row"), " with a value of 0 or below ",
            if (below == 1) "is" else "are", " not shown"
          )
        },
        "."
      )
    )
    if (below) {
      roles <- vapply(input$written[chart$log_axes], function(n) n$text, "")
      take_note(
        input$state$notes,
        paste0(
          counted(below, "row"), " of ", listed(ticked(roles)),
          if (below == 1) " has" else " have",
          " a value of 0 or below, which a log axis cannot show."
        ),
        input$state$where,
        "They are counted as outside; leave `scale` out to see them."
      )
    }
  } else {
    chart$remarks <- c(chart$remarks, "Log axis.")
  }
  open <- intersect(chart$log_axes, names(chart$windows))
  open <- open[vapply(chart$windows[open], identical, NA, whole_log_window)]
  for (axis in open) chart$windows[[axis]] <- positive_ends(chart, axis)
  if (counts_logs(input$task$about)) {
    logged <- intersect(chart$log_axes, names(chart$windows))
    chart$windows[logged] <- lapply(chart$windows[logged], function(ends) 10^ends)
  }
  chart$open_windows <- open
  chart
}

# From the smallest to the largest number above 0 that marks reach.
positive_ends <- function(chart, axis) {
  values <- mark_values(chart, axis)
  values <- values[values > 0]
  if (length(values)) range(values) else c(1, 10)
}
