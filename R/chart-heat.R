#' Heat maps of two keys
#'
#' Draws a tile for each combination of two keys, shaded by a statistic.
#'
#' @inheritParams chart_histogram
#' @param x,y Keys: columns or expressions.
#' @param value A statistic, such as `mean(honey_kg)`; none: the number of rows.
#' @return A step, as [chart_histogram()]. [chart_data()]: one row per
#'   combination that occurs, with the panel's keys, `x`, `y`, `n` (rows it
#'   rests on) and `value`. The values, of a statistic with their n, stand in
#'   the tiles when there is room; tiles of fewer than 5 rows have a dashed
#'   border. A combination without rows, or of no values, is left blank.
#' @inheritSection chart_histogram Errors
#' @inheritSection chart_histogram Notes
#' @seealso [neatsieve_charts], [chart_data()], [save_figure()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' heat <- chart_heat(x = month(visit_date), y = apiary, value = mean(mites_per_100))
#' pour(hives, heat)$figures$heat
#' @export
chart_heat <- function(
  x, y, value = NULL, panels = NULL, title = NULL, caption = NULL, name = NULL,
  weights = NULL, labels = NULL, ...
) {
  capture_chart("heat", match.call(), parent.frame())
}

define_chart(
  "heat",
  called = "heat map",
  roles = c(x = "key", y = "key", value = "summary", weights = "weights"),
  needed = c("x", "y"),
  columns = c("x", "y", "n", "value"),
  says = c(
    x = "of ", y = "and ", value = "shaded by ", weights = "weighted by "
  ),
  usage = "chart_heat(x = season, y = apiary)",
  title = function(names, chart) {
    paste0(
      if (is.null(names$value)) "Number of rows" else names$value, " by ",
      names$x, " and ", names$y
    )
  },
  marks = list(shade = "value"),
  told = function(chart, input) marks_told(chart, chart$data$value, "values"),
  compute = compute_heat,
  in_database = TRUE
)

compute_heat <- function(input, options) {
  grouped <- chart_groups(input, c("x", "y"))
  value <- if (is.null(input$nodes$value)) {
    as_count(grouped$rows_per_group)
  } else {
    group_summary(input, "value", grouped)
  }
  used <- if (is.null(input$nodes$value)) {
    list(absent = 0L, aside = 0L)
  } else {
    count_used(input, grouped, "value")
  }
  list(
    data = with_keys(
      grouped,
      seq_len(grouped$groups),
      n = as_count(grouped$rows_per_group) - used$absent - used$aside,
      value = value
    ),
    panels = panel_account(input, grouped, used$absent, aside = used$aside),
    levels = list(x = role_levels(input, "x"), y = role_levels(input, "y")),
    labels = if (is.null(input$nodes$value)) list(value = "Rows"),
    whole = counts_rows(input$nodes$value)
  )
}
