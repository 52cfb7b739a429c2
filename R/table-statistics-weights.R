# Statistics with weights for the whole step.

# Aggregates that have no weights, and say the same of rows whatever these
# weigh.
unweighted_aggregates <- c(
  "count", "count_true", "count_different", "min", "max", "extent", "first",
  "last", "any_true", "all_true", "custom"
)

# The aggregates of a statistic with the weights of the step, where they have
# none of their own.
with_step_weights <- function(node, weights, typing) {
  if (is.null(weights)) return(node)
  if (is_aggregate(node)) {
    if (!is.null(node$args$weights) || node$fn %in% unweighted_aggregates) {
      return(node)
    }
    if (!"weights" %in% names(language_function(node$fn)$params)) {
      stop_neatly(
        "step",
        paste0(
          "`", node$fn, "()` takes no weights, and the step has `weights = ",
          weights$text, "`."
        ),
        where_of(typing),
        "Take it in a step of its own, without weights."
      )
    }
    node$args$weights <- weights
    return(node)
  }
  node$args <- lapply(node$args, with_step_weights, weights, typing)
  node
}

note_absent_step_weights <- function(task, state) {
  if (is.null(task$weights)) return()
  all <- new_aggregation(
    state$frame, state$rows, group_rows(list(), state$frame, state$rows)
  )
  absent <- moments_of(task$weights, all)$absent
  if (absent == 0) return()
  take_note(
    state$notes,
    paste0(
      "`", task$weights$text, "` is absent in ", counted(absent, "row"),
      ": counted in `n`, and in nothing that is weighted."
    ),
    state$where
  )
}

# The aggregates of a table's statistics that are errors or intervals.
errors_in_table <- function(task) {
  nodes <- c(
    task$named_nodes, unlist(unname(task$show_nodes), recursive = FALSE)
  )
  matches <- unlist(lapply(unname(nodes), aggregates_in), recursive = FALSE)
  Filter(function(n) n$fn %in% c("se", "ci_low", "ci_high"), matches)
}

# Strata of one cluster alone (without clusters, of one row), which have no
# spread between them.
note_lone_clusters <- function(found, state) {
  found <- Filter(function(n) !is.null(n$args$strata), found)
  if (!length(found)) return()
  args <- found[[1]]$args
  keys <- compact(list(stratum = args$strata, cluster = args$cluster))
  grouped <- group_rows(keys, state$frame, state$rows)
  there <- !Reduce(`|`, lapply(grouped$keys, is.na))
  stratum <- panel_key_text(grouped$keys$stratum[there])
  parts <- if (is.null(args$cluster)) {
    grouped$rows_per_group[there]
  } else {
    rep(1, length(stratum))
  }
  clusters <- rowsum(as.numeric(parts), stratum, reorder = FALSE)
  lone <- rownames(clusters)[clusters == 1]
  if (!length(lone)) return()
  what <- if (is.null(args$cluster)) "row" else "cluster"
  take_note(
    state$notes,
    paste0(
      "`", found[[1]]$text, "` is absent where rows of ",
      listed(paste0("`", args$strata$text, "` ", quoted(lone)), 4),
      " are: a stratum of one ", what,
      " says nothing of the spread between them."
    ),
    state$where,
    paste0("Join such strata with a like one before, by `relabel()`.")
  )
}

# Errors and intervals of a table that take rows of one unit as independent.
note_units_of_errors <- function(task, state) {
  matches <- errors_in_table(task)
  note_lone_clusters(matches, state)
  matches <- Filter(function(n) is.null(n$args$cluster), matches)
  if (!length(matches) || is.null(state$study$unit)) return()
  unit <- lang_text(as.name(state$study$unit))
  note_repeated_units(
    state,
    paste0("`", matches[[1]]$text, "` takes"),
    paste0(
      "`cluster = ", unit, "` in it allows for rows of one unit that are ",
      "alike."
    )
  )
}

# Groups where a value that is not shown is met as often as the most frequent
# one.
note_ties <- function(task, state) {
  nodes <- c(
    task$named_nodes, unlist(unname(task$show_nodes), recursive = FALSE)
  )
  matches <- unlist(lapply(unname(nodes), aggregates_in), recursive = FALSE)
  matches <- Filter(
    function(n) n$fn == "most_frequent" && is.null(n$where), matches
  )
  for (node in unique_nodes(matches)) {
    counted <- group_rows(
      c(task$key_nodes, list(`(value)` = node$args$x)), state$frame, state$rows
    )
    there <- !is.na(counted$keys[["(value)"]])
    keys <- counted$keys[there, names(task$key_nodes), drop = FALSE]
    group <- if (length(keys)) interaction_code(keys) else rep(1L, sum(there))
    n <- counted$rows_per_group[there]
    most <- stats::ave(n, group, FUN = max)
    tied <- sum(tabulate(group[n == most]) > 1)
    if (tied == 0) next
    take_note(
      state$notes,
      paste0(
        "`", node$text, "`: in ", counted(tied, "group"),
        " several values are met as often; the first in order is shown."
      ),
      state$where,
      paste0("`counts()` shows them all.")
    )
  }
}
