#' Charts
#'
#' Charts are steps that record a figure of the rows in play at their place and
#' let the rows through.
#'
#' | chart | shows |
#' |---|---|
#' | [chart_histogram()], [chart_density()], [chart_cumulative()] | how a number is spread |
#' | [chart_box()], [chart_violin()], [chart_strip()] | spread of a number in the groups of a key |
#' | [chart_interval()] | means or medians of groups with intervals |
#' | [chart_scatter()], [chart_line()] | a number against or along another, or a date |
#' | [chart_bar()], [chart_heat()] | counts or a statistic for one key, or for two |
#' | [chart_absence()] | where values are missing |
#' | [chart_flow()], [chart_overlap()] | the rows' way through the steps; sizes of intersections |
#'
#' Wherever a column may stand so may an expression, criterion or text name:
#' `x = year(visit_date)`. Labels and measures come from the [study()]. Every
#' panel says its n and how many values are absent; the caption says which rows
#' these are (criteria spelled out), what lies outside a `window`, and how
#' curves, boxes and intervals are made. Infinite values are counted and not
#' drawn.
#'
#' Most charts take `weights = sampling(w)` or `repeats(w)`: bars and bins are
#' sums of weights, and statistics, quartiles, densities and shares are
#' weighted. [chart_interval()] of means allows for the `design` of a study.
#'
#' After [subsets()] there is one figure per subset, as a list, on the same
#' scales (`axes = "own"`: each its own); `panels = subsets()` puts the subsets
#' side by side in one figure on one scale. Figures are ggplot objects: add to
#' them with `+`, write them with [save_figure()], and ask for their numbers
#' with [chart_data()]. Each carries a text alternative
#' (`ggplot2::get_alt_text(figure)`).
#'
#' A figure shows at most 400 panels and 2,000 groups on an axis or in colours;
#' more is an error of class `neatsieve_error_run`. Rows drawn one by one are
#' capped (5,000 points of a scatter plot, 1,000 of a strip's group, about 400
#' values beyond whiskers), and the caption says how many there are.
#' @seealso [chart_data()], [save_figure()]
#' @name neatsieve_charts
NULL
