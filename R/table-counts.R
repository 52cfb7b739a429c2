# Tables of counts: long, and wide with one key across.

# The combinations of keys among some rows: how many rows each has, and the sum
# of their weights.
counted_groups <- function(bound, state, rows) {
  grouped <- group_rows(bound$keys, state$frame, rows)
  weights <- bound$details$weights
  if (is.null(weights)) {
    return(list(keys = grouped$keys, n = grouped$rows_per_group, weight = NULL))
  }
  a <- new_aggregation(state$frame, rows, grouped)
  n_absent <- sum(moments_of(weights, a)$absent)
  if (n_absent > 0) {
    take_note(
      state$notes,
      paste0(
        "`", weights$text, "` is absent in ", counted(n_absent, "row"),
        ": counted in `n`, not in `weight`."
      ),
      state$where
    )
  }
  weight <- evaluate_summary(
    aggregate_node("sum", list(x = weights), weights$text), a
  )
  list(
    keys = grouped$keys,
    n = grouped$rows_per_group,
    weight = rep_len(as.numeric(weight), grouped$groups)
  )
}

# Different units of each combination, and of the whole or each group of `by`.
counted_units <- function(bound, state, rows) {
  of <- function(keys) {
    grouped <- group_rows(keys, state$frame, rows)
    list(
      keys = grouped$keys,
      units = units_by_group(state, new_aggregation(state$frame, rows, grouped))
    )
  }
  by <- bound$details$by
  each <- of(bound$keys)
  all <- of(bound$keys[by])
  at <- if (length(by)) {
    match(interaction_words(each$keys[by]), interaction_words(all$keys[by]))
  } else {
    rep(1L, length(each$units))
  }
  list(n = each$units, all = all$units[at])
}

count_table <- function(counted, by, step, where) {
  n <- as_count(counted$n)
  parts <- c(by, setdiff(step$share, "whole"))
  within <- if (length(parts)) {
    interaction_code(counted$keys[parts])
  } else {
    rep(1L, length(n))
  }
  amount <- if (is.null(counted$weight)) n else counted$weight
  sums <- as.vector(rowsum(as.numeric(amount), within, reorder = FALSE))
  share <- amount / sums[match(within, unique(within))]
  table <- table_of_columns(c(
    as.list(counted$keys), list(n = n),
    if (!is.null(counted$weight)) list(weight = amount), list(share = share),
    unit_columns(counted$units), list(within = match(within, unique(within)))
  ))
  main <- if (is.null(counted$weight)) "n" else "weight"
  table <- sort_table(table, order_entries(step$order, main), where)
  if (is.character(step$order)) {
    table <- table[base::order(table$within), , drop = FALSE]
  }
  if (step$cumulative) {
    table$cumulative <- stats::ave(table$share, table$within, FUN = cumsum)
  }
  table$within <- NULL
  rownames(table) <- NULL
  table
}

unit_columns <- function(units) {
  if (!is.null(units)) {
    list(units = as_count(units$n), unit_share = units$n / units$all)
  }
}

# A cross table for each group of `by`, all with the same columns.
cross_table <- function(counted, by, step, where) {
  across <- counted$keys[[length(by) + 2]]
  across <- across[!duplicated(across)]
  across <- across[order(across, na.last = TRUE, method = "radix")]
  if (!length(by)) return(one_cross_table(counted, across, step, where))
  group <- interaction_code(counted$keys[by])
  one_below_other(lapply(unique(group), function(g) {
    of <- which(group == g)
    part <- lapply(counted[c("n", "weight")], `[`, of)
    part$keys <- lapply(counted$keys[setdiff(names(counted$keys), by)], `[`, of)
    table <- one_cross_table(part, across, step, where)
    lead <- lapply(counted$keys[by], function(key) rep(key[of[1]], nrow(table)))
    table_of_columns(c(lead, as.list(table)))
  }))
}

# First key down, second across, with sums; the row of sums stays last.
one_cross_table <- function(counted, across, step, where) {
  keys <- counted$keys
  n <- if (is.null(counted$weight)) as_count(counted$n) else counted$weight
  down <- unique(keys[[1]])
  long <- "Leave `shape = \"wide\"` out: the long table holds the same counts."
  refuse_too_wide(length(down), length(across), where, long)
  check_wide_names(
    panel_key_text(across), c(names(keys)[1], "(all)"), where, long
  )
  cells <- matrix(if (is.integer(n)) 0L else 0, length(down), length(across))
  cells[cbind(match(keys[[1]], down), match(keys[[2]], across))] <- n
  out <- stats::setNames(
    list(as.character(panel_key_text(down))), names(keys)[1]
  )
  names_across <- panel_key_text(across)
  for (j in seq_along(across)) out[[names_across[j]]] <- cells[, j]
  table <- table_of_columns(c(out, list(`(all)` = row_sums(cells))))
  table <- sort_table(table, order_entries(step$order, "(all)"), where)
  sums <- lapply(
    table[-1],
    function(n) if (is.integer(n)) as_count(sum(as.numeric(n))) else sum(n)
  )
  all <- table_of_columns(c(
    stats::setNames(list("(all)"), names(keys)[1]), sums
  ))
  with_cross_shares(
    one_below_other(list(table, all)), step$share, names(keys), where
  )
}

# Beside each count its share of the row, of the column or of all; the last row
# and column are their sums.
with_cross_shares <- function(table, share, keys, where) {
  if (is.null(share)) return(table)
  counts <- vapply(table[-1], as.numeric, numeric(nrow(table)))
  counts <- matrix(counts, nrow(table))
  of <- if (share == "whole") {
    matrix(counts[nrow(counts), ncol(counts)], nrow(counts), ncol(counts))
  } else if (share == keys[1]) {
    counts[, rep(ncol(counts), ncol(counts)), drop = FALSE]
  } else {
    counts[rep(nrow(counts), nrow(counts)), , drop = FALSE]
  }
  shares <- ifelse(of > 0, counts / of, NA_real_)
  names <- names(table)[-1]
  check_wide_names(
    paste0(names, "_share"),
    names(table),
    where,
    "Leave `shape = \"wide\"` out."
  )
  out <- table[1]
  for (j in seq_along(names)) {
    out[[names[j]]] <- table[[names[j]]]
    out[[paste0(names[j], "_share")]] <- shares[, j]
  }
  out
}

row_sums <- function(cells) {
  if (is.integer(cells)) as_count(rowSums(cells)) else rowSums(cells)
}
