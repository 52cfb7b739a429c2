# What later steps need to know of subsets.

subset_names <- function(state) colnames(state$subsets$sets)

# The rows in play that belong to one subset.
subset_rows <- function(state, subset) rows_of_subset(state$rows, state, subset)
rows_of_subset <- function(rows, state, subset) UseMethod("rows_of_subset")
#' @export
rows_of_subset.default <- function(rows, state, subset) {
  if (is.null(rows)) rows <- seq_len(state$frame$n)
  rows[state$subsets$sets[state$subsets$signature[rows], subset] %in% TRUE]
}

# Tables of a step: once for all rows, or once per subset with a leading column.
# `make(rows, subset)` gives a list of tables by the ending of their name.
tables_by_subset <- function(state, make, quick = NULL) {
  if (is.null(state$subsets)) return(make(state$rows, NULL))
  if (!is.null(quick)) return(quick)
  names <- colnames(state$subsets$sets)
  results <- lapply(names, function(s) make(subset_rows(state, s), s))
  parts <- names(results[[1]])
  bound <- lapply(seq_along(parts), function(i) {
    tables <- Map(
      function(tables, s) {
        if (nrow(tables[[i]])) {
          cbind(data.frame(subset = rep(s, nrow(tables[[i]]))), tables[[i]])
        }
      },
      results,
      names
    )
    tables <- tables[!vapply(tables, is.null, logical(1))]
    if (!length(tables)) {
      return(cbind(data.frame(subset = character()), results[[1]][[i]]))
    }
    subsets_below_other(tables)
  })
  stats::setNames(bound, parts)
}

# Tables of subsets; a cross table's column that one of them lacks counts
# nothing there.
subsets_below_other <- function(tables) {
  columns <- unique(unlist(lapply(tables, names)))
  one_below_other(lapply(tables, function(t) {
    for (missing in setdiff(columns, names(t))) t[[missing]] <- rep(0L, nrow(t))
    t[columns]
  }))
}

# Rows of the same memberships share a signature: its number by row, and its
# subsets.
signatures_of <- function(member, state) {
  code <- rep(1L, state_row_count(state))
  sets <- matrix(logical(), 1, 0)
  for (m in member) {
    both <- 2L * (code - 1L) + m + 1L
    kinds <- which(tabulate(both, 2L * nrow(sets)) > 0)
    code <- match(both, kinds)
    sets <- cbind(
      sets[(kinds - 1L) %/% 2L + 1L, , drop = FALSE], (kinds - 1L) %% 2L == 1L
    )
  }
  signature <- rep(NA_integer_, state$frame$n)
  if (is.null(state$rows)) signature <- code else signature[state$rows] <- code
  colnames(sets) <- names(member)
  list(signature = signature, sets = sets)
}

# A run over the rows of each subset, one below the other.
state_of_subset_rows <- function(state) {
  need_values(state$rows, "rows are taken subset by subset")
  sets <- subset_names(state)
  of <- lapply(sets, subset_rows, state = state)
  rows <- unlist(of)
  frame <- state$frame
  columns <- lapply(frame$columns, function(x) {
    if (is_unread(x)) {
      x
    } else if (is.null(dim(x))) {
      x[rows]
    } else {
      x[rows, , drop = FALSE]
    }
  })
  label <- factor(rep(sets, lengths(of)), levels = sets)
  state$frame <- new_frame(
    c(list(subset = label), columns),
    c(list(subset = type_of_vector(label)), frame$types),
    length(rows),
    source = source_row_of(frame, rows)
  )
  state["rows"] <- list(NULL)
  state["subsets"] <- list(NULL)
  state$visible <- c("subset", state$visible)
  state
}

# Fates of the rows in play: 1 for those in a subset, 2 for others.
subset_fates <- function(state) {
  rows <- if (is.null(state$rows)) seq_len(state$frame$n) else state$rows
  in_none <- rowSums(state$subsets$sets, na.rm = TRUE) == 0
  as.raw(1 + in_none[state$subsets$signature[rows]])
}

held_in_no_subset <- function(state) {
  need_values(state$rows, "rows are taken subset by subset")
  hold_rows(
    state,
    as.raw(ifelse(subset_fates(state) == as.raw(2), 1, 0)),
    "in no subset"
  )
}
