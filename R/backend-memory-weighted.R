# Parts of aggregates other than moments and quantiles: functions of the user,
# weights, first and last values, intervals. They return one value for each
# group; `a` is an aggregation.

# An R function of the user's over the values of each group.
values_of_custom <- function(args, a, node) {
  codes <- core_groups_of_rows(a$grouping, a$frame$n)
  rows <- if (is.null(a$rows)) seq_len(a$frame$n) else a$rows
  values <- row_vector(args$x, a)
  results <- lapply(
    split(rows, factor(codes[rows], seq_len(a$grouping$groups))),
    function(r) node$f(values[r])
  )
  good <- vapply(
    results,
    function(v) length(v) == 1 && (is.numeric(v) || is.logical(v)),
    logical(1)
  )
  if (!all(good)) {
    stop_neatly(
      "run",
      paste0("`", node$text, "` gave no single number for a group."),
      a$frame$play$where,
      "The function must return one number for each group."
    )
  }
  as.numeric(unlist(results))
}

zero_for_none <- function(x) ifelse(is.na(x), 0, x)

# The value of the row where `order` is smallest or largest; of several such
# rows the first.
value_at_end <- function(args, a, end) {
  if (is.null(args$order)) return(shape_of(args$x, a, end))
  both <- masked_pair(args$x, args$order, a)
  ends <- core_moments(
    both$y, a$grouping, a$rows, thread_count()
  )[[if (end == "first") "min" else "max"]]
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
    half <- z /
      (1 + z^2 / m$n) *
      sqrt(m$mean * (1 - m$mean) / m$n + z^2 / (4 * m$n^2))
    return(list(low = pmax(0, middle - half), high = pmin(1, middle + half)))
  }
  half <- stats::qt((1 + level) / 2, pmax(m$n - 1, 1)) * sqrt(m$var / m$n)
  list(low = m$mean - half, high = m$mean + half)
}

masked_pair <- function(x, y, a) {
  x <- as.double(aggregate_vector(x, a))
  y <- as.double(aggregate_vector(y, a))
  is_absent <- is.na(x) | is.na(y)
  x[is_absent] <- NA
  y[is_absent] <- NA
  list(x = x, y = y)
}

#' @export
weighted_sums.default <- function(x, weights, a) {
  both <- masked_pair(x, weights, a)
  of <- function(v) core_moments(v, a$grouping, a$rows, thread_count())$sum
  list(sum = of(both$x * both$y), weight = of(both$y))
}

weighted_mean <- function(x, weights, a) {
  sums <- weighted_sums(x, weights, a)
  absent_for_none(sums$sum / sums$weight)
}

#' @export
weighted_quantile.default <- function(x, weights, a, p, node) {
  both <- masked_pair(x, weights, a)
  lowest <- core_moments(both$y, a$grouping, a$rows, thread_count())$min
  check_lowest_weight(lowest, node, weights, a)
  core_weighted_quantile(both$x, both$y, a$grouping, a$rows, p, thread_count())
}

# lowest: the lowest weight of each group; node: the expression that uses the
# weights, for the message.
check_lowest_weight <- function(lowest, node, weights, a) {
  if (!any(lowest < 0, na.rm = TRUE)) return()
  what <- if (is.null(node)) {
    paste0("The weights `", weights$text, "`")
  } else {
    paste0("`weights` of `", node$text, "`")
  }
  stop_neatly(
    "run",
    paste(what, "are negative in places."),
    a$frame$play$where,
    paste0("Leave those rows out: `where = ", weights$text, " >= 0`.")
  )
}

# Weighted moments of each group: n rows with a weight above 0, the sum of
# weights, mean, variance, the standard error of the mean and its degrees of
# freedom. Of frequencies (`repeats()`) they are those of the rows repeated; of
# sampling weights the variance is sum(w d^2) / sum(w) * n / (n - 1) with d the
# distance from the mean, and the error that of the ratio sum(w x) / sum(w) by
# Taylor linearisation (Binder 1983), from one row to the next or from one
# cluster to the next in strata.
weighted_moments <- function(args, a) {
  lapply(weighted_numbers(args, a), absent_for_none)
}
absent_for_none <- function(x) replace(x, is.nan(x), NA)

#' @export
weighted_numbers.default <- function(args, a) {
  x <- as.double(aggregate_vector(args$x, a))
  w <- if (is.null(args$weights)) {
    rep(1, length(x))
  } else {
    as.double(aggregate_vector(args$weights, a))
  }
  check_no_negative_weights(w, args$weights, a)
  design <- design_of_rows(args, a)
  out <- is.na(x) |
    is.na(w) |
    w == 0 |
    (if (is.null(design)) FALSE else is.na(design$cluster))
  x[out] <- NA
  w[out] <- NA
  moments <- function(v) core_moments(v, a$grouping, a$rows, thread_count())
  of_w <- moments(w)
  n <- of_w$n
  weight <- of_w$sum
  mean <- ifelse(n > 0, moments(w * x)$sum / weight, NA_real_)
  group <- core_groups_of_rows(a$grouping, a$frame$n)
  d <- x - mean[group]
  parts <- list(
    n = n,
    weight = weight,
    mean = mean,
    squares = moments(w * d^2)$sum,
    errors = if (is.null(design)) moments((w * d)^2)$sum
  )
  out <- weighted_of_parts(parts, args)
  if (is.null(design) || are_repeats(args$weights)) return(out)
  out$se <- sqrt(variance_of_clusters(w * d, group, design, a)) / weight
  out$freedom <- rep(design$freedom, length(n))
  out
}

# parts: of rows with a weight their number, weight, mean and sums of squares
# around it, weighed once (`squares`) and twice (`errors`).
weighted_of_parts <- function(parts, args) {
  n <- parts$n
  weight <- parts$weight
  if (are_repeats(args$weights)) {
    var <- ifelse(weight > 1, parts$squares / (weight - 1), NA_real_)
    return(list(
      n = n,
      weight = weight,
      mean = parts$mean,
      var = var,
      se = sqrt(var / weight),
      freedom = weight - 1,
      size = weight
    ))
  }
  var <- ifelse(n > 1, parts$squares / weight * n / (n - 1), NA_real_)
  se <- if (is.null(parts$errors)) {
    NA_real_
  } else {
    ifelse(n > 1, sqrt(parts$errors * n / (n - 1)) / weight, NA_real_)
  }
  list(
    n = n,
    weight = weight,
    mean = parts$mean,
    var = var,
    se = se,
    freedom = n - 1,
    size = n
  )
}

check_no_negative_weights <- function(w, node, a) {
  in_play <- if (is.null(a$rows)) w else w[a$rows]
  check_lowest_weight(min(in_play, Inf, na.rm = TRUE), NULL, node, a)
}

# Clusters and strata of the rows of the table, numbered: clusters within their
# strata, how many clusters each stratum has among the rows in play, and the
# degrees of freedom. NULL without them.
design_of_rows <- function(args, a) {
  if (is.null(args$cluster) && is.null(args$strata)) return(NULL)
  code <- function(node, none) {
    if (is.null(node)) none else as.numeric(aggregate_vector(node, a))
  }
  strata <- code(args$strata, rep(1, a$frame$n))
  cluster <- code(args$cluster, seq_len(a$frame$n))
  there <- !is.na(strata) & !is.na(cluster)
  if (!is.null(a$rows)) there <- there & seq_len(a$frame$n) %in% a$rows
  number <- rep(NA_integer_, a$frame$n)
  number[there] <- interaction_code(list(strata[there], cluster[there]))
  first <- which(there)[!duplicated(number[there])]
  strata_of <- interaction_code(list(strata[first]))
  clusters <- tabulate(strata_of)
  list(
    cluster = number,
    strata = strata_of,
    clusters = clusters,
    freedom = length(first) - length(clusters)
  )
}

# The variance of the sum of u in each group: that of the sums of clusters
# around their mean in each stratum. Clusters without a row of the group count
# with 0.
variance_of_clusters <- function(u, group, design, a) {
  there <- which(!is.na(u) & !is.na(group) & !is.na(design$cluster))
  if (!is.null(a$rows)) there <- there[there %in% a$rows]
  groups <- a$grouping$groups
  pair <- interaction_code(list(group[there], design$cluster[there]))
  first <- there[!duplicated(pair)]
  sums <- as.vector(rowsum(u[there], pair, reorder = FALSE))
  stratum <- design$strata[design$cluster[first]]
  within <- interaction_code(list(group[first], stratum))
  lead <- !duplicated(within)
  both <- rowsum(cbind(sums^2, sums), within, reorder = FALSE)
  clusters <- design$clusters[stratum[lead]]
  part <- ifelse(
    clusters > 1,
    clusters / (clusters - 1) * (both[, 1] - both[, 2]^2 / clusters),
    NA_real_
  )
  out <- rep(NA_real_, groups)
  of <- tapply(part, factor(group[first][lead], seq_len(groups)), sum)
  out[seq_along(of)] <- pmax(0, as.vector(of))
  out
}

# Whether an aggregate is weighted, or of clusters.
is_weighted <- function(args) {
  !is.null(args$weights) || !is.null(args$cluster) || !is.null(args$strata)
}

weighted_interval <- function(args, a) {
  m <- weighted_moments(args, a)
  level <- args$level$value
  if (args$x$kind == "logical") {
    # Wilson's interval with the number of rows that would give this error.
    spread <- m$mean * (1 - m$mean)
    # A share of 0 or 1 has no error of its own.
    size <- if (are_repeats(args$weights)) {
      m$size
    } else {
      ifelse(spread > 1e-12 & m$se > 0, spread / m$se^2, m$size)
    }
    z <- stats::qnorm((1 + level) / 2)
    middle <- (m$mean + z^2 / (2 * size)) / (1 + z^2 / size)
    half <- z / (1 + z^2 / size) * sqrt(spread / size + z^2 / (4 * size^2))
    return(lapply(
      list(low = pmax(0, middle - half), high = pmin(1, middle + half)),
      absent_for_none
    ))
  }
  half <- suppressWarnings(stats::qt((1 + level) / 2, m$freedom)) * m$se
  lapply(list(low = m$mean - half, high = m$mean + half), absent_for_none)
}

# The default numbers of a column. n: rows with a value; weight: the sum over
# those with a weight.
weighted_statistics <- function(node, weights, a) {
  args <- list(x = node, weights = weights)
  plain <- moments_of(node, a)
  m <- weighted_moments(args, a)
  q <- lapply(
    c(0.25, 0.5, 0.75), function(p) weighted_quantile(node, weights, a, p, node)
  )
  weighed <- weighted_ends(node, weights, a)
  list(
    n = plain$n,
    absent = plain$absent,
    weight = zero_for_none(m$weight),
    mean = m$mean,
    sd = sqrt(m$var),
    min = weighed$min,
    q1 = q[[1]],
    median = q[[2]],
    q3 = q[[3]],
    max = weighed$max
  )
}

#' @export
weighted_ends.default <- function(x, weights, a) {
  both <- masked_pair(x, weights, a)
  both$x[both$y %in% 0] <- NA
  core_moments(both$x, a$grouping, a$rows, thread_count())
}

# The sum of weights of each group.
weighted_rows <- function(weights, a) {
  zero_for_none(moments_of(weights, a)$sum)
}

# sum(w dx dy) / sqrt(sum(w dx^2) sum(w dy^2)), with d the distance from the
# weighted mean.
weighted_correlation <- function(args, a) {
  both <- masked_pair(args$x, args$y, a)
  w <- as.double(aggregate_vector(args$weights, a))
  check_no_negative_weights(w, args$weights, a)
  w[is.na(both$x) | w %in% 0] <- NA
  sums <- function(v) core_moments(v, a$grouping, a$rows, thread_count())$sum
  group <- core_groups_of_rows(a$grouping, a$frame$n)
  weight <- sums(w)
  apart <- function(v) v - (sums(w * v) / weight)[group]
  dx <- apart(both$x)
  dy <- apart(both$y)
  below <- sums(w * dx^2) * sums(w * dy^2)
  absent_for_none(ifelse(
    below > 0, pmax(-1, pmin(1, sums(w * dx * dy) / sqrt(below))), NA_real_
  ))
}
