# Tables of statistics.

run_statistics <- function(bound, state) {
  narrowed <- rows_narrowed(state, bound$details$where)
  note_absent_step_weights(bound$details, narrowed)
  note_units_of_errors(bound$details, narrowed)
  note_ties(bound$details, narrowed)
  result <- with_statistics(bound, narrowed)
  state$tables <- result$tables
  state
}

with_statistics <- function(bound, state) {
  task <- bound$details
  asked <- c(
    task$named_nodes, unlist(unname(task$show_nodes), recursive = FALSE)
  )
  for (n in names(asked)) {
    note_different_rows(
      asked[[n]],
      state$frame,
      state$rows,
      state$notes,
      c(state$where, paste0("In statistic \"", n, "\"."))
    )
  }
  quick <- quick_subset_statistics(state$rows, task, state)
  tables <- tables_by_subset(
    state,
    function(rows, subset) {
      grouping <- group_rows(task$key_nodes, state$frame, rows)
      out <- arranged(
        statistics_tables(task, state, rows, grouping), task, state
      )
      if (task$total && length(task$keys)) {
        whole <- without_keys(task)
        results <- statistics_tables(
          whole, state, rows, group_rows(list(), state$frame, rows)
        )
        results <- arranged(results, whole, state)
        for (part in names(results)) {
          out[[part]] <- bind_total(out[[part]], results[[part]], names(task$keys))
        }
      }
      out
    },
    quick = if (!is.null(quick)) arranged(quick, task, state)
  )
  picked <- c(task$columns, task$category_columns, task$date_columns)
  called <- vapply(picked, state_axis, character(1), state = state)
  called <- c(called, keys_called(task$keys, state))
  for (part in names(tables)) {
    table <- finished_table(
      tables[[part]],
      names(task$keys),
      called[called != names(called)],
      task$digits
    )
    state <- record_table(state, table, part)
  }
  state
}

# Brings the main table into its shape and order.
arranged <- function(tables, task, state) {
  if (is.null(tables$main)) return(tables)
  table <- tables$main
  lead <- unique(c(
    if ("subset" %in% names(table)) "subset", names(task$keys),
    if (task$units) "units"
  ))
  main <- c(
    names(task$show), if (is.null(task$show) && length(task$columns)) "mean",
    names(task$named)
  )[1]
  also <- list()
  if (task$shape == "wide") {
    table <- widen(
      table,
      lead,
      c(names(task$named), paste0(names(task$named), "_n")),
      task$columns
    )
    # Of one column, its statistics go by their own names too.
    stem <- paste0(task$columns[1], "_")
    own <- names(table)[startsWith(names(table), stem)]
    if (length(task$columns) == 1) {
      also <- stats::setNames(
        as.list(table)[own], substring(own, nchar(stem) + 1)
      )
    }
    if (length(task$columns)) main <- paste0(stem, main)
    also <- also[setdiff(names(also), names(table))]
  }
  tables$main <- sort_table(
    table,
    order_entries(task$order, main),
    state$where,
    setdiff("subset", names(task$keys)),
    also
  )
  tables
}

without_keys <- function(task) {
  task$keys <- list()
  task$key_nodes <- list()
  task$reference <- NULL
  task$order <- "keys"
  task
}

statistics_tables <- function(task, state, rows, grouping) {
  a <- new_aggregation(state$frame, rows, grouping)
  lead <- as.list(if (ncol(grouping$keys)) grouping$keys)
  if (task$units) {
    units <- units_by_group(state, a)
    lead <- c(lead, list(units = as_count(units)))
  }
  named <- named_statistics(task, a)
  out <- list()
  if (length(task$columns)) {
    out$main <- column_statistics(task, a, lead, named)
  } else if (length(task$named)) {
    rows_of <- if (!"rows" %in% names(named)) {
      list(rows = as_count(grouping$rows_per_group))
    }
    out$main <- table_of_columns(c(lead, rows_of, named))
  }
  if (task$empty && !is.null(out$main)) {
    out$main <- with_empty_groups(
      out$main, names(task$keys), task$columns, zero_columns(task)
    )
  }
  if (length(task$category_columns)) {
    out$categories <- category_table(task$category_columns, task, state, rows)
  }
  if (length(task$date_columns)) out$dates <- date_table(task, a, lead)
  if (!is.null(task$reference)) {
    out$differences <- difference_table(task, state, rows, grouping)
  }
  out
}

check_has_unit <- function(typing) {
  if (!is.null(typing$scope$unit)) return()
  stop_neatly(
    "step",
    "`units = TRUE` needs a study with a unit.",
    where_of(typing),
    "Name the column of units when the study is made: `study(data, unit = ...)`."
  )
}

units_by_group <- function(state, a) units_in_groups(a$grouping, state, a)

#' @export
units_in_groups.default <- function(grouping, state, a) {
  coded <- units_of_frame(state)
  if (is.null(coded)) {
    stop_neatly(
      "run",
      paste0(
        "`units = TRUE` counts different values of `", state$study$unit,
        "`, which the rows here do not have any more."
      ),
      state$where,
      paste0(
        "Leave it out, or keep `", state$study$unit,
        "` as a key of the step that ", "made these rows."
      )
    )
  }
  different_by_group(coded$codes, a$grouping, a$rows)
}

# Group after group, its columns in the order picked.
column_statistics <- function(task, a, lead, named) {
  groups <- a$grouping$groups
  # Looks up all columns at once, because one by one is slow for very many.
  nodes <- Map(column_node, task$columns, a$frame$types[task$columns])
  parts <- lapply(seq_along(nodes), function(i) {
    shown <- shown_statistics(task, a, nodes[[i]])
    if (length(named)) shown <- with_named_statistics(shown, named)
    c(lead, list(column = rep(task$columns[i], groups)), shown)
  })
  if (length(parts) == 1) return(table_of_columns(parts[[1]]))
  bound <- lapply(
    stats::setNames(nm = names(parts[[1]])),
    function(n) do.call(c, lapply(parts, `[[`, n))
  )
  sorted <- order(
    rep(seq_len(groups), length(parts)), rep(seq_along(parts), each = groups)
  )
  table_of_columns(lapply(bound, `[`, sorted))
}

# Named statistics in the place of those they are called as, a count of their
# own first, the others behind.
with_named_statistics <- function(shown, named) {
  own <- intersect(names(shown), names(named))
  shown[own] <- named[own]
  shown <- c(shown, named[setdiff(names(named), own)])
  first <- intersect("n", names(named))
  shown[c(first, setdiff(names(shown), first))]
}

shown_statistics <- function(task, a, node) {
  column <- node$name
  if (is.null(task$show)) {
    shown <- if (!is.null(task$weights)) {
      weighted_statistics(node, task$weights, a)
    } else {
      default_statistics(node, a)
    }
    if (task$absent == "carry") {
      for (name in default_names) shown[[name]][shown$absent > 0] <- NA
    }
  } else {
    m <- moments_of(node, a)
    asked <- task$show_nodes[[column]]
    shown <- c(
      list(n = m$n, absent = m$absent),
      lapply(
        asked[setdiff(names(asked), c("n", "absent"))],
        evaluate_summary,
        a = a
      )
    )
  }
  if ("n" %in% names(task$named)) names(shown)[names(shown) == "n"] <- "present"
  as.list(shown)
}

# Columns that are 0 for a group without rows.
zero_columns <- function(task) {
  adds <- vapply(
    task$named_nodes,
    function(n) {
      is_aggregate(n) &&
        n$fn %in% c("count", "count_true", "count_different", "sum")
    },
    logical(1)
  )
  c(
    "n", "present", "absent", "weight", "rows", "units",
    paste0(names(task$named), "_n"), names(task$named)[adds]
  )
}

date_table <- function(task, a, lead) {
  parts <- lapply(task$date_columns, function(column) {
    node <- column_of_frame(a$frame, column)
    m <- moments_of(node, a)
    ends <- if (is.null(task$show)) {
      default_dates(node, m, task, a)
    } else {
      lapply(task$date_nodes[[column]], evaluate_summary, a = a)
    }
    table_of_columns(c(
      lead,
      list(column = rep(column, a$grouping$groups), n = m$n, absent = m$absent),
      ends
    ))
  })
  one_below_other(parts)
}

default_dates <- function(node, m, task, a) {
  middle <- quantiles_of(node, a, 0.5)[, 1]
  lapply(list(min = m$min, median = middle, max = m$max), function(v) {
    if (task$absent == "carry") v[m$absent > 0] <- NA
    as_kind(v, node, a)
  })
}

# Each named statistic, and on how many rows it rests.
named_statistics <- function(task, a) {
  out <- list()
  for (n in names(task$named_nodes)) {
    node <- task$named_nodes[[n]]
    out[[n]] <- rep_len(evaluate_summary(node, a), a$grouping$groups)
    if (task$with_n && !is_count_of_rows(node)) {
      out[[paste0(n, "_n")]] <- rows_rested_on(node, a)
    }
  }
  out
}

is_count_of_rows <- function(node) {
  is_aggregate(node) && node$fn == "count" && !length(node$args)
}

category_table <- function(columns, task, state, rows) {
  parts <- lapply(columns, function(column) {
    node <- column_of_frame(state$frame, column)
    counted <- group_rows(
      c(task$key_nodes, list(value = node)), state$frame, rows
    )
    keys <- counted$keys[names(task$keys)]
    value <- as.character(panel_key_text(counted$keys[["value"]]))
    value[is.na(counted$keys[["value"]])] <- NA
    n <- as_count(counted$rows_per_group)
    within <- if (length(keys)) {
      as.integer(interaction_code(keys))
    } else {
      rep(1L, length(n))
    }
    weight <- if (!is.null(task$weights)) {
      weighted_rows(task$weights, new_aggregation(state$frame, rows, counted))
    }
    amount <- if (is.null(weight)) n else weight
    present <- amount * !is.na(value)
    total <- function(x) {
      as.vector(rowsum(
        x, within,
        reorder = FALSE
      ))[match(within, unique(within))]
    }
    share <- amount / total(present)
    share[is.na(value)] <- NA
    if (task$absent == "carry") share[total(amount) > total(present)] <- NA
    table_of_columns(c(
      as.list(keys),
      list(column = rep(column, length(n)), value = value, n = n),
      if (!is.null(weight)) list(weight = weight), list(share = share)
    ))
  })
  table <- one_below_other(parts)
  if (length(task$keys)) {
    code <- interaction_code(table[names(task$keys)])
    table <- table[order(
      match(code, unique(code)), match(table$column, columns)
    ), , drop = FALSE]
  }
  rownames(table) <- NULL
  table
}

default_names <- c("mean", "sd", "min", "q1", "median", "q3", "max")

statistic_names <- c(
  "column", "n", "absent", default_names, "units", "subset", "value", "share"
)
