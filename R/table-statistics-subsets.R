# Statistics of many subsets at once.

# Whether all that is asked for are figures of one pass over number columns.
is_one_pass <- function(task) {
  words <- c("mean", "sd", "min", "max", "sum", "var", "count")
  others <- c(
    task$named, task$category_columns, task$date_columns, task$reference,
    task$weights
  )
  more <- task$units || task$total || task$empty || task$absent == "carry"
  shown <- names(task$show)
  length(shown) > 0 &&
    length(task$columns) > 0 &&
    !length(others) &&
    !more &&
    all(shown %in% words) &&
    all(vapply(shown, function(s) {
      identical(task$show[[s]]$lang, call(s, quote(it)))
    }, NA))
}

# Many subsets, statistics of one pass: rows are grouped by signature and keys
# once, and the moments of each subset are merged from the signatures it holds.
quick_subset_statistics <- function(rows, task, state) {
  UseMethod("quick_subset_statistics")
}
#' @export
quick_subset_statistics.default <- function(rows, task, state) {
  if (is.null(state$subsets) || !is_one_pass(task)) return(NULL)
  sets <- state$subsets$sets
  node <- column_node("(signature)", new_type("whole"))
  frame <- frame_with(
    state$frame, "(signature)", state$subsets$signature, new_type("whole")
  )
  grouping <- group_rows(
    c(list(`(signature)` = node), task$key_nodes), frame, state$rows
  )
  signature <- grouping$keys[[1]]
  keys <- grouping$keys[-1]
  group <- groups_in_order(keys, length(signature))
  into <- lapply(colnames(sets), function(s) {
    at <- which(sets[signature, s])
    split(at, group[at])
  })
  groups <- as.integer(unlist(lapply(into, names)))
  first <- match(seq_len(max(group, 0L)), group)
  lead <- c(
    list(subset = rep(colnames(sets), lengths(into))),
    lapply(as.list(keys), function(key) key[first[groups]])
  )
  parts <- lapply(task$columns, function(column) {
    moments <- moments_by_group(
      state$frame$columns[[column]], grouping, state$rows
    )
    merged <- merged_moments(
      moments, unlist(into, recursive = FALSE, use.names = FALSE)
    )
    figures <- one_pass_figures(merged, task)
    table_of_columns(c(lead, list(column = rep(column, nrow(merged))), figures))
  })
  each <- length(groups)
  sorted <- order(
    rep(seq_len(each), length(parts)), rep(seq_along(parts), each = each)
  )
  table <- one_below_other(parts)
  list(main = table_of_columns(lapply(as.list(table), `[`, sorted)))
}

one_pass_figures <- function(moments, task) {
  moments$sd <- sqrt(moments$var)
  moments$count <- moments$n
  moments$sum[moments$n == 0] <- 0
  c(
    list(n = moments$n, absent = moments$absent),
    lapply(stats::setNames(nm = names(task$show)), function(s) moments[[s]])
  )
}

# The group of each line of keys, numbered in the order groups appear in:
# category order, rising numbers, texts by code point, absent last.
groups_in_order <- function(keys, n) {
  if (!length(keys)) return(rep(1L, n))
  ranks <- lapply(unname(as.list(keys)), function(k) {
    if (is.factor(k)) {
      as.integer(k)
    } else if (is.character(k)) {
      code_point_rank(k)
    } else {
      k
    }
  })
  group <- interaction_code(keys)
  match(group, unique(group[do.call(order, c(ranks, na.last = TRUE))]))
}
