# Sizes of intersections as a chart step; chart_overlap() itself is in
# face-chart-now.R.

define_chart(
  "overlap",
  called = "sizes of subset intersections",
  roles = character(),
  columns = character(),
  whole = TRUE,
  usage = "chart_overlap()",
  title = function(names, chart) {
    "Rows in exactly these subsets"
  },
  told = function(chart, input) overlap_told(chart$data),
  compute = compute_overlap,
  check = check_overlap
)

check_overlap <- function(task, typing) {
  if (!length(typing$scope$subsets)) {
    stop_neatly(
      "step",
      "`chart_overlap()` needs subsets, and there are none here.",
      where_of(typing),
      "Name subsets before, for example `subsets(strong = brood_frames > 8)`."
    )
  }
  task
}

most_combinations <- 30

compute_overlap <- function(input, options) {
  state <- input$state
  data <- as.data.frame(overlap_table(state, "exact"))
  data$in_subsets <- lengths(strsplit(data$subsets, " & ", fixed = TRUE)) -
    (data$subsets == "(none)")
  data <- data[data$rows > 0, , drop = FALSE]
  data <- data[order(-data$rows, -data$in_subsets), , drop = FALSE]
  rest <- if (nrow(data) > most_combinations) {
    data[-seq_len(most_combinations), , drop = FALSE]
  }
  rownames(data) <- NULL
  totals <- vapply(
    colnames(state$subsets$sets),
    function(s) length(subset_rows(state, s)),
    integer(1)
  )
  list(
    data = data,
    parts = list(
      totals = data.frame(subset = names(totals), rows = unname(totals))
    ),
    panels = data.frame(
      n = as_count(state_row_count(state)),
      absent = 0L,
      infinite = 0L,
      outside = 0L
    ),
    levels = list(),
    remarks = c(
      paste0(
        "Whole subsets: ",
        listed(paste0(names(totals), " ", format_count(totals)), 12), "."
      ),
      if (!is.null(rest)) {
        paste0(
          counted(nrow(rest), "smaller combination"), " with ",
          counted(sum(rest$rows), "row"), " in all ",
          if (nrow(rest) == 1) "is" else "are", " not drawn."
        )
      }
    )
  )
}
