# Aggregates that need all values of a group, or intervals; see
# backend-memory-aggregates.R.

define_aggregate(
  "most_frequent",
  list(x = takes("any")),
  "same",
  paste0(
    "The value met most often; of several, the first in order (smallest, by ",
    "code point, by ",
    "category)."
  ),
  "most_frequent(treatment, by = apiary)",
  compute = of_x(function(x, a) shape_of(x, a, "most_frequent"))
)
define_aggregate(
  "count_different",
  list(x = takes("any")),
  "whole",
  "How many different values there are.",
  "count_different(hive, by = apiary)",
  "not counted",
  compute = of_x(function(x, a) shape_of(x, a, "count_different")),
  in_sql = TRUE
)
check_order <- function(node, typing) {
  order <- node$args$order
  if (is.null(order) || order$kind != "category" || isTRUE(order$ordered)) {
    return()
  }
  stop_neatly(
    "expression",
    paste0(
      "`order` of `", node$fn, "()` is `", order$text,
      "`, a category without an order."
    ),
    where_of(typing),
    "Take a number, a date or text."
  )
}
define_aggregate(
  "first",
  list(x = takes("any"), order = optional("any")),
  "same",
  paste0(
    "The first present value in the order of the rows, or, with `order`, that ",
    "of the row ",
    "where `order` is smallest."
  ),
  "first(temper, order = visit_date, by = hive)",
  usage = "first(x, order)",
  check = check_order,
  compute = function(args, a, node) value_at_end(args, a, "first")
)
define_aggregate(
  "last",
  list(x = takes("any"), order = optional("any")),
  "same",
  paste0(
    "The last present value in the order of the rows, or, with `order`, that ",
    "of the row ",
    "where `order` is largest."
  ),
  "last(honey_kg, order = visit_date, by = hive)",
  usage = "last(x, order)",
  check = check_order,
  compute = function(args, a, node) value_at_end(args, a, "last")
)
define_aggregate(
  "any_true",
  list(x = takes("logical")),
  "logical",
  "Whether a condition is yes for any row.",
  "any_true(mites_per_100 > 5, by = hive)",
  usage = "any_true(cond)",
  compute = of_x(function(x, a) moments_of(x, a)$max),
  in_sql = TRUE
)
define_aggregate(
  "all_true",
  list(x = takes("logical")),
  "logical",
  "Whether a condition is yes for all rows where it can be decided.",
  "all_true(queen_seen, by = hive)",
  usage = "all_true(cond)",
  compute = of_x(function(x, a) moments_of(x, a)$min),
  in_sql = TRUE
)
define_aggregate(
  "prod",
  list(x = x_number()),
  "number",
  "Product of the values; 1 of none.",
  "prod(1 + honey_kg / 1000, by = hive)",
  "left out; 1 when no value is present",
  compute = function(args, a, node) shape_of(args$x, a, "product")
)
define_aggregate(
  "geometric_mean",
  list(x = x_number()),
  "number",
  "The n-th root of the product of n values; absent when one of them is negative, 0 when one is 0.",
  "geometric_mean(mites_per_100)",
  compute = function(args, a, node) {
    values <- as.double(aggregate_vector(args$x, a))
    logs <- core_moments(
      suppressWarnings(log(values)), a$grouping, a$rows, thread_count()
    )
    out <- exp(logs$mean)
    out[moments_of(args$x, a)$min < 0] <- NA
    out
  }
)
define_aggregate(
  "trimmed_mean",
  list(x = x_number(), share = constant("numeric", default = 0.1)),
  "number",
  paste0(
    "Mean of what is left when `share` of the values is left out at each end: ",
    "floor(share * n) values; with 0.5 the median."
  ),
  "trimmed_mean(mites_per_100, 0.1, by = apiary)",
  usage = "trimmed_mean(x, share = 0.1)",
  check = function(node, typing) {
    share <- node$args$share
    if (share$value >= 0 && share$value <= 0.5) return()
    stop_neatly(
      "expression",
      paste0(
        "`share` of `trimmed_mean()` lies between 0 and 0.5, not ",
        shown_constant(share), "."
      ),
      where_of(typing),
      "It is what is left out at each end."
    )
  },
  compute = function(args, a, node) {
    core_trimmed_mean(
      as.double(aggregate_vector(args$x, a)),
      a$grouping,
      a$rows,
      args$share$value,
      thread_count()
    )
  }
)
define_aggregate(
  "skewness",
  list(x = x_number()),
  "number",
  paste0(
    "Third central moment over the second to the power 1.5, both over n (g1 ",
    "of Joanes and Gill 1998)."
  ),
  "skewness(mites_per_100)",
  compute = of_x(function(x, a) shape_of(x, a, "skewness"))
)
define_aggregate(
  "kurtosis",
  list(x = x_number()),
  "number",
  paste0(
    "Fourth central moment over the square of the second, less 3, both over ",
    "n (g2 of Joanes and Gill 1998)."
  ),
  "kurtosis(mites_per_100)",
  compute = of_x(function(x, a) shape_of(x, a, "kurtosis"))
)

interval_params <- function() {
  list(
    x = takes("numeric", "logical"),
    level = constant("numeric", default = 0.95),
    weights = optional("numeric"),
    cluster = optional("any"),
    strata = optional("any")
  )
}
check_level <- function(node, typing) {
  check_kind_of_weights(node, typing)
  level <- node$args$level
  if (level$value > 0 && level$value < 1) return()
  hint <- if (level$value > 1 && level$value < 100) {
    paste0(
      "For ", level$value, " percent write `level = ", level$value / 100, "`."
    )
  }
  stop_neatly(
    "expression",
    paste0(
      "`level` of `", node$fn, "()` lies between 0 and 1, not ",
      shown_constant(level), "."
    ),
    where_of(typing),
    hint
  )
}
define_aggregate(
  "ci_low",
  interval_params(),
  "number",
  paste0(
    "Lower end of the confidence interval of a mean (Student's t), or of the ",
    "share of a ",
    "condition (Wilson 1927). With weights or clusters by the error of ",
    "`se()`: of a mean with ",
    "the degrees of freedom n - 1, or clusters less strata; of a share ",
    "Wilson's with the number ",
    "of rows that would have this error."
  ),
  "ci_low(hive_weight_kg, by = apiary)",
  check = check_level,
  usage = "ci_low(x, level = 0.95, weights, cluster, strata)",
  compute = function(args, a, node) {
    if (is_weighted(args)) {
      weighted_interval(args, a)$low
    } else {
      interval(args$x, args$level$value, a)$low
    }
  },
  in_sql = TRUE
)
define_aggregate(
  "ci_high",
  interval_params(),
  "number",
  "Upper end of that interval.",
  "ci_high(queen_seen, by = apiary)",
  check = check_level,
  usage = "ci_high(x, level = 0.95, weights, cluster, strata)",
  compute = function(args, a, node) {
    if (is_weighted(args)) {
      weighted_interval(args, a)$high
    } else {
      interval(args$x, args$level$value, a)$high
    }
  },
  in_sql = TRUE
)

define_aggregate(
  "cor",
  list(
    x = x_number(),
    y = x_number(),
    method = constant("text", default = "pearson"),
    weights = optional("numeric")
  ),
  "number",
  paste0(
    "Correlation over the rows where both values are present: Pearson's, ",
    "Spearman's of ",
    "ranks, or Kendall's tau-b of pairs (Kendall 1945). Pearson's takes ",
    "`weights`."
  ),
  "cor(hive_weight_kg, honey_kg, by = apiary)",
  usage = "cor(x, y, method = \"pearson\", weights)",
  check = function(node, typing) {
    method <- node$args$method
    if (!is.null(node$args$weights) && method$value != "pearson") {
      stop_neatly(
        "expression",
        "`cor()` takes weights for Pearson's correlation alone.",
        where_of(typing),
        "Leave `weights` or `method` out."
      )
    }
    if (method$value %in% c("pearson", "spearman", "kendall")) return()
    stop_neatly(
      "expression",
      paste0(
        "`method` of `cor()` is \"pearson\", \"spearman\" or \"kendall\", not ",
        shown_constant(method), "."
      ),
      where_of(typing)
    )
  },
  compute = function(args, a, node) {
    if (!is.null(args$weights)) return(weighted_correlation(args, a))
    both <- masked_pair(args$x, args$y, a)
    core_correlation(
      both$x, both$y, a$grouping, a$rows, args$method$value, thread_count()
    )
  }
)

# An R function of the user's, given the present and absent values of one group.
# It is taken from the session when the expression is captured, never from a
# plan file.
define_aggregate(
  "custom",
  list(f = takes("any"), x = takes("any")),
  "number",
  "One number per group from an R function of your own, called with the group's values of `x`.",
  "custom(median_of_present, honey_kg)",
  "handed to the function",
  "custom(f, x)",
  type = function(lang, typing) type_custom(lang, typing),
  compute = function(args, a, node) values_of_custom(args, a, node)
)
