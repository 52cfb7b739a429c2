#' Histogram
#'
#' Records a figure of how a number is spread: how many rows fall in each of the bins, in one
#' panel per group.
#'
#' @param x The number to show: a column or an expression.
#' @param panels Keys for panels (facets): `apiary`, `c(season, treatment)`, or named
#'   expressions. Two keys make a table of panels, rows by columns.
#' @param width The width of a bin, in the measure of `x`. By default by the rule of Freedman
#'   and Diaconis (1981), 2 IQR / n^(1/3), made round. All panels share the same bins.
#' @param axes `"shared"` counts on one scale for all panels, or `"own"`.
#' @param title A title; by default what is shown.
#' @param name A name for the figure in `$figures`; `"histogram"` by default.
#' @return A step for a [sieve()] or [pour()]. In `$figures`: a ggplot object. Its numbers come
#'   from [chart_data()]: one row per panel and bin with the panel's keys, `from`, `to`
#'   (bins hold `from` and not `to`, the last one both) and `count`. Every panel says its n
#'   and how many values are absent.
#' @section Errors: Class `neatsieve_error_expression` when `x` is not a number; class
#'   `neatsieve_error_step` for a width that is not above 0.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, chart_histogram(x = mites_per_100, panels = apiary))
#' out$figures$histogram
#' @export
chart_histogram <- function(x, panels = NULL, width = NULL, axes = "shared", title = NULL, name = NULL) {
  if (missing(x)) stop_neatly("step", "`chart_histogram()` needs `x`.", NULL, "Write `chart_histogram(x = honey_kg)`.")
  new_chart_histogram(capture_expression(substitute(x), parent.frame()), capture_keys(substitute(panels), parent.frame()), width, axes, title, control_name(name, "chart_histogram"))
}

new_chart_histogram <- function(x, panels = list(), width = NULL, axes = "shared", title = NULL, name = NULL) {
  if (!is.null(width) && !(is.numeric(width) && length(width) == 1 && is.finite(width) && width > 0)) {
    stop_neatly("step", "`width` of a histogram must be one number above 0.", NULL, "Write `width = 2.5`.")
  }
  if (!is_text(axes) || !axes %in% c("shared", "own")) stop_neatly("step", "`axes` must be \"shared\" or \"own\".")
  if (!is.null(title) && !is_text(title)) stop_neatly("step", "`title` must be one text.")
  if (length(panels) > 2) stop_neatly("step", "`panels` takes one or two keys.", NULL, "Join keys with `join_text()` or leave one out.")
  new_step("chart_histogram", name, x = x, panels = panels, width = width, axes = axes, title = title)
}

#' @export
check_step.neatsieve_step_chart_histogram <- function(step, scope) {
  step$x_node <- type_expression(step$x, scope)
  if (!step$x_node$kind %in% numeric_kinds || step$x_node$node == "constant") {
    stop_neatly("expression", paste0("A histogram shows numbers, and `", step$x_node$text, "` is ", kind_words(step$x_node), "."), scope$where,
                if (step$x_node$kind == "text") paste0("If it holds numbers write `x = as_number(", step$x_node$text, ")`.") else "Choose a number column.")
  }
  step$panel_nodes <- check_keys(step$panels, scope, "panels", c("from", "to", "count"))
  list(step = step, scope = scope)
}

#' @export
run_step.neatsieve_step_chart_histogram <- function(step, state) record_figures(state, function(state) histogram_chart(step, state))

histogram_chart <- function(step, state) {
  x <- step$x_node
  vector <- if (x$node == "column") state$frame$columns[[x$name]] else spread_over(evaluate_node(x, state$frame, state$rows, state$notes, state$where), state$rows, state$frame$n, NULL)
  threads <- thread_count()
  all <- group_rows(list(), state$frame, state$rows)
  spread <- core_moments(vector, all, state$rows, threads)
  grouped <- group_rows(step$panel_nodes, state$frame, state$rows)
  counts <- core_moments(vector, grouped, state$rows, threads)
  panels <- cbind(grouped$keys, n = counts$n, absent = counts$absent)
  infinite <- spread$n > 0 && (is.infinite(spread$min) || is.infinite(spread$max))
  if (infinite) take_note(state$notes, paste0("`", x$text, "` holds infinite values, which no bin can hold; they are not drawn."), state$where, paste0("Set them aside with `exclude(abs(", x$text, ") == Inf)`."))
  ends <- if (infinite && any(is.finite(vector))) range(vector[is.finite(vector)]) else c(spread$min, spread$max)
  bins <- NULL
  if (spread$n > 0 && all(is.finite(ends))) {
    quartiles <- core_quantiles(vector, all, state$rows, c(0.25, 0.75), 7L, threads)
    iqr <- quartiles[2] - quartiles[1]
    made <- core_histogram(vector, state$rows, grouped, ends[1], ends[2], if (is.finite(iqr)) iqr else 0, x$kind == "whole" || is.integer(vector), if (is.null(step$width)) 0 else step$width, threads)
    k <- nrow(made$counts)
    edges <- made$edges
    each <- rep(seq_len(grouped$groups), each = k)
    bins <- cbind(grouped$keys[each, , drop = FALSE], from = rep(edges[-(k + 1)], grouped$groups), to = rep(edges[-1], grouped$groups), count = as.vector(made$counts))
    rownames(bins) <- NULL
  }
  list(
    kind = "histogram", data = bins, panels = panels, keys = names(step$panels), axes = step$axes, title = step$title,
    x_label = axis_label(x, state), x_name = x_name(x, state), caption = rows_caption(state), subject = if (length(state$epochs)) "groups" else "rows")
}

# How an expression is called on an axis: a column by its label and measure.
axis_label <- function(node, state) if (node$node == "column") state_axis(state, node$name) else node$text
x_name <- function(node, state) if (node$node == "column") state_label(state, node$name) else node$text

#' @export
step_words.neatsieve_step_chart_histogram <- function(step) {
  paste0("figure: histogram of ", expression_text(step$x), keys_words(step$panels, ", one panel per "))
}
#' @export
step_plan.neatsieve_step_chart_histogram <- function(step) {
  compact(list(x = expression_text(step$x), panels = keys_plan(step$panels), width = step$width, axes = if (step$axes != "shared") step$axes, title = step$title, name = step$name))
}

#' The numbers a figure shows
#'
#' Gives the computed data behind a figure: bins, counts, and so on.
#'
#' @param out Siftings from [pour()].
#' @param name The figure's name in `$figures`; may be left out when there is one figure.
#' @param subset After [subsets()]: the subset's name.
#' @return A data frame; its columns are described with each chart. Attribute `panels` has one
#'   row per panel with its keys, `n` and `absent`.
#' @section Errors: Class `neatsieve_error_run` when there is no such figure.
#' @examples
#' out <- pour(demo_file("hive-visits.csv"), chart_histogram(x = honey_kg))
#' head(chart_data(out))
#' @export
chart_data <- function(out, name = NULL, subset = NULL) {
  charts <- siftings_parts(out)$charts
  if (is.null(name) && length(charts) == 1) name <- names(charts)
  if (is.null(name) || !name %in% names(charts)) {
    stop_neatly("run", if (is.null(name)) "Say which figure." else paste0("There is no figure ", quoted(name), "."), NULL,
                if (length(charts)) paste0("Figures: ", listed(quoted(names(charts)), 10), ".") else "Add one, as `chart_histogram(x = honey_kg)`.")
  }
  chart <- charts[[name]]
  if (inherits(chart, "neatsieve_charts")) {
    if (is.null(subset) || !subset %in% names(chart)) stop_neatly("run", "This figure is one per subset; say which.", NULL, paste0("Write `subset = ` and one of ", listed(quoted(names(chart)), 10, "or"), "."))
    chart <- chart[[subset]]
  }
  structure(if (is.null(chart$data)) data.frame() else chart$data, panels = chart$panels)
}

read_step_chart_histogram <- function(spec, context) {
  if (is.character(spec)) spec <- list(x = spec)
  spec <- plan_arguments(spec, c("x", "panels", "width", "axes", "title", "name"), context)
  if (is.null(spec$x)) stop_neatly("plan", "`chart_histogram` needs `x`.", context$where, "Write `x: honey_kg`.")
  new_chart_histogram(plan_expression(spec$x, context$plan, c(context$keys, list("x"))), keys_from_plan(spec$panels, context$where), spec$width,
                      if (is.null(spec$axes)) "shared" else spec$axes, spec$title, control_name(spec$name, "chart_histogram"))
}
