#' Violin plots
#'
#' Draws the density of a number for each group, mirrored, with its quartiles.
#'
#' @inheritParams chart_histogram
#' @inheritParams chart_density
#' @inheritParams chart_box
#' @return A step, as [chart_histogram()]. [chart_data()]: one row per panel,
#'   `x`, `colour` and place with `y` and `density`; part `"quartiles"`: one row
#'   per group with `n`, `absent`, `lower`, `q1`, `median`, `q3`, `upper`,
#'   `beyond` as in [chart_box()]; part `"bandwidth"`. All shapes of a figure
#'   have the same area.
#' @inheritSection chart_histogram Errors
#' @inheritSection chart_histogram Notes
#' @seealso [neatsieve_charts], [chart_data()], [save_figure()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, chart_violin(y = brood_frames, x = season))$figures$violin
#' @export
chart_violin <- function(
  y, x = NULL, colour = NULL, panels = NULL, bandwidth = NULL, order = "keys",
  empty = FALSE, axes = "shared", window = NULL, title = NULL, caption = NULL,
  name = NULL, weights = NULL, labels = NULL, scale = NULL,
  reference_lines = NULL, texts = NULL, highlight = NULL, ...
) {
  capture_chart("violin", match.call(), parent.frame())
}

define_chart(
  "violin",
  called = "violin plots",
  roles = c(y = "measure", x = "key", colour = "key", weights = "weights"),
  needed = "y",
  window = "y",
  far = "y",
  columns = c("x", "colour", "y", "density", box_columns),
  says = says_groups,
  usage = "chart_violin(y = honey_kg, x = apiary)",
  title = title_of_groups,
  marks = list(y = "y"),
  told = function(chart, input) {
    c(values_told(chart, input), medians_told(chart, chart$parts$quartiles))
  },
  compute = compute_violin,
  in_database = TRUE
)

compute_violin <- function(input, options) {
  grouped <- chart_groups(input, c("x", "colour"))
  curves <- densities_of(input, "y", grouped, options)
  boxes <- weighed_or_plain(
    input, "boxes", "y",
    grouping = grouped, most = 0
  )$boxes
  c(
    list(
      data = with_keys(
        grouped,
        curves$curve$group,
        y = as_role(curves$curve$x, input, "y"),
        density = curves$curve$y
      ),
      levels = group_levels(input),
      drawn = "value",
      parts = c(list(quartiles = box_table(input, grouped, boxes)), curves$parts),
      remarks = c("Line: median; bar: quartiles.", curves$remarks)
    ),
    curves["panels"]
  )
}
