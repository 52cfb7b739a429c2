# Statistics of many subsets at once.

# Many subsets, statistics of one pass: rows are grouped by signature and keys once, and the
# moments of each subset are merged from the signatures it holds.
quick_subset_statistics <- function(task, state) {
  one_pass <- c("mean", "sd", "min", "max", "sum", "var", "count")
  if (is.null(state$subsets) || is.null(task$show) || !all(names(task$show) %in% one_pass) ||
      !length(task$columns) || length(task$named) || length(task$category_columns) ||
        length(task$date_columns) ||
      task$units || task$total || task$empty || task$absent == "carry" || !is.null(task$reference))
      return(NULL)
  for (shown in names(task$show)) if (!identical(task$show[[shown]]$lang, call(shown, quote(it))))
    return(NULL)
  frame <- frame_with(state$frame, "(signature)", state$subsets$signature, new_type("whole"))
  grouping <-
    group_rows(
      c(list(
          `(signature)` = column_node("(signature)",
                                      new_type("whole"))), task$key_nodes), frame, state$rows)
  signature <- grouping$keys[[1]]
  keys <- grouping$keys[-1]
  group <- if (length(keys)) interaction_code(keys) else rep(1L, length(signature))
  if (length(keys)) {
    order <- do.call(order,
                     c(lapply(unname(as.list(keys)),
                              function(k) {
                                if (is.factor(k)) as.integer(k)
                                else if (is.character(k)) code_point_rank(k) else k
                              }), na.last = TRUE))
    group <- match(group, unique(group[order]))
  }
  first <- match(seq_len(max(group, 0L)), group)
  into <- lapply(colnames(state$subsets$sets), function(s) {
    at <- which(state$subsets$sets[signature, s])
    split(at, group[at])
  })
  lead <- list(subset = rep(colnames(state$subsets$sets), lengths(into)))
  groups <- as.integer(unlist(lapply(into, names)))
  for (key in names(keys)) lead[[key]] <- keys[[key]][first[groups]]
  parts <- lapply(task$columns, function(column) {
    m <-
      merged_moments(
        moments_by_group(state$frame$columns[[column]], grouping, state$rows),
        unlist(into, recursive = FALSE, use.names = FALSE))
    m$sd <- sqrt(m$var)
    m$count <- m$n
    m$sum[m$n == 0] <- 0
    c(lead, list(column = rep(column, nrow(m)), n = m$n, absent = m$absent),
      lapply(stats::setNames(nm = names(task$show)), function(s) m[[s]]))
  })
  table <- lapply(stats::setNames(nm = names(parts[[1]])),
                  function(n) do.call(c, lapply(parts, `[[`, n)))
  each <- length(groups)
  sorted <- order(rep(seq_len(each), length(parts)), rep(seq_along(parts), each = each))
  list(main = as_table(lapply(table, `[`, sorted)))
}
