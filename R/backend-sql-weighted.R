# Weighted aggregates of groups in a database; see backend-memory-weighted.R.

# Sums of value times weight and of weights, where both are present.
#' @export
weighted_sums.neatsieve_sql_aggregation <- function(x, weights, a) {
  lapply(
    asked_layers(
      a,
      aggregated_together(list(x = x, w = weights), a),
      c(sum = "sum(x * w)", weight = "sum(w)"),
      adds = TRUE
    ),
    zero_for_none
  )
}

#' @export
weighted_quantile.neatsieve_sql_aggregation <- function(
  x, weights, a, p, node
) {
  both <- aggregated_together(list(x = x, w = weights), a)
  dialect <- a$rows$dialect
  # The share of weight so far is compared as the core does it.
  off <- paste0("(so_far - ", dialect$number(p), " * all_of_it)")
  exactly <- paste0("abs(", off, ") <= 4 * 2.3e-16 * all_of_it")
  got <- asked_layers(
    a,
    both,
    c(
      lowest = "min(w)",
      low = paste0(
        "min(CASE WHEN w > 0 AND (", exactly, " OR ", off, " > 0) THEN x END)"
      ),
      high = paste0(
        "min(CASE WHEN w > 0 AND NOT (", exactly, ") AND ", off,
        " > 0 THEN x END)"
      ),
      last = "max(CASE WHEN w > 0 THEN x END)"
    ),
    list(c(
      so_far = paste0(
        "sum(w) ",
        sub(
          ")$",
          " ROWS UNBOUNDED PRECEDING)",
          group_window(a, c("(x IS NULL)", "x"))
        )
      ),
      all_of_it = paste0("sum(w) ", group_window(a))
    ))
  )
  check_lowest_weight(got$lowest, node, weights, a)
  low <- ifelse(is.na(got$low), got$last, got$low)
  high <- ifelse(is.na(got$high), low, got$high)
  as.numeric(ifelse(low == high, low, low / 2 + high / 2))
}

# What weighted moments are made of: of rows with a value and a weight above 0
# their number, weight, mean, and sums of squares around it, weighed once and
# twice. lowest: the lowest weight of all.
asked_weighted_parts <- function(args, a) {
  if (!is.null(args$cluster) || !is.null(args$strata)) {
    cannot_in_database("errors of clusters and strata")
  }
  w <- aggregated_sql(args$weights, a)
  inner <- c(
    aggregated_together(
      list(x = args$x, w = args$weights),
      a,
      unless = paste(w, "<> 0")
    ),
    all_w = aggregated_sql(args$weights, a)
  )
  over <- group_window(a)
  asked_layers(
    a,
    inner,
    c(
      n = "count(x)", weight = "sum(w)", mean = "max(m)",
      squares = "sum(w * d * d)", errors = "sum(w * d * (w * d))",
      lowest = "min(all_w)", low = "min(x)", high = "max(x)"
    ),
    list(
      c(m = paste0("sum(w * x) ", over, " / NULLIF(sum(w) ", over, ", 0)")),
      c(d = "(x - m)")
    )
  )
}

sql_weighted_cor <- function(args, a) {
  w <- aggregated_sql(args$weights, a)
  inner <- c(
    aggregated_together(
      list(x = args$x, y = args$y, w = args$weights),
      a,
      unless = paste(w, "<> 0")
    ),
    all_w = w
  )
  over <- group_window(a)
  mean <- function(x) {
    paste0("sum(w * ", x, ") ", over, " / NULLIF(sum(w) ", over, ", 0)")
  }
  got <- asked_layers(
    a,
    inner,
    c(
      xx = "sum(w * dx * dx)", yy = "sum(w * dy * dy)",
      xy = "sum(w * dx * dy)", lowest = "min(all_w)"
    ),
    list(c(mx = mean("x"), my = mean("y")), c(dx = "(x - mx)", dy = "(y - my)"))
  )
  check_lowest_weight(got$lowest, NULL, args$weights, a)
  below <- got$xx * got$yy
  ifelse(below > 0, pmax(-1, pmin(1, got$xy / sqrt(below))), NA_real_)
}

#' @export
weighted_numbers.neatsieve_sql_aggregation <- function(args, a) {
  parts <- asked_weighted_parts(args, a)
  check_lowest_weight(parts$lowest, NULL, args$weights, a)
  weighted_of_parts(parts, args)
}

#' @export
weighted_ends.neatsieve_sql_aggregation <- function(x, weights, a) {
  parts <- asked_weighted_parts(list(x = x, weights = weights), a)
  list(min = parts$low, max = parts$high)
}
