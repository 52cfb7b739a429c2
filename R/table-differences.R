# The table of differences() of some rows: for each column and value the numbers
# of each group, and of the group of reference beside it.

# keys: of the groups that are compared. at, reference: the number of each and
# of its reference.
new_compared_groups <- function(keys, at, reference) {
  new_record(
    "compared_groups", list(keys = keys, at = at, reference = reference)
  )
}

differences_table <- function(bound, state, rows) {
  step <- bound$step
  grouped <- group_rows(bound$keys, state$frame, rows)
  groups <- compared_groups(grouped, step, state)
  places <- if (is.null(rows)) seq_len(state$frame$n) else rows
  group <- numbers_of_groups(grouped, state$frame$n)[places]
  units <- if (step$compare != "rows") units_of_frame(state)$codes[places]
  parts <- lapply(bound$details$columns, function(column) {
    values <- compared_values(state$frame$columns[[column]], places)
    Map(
      function(one, value) {
        of <- list(
          column = column,
          value = if (value == "") NA_character_ else value,
          is_share = one$is_share
        )
        compared_lines(of, one$x, group, units, groups, grouped$groups, step)
      },
      values,
      names(values)
    )
  })
  table <- one_below_other(unlist(parts, recursive = FALSE))
  if (all(is.na(table$value))) table$value <- NULL
  table
}

# Groups of the first key against the one of reference, within those of the
# other keys.
compared_groups <- function(grouped, step, state) {
  text <- panel_key_text(grouped$keys[[1]])
  is_reference <- text == panel_key_text(step$reference)
  if (!any(is_reference)) {
    stop_neatly(
      "run",
      paste0(
        "There is no group ", value_code(step$reference), " in `",
        names(step$keys)[1], "`."
      ),
      state$where,
      c(
        meant(as.character(step$reference), text, quoted),
        paste0("Groups: ", listed(quoted(unique(text)), 8), ".")
      )
    )
  }
  rest <- grouped$keys[-1]
  within <- if (length(rest)) {
    interaction_code(rest)
  } else {
    rep(1L, grouped$groups)
  }
  reference <- which(is_reference)[match(within, within[is_reference])]
  lone <- unique(within[is.na(reference)])
  if (length(lone)) {
    take_note(
      state$notes,
      paste0(
        "In ", counted(length(lone), "group"), " of `",
        paste(names(rest), collapse = "`, `"), "` there is no ",
        value_code(step$reference), " to compare with."
      ),
      state$where
    )
  }
  at <- which(!is_reference & !is.na(reference))
  new_compared_groups(grouped$keys[at, , drop = FALSE], at, reference[at])
}

# Numbers as they are; of a condition, or each value of a category, whether it
# is so, by its name.
compared_values <- function(x, places) {
  x <- x[places]
  if (is.numeric(x)) {
    return(stats::setNames(list(list(x = as.double(x), is_share = FALSE)), ""))
  }
  if (is.logical(x)) {
    return(stats::setNames(list(list(x = as.double(x), is_share = TRUE)), ""))
  }
  levels <- if (is.factor(x)) {
    levels(x)[tabulate(x, nlevels(x)) > 0]
  } else {
    sort(unique(x[!is.na(x)]), method = "radix")
  }
  text <- as.character(x)
  lapply(stats::setNames(nm = levels), function(level) {
    list(x = as.double(text == level), is_share = TRUE)
  })
}

compared_lines <- function(of, x, group, units, groups, n, step) {
  if (!is.null(units)) {
    taken <- means_of_units(x, group, units)
    x <- taken$x
    group <- taken$group
    units <- taken$unit
  }
  is_median <- step$show == "median" && !of$is_share
  made <- if (step$compare == "pairs") {
    paired_differences(x, group, units, groups, step$level, is_median)
  } else if (is_median) {
    median_differences(x, group, groups, n, step$level)
  } else if (of$is_share && step$compare == "rows") {
    share_differences(x, group, groups, n, step$level)
  } else {
    mean_differences(x, group, groups, n, step$level)
  }
  lines <- length(groups$at)
  table <- table_of_columns(c(
    as.list(groups$keys),
    list(
      column = rep(of$column, lines),
      value = rep(of$value, lines),
      statistic = rep(
        if (is_median) "median" else if (of$is_share) "share" else "mean", lines
      )
    ),
    made
  ))
  if (!step$ratio) table[c("ratio", "ratio_low", "ratio_high")] <- NULL
  table
}

# The mean of each unit's values in each group.
means_of_units <- function(x, group, units) {
  there <- which(!is.na(x) & !is.na(units))
  pair <- interaction_code(list(group[there], units[there]))
  first <- there[!duplicated(pair)]
  sums <- rowsum(cbind(x[there], 1), pair, reorder = FALSE)
  list(
    x = unname(sums[, 1] / sums[, 2]),
    group = group[first],
    unit = units[first]
  )
}

# n, mean and variance of each group, the variance around the mean.
moments_of_groups <- function(x, group, n) {
  there <- !is.na(x)
  x <- x[there]
  group <- factor(group[there], seq_len(n))
  count <- tabulate(group, n)
  mean <- as.vector(tapply(x, group, mean, default = NA_real_))
  squares <- as.vector(tapply((x - mean[group])^2, group, sum, default = 0))
  list(
    n = count,
    mean = mean,
    var = ifelse(count > 1, squares / (count - 1), NA_real_)
  )
}

new_difference_columns <- function(
  n, estimate, reference_n, reference_estimate, difference, ci_low, ci_high,
  standardized, ratio, ratio_low, ratio_high, interval
) {
  or_none <- function(x) if (is.null(x)) rep(NA_real_, length(n)) else x
  list(
    difference = difference,
    ci_low = ci_low,
    ci_high = ci_high,
    estimate = estimate,
    n = as_count(n),
    reference_estimate = reference_estimate,
    reference_n = as_count(reference_n),
    standardized = or_none(standardized),
    ratio = or_none(ratio),
    ratio_low = or_none(ratio_low),
    ratio_high = or_none(ratio_high),
    interval = rep(interval, length(n))
  )
}

mean_differences <- function(x, group, groups, n, level) {
  m <- moments_of_groups(x, group, n)
  a <- lapply(m, `[`, groups$at)
  b <- lapply(m, `[`, groups$reference)
  va <- a$var / a$n
  vb <- b$var / b$n
  freedom <- (va + vb)^2 / (va^2 / (a$n - 1) + vb^2 / (b$n - 1))
  # Without any spread there is nothing to be unsure of.
  t <- ifelse(
    va + vb > 0, suppressWarnings(stats::qt((1 + level) / 2, freedom)), 0
  )
  half <- t * sqrt(va + vb)
  pooled <- sqrt(((a$n - 1) * a$var + (b$n - 1) * b$var) / (a$n + b$n - 2))
  difference <- a$mean - b$mean
  below <- b$mean^2 - t^2 * vb
  root <- sqrt(pmax(0, (a$mean * b$mean)^2 - below * (a$mean^2 - t^2 * va)))
  # Where the reference may be 0 the ratio has no bounds.
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
