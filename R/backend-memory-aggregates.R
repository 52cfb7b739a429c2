# Aggregates of the language: statistics of a group of rows, one definition
# each.

# compute(args, a, node): one value for each group of `a`, an aggregation; see
# backend-memory-summary.R. in_sql: whether it is made of counts, moments and
# quantiles alone, which databases are asked for.
define_aggregate <- function(
  name, params, gives, help, example,
  absent = "left out; absent when no value is present", usage = NULL,
  check = function(node, typing) NULL,
  type = function(lang, typing) type_aggregate(name, lang, typing), compute,
  in_sql = FALSE
) {
  define_function(
    name,
    "aggregates",
    params,
    gives,
    function(...) emit_aggregate(...),
    help = help,
    absent = absent,
    example = example,
    usage = usage,
    type = type,
    aggregate = TRUE,
    check = check,
    compute = compute,
    in_sql = in_sql
  )
}
of_x <- function(compute) function(args, a, node) compute(args$x, a)

# The mean or median of dates is a date.
mean_type <- function(args) {
  if (args$x$kind %in% c("date", "date-time")) {
    type_part(args$x)
  } else {
    new_type("number")
  }
}
x_number <- function() takes("numeric")

# count(x > 2) would count known values of the condition, which nobody means.
check_counted_values <- function(node, typing) {
  x <- node$args$x
  if (is.null(x) || x$kind != "logical" || x$node != "call") return()
  stop_neatly(
    "expression",
    paste0(
      "`", node$text, "` would count the rows where `", x$text,
      "` is known, whether it is yes or no."
    ),
    where_of(typing),
    paste0(
      "Write `count_true(", x$text, ")` for how many rows are yes, or `share(",
      x$text, ")` for their share of those that are known."
    )
  )
}
define_aggregate(
  "count",
  list(x = optional("any")),
  "whole",
  "How many rows there are, or how many values of the column `x` are present.",
  "count(by = apiary)",
  "not counted; 0 when there are none",
  "count(x)",
  check = check_counted_values,
  compute = function(args, a, node) {
    if (is.null(args$x)) a$grouping$rows_per_group else moments_of(args$x, a)$n
  },
  in_sql = TRUE
)
define_aggregate(
  "count_true",
  list(x = takes("logical")),
  "whole",
  "For how many rows a condition is yes.",
  "count_true(queen_seen, by = apiary)",
  "unknown is not counted",
  "count_true(cond)",
  compute = of_x(function(x, a) moments_of(x, a)$sum |> zero_for_none()),
  in_sql = TRUE
)
define_aggregate(
  "share",
  list(x = takes("logical"), weights = optional("numeric")),
  "number",
  "Share of rows for which a condition is yes: yes / (yes + no).",
  "share(mites_per_100 > 3, by = apiary)",
  "unknown is left out",
  "share(cond)",
  compute = function(args, a, node) {
    if (is.null(args$weights)) {
      moments_of(args$x, a)$mean
    } else {
      weighted_mean(args$x, args$weights, a)
    }
  },
  in_sql = TRUE
)

define_aggregate(
  "sum",
  list(x = x_number(), weights = optional("numeric")),
  both_whole,
  "Sum, with compensation for rounding; with `weights`, of value times weight.",
  "sum(honey_kg, by = apiary)",
  "left out; 0 when no value is present",
  "sum(x, weights)",
  compute = function(args, a, node) {
    if (is.null(args$weights)) {
      ifelse(moments_of(args$x, a)$n == 0, 0, moments_of(args$x, a)$sum)
    } else {
      weighted_sums(args$x, args$weights, a)$sum
    }
  },
  in_sql = TRUE
)
define_aggregate(
  "mean",
  list(x = takes("numeric", "dated"), weights = optional("numeric")),
  mean_type,
  paste0(
    "Mean (of dates, the day it falls on); with `weights`, the sum of value ",
    "times weight ",
    "over the sum of weights."
  ),
  "mean(hive_weight_kg, by = apiary)",
  usage = "mean(x, weights)",
  compute = function(args, a, node) {
    if (is.null(args$weights)) {
      moments_of(args$x, a)$mean
    } else {
      weighted_mean(args$x, args$weights, a)
    }
  },
  in_sql = TRUE
)
check_weights <- function(node, typing) {
  if (is.null(node$args$weights) || node$args$x$kind %in% numeric_kinds) {
    return()
  }
  stop_neatly(
    "expression",
    paste0(
      "`", node$fn, "()` weighs numbers, and `", node$args$x$text, "` is ",
      kind_words(node$args$x), "."
    ),
    where_of(typing),
    "Leave `weights` out."
  )
}
define_aggregate(
  "median",
  list(x = takes("numeric", "dated"), weights = optional("numeric")),
  mean_type,
  paste(
    paste0(
      "Middle value; the mean of the two middle ones (of dates the earlier ",
      "day, where that ",
      "falls between two)."
    ),
    "With `weights`, the value at which half of all weight is reached."
  ),
  "median(honey_kg, by = apiary)",
  usage = "median(x, weights)",
  check = check_weights,
  compute = function(args, a, node) {
    if (is.null(args$weights)) {
      quantiles_of(args$x, a, 0.5)[, 1]
    } else {
      weighted_quantile(args$x, args$weights, a, 0.5, node)
    }
  },
  in_sql = TRUE
)
error_params <- function() {
  list(
    x = x_number(),
    weights = optional("numeric"),
    cluster = optional("any"),
    strata = optional("any")
  )
}
define_aggregate(
  "var",
  list(x = x_number(), weights = optional("numeric")),
  "number",
  paste0(
    "Variance: squares about the mean divided by n - 1; absent for fewer than ",
    "two values. With `weights`, see `sampling()` and `repeats()`."
  ),
  "var(honey_kg)",
  usage = "var(x, weights)",
  check = function(node, typing) check_kind_of_weights(node, typing),
  compute = function(args, a, node) {
    if (is_weighted(args)) {
      weighted_moments(args, a)$var
    } else {
      moments_of(args$x, a)$var
    }
  },
  in_sql = TRUE
)
define_aggregate(
  "sd",
  list(x = x_number(), weights = optional("numeric")),
  "number",
  "Standard deviation, the root of `var()`.",
  "sd(honey_kg, by = apiary)",
  usage = "sd(x, weights)",
  check = function(node, typing) check_kind_of_weights(node, typing),
  compute = function(args, a, node) {
    sqrt(
      if (is_weighted(args)) {
        weighted_moments(args, a)$var
      } else {
        moments_of(args$x, a)$var
      }
    )
  },
  in_sql = TRUE
)
define_aggregate(
  "se",
  error_params(),
  "number",
  paste0(
    "Standard error of the mean, sd / sqrt(n). With sampling weights, by ",
    "Taylor ",
    "linearisation (Binder 1983): sqrt(n / (n - 1) * sum(w^2 * (x - mean)^2)) ",
    "/ sum(w); with ",
    "`cluster` the sums of clusters take the place of rows, in each of the ",
    "`strata`, which ",
    "allows for rows of one cluster that are alike. Of groups, clusters ",
    "without a row in ",
    "them count, too. Without both, those of the `design` of `study()` hold, ",
    "where it has ",
    "one."
  ),
  "se(honey_kg, cluster = hive)",
  usage = "se(x, weights, cluster, strata)",
  check = function(node, typing) check_kind_of_weights(node, typing),
  compute = function(args, a, node) {
    if (is_weighted(args)) return(weighted_moments(args, a)$se)
    sqrt(moments_of(args$x, a)$var / moments_of(args$x, a)$n)
  },
  in_sql = TRUE
)
