#' Bars
#'
#' Draws counts, or a statistic, for each group of a key.
#'
#' @inheritParams chart_box
#' @param x A key: one bar, or set of bars, for each of its groups. Rows where
#'   it is absent make a bar of their own.
#' @param y A statistic, such as `sum(honey_kg)` or `mean(honey_kg)`; none: the
#'   number of rows.
#' @param bars With `colour`: `"stacked"`, `"beside"` (side by side), `"shares"`
#'   (of each bar, adding up to 1), or `"auto"`: stacked for what adds up
#'   (counts and sums), else side by side.
#' @param values Whether the value of each bar, or part of one, is written on
#'   it: `TRUE`, `FALSE`, or none for where there is room.
#' @param order `"keys"`, or by the value of the whole bar `"rising"` or
#'   `"falling"`, or by numbers of the bars: `falling(n)`, `value`; see
#'   [falling()].
#' @param empty `TRUE` keeps groups without rows: in every panel, and categories
#'   that do not occur. Else each panel has the groups it has rows of.
#' @return A step, as [chart_histogram()]. [chart_data()]: one row per bar, or
#'   part of a bar, with the panel's keys, `x`, `colour`, `n` (rows it rests
#'   on), `value` and, for what adds up, `share` (of all with the same `x` in
#'   the panel).
#' @section Errors: Class `neatsieve_error_step` for a stack or shares of what
#'   does not add up, such as means.
#' @inheritSection chart_histogram Notes
#' @seealso [neatsieve_charts], [chart_data()], [save_figure()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, chart_bar(x = apiary, colour = treatment, bars = "shares"))$figures$bar
#' pour(hives, chart_bar(x = apiary, y = mean(honey_kg), order = "falling"))$figures$bar
#' @export
chart_bar <- function(
  x, y = NULL, colour = NULL, panels = NULL, bars = "auto", order = "keys",
  empty = FALSE, axes = "shared", window = NULL, title = NULL, caption = NULL,
  name = NULL, weights = NULL, labels = NULL, reference_lines = NULL,
  texts = NULL, values = NULL, highlight = NULL, ...
) {
  capture_chart("bar", match.call(), parent.frame())
}

define_chart(
  "bar",
  called = "bars",
  roles = c(x = "key", y = "summary", colour = "key", weights = "weights"),
  needed = "x",
  window = "y",
  columns = c("x", "colour", "n", "value", "share"),
  says = c(
    y = "of ", x = "for ", colour = "coloured by ", weights = "weighted by "
  ),
  usage = "chart_bar(x = apiary)",
  title = function(names, chart) {
    paste(if (is.null(names$y)) "Rows" else names$y, "by", names$x)
  },
  marks = function(chart) {
    list(y = switch(chart$bars,
      shares = NULL,
      stacked = "stacks",
      "value"
    ))
  },
  told = function(chart, input) marks_told(chart, chart$data$value, "values"),
  compute = compute_bar,
  in_database = TRUE,
  check = check_bar
)

check_bar <- function(task, typing) {
  adds <- is.null(task$nodes$y) ||
    (is_aggregate(task$nodes$y) &&
      task$nodes$y$fn %in% c("count", "count_true", "sum"))
  if (!adds && task$options$bars %in% c("stacked", "shares")) {
    stop_neatly(
      "step",
      paste0(
        "`", task$nodes$y$text, "` does not add up, so it cannot be ",
        if (task$options$bars == "stacked") "stacked" else "shown as shares",
        "."
      ),
      where_of(typing),
      "Write `bars = \"beside\"`, or a count or sum."
    )
  }
  task$adds <- adds
  task
}

# Whether a summary is a count, which has whole numbers only.
counts_rows <- function(node) {
  is.null(node) ||
    (is_aggregate(node) &&
      node$fn %in% c("count", "count_true", "count_different"))
}

compute_bar <- function(input, options) {
  grouped <- chart_groups(input, c("x", "colour"))
  value_of <- function(g) {
    if (is.null(input$nodes$y)) {
      as_count(g$rows_per_group)
    } else {
      group_summary(input, "y", g)
    }
  }
  value <- value_of(grouped)
  used <- if (is.null(input$nodes$y)) {
    list(absent = 0L, aside = 0L)
  } else {
    count_used(input, grouped, "y")
  }
  data <- with_keys(
    grouped,
    seq_len(grouped$groups),
    n = as_count(grouped$rows_per_group) - used$absent - used$aside,
    value = value
  )
  is_coloured <- !is.null(input$nodes$colour)
  bars <- if (options$bars != "auto") {
    options$bars
  } else if (is_coloured && input$task$adds) {
    "stacked"
  } else {
    "beside"
  }
  bar <- interaction_code(grouped$keys[c(input$panel_keys, "x")])
  if (input$task$adds) {
    whole <- rowsum(as.numeric(value), bar, reorder = FALSE)
    data$share <- value / as.vector(whole)[match(bar, unique(bar))]
  }
  shown <- if (bars == "shares") {
    data$share
  } else if (bars == "stacked" && is_coloured) {
    stats::ave(as.numeric(value), bar, FUN = sum)
  } else {
    value
  }
  if (any(is.na(value) | !is.finite(value))) {
    data <- data[is.finite(value), , drop = FALSE]
  }
  rownames(data) <- NULL
  list(
    data = data,
    panels = panel_account(
      input,
      grouped,
      used$absent,
      outside_marks(input, grouped, shown),
      used$aside
    ),
    levels = list(
      x = role_levels(input, "x", function(g) {
        list(n = as_count(g$rows_per_group), value = value_of(g))
      }),
      colour = role_levels(input, "colour")
    ),
    drawn = "bar",
    bars = bars,
    whole = counts_rows(input$nodes$y),
    labels = bar_labels(input, bars)
  )
}

bar_labels <- function(input, bars) {
  if (is.null(input$nodes$y)) {
    list(y = if (bars == "shares") "Share of rows" else "Number of rows")
  } else if (bars == "shares") {
    list(y = paste0("Share of ", axis_label(input$nodes$y, input$state)))
  }
}
