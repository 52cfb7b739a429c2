# Computes the numbers of charts in memory, each in one pass of the core.

#' @export
summarise_for_chart.neatsieve_memory <- function(relation, request, ...) {
  of_charts <- c(chart_requests, weighed_requests)
  of_charts[[request]](relation$rows, relation$frame$n, thread_count(), ...)
}

chart_requests <- list(
  spread = function(rows, n, threads, values, window, most) {
    core_spread(values, rows, window, most, threads)
  },
  bins = function(rows, n, threads, values, grouping, bins, window) {
    core_bin_counts(values, rows, grouping, bins, window, threads)
  },
  tiles = function(rows, n, threads, x, y, grouping, across, up, windows) {
    core_tile_counts(
      x, y, rows, grouping, across, up, windows$x, windows$y, threads
    )
  },
  present = function(rows, n, threads, vectors, grouping, windows = NULL) {
    if (is.null(windows)) windows <- vector("list", length(vectors))
    core_count_present(vectors, windows, rows, grouping, threads)
  },
  beyond = function(rows, n, threads, values, fences, window, most) {
    core_values_beyond(values, rows, fences[1], fences[2], window, most)
  },
  boxes = function(rows, n, threads, values, grouping, most) {
    core_boxes(values, grouping, rows, most, threads)
  },
  densities = function(
    rows, n, threads, values, grouping, bandwidth, points, window
  ) {
    core_densities(
      values,
      grouping,
      rows,
      if (is.null(bandwidth)) 0 else bandwidth,
      points,
      window,
      threads
    )
  },
  cumulative = function(rows, n, threads, values, grouping, most) {
    core_cumulative(values, grouping, rows, most, threads)
  },
  moments = function(rows, n, threads, values, grouping) {
    core_moments(values, grouping, rows, threads)
  },
  quantiles = function(rows, n, threads, values, grouping, probs) {
    core_quantiles(values, grouping, rows, probs, 7L, threads)
  },
  order_statistics = function(rows, n, threads, values, grouping, places) {
    core_order_statistics(values, grouping, rows, places, threads)
  },
  pair_ends = function(rows, n, threads, x, y, windows) {
    core_pair_ends(x, y, rows, windows$x, windows$y, threads)
  },
  groups = function(rows, n, threads, grouping) core_groups_of_rows(grouping, n)
)

# Edges of the bins that a choice of bins makes.
edges_of_bins <- function(bins) {
  core_bin_edges(bins)
}

# The places (from 1) of a sample of at most `most` of `n` rows.
sampled_places <- function(n, most) core_sampled_places(n, most)
