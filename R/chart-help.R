#' Charts
#'
#' Charts are steps: each draws the current rows, and all rows go on.
#'
#' | chart | shows |
#' |---|---|
#' | [chart_histogram()], [chart_density()], [chart_cumulative()] | distribution of a number |
#' | [chart_box()], [chart_violin()], [chart_strip()] | distribution of a number in groups |
#' | [chart_interval()] | means or medians of groups with intervals |
#' | [chart_scatter()], [chart_line()] | one number against another, or along a date |
#' | [chart_bar()], [chart_heat()] | counts or a statistic for one key, or for two |
#' | [chart_absence()] | where values are missing |
#' | [chart_flow()], [chart_overlap()] | what became of the rows; sizes of intersections |
#'
#' Instead of a column you may write an expression, a criterion or a name as
#' text: `x = year(visit_date)`. Labels and measures come from the [study()].
#' Every panel says its n and how many values are absent; the caption says which
#' rows these are (criteria spelled out), what lies outside a `window`, and how
#' curves, boxes and intervals are made. Infinite values are counted and not
#' drawn.
#'
#' Most charts take `weights = sampling(w)` or `repeats(w)`: bars and bins are
#' sums of weights, and statistics, quartiles, densities and shares are
#' weighted. [chart_interval()] of means allows for the `design` of a study.
#'
#' After [subsets()] there is a list of figures, one per subset, on the same
#' scales (`axes = "own"`: each on its own). `panels = subsets()` puts the
#' subsets side by side in one figure. Figures are ggplot objects: add to them
#' with `+`, save them with [save_figure()], and get their numbers with
#' [chart_data()]. Each has a text alternative
#' (`ggplot2::get_alt_text(figure)`).
#'
#' A figure shows at most 400 panels, and at most 2,000 groups on an axis or in
#' colours; more is an error of class `neatsieve_error_run`. The number of rows
#' drawn one by one is limited (5,000 points of a scatter plot, 1,000 of a
#' strip's group, about 400 values beyond whiskers), and the caption says how
#' many there are.
#' @seealso [chart_data()], [save_figure()]
#' @name neatsieve_charts
NULL
