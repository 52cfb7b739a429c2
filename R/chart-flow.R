# The flow of rows as a chart step; chart_flow() itself is in face-chart-now.R.

define_chart(
  "flow",
  called = "flow of rows",
  roles = character(),
  columns = character(),
  whole = TRUE,
  usage = "chart_flow()",
  title = function(names, chart) {
    "Rows that went on and rows held back"
  },
  told = function(chart, input) flow_told(chart$data),
  compute = compute_flow,
  in_database = TRUE
)

compute_flow <- function(input, options) {
  state <- input$state
  moved <- Filter(function(r) r$held > 0 || r$added > 0, state$records)
  came <- list(
    step = 0L,
    label = paste0("All of ", state$study$name),
    rows = as.numeric(state$study$frame$n),
    units = if (is.null(state$study$unit)) {
      NA_real_
    } else {
      as.numeric(count_units(state$study, NULL))
    },
    held = 0,
    added = 0
  )
  lines <- lapply(moved, function(r) {
    list(
      step = r$step,
      label = flow_label(r),
      rows = r$rows_out,
      units = as.numeric(r$units_out),
      held = r$held,
      added = r$added
    )
  })
  data <- do.call(
    rbind,
    lapply(
      c(list(came), lines),
      function(l) as.data.frame(l, stringsAsFactors = FALSE)
    )
  )
  list(
    data = data,
    parts = list(reasons = flow_reasons(state)),
    panels = data.frame(
      n = as_count(state_row_count(state)),
      absent = 0L,
      infinite = 0L,
      outside = 0L
    ),
    levels = list()
  )
}

flow_label <- function(record) {
  own <- !grepl(paste0("^", record$kind, "(_[0-9]+)?$"), record$name)
  paste0(record$step, " ", record$kind, if (own) paste0(": ", record$name))
}

# Rows by the step, condition and reason that held them.
flow_reasons <- function(state) {
  parts <- lapply(state$holdings, function(h) {
    h["reasons"] <- list(reasons_of_holding(h$rows, h))
    n <- if (!is.null(h$reasons)) {
      counts_of_reasons(h)
    } else {
      fates <- as.integer(h$fates)
      tabulate(fates[fates > 0], length(h$by))
    }
    because <- rep_len(h$because, length(h$by))
    data.frame(
      step = rep(h$step, sum(n > 0)),
      condition = h$by[n > 0],
      because = because[n > 0],
      rows = n[n > 0],
      stringsAsFactors = FALSE
    )
  })
  do.call(
    rbind,
    c(
      list(data.frame(
        step = integer(),
        condition = character(),
        because = character(),
        rows = integer(),
        stringsAsFactors = FALSE
      )),
      parts
    )
  )
}
