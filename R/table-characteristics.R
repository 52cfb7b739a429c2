# The table of characteristics: a line for each statistic, and its cells.

run_characteristics <- function(bound, state) {
  details <- bound$details
  step <- bound$step
  here <- rows_narrowed(state, details$where)
  note_absent_step_weights(details$task, here)
  numbers <- tables_by_subset(here, function(rows, subset) {
    list(main = characteristic_numbers(details, here, rows, step))
  })$main
  numbers <- with_differences(numbers, step, state)
  cells <- characteristic_cells(numbers, details, step, state)
  keys <- names(step$keys)
  state <- record_table(state, finished_characteristics(cells))
  numbers$level[is.na(numbers$level)] <- ""
  rownames(numbers) <- NULL
  numbers <- finished_table(numbers, keys, keys_called(bound$keys, state))
  class(numbers) <- c("neatsieve_numbers_behind", class(numbers))
  record_table(state, numbers, "numbers")
}

# One line for each group, column, level and statistic; "(all)" for all groups
# together.
characteristic_numbers <- function(details, state, rows, step) {
  task <- details$task
  keys <- names(task$keys)
  whole <- without_keys(task)
  lines_of <- if (identical(step$units, "once")) {
    lines_of_units
  } else {
    lines_of_groups
  }
  parts <- list(lines_of(task, state, rows))
  if (length(keys) && step$all) {
    all <- lines_of(whole, state, rows)
    parts <- list(
      parts[[1]],
      cbind(
        as.data.frame(stats::setNames(
          rep(list(rep("(all)", nrow(all))), length(keys)), keys
        )),
        all
      )
    )
  }
  numbers <- with_all_levels(
    one_below_other(parts), keys, task$category_columns
  )
  order <- c("(rows)", "(units)", "(weight)", details$picked)
  numbers[order(match(numbers$column, order)), , drop = FALSE]
}

# Categories that do not occur in a group have no rows there.
with_all_levels <- function(numbers, keys, columns) {
  group <- if (length(keys)) {
    interaction_words(numbers[keys])
  } else {
    rep("", nrow(numbers))
  }
  first <- match(unique(group), group)
  more <- lapply(columns, function(column) {
    of_column <- numbers$column == column &
      !is.na(numbers$level) &
      !startsWith(numbers$level, "(absent)")
    levels <- unique(numbers$level[of_column])
    grid <- expand.grid(level = levels, at = first, stringsAsFactors = FALSE)
    there <- paste(group[grid$at], grid$level, sep = "\r") %in%
      paste(group[of_column], numbers$level[of_column], sep = "\r")
    grid <- grid[!there, , drop = FALSE]
    if (!nrow(grid)) return(NULL)
    one_below_other(lapply(c("n", "share"), function(s) {
      lines <- numbers[grid$at, , drop = FALSE]
      lines$column <- rep(column, nrow(lines))
      lines$level <- grid$level
      lines$statistic <- rep(s, nrow(lines))
      # A group without any value has no shares.
      has_values <- group[grid$at] %in% group[of_column & numbers$value > 0]
      lines$value <- ifelse(s == "n" | has_values, 0, NA)
      lines
    }))
  })
  one_below_other(c(list(numbers), compact(more)))
}

lines_of_groups <- function(task, state, rows) {
  grouping <- group_rows(task$key_nodes, state$frame, rows)
  keys <- names(task$keys)
  shown_keys <- function(table) {
    lapply(
      as.list(table)[keys], function(key) as.character(panel_key_text(key))
    )
  }
  lines <- function(table, column, level, statistic, value) {
    table_of_columns(c(
      shown_keys(table),
      list(
        column = as.character(column),
        level = as.character(level),
        statistic = rep(statistic, length(column)),
        value = as.numeric(value)
      )
    ))
  }
  tables <- statistics_tables(task, state, rows, grouping)
  groups <- if (length(keys)) grouping$keys else data.frame(none = 1)
  none <- function(n) rep(NA_character_, n)
  melted <- function(table) {
    if (is.null(table)) return(NULL)
    lapply(setdiff(names(table), c(keys, "column", "units")), function(s) {
      lines(table, table$column, none(nrow(table)), s, table[[s]])
    })
  }
  n <- nrow(groups)
  counted <- list(lines(
    groups, rep("(rows)", n), none(n), "n", grouping$rows_per_group
  ))
  if (task$units) {
    units <- units_by_group(state, new_aggregation(state$frame, rows, grouping))
    counted <- c(
      counted, list(lines(groups, rep("(units)", n), none(n), "n", units))
    )
  }
  if (!is.null(task$weights)) {
    weight <- weighted_rows(
      task$weights, new_aggregation(state$frame, rows, grouping)
    )
    counted <- c(
      counted, list(lines(groups, rep("(weight)", n), none(n), "sum", weight))
    )
  }
  categories <- tables$categories
  of_categories <- if (!is.null(categories)) {
    level <- ifelse(is.na(categories$value), "(absent)", categories$value)
    lapply(c("n", "share"), function(s) {
      lines(categories, categories$column, level, s, categories[[s]])
    })
  }
  one_below_other(c(
    counted, melted(tables$main), of_categories, melted(tables$dates),
    reason_lines_of(task, state, rows, lines)
  ))
}

# How many values are absent for each reason that is known.
reason_lines_of <- function(task, state, rows, lines) {
  columns <- c(task$columns, task$category_columns, task$date_columns)
  having <- Filter(
    function(column) length(counts_of_reasons_of(state$frame, column)), columns
  )
  lapply(having, function(column) {
    node <- reasons_node(state$frame$types[[column]]$reasons)
    grouped <- group_rows(
      c(task$key_nodes, list(`(reason)` = node)), state$frame, rows
    )
    known <- !is.na(grouped$keys[["(reason)"]])
    lines(
      grouped$keys[known, , drop = FALSE],
      rep(column, sum(known)),
      paste0("(absent) ", grouped$keys[["(reason)"]][known]),
      "n",
      grouped$rows_per_group[known]
    )
  })
}

# Standardized differences to the group of reference.
with_differences <- function(numbers, step, state) {
  if (is.null(step$reference)) return(numbers)
  key <- names(step$keys)
  reference <- panel_key_text(step$reference)
  groups <- setdiff(unique(numbers[[key]]), "(all)")
  if (!reference %in% groups) {
    stop_neatly(
      "run",
      paste0("There is no group ", quoted(reference), " in `", key, "`."),
      state$where,
      c(
        meant(reference, groups, quoted),
        paste0("Groups: ", listed(quoted(groups), 8), ".")
      )
    )
  }
  value <- function(statistic) {
    numbers[numbers$statistic == statistic, , drop = FALSE]
  }
  place <- setdiff(names(numbers), c(key, "statistic", "value"))
  at <- function(table, lines, group) {
    lines[[key]] <- rep(group, nrow(lines))
    table$value[match(
      interaction_words(lines[c(place, key)]),
      interaction_words(table[c(place, key)])
    )]
  }
  difference <- function(lines, spread, of) {
    lines <- lines[
      lines[[key]] != reference & lines[[key]] != "(all)", ,
      drop = FALSE
    ]
    ours <- lines$value
    theirs <- at(of, lines, reference)
    if (identical(spread, "share")) theirs[is.na(theirs)] <- 0
    variance <- if (identical(spread, "share")) {
      (ours * (1 - ours) + theirs * (1 - theirs)) / 2
    } else {
      own <- spread$value[match(
        interaction_words(lines[c(place, key)]),
        interaction_words(spread[c(place, key)])
      )]
      (own^2 + at(spread, lines, reference)^2) / 2
    }
    lines$statistic <- rep("difference", nrow(lines))
    lines$value <- ifelse(
      variance > 0, (ours - theirs) / sqrt(variance), NA_real_
    )
    lines
  }
  shares <- value("share")
  shares <- shares[!startsWith(shares$level, "(absent)"), , drop = FALSE]
  one_below_other(list(
    numbers,
    difference(value("mean"), value("sd"), value("mean")),
    difference(shares, "share", shares)
  ))
}
