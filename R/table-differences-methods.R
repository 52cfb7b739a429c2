# Differences of means, shares and medians with their intervals; pairs within
# units. Formulas and sources are in ?differences.

mean_differences <- function(x, group, groups, n, level) {
  m <- moments_of_groups(x, group, n)
  a <- lapply(m, `[`, groups$at)
  b <- lapply(m, `[`, groups$reference)
  va <- a$var / a$n
  vb <- b$var / b$n
  freedom <- (va + vb)^2 / (va^2 / (a$n - 1) + vb^2 / (b$n - 1))
  # Without any spread the interval has no width.
  t <- ifelse(
    va + vb > 0, suppressWarnings(stats::qt((1 + level) / 2, freedom)), 0
  )
  half <- t * sqrt(va + vb)
  pooled <- sqrt(((a$n - 1) * a$var + (b$n - 1) * b$var) / (a$n + b$n - 2))
  difference <- a$mean - b$mean
  below <- b$mean^2 - t^2 * vb
  root <- sqrt(pmax(0, (a$mean * b$mean)^2 - below * (a$mean^2 - t^2 * va)))
  # If the reference may be 0, the ratio has no bounds.
  bound <- function(sign) {
    ifelse(below > 0, (a$mean * b$mean + sign * root) / below, NA_real_)
  }
  new_difference_columns(
    a$n,
    a$mean,
    b$n,
    b$mean,
    difference,
    difference - half,
    difference + half,
    ifelse(pooled > 0, difference / pooled, NA_real_),
    ifelse(b$mean != 0, a$mean / b$mean, NA_real_),
    bound(-1),
    bound(1),
    "Welch"
  )
}

wilson_bounds <- function(p, n, z) {
  middle <- (p + z^2 / (2 * n)) / (1 + z^2 / n)
  half <- z / (1 + z^2 / n) * sqrt(p * (1 - p) / n + z^2 / (4 * n^2))
  list(low = pmax(0, middle - half), high = pmin(1, middle + half))
}

share_differences <- function(x, group, groups, n, level) {
  m <- moments_of_groups(x, group, n)
  a <- lapply(m, `[`, groups$at)
  b <- lapply(m, `[`, groups$reference)
  z <- stats::qnorm((1 + level) / 2)
  wa <- wilson_bounds(a$mean, a$n, z)
  wb <- wilson_bounds(b$mean, b$n, z)
  difference <- a$mean - b$mean
  yes <- list(a = a$mean * a$n, b = b$mean * b$n)
  can <- yes$a > 0 & yes$b > 0
  half <- z * sqrt(1 / yes$a - 1 / a$n + 1 / yes$b - 1 / b$n)
  ratio <- a$mean / b$mean
  new_difference_columns(
    a$n,
    a$mean,
    b$n,
    b$mean,
    difference,
    difference - sqrt((a$mean - wa$low)^2 + (wb$high - b$mean)^2),
    difference + sqrt((wa$high - a$mean)^2 + (b$mean - wb$low)^2),
    NULL,
    ifelse(yes$b > 0, ratio, NA_real_),
    ifelse(can, ratio * exp(-half), NA_real_),
    ifelse(can, ratio * exp(half), NA_real_),
    "Newcombe"
  )
}

# The median of sorted values and its variance, by two order statistics (Price
# and Bonett 2002), which takes six values; log: of the logarithm.
median_spread <- function(x, log = FALSE) {
  n <- length(x)
  if (n == 0) return(c(NA, NA))
  c <- max(1, round((n + 1) / 2 - sqrt(n)))
  beyond <- sum(stats::dbinom(0:(c - 1), n, 0.5)) * 2
  z <- stats::qnorm(1 - beyond / 2)
  ends <- x[c(c, n - c + 1)]
  if (log) ends <- suppressWarnings(base::log(ends))
  c(stats::median(x), if (n > 5) ((ends[2] - ends[1]) / (2 * z))^2 else NA)
}

median_differences <- function(x, group, groups, n, level) {
  there <- !is.na(x)
  values <- lapply(split(x[there], factor(group[there], seq_len(n))), sort)
  count <- lengths(values, use.names = FALSE)
  plain <- vapply(values, median_spread, c(0, 0), USE.NAMES = FALSE)
  logs <- vapply(values, median_spread, c(0, 0), log = TRUE, USE.NAMES = FALSE)
  at <- groups$at
  r <- groups$reference
  z <- stats::qnorm((1 + level) / 2)
  difference <- plain[1, at] - plain[1, r]
  half <- z * sqrt(plain[2, at] + plain[2, r])
  can <- plain[1, at] > 0 & plain[1, r] > 0
  ratio <- ifelse(can, plain[1, at] / plain[1, r], NA_real_)
  ratio_half <- z * sqrt(logs[2, at] + logs[2, r])
  ratio_half[!is.finite(ratio_half)] <- NA
  new_difference_columns(
    count[at],
    plain[1, at],
    count[r],
    plain[1, r],
    difference,
    difference - half,
    difference + half,
    NULL,
    ratio,
    ratio * exp(-ratio_half),
    ratio * exp(ratio_half),
    "Price-Bonett"
  )
}

# Within units: one difference of each that is in both groups.
paired_differences <- function(x, group, units, groups, level, is_median) {
  lines <- Map(
    function(at, reference) {
      mine <- which(group == at)
      theirs <- which(group == reference)
      pair <- match(units[mine], units[theirs])
      a <- x[mine][!is.na(pair)]
      b <- x[theirs][pair[!is.na(pair)]]
      d <- sort(a - b)
      n <- length(d)
      centre <- if (!n) {
        NA_real_
      } else if (is_median) {
        stats::median(d)
      } else {
        mean(d)
      }
      spread <- if (n > 1) stats::sd(d) else NA_real_
      bounds <- if (is_median) {
        sign_test_bounds(d, level)
      } else {
        centre +
          c(-1, 1) *
            suppressWarnings(stats::qt((1 + level) / 2, n - 1)) *
            spread /
            sqrt(n)
      }
      middle <- function(v) {
        if (!n) NA_real_ else if (is_median) stats::median(v) else mean(v)
      }
      c(
        n = n, estimate = middle(a), reference = middle(b),
        difference = centre, low = bounds[1], high = bounds[2],
        standardized = if (!is_median && isTRUE(spread > 0)) {
          centre / spread
        } else {
          NA_real_
        }
      )
    },
    groups$at,
    groups$reference
  )
  of <- function(name) vapply(lines, `[[`, 0, name, USE.NAMES = FALSE)
  new_difference_columns(
    of("n"),
    of("estimate"),
    of("n"),
    of("reference"),
    of("difference"),
    of("low"),
    of("high"),
    of("standardized"),
    NULL,
    NULL,
    NULL,
    if (is_median) "pairs, sign test" else "pairs, Student"
  )
}

# The interval of a median between two order statistics, of at least the level.
sign_test_bounds <- function(sorted, level) {
  n <- length(sorted)
  below <- if (n) stats::qbinom((1 - level) / 2, n, 0.5) else 0
  if (below < 1) return(c(NA_real_, NA_real_))
  sorted[c(below, n - below + 1)]
}
