# Aggregates: one value per group of rows. An aggregation (`a`) holds the frame,
# the rows and their grouping, and caches what was computed for a column for the
# next statistic. The class of the grouping decides where aggregates are
# computed.

new_aggregation <- function(frame, rows, grouping) {
  a <- new_record(
    "aggregation",
    list(
      frame = frame,
      rows = rows,
      grouping = grouping,
      known = new.env(parent = emptyenv())
    )
  )
  class(a) <- c(sub("grouping$", "aggregation", class(grouping)[1]), class(a))
  a
}

# The values of an argument for all rows of the frame, as numbers the core can
# take: texts and categories as ranks, conditions as 0 and 1.
aggregate_vector <- function(node, a) UseMethod("aggregate_vector", a)

# Numbers of an argument by group: n, absent, sum, mean, var, min, max;
# quantiles, a column for each of `probs`; the shape that `what` names.
moments_of <- function(node, a) UseMethod("moments_of", a)
quantiles_of <- function(node, a, probs, type = 7L) UseMethod("quantiles_of", a)
shape_of <- function(node, a, what) UseMethod("shape_of", a)

# n, absent, mean, sd, min, quartiles, max of a column.
default_statistics <- function(node, a) UseMethod("default_statistics", a)
#' @export
default_statistics.default <- function(node, a) {
  named_figures(moments_of(node, a), quantiles_of(node, a, c(0.25, 0.5, 0.75)))
}
named_figures <- function(m, q) {
  list(
    n = m$n,
    absent = m$absent,
    mean = m$mean,
    sd = sqrt(m$var),
    min = m$min,
    q1 = q[, 1],
    median = q[, 2],
    q3 = q[, 3],
    max = m$max
  )
}

# The values of one aggregate, and those of texts and categories, which it gives
# as codes or as they are.
aggregate_computed <- function(node, a) UseMethod("aggregate_computed", a)
aggregated_texts <- function(values, node, a) UseMethod("aggregated_texts", a)

# The aggregation over all rows that entered the step, as one group; over the
# rows where a condition is yes; how many rows have both of two arguments.
aggregation_over_play <- function(a) UseMethod("aggregation_over_play", a)
aggregation_where <- function(a, where) UseMethod("aggregation_where", a)
rows_with_both <- function(args, a) UseMethod("rows_with_both", a)

# Weighted: sums of value times weight and of weights; a quantile; the numbers
# that moments are made of, see weighted_moments(); the ends of values whose
# weight is above 0.
weighted_sums <- function(x, weights, a) UseMethod("weighted_sums", a)
weighted_quantile <- function(x, weights, a, p, node) {
  UseMethod("weighted_quantile", a)
}
weighted_numbers <- function(args, a) UseMethod("weighted_numbers", a)
weighted_ends <- function(x, weights, a) UseMethod("weighted_ends", a)

# Groups of the rows in play, and the codes of a key in the order that groups
# appear in, with the values that codes stand for. rows: numbers of rows of the
# frame, NULL: all, or what stands for rows that are elsewhere.
group_rows <- function(nodes, frame, rows) UseMethod("group_rows", rows)
key_codes <- function(node, frame, rows) UseMethod("key_codes", rows)

# How many rows have all of the nodes of each list, and of all lists; NULL where
# nothing is absent or that is not known yet. How many rows an aggregate beside
# rows is taken over (`taken`), and how many were held back before (`held`).
complete_rows <- function(args, frame, rows) UseMethod("complete_rows", rows)
rows_taken <- function(frame, rows) UseMethod("rows_taken", rows)
