# The table of differences(): for each column and value the numbers of each
# group and of the reference group.

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
  result <- if (step$compare == "pairs") {
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
    result
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
