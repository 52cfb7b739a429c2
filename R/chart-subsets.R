# One chart for each subset, with the same bins and scales, so that they can be compared.

charts_by_subset <- function(task, state) {
  inputs <- lapply(stats::setNames(nm = colnames(state$subsets$sets)), function(s) {
    inner <- state
    inner$rows <- subset_rows(state, s)
    chart_input(task, inner)
  })
  shares <- !identical(task$options$axes, "own")
  spread <- if (shares) joined_spread(inputs)
  charts <- lapply(inputs, function(input) {
    shared <- input
    shared$spread[names(spread)] <- spread
    chart <- new_chart(task$about$kind, task$about$compute(shared, task$options))
    # What is said of far values is said of the subset's own.
    finish_chart(chart, input, task$about)
  })
  if (shares) with_shared_ends(charts) else charts
}

# Of each role the ends and the sample of all subsets together.
joined_spread <- function(inputs) {
  roles <- names(inputs[[1]]$spread)
  lapply(stats::setNames(nm = roles), function(role) {
    all <- lapply(inputs, function(input) input$spread[[role]])
    all <- Filter(function(s) !anyNA(s$ends), all)
    if (!length(all)) return(inputs[[1]]$spread[[role]])
    joined <- all[[1]]
    joined$ends[] <- range(unlist(lapply(all, `[[`, "ends")))
    joined$sample <- unlist(lapply(all, `[[`, "sample"))
    joined$rows <- sum(vapply(inputs, rows_in_play_of, 1))
    joined
  })
}

# How far the axes of all of them reach: by role, as the columns of marks have it.
with_shared_ends <- function(charts) {
  ends <- lapply(list(x = "x", y = "y"), function(role) {
    of_role <- lapply(charts, chart_ends, role = role)
    of_role <- Filter(Negate(is.null), of_role)
    if (length(of_role)) Reduce(function(a, b) c(min(a[1], b[1]), max(a[2], b[2])), of_role)
  })
  lapply(charts, function(chart) {
    chart$ends <- ends
    chart
  })
}

chart_ends <- function(chart, role) {
  columns <- chart_kind(chart$kind)$marks[[role]]
  data <- chart$data
  values <- lapply(setdiff(columns, "points"), function(column) data[[column]])
  if ("points" %in% columns) values <- c(values, list(chart$parts$points$y))
  values <- Filter(function(v) is.numeric(v) || inherits(v, c("Date", "POSIXct")), values)
  values <- Filter(length, lapply(values, function(v) v[is.finite(as.numeric(v))]))
  if (!length(values)) return(NULL)
  ends <- Reduce(function(a, b) c(min(a, b), max(a, b)), values)
  c(min(ends), max(ends))
}
