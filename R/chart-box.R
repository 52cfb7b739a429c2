#' Box plots
#'
#' Draws the quartiles, whiskers and far values of a number for each group.
#'
#' @inheritParams chart_histogram
#' @param y The number (or date) to show: a column or an expression.
#' @param x A key: one box (or shape, strip or centre) for each of its groups;
#'   none: one per panel.
#' @param order `"keys"`: groups in the order of the key's categories;
#'   `"rising"`, `"falling"`: by the median of `y` over all panels; or by
#'   numbers of the groups: `falling(n)`, `median`; see [falling()].
#' @param empty `TRUE` keeps groups without rows: in every panel, and categories
#'   that do not occur. Else each panel has the groups it has rows of.
#' @return A step, as [chart_histogram()]. [chart_data()]: one row per box with
#'   the panel's keys, `x`, `colour`, `n`, `absent`, `lower`, `q1`, `median`,
#'   `q3`, `upper`, `beyond`; part `"points"`: the values drawn one by one, with
#'   `value` and `source_row`. Quartiles are of type 7 (Hyndman and Fan 1996),
#'   with weights of type 2; whiskers end at the farthest values within 1.5
#'   times the length of the box (Tukey 1977); `beyond` counts the values past
#'   them. Of a box with more than 100 of these (fewer where there are many
#'   boxes: about 400 a figure, but at least 30 a box) so many are drawn, evenly
#'   by rank and the farthest among them, and the caption says so.
#' @inheritSection chart_histogram Errors
#' @inheritSection chart_histogram Notes
#' @seealso [neatsieve_charts], [chart_data()], [save_figure()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, chart_box(y = mites_per_100, x = treatment, panels = season))$figures$box
#' @export
chart_box <- function(
  y, x = NULL, colour = NULL, panels = NULL, order = "keys", empty = FALSE,
  axes = "shared", window = NULL, title = NULL, caption = NULL, name = NULL,
  weights = NULL, labels = NULL, scale = NULL, reference_lines = NULL,
  texts = NULL, highlight = NULL, ...
) {
  capture_chart("box", match.call(), parent.frame())
}

box_columns <- c(
  "n", "absent", "lower", "q1", "median", "q3", "upper", "beyond"
)
# Values drawn one by one, a box.
most_points_beyond <- function(boxes) max(30, min(100, 400 %/% max(1, boxes)))

define_chart(
  "box",
  called = "box plots",
  roles = c(y = "measure", x = "key", colour = "key", weights = "weights"),
  needed = "y",
  window = "y",
  far = "y",
  columns = c("x", "colour", box_columns, "value", "source_row"),
  says = says_groups,
  usage = "chart_box(y = honey_kg, x = apiary)",
  title = title_of_groups,
  marks = list(y = c("lower", "upper", "points")),
  told = function(chart, input) {
    c(values_told(chart, input), medians_told(chart, chart$data))
  },
  compute = compute_box,
  in_database = TRUE
)

compute_box <- function(input, options) {
  grouped <- chart_groups(input, c("x", "colour"))
  most <- most_points_beyond(grouped$groups)
  box_figures <- weighed_or_plain(input, "boxes", "y", grouping = grouped, most = most)
  outside <- if (length(input$windows)) {
    count_present(input, grouped)$outside
  } else {
    0
  }
  beyond <- sum(box_figures$boxes$beyond)
  thinned <- box_figures$boxes$beyond > most
  list(
    data = box_table(input, grouped, box_figures$boxes),
    parts = list(
      points = with_keys(
        grouped,
        box_figures$points$group,
        value = as_role(box_figures$points$value, input, "y"),
        source_row = source_rows(input, box_figures$points$source_row)
      )
    ),
    panels = panel_account(input, grouped, box_figures$boxes$absent, outside),
    levels = group_levels(input),
    drawn = "value",
    remarks = c(
      "Box: quartiles and median; whiskers: farthest values within 1.5 box lengths.",
      if (any(thinned)) {
        paste0(
          "Of ", counted(beyond, "value"), " beyond the whiskers ",
          format_count(nrow(box_figures$points)), " are drawn, at most ", most,
          " per box."
        )
      }
    )
  )
}

box_table <- function(input, grouped, boxes) {
  for (figure in c("lower", "q1", "median", "q3", "upper")) {
    boxes[[figure]] <- as_role(boxes[[figure]], input, "y")
  }
  do.call(with_keys, c(list(grouped, seq_len(grouped$groups)), as.list(boxes)))
}
