# Compares groups with a reference group, as a description.

check_reference <- function(keys, columns, typing) {
  if (length(keys) != 1) {
    stop_neatly(
      "step",
      "`reference` compares the groups of one key.",
      where_of(typing),
      "Give one key in `by`, or leave `reference` out."
    )
  }
  if (!length(columns)) {
    stop_neatly(
      "step",
      "`reference` compares means, and no number column is picked.",
      where_of(typing)
    )
  }
}

# Difference of means with Welch's interval (Welch 1947, Satterthwaite's degrees
# of freedom) and over the pooled standard deviation (Cohen 1988).
difference_table <- function(task, state, rows, grouping) {
  key <- grouping$keys[[1]]
  at <- which(panel_key_text(key) == panel_key_text(task$reference))
  if (!length(at)) {
    stop_neatly(
      "run",
      paste0(
        "There is no group ", value_code(task$reference), " in `",
        names(task$keys), "`."
      ),
      state$where,
      c(
        meant(as.character(task$reference), as.character(key), quoted),
        paste0("Groups: ", listed(quoted(panel_key_text(key)), 8), ".")
      )
    )
  }
  others <- setdiff(seq_len(grouping$groups), at)
  parts <- lapply(task$columns, function(column) {
    m <- moments_by_group(state$frame$columns[[column]], grouping, rows)
    x <- m[others, ]
    r <- m[rep(at, length(others)), ]
    vx <- x$var / x$n
    vr <- r$var / r$n
    freedom <- (vx + vr)^2 / (vx^2 / (x$n - 1) + vr^2 / (r$n - 1))
    half <- ifelse(
      is.na(freedom),
      NA_real_,
      suppressWarnings(stats::qt(0.975, freedom)) * sqrt(vx + vr)
    )
    pooled <- sqrt(((x$n - 1) * x$var + (r$n - 1) * r$var) / (x$n + r$n - 2))
    difference <- x$mean - r$mean
    table_of_columns(c(
      stats::setNames(list(key[others]), names(task$keys)),
      list(
        column = rep(column, length(others)),
        n = x$n,
        mean = x$mean,
        reference_n = r$n,
        reference_mean = r$mean,
        difference = difference,
        ci_low = difference - half,
        ci_high = difference + half,
        standardized = ifelse(pooled > 0, difference / pooled, NA_real_)
      )
    ))
  })
  one_below_other(parts)
}
