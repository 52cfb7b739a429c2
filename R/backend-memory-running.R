# Functions along rows in memory.

# Values of a function along the rows in play: `x` (NULL: it has none) and the keys of its order
# over those rows.
run_along <- function(r, node, x, keys) {
  n <- if (is.null(r$rows)) r$frame$n else length(r$rows)
  grouping <- if (length(node$by)) group_rows(node$by, r$frame, r$rows)
  group <- if (length(node$by)) row_groups(r, node$by)
  groups <- if (is.null(grouping)) 1 else grouping$groups
  if (node$fn == "rank") {
    sizes <- if (is.null(grouping)) n else grouping$rows_per_group
    return(ranks_in_groups(node, as.double(x), group, sizes))
  }
  by <- if (is.null(node$args$rows)) 1 else node$args$rows$value
  coded <- is.logical(x) || (is.integer(x) && node$kind %in% c("text", "category"))
  vector <- if (is.null(x)) numeric(n) else if (coded) as.integer(x) else as.double(x)
  what <- switch(node$fn, lead = "lag", fill_down = , fill_up = "fill", node$fn)
  out <- core_running(what, vector, group, groups, unname(lapply(keys, unclass)),
                      names(keys) == "falling", by, node$fn %in% c("lead", "fill_up"),
                      isTRUE(node$carry), thread_count())
  if (node$fn == "change" && node$args$x$kind == "date-time") out <- out / 86400
  if (is.logical(x)) as.logical(out) else out
}

ranks_in_groups <- function(node, x, group, sizes) {
  falls <- "falling_x" %in% names(node$args)
  ties <- node$args$ties$value
  if (ties != "dense") return(core_ranks(x, group, sizes, falls, ties, thread_count()))
  if (is.null(group)) group <- rep(1L, length(x))
  place <- core_sorted_rows(list(group, x), c(FALSE, falls), NULL, length(x), thread_count())
  is_new <- function(v) c(TRUE, (v[-1] != v[-length(v)]) %in% TRUE)[seq_along(v)]
  of_group <- is_new(group[place])
  different <- cumsum(of_group | is_new(x[place]))
  ranks <- numeric(length(x))
  ranks[place] <- different - different[cummax(ifelse(of_group, seq_along(place), 0L))] + 1
  ranks[is.na(x)] <- NA
  ranks
}

# Numbers of the rows in play in the study, or, of groups, which group.
source_numbers <- function(r) source_row_of(r$frame, r$rows)

#' @export
absent_results.neatsieve_memory <- function(relation, results, columns) {
  none <- stats::setNames(numeric(length(columns)), columns)
  if (!anyNA(results)) return(new_absent_results(0, none, 0, 0))
  vectors <- relation$frame$columns[columns]
  counts <- core_absent_results(results, unname(vectors), relation$rows)
  n <- length(columns)
  new_absent_results(counts[1], stats::setNames(counts[1 + seq_len(n)], columns), counts[n + 2],
                     counts[n + 3])
}
