#' Cumulative shares
#'
#' Draws the share of values at or below each value (the empirical distribution
#' function), one line per group.
#'
#' @inheritParams chart_histogram
#' @return A step, as [chart_histogram()]. [chart_data()]: one row per panel,
#'   colour and different value with `x` and `share`, from 0 to 1; of more than
#'   1,000 different values in a group, 1,000 evenly, at which the share is
#'   exact.
#' @inheritSection chart_histogram Errors
#' @inheritSection chart_histogram Notes
#' @seealso [neatsieve_charts], [chart_data()], [save_figure()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, chart_cumulative(x = mites_per_100, colour = treatment))$figures$cumulative
#' @export
chart_cumulative <- function(
  x, colour = NULL, panels = NULL, axes = "shared", window = NULL,
  title = NULL, caption = NULL, name = NULL, weights = NULL, labels = NULL,
  scale = NULL, reference_lines = NULL, texts = NULL, highlight = NULL, ...
) {
  capture_chart("cumulative", match.call(), parent.frame())
}

define_chart(
  "cumulative",
  called = "cumulative shares",
  roles = c(x = "measure", colour = "key", weights = "weights"),
  needed = "x",
  window = "x",
  far = "x",
  overlays = TRUE,
  columns = c("colour", "x", "share"),
  says = c(x = "of ", colour = "coloured by ", weights = "weighted by "),
  usage = "chart_cumulative(x = honey_kg)",
  title = function(names, chart) {
    paste("Cumulative share of", names$x)
  },
  marks = list(x = "x"),
  compute = compute_cumulative,
  in_database = TRUE
)

compute_cumulative <- function(input, options) {
  grouped <- chart_groups(input, "colour")
  present <- count_present(input, grouped)
  curve <- weighed_or_plain(
    input, "cumulative", "x",
    grouping = grouped, most = 1000
  )
  list(
    data = with_keys(
      grouped,
      curve$group,
      x = as_role(curve$x, input, "x"),
      share = curve$y
    ),
    panels = panel_account(input, grouped, present$absent, present$outside),
    levels = list(colour = role_levels(input, "colour")),
    drawn = "value"
  )
}
