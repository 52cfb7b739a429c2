# Aggregates of ordered values: least, greatest, first, last, quantiles.

check_ordered <- function(node, typing) {
  x <- node$args$x
  guard_text_order(x, paste0("`", node$text, "`"), typing)
  if (x$kind != "category" || isTRUE(x$ordered)) return()
  stop_neatly(
    "expression",
    paste0(
      "`", x$text, "` is a category without an order, so it has no ",
      if (node$fn == "min") "smallest" else "largest", " value."
    ),
    where_of(typing),
    paste0(
      "Give it one with `as_category(", x$text,
      ", c(...), ordered = TRUE)`, or `ordered =` of `study()`."
    )
  )
}
comparable <- function() takes("numeric", "dated", "textual")
define_aggregate(
  "min",
  list(x = comparable()),
  "same",
  "Smallest value: of numbers, dates, ordered categories, or texts by code point.",
  "min(visit_date, by = hive)",
  check = check_ordered,
  compute = of_x(function(x, a) moments_of(x, a)$min),
  in_sql = TRUE
)
define_aggregate(
  "max",
  list(x = comparable()),
  "same",
  "Largest value: of numbers, dates, ordered categories, or texts by code point.",
  "max(honey_kg, by = hive)",
  check = check_ordered,
  compute = of_x(function(x, a) moments_of(x, a)$max),
  in_sql = TRUE
)
define_aggregate(
  "extent",
  list(x = takes("numeric", "dated")),
  "number",
  "Largest less smallest value; of dates and date-times in days.",
  "extent(hive_weight_kg)",
  compute = of_x(function(x, a) {
    extent <- moments_of(x, a)$max - moments_of(x, a)$min
    if (x$kind == "date-time") extent / 86400 else extent
  }),
  in_sql = TRUE
)
define_aggregate(
  "iqr",
  list(x = x_number()),
  "number",
  "Distance between the quartiles (type 7).",
  "iqr(hive_weight_kg)",
  compute = of_x(function(x, a) {
    q <- quantiles_of(x, a, c(0.25, 0.75))
    q[, 2] - q[, 1]
  }),
  in_sql = TRUE
)
define_aggregate(
  "mad",
  list(x = x_number()),
  "number",
  "Median distance from the median, times 1.4826.",
  "mad(mites_per_100, by = apiary)",
  compute = of_x(function(x, a) shape_of(x, a, "mad"))
)
check_quantile <- function(node, typing) {
  p <- node$args$p
  type <- node$args$type
  if (p$value < 0 || p$value > 1) {
    stop_neatly(
      "expression",
      paste0(
        "`p` of `quantile()` lies between 0 and 1, not ", shown_constant(p), "."
      ),
      where_of(typing)
    )
  }
  if (!type$value %in% 1:9) {
    stop_neatly(
      "expression",
      paste0(
        "`type` of `quantile()` is one of 1 to 9, not ", shown_constant(type),
        "."
      ),
      where_of(typing)
    )
  }
  check_weights(node, typing)
  is_given <- "type" %in% names(str2lang(node$text))
  if (!is.null(node$args$weights) && (is_given && type$value != 2)) {
    stop_neatly(
      "expression",
      "`quantile()` with `weights` is of type 2 alone.",
      where_of(typing),
      "Leave `type` out."
    )
  }
}
define_aggregate(
  "quantile",
  list(
    x = takes("numeric", "dated"),
    p = constant("numeric"),
    type = constant("numeric", default = 7),
    weights = optional("numeric")
  ),
  mean_type,
  paste(
    paste0(
      "Quantile by one of the nine types of Hyndman and Fan (1996). With ",
      "`weights`, the ",
      "smallest value up to which the"
    ),
    paste0(
      "share `p` of all weight lies (the mean of it and the next where it is ",
      "exactly ",
      "`p`, as type 2)."
    )
  ),
  "quantile(hive_weight_kg, 0.9, by = apiary)",
  usage = "quantile(x, p, type = 7, weights)",
  check = check_quantile,
  compute = function(args, a, node) {
    p <- args$p$value
    if (!is.null(args$weights)) {
      return(weighted_quantile(args$x, args$weights, a, p, node))
    }
    quantiles_of(args$x, a, p, as.integer(args$type$value))[, 1]
  },
  in_sql = TRUE
)
