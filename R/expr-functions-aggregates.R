# Aggregates of the language: statistics of a group of rows.

# How each is worked out is the backend's business: see backend-memory-aggregates.R.
define_aggregate <- function(name, params, gives, help, example,
                             absent = "left out; absent when no value is present", usage = NULL,
                             check = function(node, typing) NULL,
                             type = function(lang, typing) type_aggregate(name, lang, typing)) {
  define_function(name, "aggregates", params, gives, emit_aggregate, help = help, absent = absent,
                  example = example, usage = usage, type = type, aggregate = TRUE, check = check)
}

# Middles of dates are dates.
mean_type <- function(args) {
  if (args$x$kind %in% c("date", "date-time")) type_part(args$x) else new_type("number")
}
x_number <- function() takes("numeric")

# count(x > 2) would count where it is known, which nobody means.
check_counted_values <- function(node, typing) {
  x <- node$args$x
  if (is.null(x) || x$kind != "logical" || x$node != "call") return()
  stop_neatly("expression",
              paste0("`", node$text, "` would count the rows where `", x$text,
                     "` is known, whether it is yes or no."), where_of(typing),
              paste0("Write `count_true(", x$text, ")` for how many rows are yes, or `share(",
                     x$text, ")` for their share of those that are known."))
}
define_aggregate("count", list(x = optional("any")), "whole",
  "How many rows there are, or how many values of the column `x` are present.",
  "count(by = apiary)", "not counted; 0 when there are none", "count(x)",
  check = check_counted_values)
define_aggregate("count_true", list(x = takes("logical")), "whole",
  "For how many rows a condition is yes.", "count_true(queen_seen, by = apiary)",
  "unknown is not counted", "count_true(cond)")
define_aggregate("share", list(x = takes("logical"), weights = optional("numeric")), "number",
  "Share of rows for which a condition is yes: yes / (yes + no).",
  "share(mites_per_100 > 3, by = apiary)", "unknown is left out", "share(cond)")

define_aggregate("sum", list(x = x_number(), weights = optional("numeric")), both_whole,
  "Sum, with compensation for rounding; with `weights`, of value times weight.",
  "sum(honey_kg, by = apiary)", "left out; 0 when no value is present", "sum(x, weights)")
define_aggregate("mean", list(x = takes("numeric", "dated"), weights = optional("numeric")),
  mean_type,
  paste0("Mean (of dates, the day it falls on); with `weights`, the sum of value times weight ",
    "over the sum of weights."),
  "mean(hive_weight_kg, by = apiary)", usage = "mean(x, weights)")
check_weights <- function(node, typing) {
  if (is.null(node$args$weights) || node$args$x$kind %in% numeric_kinds) return()
  stop_neatly("expression",
              paste0("`", node$fn, "()` weighs numbers, and `", node$args$x$text, "` is ",
                     kind_words(node$args$x), "."), where_of(typing),
              "Leave `weights` out.")
}
define_aggregate("median", list(x = takes("numeric", "dated"), weights = optional("numeric")),
  mean_type,
  paste(
    paste0("Middle value; the mean of the two middle ones (of dates the earlier day, where that ",
           "falls between two)."),
        "With `weights`, the value at which half of all weight is reached."),
  "median(honey_kg, by = apiary)", usage = "median(x, weights)", check = check_weights)
define_aggregate("var", list(x = x_number()), "number",
  "Variance with n - 1 below; absent for fewer than two values.", "var(honey_kg)")
define_aggregate("sd", list(x = x_number()), "number", "Standard deviation, the root of `var()`.",
  "sd(honey_kg, by = apiary)")
define_aggregate("se", list(x = x_number()), "number",
  "Standard error of the mean, sd / sqrt(n).", "se(honey_kg)")
check_ordered <- function(node, typing) {
  x <- node$args$x
  guard_text_order(x, paste0("`", node$text, "`"), typing)
  if (x$kind != "category" || isTRUE(x$ordered)) return()
  stop_neatly("expression", paste0("`", x$text, "` is a category without an order, so it has no ",
                                   if (node$fn == "min") "smallest" else "largest", " value."),
              where_of(typing),
              paste0("Give it one with `as_category(", x$text,
                     ", c(...), ordered = TRUE)`, or `ordered =` of `study()`."))
}
comparable <- function() takes("numeric", "dated", "textual")
define_aggregate("min", list(x = comparable()), "same",
  "Smallest value: of numbers, dates, ordered categories, or texts by code point.",
  "min(visit_date, by = hive)", check = check_ordered)
define_aggregate("max", list(x = comparable()), "same",
  "Largest value: of numbers, dates, ordered categories, or texts by code point.",
  "max(honey_kg, by = hive)", check = check_ordered)
define_aggregate("extent", list(x = takes("numeric", "dated")), "number",
  "Largest less smallest value; of dates and date-times in days.", "extent(hive_weight_kg)")
define_aggregate("iqr", list(x = x_number()), "number",
  "Distance between the quartiles (type 7).", "iqr(hive_weight_kg)")
define_aggregate("mad", list(x = x_number()), "number",
  "Median distance from the median, times 1.4826.", "mad(mites_per_100, by = apiary)")
check_quantile <- function(node, typing) {
  p <- node$args$p
  type <- node$args$type
  if (p$value < 0 || p$value > 1) {
    stop_neatly("expression",
                paste0("`p` of `quantile()` lies between 0 and 1, not ", shown_constant(p), "."),
                where_of(typing))
  }
  if (!type$value %in% 1:9) {
    stop_neatly("expression",
                paste0("`type` of `quantile()` is one of 1 to 9, not ", shown_constant(type), "."),
                where_of(typing))
  }
  check_weights(node, typing)
  told <- "type" %in% names(str2lang(node$text))
  if (!is.null(node$args$weights) && (told && type$value != 2)) {
    stop_neatly("expression", "`quantile()` with `weights` is of type 2 alone.", where_of(typing),
                "Leave `type` out.")
  }
}
define_aggregate("quantile",
  list(x = takes("numeric", "dated"), p = constant("numeric"),
    type = constant("numeric", default = 7), weights = optional("numeric")),
  mean_type,
  paste(
    paste0("Quantile by one of the nine types of Hyndman and Fan (1996). With `weights`, the ",
           "smallest value up to which the"),
        paste0("share `p` of all weight lies (the mean of it and the next where it is exactly ",
               "`p`, as type 2).")),
  "quantile(hive_weight_kg, 0.9, by = apiary)", usage = "quantile(x, p, type = 7, weights)",
  check = check_quantile)
define_aggregate("most_frequent", list(x = takes("any")), "same",
  paste0("The value met most often; of several, the first in order (smallest, by code point, by ",
    "category)."),
  "most_frequent(treatment, by = apiary)")
define_aggregate("count_different", list(x = takes("any")), "whole",
  "How many different values there are.", "count_different(hive, by = apiary)", "not counted")
check_order <- function(node, typing) {
  order <- node$args$order
  if (is.null(order) || order$kind != "category" || isTRUE(order$ordered)) return()
  stop_neatly("expression",
              paste0("`order` of `", node$fn, "()` is `", order$text,
                     "`, a category without an order."), where_of(typing),
              "Take a number, a date or text.")
}
define_aggregate("first", list(x = takes("any"), order = optional("any")), "same",
  paste0("The first present value in the order of the rows, or, with `order`, that of the row ",
    "where `order` is smallest."),
  "first(temper, order = visit_date, by = hive)", usage = "first(x, order)", check = check_order)
define_aggregate("last", list(x = takes("any"), order = optional("any")), "same",
  paste0("The last present value in the order of the rows, or, with `order`, that of the row ",
    "where `order` is largest."),
  "last(honey_kg, order = visit_date, by = hive)", usage = "last(x, order)", check = check_order)
define_aggregate("any_true", list(x = takes("logical")), "logical",
  "Whether a condition is yes for any row.", "any_true(mites_per_100 > 5, by = hive)",
  usage = "any_true(cond)")
define_aggregate("all_true", list(x = takes("logical")), "logical",
  "Whether a condition is yes for all rows where it can be decided.",
  "all_true(queen_seen, by = hive)", usage = "all_true(cond)")
define_aggregate("prod", list(x = x_number()), "number", "Product of the values; 1 of none.",
  "prod(1 + honey_kg / 1000, by = hive)", "left out; 1 when no value is present")
define_aggregate("geometric_mean", list(x = x_number()), "number",
  "The n-th root of the product of n values; absent when one of them is negative, 0 when one is 0.",
  "geometric_mean(mites_per_100)")
define_aggregate("skewness", list(x = x_number()), "number",
  paste0("Third central moment over the second to the power 1.5, both over n (g1 ",
    "of Joanes and Gill 1998)."),
  "skewness(mites_per_100)")
define_aggregate("kurtosis", list(x = x_number()), "number",
  paste0("Fourth central moment over the square of the second, less 3, both over ",
    "n (g2 of Joanes and Gill 1998)."),
  "kurtosis(mites_per_100)")

interval_params <- function() {
  list(x = takes("numeric", "logical"), level = constant("numeric", default = 0.95))
}
check_level <- function(node, typing) {
  level <- node$args$level
  if (level$value > 0 && level$value < 1) return()
  hint <- if (level$value > 1 && level$value < 100)
    paste0("For ", level$value, " percent write `level = ", level$value / 100, "`.")
  stop_neatly("expression",
              paste0("`level` of `", node$fn, "()` lies between 0 and 1, not ",
                     shown_constant(level), "."), where_of(typing), hint)
}
define_aggregate("ci_low", interval_params(), "number",
  paste0("Lower end of the confidence interval of a mean (Student's t), or of the share of a ",
    "condition (Wilson 1927)."),
  "ci_low(hive_weight_kg, by = apiary)", check = check_level)
define_aggregate("ci_high", interval_params(), "number", "Upper end of that interval.",
  "ci_high(queen_seen, by = apiary)", check = check_level)

define_aggregate("cor",
  list(x = x_number(), y = x_number(), method = constant("text", default = "pearson")), "number",
  "Correlation over the rows where both values are present: Pearson's, or Spearman's of ranks.",
  "cor(hive_weight_kg, honey_kg, by = apiary)",
  check = function(node, typing) {
    method <- node$args$method
    if (method$value %in% c("pearson", "spearman")) return()
    stop_neatly("expression",
                paste0("`method` of `cor()` is \"pearson\" or \"spearman\", not ",
                       shown_constant(method), "."), where_of(typing))
  })

# An R function of the user's, given the present and absent values of one group. It is taken
# from the session when the expression is captured, never from a plan file.
define_aggregate("custom", list(f = takes("any"), x = takes("any")), "number",
  "One number per group from an R function of your own, called with the group's values of `x`.",
  "custom(median_of_present, honey_kg)", "handed to the function", "custom(f, x)",
  type = function(lang, typing) type_custom(lang, typing))
