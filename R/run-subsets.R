# What later steps need of subsets.

subset_names <- function(state) colnames(state$subsets$sets)

# Rows in play of one subset.
subset_rows <- function(state, subset) {
  if (is_in_database(state$rows)) {
    return(where_true(state$rows, state$subsets$in_database[[subset]]))
  }
  rows <- if (is.null(state$rows)) seq_len(state$frame$n) else state$rows
  rows[state$subsets$sets[state$subsets$signature[rows], subset] %in% TRUE]
}

# Tables of a step: once for all rows, or once per subset with a leading column. `make(rows,
# subset)` gives a list of tables by the ending of their name.
tables_by_subset <- function(state, make, quick = NULL) {
  if (is.null(state$subsets)) return(make(state$rows, NULL))
  if (!is.null(quick)) return(quick)
  names <- colnames(state$subsets$sets)
  made <- lapply(names, function(s) make(subset_rows(state, s), s))
  parts <- names(made[[1]])
  bound <- lapply(seq_along(parts), function(i) {
    tables <-
      Map(function(tables, s) if (nrow(tables[[i]]))
          cbind(data.frame(subset = rep(s, nrow(tables[[i]]))), tables[[i]]), made, names)
    tables <- tables[!vapply(tables, is.null, logical(1))]
    if (!length(tables)) return(cbind(data.frame(subset = character()), made[[1]][[i]]))
    subsets_below_other(tables)
  })
  stats::setNames(bound, parts)
}

# Tables of subsets; a cross table's column that one of them lacks counts nothing there.
subsets_below_other <- function(tables) {
  columns <- unique(unlist(lapply(tables, names)))
  one_below_other(lapply(tables, function(t) {
    for (missing in setdiff(columns, names(t))) t[[missing]] <- rep(0L, nrow(t))
    t[columns]
  }))
}

# Rows of the same memberships share a signature: its number by row, and its subsets.
signatures_of <- function(member, state) {
  code <- rep(1L, state_row_count(state))
  sets <- matrix(logical(), 1, 0)
  for (m in member) {
    both <- 2L * (code - 1L) + m + 1L
    kinds <- which(tabulate(both, 2L * nrow(sets)) > 0)
    code <- match(both, kinds)
    sets <- cbind(sets[(kinds - 1L) %/% 2L + 1L, , drop = FALSE], (kinds - 1L) %% 2L == 1L)
  }
  signature <- rep(NA_integer_, state$frame$n)
  if (is.null(state$rows)) signature <- code else signature[state$rows] <- code
  colnames(sets) <- names(member)
  list(signature = signature, sets = sets)
}
