# The table of characteristics with each unit once: numbers by the mean of the
# unit's rows, categories by whether the unit has such a row.

# As lines_of_groups(), where every group counts its units.
lines_of_units <- function(task, state, rows) {
  means <- unit_means(task, state, rows)
  inner <- state
  inner$frame <- means$frame
  inner["rows"] <- list(NULL)
  of_numbers <- task
  of_numbers$units <- FALSE
  of_numbers$key_nodes <- lapply(
    stats::setNames(nm = names(task$keys)),
    column_of_frame,
    frame = means$frame
  )
  of_numbers$category_columns <- of_numbers$date_columns <- character()
  numbers <- lines_of_groups(of_numbers, inner, NULL)
  dates <- task
  dates$units <- FALSE
  dates$columns <- dates$category_columns <- character()
  of_dates <- if (length(task$date_columns)) lines_of_groups(dates, state, rows)
  of_dates <- of_dates[!of_dates$column %in% "(rows)", , drop = FALSE]
  categories <- lapply(
    task$category_columns,
    category_of_units,
    task = task,
    state = state,
    rows = rows
  )
  one_below_other(compact(c(list(numbers), categories, list(of_dates))))
}

# A row for each unit of each group with the means of its rows, under the
# columns' own names.
unit_means <- function(task, state, rows) {
  with_unit <- unit_beside_rows(relation_of(state), state)
  each <- group_rows(
    c(task$key_nodes, list(`(unit)` = with_unit$node)), with_unit$frame, rows
  )
  a <- new_aggregation(with_unit$frame, rows, each)
  there <- which(!is.na(each$keys[["(unit)"]]))
  means <- lapply(stats::setNames(nm = task$columns), function(column) {
    node <- column_node(column, with_unit$frame$types[[column]])
    mean <- evaluate_summary(aggregate_node("mean", list(x = node), column), a)
    rep_len(as.numeric(mean), each$groups)[there]
  })
  columns <- c(lapply(as.list(each$keys)[names(task$keys)], `[`, there), means)
  list(
    frame = new_frame(columns, lapply(columns, type_of_vector), length(there))
  )
}

# How many units of each group have each value, and what share that is of those
# with any.
category_of_units <- function(column, task, state, rows) {
  node <- column_of_frame(state$frame, column)
  count <- function(keys) {
    grouped <- group_rows(c(task$key_nodes, keys), state$frame, rows)
    list(
      keys = grouped$keys,
      units = units_by_group(state, new_aggregation(state$frame, rows, grouped))
    )
  }
  groups <- function(keys) {
    if (length(task$keys)) {
      interaction_words(keys[names(task$keys)])
    } else {
      rep("", NROW(keys))
    }
  }
  of_value <- count(list(`(value)` = node))
  is_there <- count(list(
    `(there)` = call_node("present", list(x = node), new_type("logical"))
  ))
  of_group <- count(list())
  some <- which(is_there$keys[["(there)"]] %in% TRUE)
  having <- function(keys) {
    units <- is_there$units[some][match(groups(keys), groups(is_there$keys[some, , drop = FALSE]))]
    ifelse(is.na(units), 0, units)
  }
  lines <- function(keys, level, statistic, value) {
    shown <- lapply(
      as.list(keys)[names(task$keys)],
      function(k) as.character(panel_key_text(k))
    )
    table_of_columns(c(
      shown,
      list(
        column = rep(column, length(value)),
        level = level,
        statistic = rep(statistic, length(value)),
        value = as.numeric(value)
      )
    ))
  }
  known <- which(!is.na(of_value$keys[["(value)"]]))
  keys <- of_value$keys[known, , drop = FALSE]
  level <- as.character(panel_key_text(keys[["(value)"]]))
  n <- of_value$units[known]
  none <- of_group$units - having(of_group$keys)
  one_below_other(list(
    lines(keys, level, "n", n),
    lines(keys, level, "share", n / having(keys)),
    lines(of_group$keys, rep("(absent)", length(none)), "n", none)
  ))
}

#' @export
unit_beside_rows.neatsieve_memory <- function(relation, state) {
  coded <- units_of_frame(state)
  if (is.null(coded)) {
    stop_neatly(
      "run",
      paste0(
        "`units = \"once\"` takes each `", state$study$unit,
        "` once, which the rows here do not have any more."
      ),
      state$where,
      paste0(
        "Leave it out, or keep `", state$study$unit,
        "` as a key of the step that ", "made these rows."
      )
    )
  }
  list(
    frame = frame_with(state$frame, "(unit)", coded$codes, new_type("whole")),
    node = column_node("(unit)", new_type("whole"))
  )
}

#' @export
unit_beside_rows.neatsieve_sql <- function(relation, state) {
  list(frame = state$frame, node = unit_node(relation, state$study$unit))
}
