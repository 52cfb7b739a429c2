# What aggregates are made of beside moments and quantiles: functions of the user's, weights, values
# at an end, intervals. One value for each group; `a` is an aggregation.

# An R function of the user's over the values of each group.
values_of_custom <- function(args, a, node) {
  codes <- core_groups_of_rows(a$grouping, a$frame$n)
  rows <- if (is.null(a$rows)) seq_len(a$frame$n) else a$rows
  values <- row_vector(args$x, a)
  made <- lapply(split(rows, factor(codes[rows], seq_len(a$grouping$groups))),
                 function(r) node$f(values[r]))
  good <- vapply(made, function(v) length(v) == 1 && (is.numeric(v) || is.logical(v)), logical(1))
  if (!all(good)) {
    stop_neatly("run", paste0("`", node$text, "` gave no single number for a group."),
                a$frame$play$where,
                "The function must return one number for each group.")
  }
  as.numeric(unlist(made))
}

zero_for_none <- function(x) ifelse(is.na(x), 0, x)

# The value of the row where `order` is smallest or largest; of several such rows the first.
value_at_end <- function(args, a, end) {
  if (is.null(args$order)) return(shape_of(args$x, a, end))
  both <- masked_pair(args$x, args$order, a)
  ends <- core_moments(both$y, a$grouping, a$rows,
                       thread_count())[[if (end == "first") "min" else "max"]]
  group <- core_groups_of_rows(a$grouping, a$frame$n)
  both$x[!(both$y == ends[group]) %in% TRUE] <- NA
  core_shape(both$x, a$grouping, a$rows, "first", thread_count())
}

# Intervals: of a mean by Student's t, of a share by Wilson (1927).
interval <- function(x, level, a) {
  m <- moments_of(x, a)
  if (x$kind == "logical") {
    z <- stats::qnorm((1 + level) / 2)
    middle <- (m$mean + z^2 / (2 * m$n)) / (1 + z^2 / m$n)
    half <- z / (1 + z^2 / m$n) * sqrt(m$mean * (1 - m$mean) / m$n + z^2 / (4 * m$n^2))
    return(list(low = pmax(0, middle - half), high = pmin(1, middle + half)))
  }
  half <- stats::qt((1 + level) / 2, pmax(m$n - 1, 1)) * sqrt(m$var / m$n)
  list(low = m$mean - half, high = m$mean + half)
}

masked_pair <- function(x, y, a) {
  x <- as.double(aggregate_vector(x, a))
  y <- as.double(aggregate_vector(y, a))
  gone <- is.na(x) | is.na(y)
  x[gone] <- NA
  y[gone] <- NA
  list(x = x, y = y)
}

weighted_sums <- function(x, weights, a) {
  both <- masked_pair(x, weights, a)
  core_moments(both$x * both$y, a$grouping, a$rows, thread_count())
}

weighted_mean <- function(x, weights, a) {
  both <- masked_pair(x, weights, a)
  threads <- thread_count()
  of_both <- core_moments(both$x * both$y, a$grouping, a$rows, threads)$sum
  out <- of_both / core_moments(both$y, a$grouping, a$rows, threads)$sum
  out[is.nan(out)] <- NA
  out
}

weighted_quantile <- function(x, weights, a, p, node) {
  both <- masked_pair(x, weights, a)
  lowest <- core_moments(both$y, a$grouping, a$rows, thread_count())$min
  if (any(lowest < 0, na.rm = TRUE)) {
    stop_neatly("run", paste0("`weights` of `", node$text, "` are negative in places."),
                a$frame$play$where,
                paste0("Leave those rows out: `where = ", weights$text, " >= 0`."))
  }
  core_weighted_quantile(both$x, both$y, a$grouping, a$rows, p, thread_count())
}
