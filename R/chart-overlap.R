#' Sizes of subset intersections as a figure
#'
#' Records, or draws from finished siftings, how many rows are in exactly which of the subsets.
#'
#' @inheritParams chart_flow
#' @return A step for a [sieve()] or [pour()], or, for siftings, a ggplot object. [chart_data()]:
#'   what [overlaps()] gives, with `in_subsets`, in how many subsets the rows are, largest first. Of
#'   more than 30 combinations the 30 largest are drawn, and the caption says how many rows the
#'   others have.
#' @section Errors: Class `neatsieve_error_step` when there are no subsets.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, subsets(strong = brood_frames > 8, treated = treatment != "none",
#'                            calm = temper == "calm"))
#' chart_overlap(out)
#' @export
chart_overlap <- function(out = NULL, title = NULL, caption = NULL, name = NULL) {
  drawn_now("overlap", out, match.call(), parent.frame())
}

define_chart("overlap", called = "sizes of subset intersections", roles = character(),
             columns = character(), whole = TRUE, usage = "chart_overlap()",
             title = function(names, chart) {
               "Rows in exactly these subsets"
             },
             compute = compute_overlap, check = check_overlap)

check_overlap <- function(task, typing) {
  if (!isTRUE(typing$scope$has_subsets)) {
    stop_neatly("step", "`chart_overlap()` needs subsets, and there are none here.",
                where_of(typing),
                "Add `subsets(strong = brood_frames > 8)` before it.")
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
  rest <- if (nrow(data) > most_combinations) data[-seq_len(most_combinations), , drop = FALSE]
  rownames(data) <- NULL
  totals <- vapply(colnames(state$subsets$sets), function(s) length(subset_rows(state, s)),
                   integer(1))
  list(data = data,
       parts = list(totals = data.frame(subset = names(totals), rows = unname(totals))),
       panels = data.frame(n = as.integer(state_row_count(state)), absent = 0L, infinite = 0L,
                           outside = 0L), levels = list(),
       remarks = c(
         paste0("Whole subsets: ", listed(paste0(names(totals), " ", format_count(totals)), 12),
                "."),
                if (!is.null(rest))
                  paste0(counted(nrow(rest), "smaller combination"), " with ",
                         counted(sum(rest$rows), "row"), " in all ",
                         if (nrow(rest) == 1) "is" else "are", " not drawn.")))
}
