# One chart for each subset, with the same bins and scales, so that they can be
# compared.

charts_by_subset <- function(task, state) {
  inputs <- lapply(
    stats::setNames(nm = colnames(state$subsets$sets)),
    function(s) {
      inner <- state
      inner$rows <- subset_rows(state, s)
      chart_input(task, inner)
    }
  )
  shares <- !identical(task$options$axes, "own")
  spread <- if (shares) joined_spread(inputs)
  charts <- lapply(inputs, function(input) {
    shared <- input
    shared$spread[names(spread)] <- spread
    chart <- new_chart(
      task$about$kind, task$about$compute(shared, task$options)
    )
    # Notes on far values are those of the subset.
    finish_chart(chart, input, task$about)
  })
  if (!shares) return(charts)
  note_flat_subsets(charts, inputs)
  with_shared_ends(charts)
}

# Counts of a small subset on the scale of a large one.
note_flat_subsets <- function(charts, inputs) {
  node <- inputs[[1]]$nodes$y
  kind <- charts[[1]]$kind
  counts <- kind == "histogram" ||
    (kind %in% c("bar", "line") && counts_rows(node))
  if (!counts || !is.null(inputs[[1]]$windows[["y"]])) return()
  tops <- vapply(charts, function(chart) {
    top <- chart_ends(chart, "y")[2]
    if (is.null(top)) NA_real_ else as.numeric(top)
  }, 0)
  if (all(is.na(tops))) return()
  flat <- which(tops < max(tops, na.rm = TRUE) / 5 & tops > 0)
  if (!length(flat)) return()
  largest <- names(charts)[which.max(tops)]
  state <- inputs[[1]]$state
  take_note(
    state$notes,
    paste0(
      "Subset", if (length(flat) > 1) "s", " ",
      listed(quoted(names(charts)[flat]), 4),
      if (length(flat) == 1) " is" else " are",
      " flat on the scale shared with ", quoted(largest), ": up to ",
      listed(format_count(round(tops[flat])), 4), ", there up to ",
      format_count(round(max(tops, na.rm = TRUE))), "."
    ),
    state$where,
    "For a scale of its own for each write `axes = \"own\"`."
  )
}

# The ends and the sample of all subsets together, by role.
joined_spread <- function(inputs) {
  roles <- names(inputs[[1]]$spread)
  largest <- max(vapply(
    inputs, function(input) largest_group(chart_groups(input, "colour")), 0
  ))
  lapply(stats::setNames(nm = roles), function(role) {
    all <- lapply(inputs, function(input) input$spread[[role]])
    all <- Filter(function(s) !anyNA(s$ends), all)
    if (!length(all)) return(inputs[[1]]$spread[[role]])
    joined <- all[[1]]
    joined$ends[] <- range(unlist(lapply(all, `[[`, "ends")))
    joined$sample <- unlist(lapply(all, `[[`, "sample"))
    joined$rows <- sum(vapply(inputs, rows_in_play_of, 1))
    joined$largest <- largest
    joined
  })
}

# How far the axes and the shades of all of them reach: by role, as the columns
# of marks have it.
with_shared_ends <- function(charts) {
  ends <- lapply(list(x = "x", y = "y", shade = "shade"), function(role) {
    of_role <- lapply(charts, chart_ends, role = role)
    of_role <- Filter(Negate(is.null), of_role)
    if (length(of_role)) {
      Reduce(function(a, b) c(min(a[1], b[1]), max(a[2], b[2])), of_role)
    }
  })
  lapply(charts, function(chart) {
    chart$ends <- ends
    for (axis in chart$open_windows) {
      chart$windows[[axis]] <- range(lapply(charts, function(c) c$windows[[axis]]))
    }
    chart
  })
}

chart_ends <- function(chart, role) {
  values <- mark_values(chart, role)
  if (is.null(values)) return(NULL)
  c(min(values), max(values))
}

# All values that marks have along an axis.
mark_values <- function(chart, role) {
  marks <- chart_kind(chart$kind)$marks
  if (is.function(marks)) marks <- marks(chart)
  columns <- marks[[role]]
  data <- chart$data
  values <- lapply(
    setdiff(columns, c("points", "stacks")), function(column) data[[column]]
  )
  if ("stacks" %in% columns) values <- c(values, list(stack_heights(chart)))
  if ("points" %in% columns) values <- c(values, list(chart$parts$points$value))
  values <- Filter(
    function(v) is.numeric(v) || inherits(v, c("Date", "POSIXct")), values
  )
  values <- Filter(
    length, lapply(values, function(v) v[is.finite(as.numeric(v))])
  )
  if (!length(values)) return(NULL)
  do.call(c, unname(values))
}

# How high bars stand in each panel, where their parts are on top of each other.
stack_heights <- function(chart) {
  bar <- interaction_code(chart$data[c(chart$keys, "x")])
  as.vector(rowsum(as.numeric(chart$data$value), bar))
}
