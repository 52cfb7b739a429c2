# Functions along rows in memory.

# Values of a function along the rows in play: `x` (NULL: it has none) and the
# keys of its order over those rows.
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
  coded <- is.logical(x) ||
    (is.integer(x) && node$kind %in% c("text", "category"))
  vector <- if (is.null(x)) {
    numeric(n)
  } else if (coded) {
    as.integer(x)
  } else {
    as.double(x)
  }
  what <- switch(node$fn,
    lead = "lag",
    fill_down = ,
    fill_up = "fill",
    node$fn
  )
  out <- core_running(
    what,
    vector,
    group,
    groups,
    unname(lapply(keys, unclass)),
    names(keys) == "falling",
    by,
    node$fn %in% c("lead", "fill_up"),
    isTRUE(node$carry),
    thread_count()
  )
  if (node$fn == "change" && node$args$x$kind == "date-time") out <- out / 86400
  if (is.logical(x)) as.logical(out) else out
}

ranks_in_groups <- function(node, x, group, sizes) {
  falls <- "falling_x" %in% names(node$args)
  ties <- node$args$ties$value
  if (ties != "dense") {
    return(core_ranks(x, group, sizes, falls, ties, thread_count()))
  }
  if (is.null(group)) group <- rep(1L, length(x))
  place <- core_sorted_rows(
    list(group, x), c(FALSE, falls), NULL, length(x), thread_count()
  )
  is_new <- function(v) {
    c(TRUE, (v[-1] != v[-length(v)]) %in% TRUE)[seq_along(v)]
  }
  of_group <- is_new(group[place])
  different <- cumsum(of_group | is_new(x[place]))
  ranks <- numeric(length(x))
  ranks[place] <- different - different[cummax(ifelse(of_group, seq_along(place), 0L))] + 1
  ranks[is.na(x)] <- NA
  ranks
}

# The number of each row in play in the study; for groups, the number of the
# group.
source_numbers <- function(r) source_row_of(r$frame, r$rows)

#' @export
absent_results.neatsieve_memory <- function(relation, results, columns) {
  none <- stats::setNames(numeric(length(columns)), columns)
  if (!anyNA(results)) return(new_absent_results(0, none, 0, 0))
  vectors <- relation$frame$columns[columns]
  counts <- core_absent_results(results, unname(vectors), relation$rows)
  n <- length(columns)
  new_absent_results(
    counts[1],
    stats::setNames(counts[1 + seq_len(n)], columns),
    counts[n + 2],
    counts[n + 3]
  )
}

# An aggregate of windows along the rows in play. values: of x over those rows
# (NULL: rows are counted); kept: which of them `where` lets in.
roll_along <- function(r, node, values, kept, keys) {
  n <- if (is.null(r$rows)) r$frame$n else length(r$rows)
  x <- if (is.null(node$args$x)) node$args$cond else node$args$x
  if (is.null(values) && (!is.null(x) || !is.null(kept))) {
    values <- rep(if (is.null(x)) 1 else NA_real_, n)
  }
  if (!is.null(kept)) values[!kept %in% TRUE] <- NA
  grouping <- if (length(node$by)) group_rows(node$by, r$frame, r$rows)
  what <- node$args$what$value
  number <- function(name, usual) {
    if (is.null(node$args[[name]])) {
      usual
    } else {
      as.double(node$args[[name]]$value)
    }
  }
  is_moment <- length(keys) && order_of(node)[[1]]$kind == "date-time"
  day <- if (is_moment) 86400 else 1
  rolled <- core_rolling(
    rolled_aggregates[[what]],
    values,
    if (length(node$by)) row_groups(r, node$by),
    if (is.null(grouping)) 1 else grouping$groups,
    unname(lapply(keys, unclass)),
    names(keys) == "falling",
    n,
    number("rows", 0),
    if (!is.null(node$args$days)) as.double(keys[[1]]),
    number("days", 0) * day,
    if (is_moment) 0 else 1,
    number("needs", if (what %in% c("count", "count_true", "sum")) 0 else 1),
    number("p", 0.5),
    thread_count()
  )
  note_begin_before(r, node, rolled$begin_before)
  rolled$values
}

note_begin_before <- function(r, node, windows) {
  if (!is.null(node$args$needs) || is.null(r$notes) || windows == 0) return()
  take_note(
    r$notes, words_begin_before(node, windows), r$where, ways_begin_before(node)
  )
}
words_begin_before <- function(node, windows) {
  paste0(
    "`", node$text, "`: ", counted(windows, "window"), " ",
    if (windows == 1) "begins" else "begin", " before the first row",
    if (length(node$by)) " of the group", ", and ",
    if (windows == 1) "rests" else "rest", " on what is there."
  )
}
ways_begin_before <- function(node) {
  n <- if (is.null(node$args$rows)) 3 else node$args$rows$value
  paste0(
    "`needs = ", n, "` makes those absent that have fewer than ", n,
    " present values."
  )
}
