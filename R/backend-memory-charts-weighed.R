# Computes the numbers of weighted charts in memory. Rows without a weight, or
# with weight 0, do not count.

weighed_requests <- list(
  weighed = function(rows, n, threads, values, weights) {
    replace(values, is.na(weights), NA)
  },
  weighed_bins = function(rows, n, threads, values, weights, grouping, edges) {
    weighed_bins(
      weighed_values(rows, n, values, weights, grouping), grouping, edges
    )
  },
  weighed_quantiles = function(
    rows, n, threads, values, weights, grouping, probs
  ) {
    vapply(
      probs,
      function(p) {
        core_weighted_quantile(
          as.double(values), as.double(weights), grouping, rows, p, threads
        )
      },
      numeric(grouping$groups)
    )
  },
  weighed_boxes = function(rows, n, threads, values, weights, grouping, most) {
    q <- matrix(
      weighed_requests$weighed_quantiles(
        rows, n, threads, values, weights, grouping, 1:3 / 4
      ),
      ncol = 3
    )
    counted <- core_moments(values, grouping, rows, threads)
    weighed_boxes(
      weighed_values(rows, n, values, weights, grouping), q, counted, most
    )
  },
  weighed_cumulative = function(
    rows, n, threads, values, weights, grouping, most
  ) {
    weighed_shares(
      weighed_values(rows, n, values, weights, grouping), grouping, most
    )
  },
  weighed_densities = function(
    rows, n, threads, values, weights, grouping, bandwidth, points, window,
    are_repeats
  ) {
    q <- matrix(
      weighed_requests$weighed_quantiles(
        rows, n, threads, values, weights, grouping, c(0.25, 0.75)
      ),
      ncol = 2
    )
    weighed_densities(
      weighed_values(rows, n, values, weights, grouping),
      grouping,
      q[, 2] - q[, 1],
      bandwidth,
      points,
      window,
      are_repeats
    )
  }
)

# Values and their weights, the group and the row of each: of rows with a weight
# above 0.
weighed_values <- function(rows, n, values, weights, grouping) {
  if (is.null(rows)) rows <- seq_len(n)
  rows <- rows[!is.na(values[rows]) & !is.na(weights[rows]) & weights[rows] > 0]
  list(
    x = as.double(values[rows]),
    w = as.double(weights[rows]),
    rows = rows,
    group = core_groups_of_rows(grouping, n)[rows]
  )
}

# The sum of weights in each bin, bin after bin of each group.
weighed_bins <- function(of, grouping, edges) {
  bins <- length(edges) - 1
  bin <- findInterval(of$x, edges, rightmost.closed = TRUE)
  inside <- bin >= 1 & bin <= bins
  cell <- (of$group[inside] - 1) * bins + bin[inside]
  sums <- rowsum(of$w[inside], cell)
  replace(
    numeric(bins * grouping$groups), as.integer(rownames(sums)), sums[, 1]
  )
}

# Like core_boxes(), with weighted quartiles.
weighed_boxes <- function(of, q, counted, most) {
  groups <- nrow(q)
  reach <- 1.5 * (q[, 3] - q[, 1])
  inside <- of$x >= (q[, 1] - reach)[of$group] &
    of$x <= (q[, 3] + reach)[of$group]
  end <- function(fn) {
    as.vector(tapply(
      of$x[inside], factor(of$group[inside], seq_len(groups)), fn
    ))
  }
  beyond <- which(!inside)
  beyond <- beyond[order(of$group[beyond], of$x[beyond])]
  places <- unlist(lapply(split(beyond, of$group[beyond]), evenly, most))
  list(
    boxes = data.frame(
      n = as_count(counted$n),
      absent = as_count(counted$absent),
      lower = pmin(end(min), q[, 1]),
      q1 = q[, 1],
      median = q[, 2],
      q3 = q[, 3],
      upper = pmax(end(max), q[, 3]),
      beyond = tabulate(of$group[beyond], groups)
    ),
    points = data.frame(
      group = of$group[places],
      value = of$x[places],
      source_row = of$rows[places]
    )
  )
}

# Picks a number of elements at even distances, with the first and the last.
evenly <- function(x, most) {
  if (length(x) <= most) return(x)
  x[floor((seq_len(most) - 1) * (length(x) - 1) / max(1, most - 1)) + 1]
}

# Curves of the groups one after another, as the core has them.
joined_curves <- function(curves) {
  joined <- function(what) {
    as.numeric(unlist(lapply(curves, `[[`, what), use.names = FALSE))
  }
  list(
    group = rep(seq_along(curves), lengths(lapply(curves, `[[`, "x"))),
    x = joined("x"),
    y = joined("y")
  )
}

# Shares of the weight at or below each value; of many values, some evenly.
weighed_shares <- function(of, grouping, most) {
  of_groups <- split(
    seq_along(of$x), factor(of$group, seq_len(grouping$groups))
  )
  joined_curves(unname(lapply(of_groups, function(i) {
    sums <- rowsum(of$w[i], of$x[i])
    x <- sort(unique(of$x[i]))
    share <- cumsum(sums[, 1]) / sum(sums)
    at <- evenly(seq_along(x), most)
    list(x = x[at], y = pmin(1, as.vector(share[at])))
  })))
}

# Curves of each group: the Gaussian kernel with the weights as shares of all.
# The bandwidth is Silverman's of the weighted spread and as many values as the
# weights are worth: their sum where they are repeats, else sum(w)^2 / sum(w^2)
# (Kish 1965).
weighed_densities <- function(
  of, grouping, iqr, bandwidth, points, window, are_repeats
) {
  groups <- seq_len(grouping$groups)
  of_groups <- split(seq_along(of$x), factor(of$group, groups))
  curves <- lapply(groups, function(g) {
    x <- of$x[of_groups[[g]]]
    w <- of$w[of_groups[[g]]]
    if (length(unique(x)) < 2) return(no_curve(NA_real_))
    size <- if (are_repeats) sum(w) else sum(w)^2 / sum(w^2)
    h <- if (is.null(bandwidth)) {
      silverman(x, w / sum(w), iqr[g], size)
    } else {
      bandwidth
    }
    c(
      list(bandwidth = h), weighed_curve(x, w / sum(w), h, points, window, size)
    )
  })
  list(
    bandwidth = vapply(curves, `[[`, 0, "bandwidth"),
    curve = joined_curves(curves),
    reflected = vapply(curves, `[[`, 0L, "reflected")
  )
}

silverman <- function(x, share, iqr, size) {
  spread <- sqrt(sum(share * (x - sum(share * x))^2) * size / (size - 1))
  robust <- iqr / 1.34
  0.9 * (if (robust > 0) min(spread, robust) else spread) * size^-0.2
}

no_curve <- function(bandwidth) {
  list(bandwidth = bandwidth, x = numeric(), y = numeric(), reflected = 0L)
}

# Mirrored at ends where values are dense, by the rule of the core (see
# src/core/curves.h), of as many values as the weights are worth.
weighed_curve <- function(x, share, bandwidth, points, window, size) {
  ends <- range(x)
  sums <- rowsum(share, x)[, 1]
  x <- sort(unique(x))
  dense <- dense_ends(x, sums, bandwidth, size)
  from <- max(ends[1], window[1])
  to <- min(ends[2], window[2])
  if (from >= to) return(list(x = numeric(), y = numeric(), reflected = dense))
  low <- if (dense %% 2L) which(x <= ends[1] + 9 * bandwidth)
  high <- if (dense >= 2L) which(x >= ends[2] - 9 * bandwidth)
  curve <- kernel_curve(
    c(x, 2 * ends[1] - x[low], 2 * ends[2] - x[high]),
    c(sums, sums[low], sums[high]),
    bandwidth,
    from,
    to,
    points
  )
  list(x = curve$x, y = curve$y, reflected = dense)
}

# With many values the kernel is laid over a grid, by stats::density().
kernel_curve <- function(x, weights, bandwidth, from, to, points) {
  if (length(x) > 2^14) {
    # Mirrored values add to the weights.
    return(
      suppressWarnings(stats::density(
        x,
        bw = bandwidth, weights = weights, n = points, from = from, to = to
      ))[c("x", "y")]
    )
  }
  at <- seq(from, to, length.out = points)
  list(
    x = at,
    y = vapply(at, function(a) sum(weights * stats::dnorm(a, x, bandwidth)), 0)
  )
}

# Codes for ends: 1 the lower, 2 the upper, 3 both, 0 none.
dense_ends <- function(x, weights, bandwidth, size) {
  if (size < 20) return(0L)
  y <- kernel_curve(x, weights, bandwidth, min(x), max(x), 65)$y
  sum(c(1L, 2L)[y[c(1, 65)] >= 0.35 * max(y)])
}
