# Captions for arguments that charts share, and orders of groups by statistics.

# What is said of lines and of groups in grey.
extras_remarks <- function(chart, input) {
  options <- chart$options
  lines <- unlist(lapply(names(options$reference_lines), function(axis) {
    at <- options$reference_lines[[axis]]
    names <- names(at)
    words <- if (is.numeric(at) && !is.object(at)) {
      vapply(unname(at), number_code, "")
    } else {
      format(unname(at))
    }
    paste0(
      axis, " = ", words,
      ifelse(
        nzchar(if (is.null(names)) rep("", length(at)) else names),
        paste0(" (", names, ")"),
        ""
      )
    )
  }))
  c(
    if (length(lines)) {
      paste0(
        if (length(lines) == 1) "Line" else "Lines", " at ", listed(lines), "."
      )
    },
    highlight_remark(chart, input)
  )
}

highlight_remark <- function(chart, input) {
  asked <- chart$options$highlight
  if (is.null(asked)) return(NULL)
  levels <- chart$levels$colour
  texts <- panel_key_text(asked)
  strange <- setdiff(texts, levels)
  if (length(strange)) {
    stop_neatly(
      "run",
      paste0(
        "`highlight` names ", quoted(strange[1]), ", and `colour` has no ",
        "such group."
      ),
      input$state$where,
      c(
        meant(strange[1], levels, quoted),
        paste0("It has ", listed(quoted(levels), 8), ".")
      )
    )
  }
  others <- length(levels) - length(unique(texts))
  if (others) {
    paste0(
      "In grey: ", counted(others, "other group"), " of ", chart$names$colour,
      "."
    )
  }
}

# Whether colours say the same as panels.
is_like_panels <- function(input) {
  colour <- input$written$colour$text
  !is.null(colour) &&
    colour %in% vapply(input$task$panel_nodes, function(n) n$text, "")
}

# Statistics that groups are ordered by: entries of `order` that are no numbers
# of the figure.
with_order_statistics <- function(task, typing) {
  order <- task$options$order
  if (is.null(order) || is.character(order)) return(task)
  for (i in seq_along(order)) {
    if (!calls_aggregate(order[[i]]$expression$lang)) next
    inner <- at_place(per_group(typing), "In `order`.")
    role <- paste0("order_", i)
    task$nodes[[role]] <- type_summary(order[[i]]$expression, inner, list())
    task$types[[role]] <- "summary"
  }
  task
}
statistics_of_order <- function(input, grouped) {
  roles <- grep("^order_[0-9]+$", names(input$nodes), value = TRUE)
  lapply(
    stats::setNames(nm = roles),
    function(role) group_summary(input, role, grouped)
  )
}
order_by_statistics <- function(order) {
  if (is.character(order)) return(order)
  for (i in seq_along(order)) {
    if (calls_aggregate(order[[i]]$expression$lang)) {
      order[[i]]$expression <- new_expression(as.name(paste0("order_", i)))
    }
  }
  order
}
