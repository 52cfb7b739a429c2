# Prepares the input of a chart: one vector per number, one key per group.

# How many rows the choice of bins and the search for far values look at.
sampled_rows <- 16384

# nodes, panel_nodes: columns of `frame`; written: the nodes as written.
# vectors: numbers by role; spread: of each, its ends and a sample; windows: by
# role. infinite: rows set aside. made: columns worked out; stacked: the row of
# the run that each row of the frame is, where subsets stand side by side.
# weights: those of values; weight: their sum.
new_chart_input <- function(task, state) {
  new_record(
    "chart_input",
    list(
      task = task,
      state = state,
      frame = state$frame,
      rows = state$rows,
      options = task$options,
      panel_keys = names(task$panels),
      nodes = task$nodes,
      panel_nodes = task$panel_nodes,
      written = task$written,
      vectors = list(),
      spread = list(),
      windows = list(),
      infinite = NULL,
      made = list(),
      stacked = NULL,
      weights = NULL,
      weight = NULL
    )
  )
}

chart_input <- function(task, state) {
  check_drawn(relation_of(state), task$about)
  input <- new_chart_input(task, state)
  input <- expressions_as_columns(
    input,
    if (length(task$subset_panel)) {
      lapply(subset_names(state), subset_rows, state = state)
    }
  )
  if (length(task$subset_panel)) input <- subsets_side_by_side(input)
  stop_at_too_many(input)
  input$windows <- task$windows
  input$vectors <- lapply(
    input$nodes[task$types[names(input$nodes)] %in% c("number", "measure")],
    chart_values,
    input = input
  )
  if (length(values_of_colour(input))) {
    input$vectors$colour <- chart_values(input$nodes$colour, input)
  }
  input <- look_at_weights(input)
  for (role in names(input$vectors)) input <- look_at_spread(input, role)
  input
}

# More groups than any figure can show would take the session down with them.
most_groups <- 2000
stop_at_too_many <- function(input) {
  keys <- c(
    list(panels = input$panel_nodes),
    lapply(
      input$nodes[input$task$types[names(input$nodes)] == "key" &
        !names(input$nodes) %in% c("lines", values_of_colour(input))],
      list
    )
  )
  for (argument in names(keys)) {
    groups <- if (length(keys[[argument]])) {
      group_rows(
        stats::setNames(
          keys[[argument]], paste0("k", seq_along(keys[[argument]]))
        ),
        input$frame,
        input$rows
      )$groups
    } else {
      0
    }
    most <- if (argument == "panels") 400 else most_groups
    if (groups > most) {
      stop_neatly(
        "run",
        paste0(
          "`", argument, "` makes ", counted(groups, "group"),
          ", more than the ", format_count(most), " a figure can show."
        ),
        input$state$where,
        paste0(
          "Keep some of the rows with `include()` before, or ",
          "take a key of fewer groups, such as `band()` of a ", "number."
        )
      )
    }
  }
}

# Numbers in colours of points may be as many as they are.
values_of_colour <- function(input) {
  if (input$task$about$kind == "scatter" && is_value_colour(input)) "colour"
}

# Expressions are worked out once and stand as columns of the chart's own frame;
# with `subsets` (their rows) they are worked out for each of them, row after
# row of one and then of the other.
expressions_as_columns <- function(input, subsets = NULL) {
  for (node in input$nodes[input$task$types[names(input$nodes)] == "summary"]) {
    note_different_rows(
      node, input$frame, input$rows, input$state$notes, input$state$where
    )
  }
  plain <- names(input$nodes)[input$task$types[names(input$nodes)] != "summary"]
  marked <- input$nodes$weights
  if (!is.null(marked)) input$nodes$weights <- unmarked_weights(marked)
  for (role in plain) {
    input <- as_chart_column(
      input, c("nodes", role), paste0("(", role, ")"), subsets
    )
  }
  if (!is.null(marked)) {
    input$nodes$weights <- weights_like(marked, input$nodes$weights)
  }
  for (i in seq_along(input$panel_nodes)) {
    input <- as_chart_column(
      input, list("panel_nodes", i), paste0("(panel ", i, ")"), subsets
    )
  }
  input
}

as_chart_column <- function(input, at, name, subsets) {
  node <- input[[at[[1]]]][[at[[2]]]]
  if (node$node == "column") return(input)
  chart_column_over(relation_of(input), input, at, name, node, subsets)
}

#' @export
chart_column_over.neatsieve_memory <- function(
  relation, input, at, name, node, subsets
) {
  values <- function(rows, notes) {
    vector <- evaluate_node(node, input$frame, rows, notes, input$state$where)
    if (is.factor(vector) && node$kind == "text") {
      as.character(vector)
    } else {
      vector
    }
  }
  if (is.null(subsets)) {
    vector <- spread_over(
      values(input$rows, input$state$notes), input$rows, input$frame$n, NULL
    )
    input$frame <- frame_with(input$frame, name, vector, type_of_vector(vector))
  } else {
    vector <- stacked_vectors(lapply(subsets, values, notes = NULL))
    input$made[[name]] <- vector
  }
  input[[at[[1]]]][[at[[2]]]] <- column_node(name, type_of_vector(vector), node$text)
  input
}

stacked_vectors <- function(parts) {
  if (!is.factor(parts[[1]])) return(do.call(c, parts))
  levels <- unique(unlist(lapply(parts, levels)))
  codes <- unlist(lapply(parts, function(p) match(as.character(p), levels)))
  structure(codes, levels = levels, class = class(parts[[1]]))
}

# `panels = subsets()`: the rows of one subset after those of the other, with
# its name as a key.
subsets_side_by_side <- function(input) {
  subsets_stacked(relation_of(input), input)
}

#' @export
subsets_stacked.neatsieve_memory <- function(relation, input) {
  state <- input$state
  names <- subset_names(state)
  taken <- lapply(names, subset_rows, state = state)
  at <- unlist(taken)
  needed <- unique(unlist(c(
    lapply(input$panel_nodes, columns_read), lapply(input$nodes, columns_read)
  )))
  needed <- setdiff(needed, names(input$made))
  columns <- c(
    lapply(input$frame$columns[needed], function(x) x[at]), input$made
  )
  columns[["(subset)"]] <- factor(rep(names, lengths(taken)), names)
  play <- list(frame = input$frame, rows = input$rows, where = state$where)
  input$frame <- new_frame(columns, lapply(columns, type_of_vector), length(at))
  input$frame$types[needed] <- play$frame$types[needed]
  input$frame$play <- play
  input$rows <- NULL
  input$stacked <- at
  key <- list(
    subset = column_node("(subset)", input$frame$types[["(subset)"]], "subset")
  )
  input$panel_nodes <- append(
    input$panel_nodes, key, input$task$subset_panel - 1
  )
  input
}

source_rows <- function(input, rows) {
  chart_source_rows(relation_of(input), input, rows)
}

#' @export
chart_source_rows.neatsieve_memory <- function(relation, input, rows) {
  source_row_of(
    input$state$frame, if (is.null(input$stacked)) rows else input$stacked[rows]
  )
}

# Ends, a sample, and infinite values, which are counted and set aside. Of all
# rows of a column they are worked out once per frame.
look_at_spread <- function(input, role) {
  whole <- is.null(input$rows) && is.null(input$windows[[role]])
  spread <- kept_in(
    if (whole) input$frame$spread else new.env(),
    input$nodes[[role]]$name,
    asked_of(
      input,
      "spread",
      values = input$vectors[[role]],
      window = input$windows[[role]],
      most = sampled_rows
    )
  )
  if (spread$infinite) {
    endless <- is.infinite(input$vectors[[role]])
    rows <- if (is.null(input$rows)) {
      which(endless)
    } else {
      input$rows[endless[input$rows]]
    }
    input$infinite <- union(input$infinite, rows)
    input$vectors[[role]][endless] <- NA
  }
  input$spread[[role]] <- spread
  input
}

# The rows of a chart asked for numbers; see summarise_for_chart().
asked_of <- function(input, request, ...) {
  summarise_for_chart(relation_of(input), request, ...)
}

# Rows in play grouped by the panels and then by roles.
chart_groups <- function(input, roles = character()) {
  roles <- intersect(roles, names(input$nodes))
  group_rows(c(input$panel_nodes, input$nodes[roles]), input$frame, input$rows)
}

# The panels with n (values drawn or counted), absent, infinite and outside the
# window; counts come per group of `grouped`, whose first keys are the panels.
panel_account <- function(input, grouped, absent, outside = 0, aside = 0) {
  keys <- input$panel_keys
  code <- if (length(keys)) {
    interaction_code(grouped$keys[keys])
  } else {
    rep(1L, grouped$groups)
  }
  first <- !duplicated(code)
  total <- function(x) {
    as_count(as.vector(rowsum(
      rep_len(as.numeric(x), grouped$groups),
      code,
      reorder = FALSE
    )))
  }
  panels <- grouped$keys[first, keys, drop = FALSE]
  rownames(panels) <- NULL
  infinite <- 0L
  if (length(input$infinite)) {
    of_row <- asked_of(input, "groups", grouping = grouped)[input$infinite]
    infinite <- total(tabulate(of_row, grouped$groups))
  }
  panels$n <- total(grouped$rows_per_group) - total(absent) - total(aside)
  panels$absent <- total(absent) - infinite
  panels$infinite <- rep_len(infinite, nrow(panels))
  panels$outside <- total(outside)
  panels
}

# Rows where all of the given numbers are present, per panel.
count_present <- function(input, grouped, roles = names(input$vectors)) {
  asked_of(
    input,
    "present",
    vectors = input$vectors[roles],
    grouping = grouped,
    windows = unname(lapply(roles, function(r) input$windows[[r]]))
  )
}

# Keys of groups beside what was computed for them, as one data frame.
with_keys <- function(grouped, group, ...) {
  keys <- lapply(as.list(grouped$keys), `[`, group)
  table_of_columns(c(keys, list(...)))
}

# Numbers back as dates where the role was one.
as_role <- function(values, input, role) {
  if (role %in% input$task$log_axes && counts_logs(input$task$about)) {
    return(10^values)
  }
  node <- input$nodes[[role]]
  switch(if (is.null(node)) "number" else node$kind,
    date = structure(as.numeric(values), class = "Date"),
    `date-time` = .POSIXct(
      as.numeric(values),
      tz = if (is.null(node$tz) || is.na(node$tz)) "UTC" else node$tz
    ),
    values
  )
}

# Texts of a role's groups in the order they are drawn: of the keys, or by
# numbers of the groups, of which the last is the one that the words "rising"
# and "falling" mean. With `empty`, categories of no rows too.
role_levels <- function(input, role, statistic = NULL) {
  if (is.null(input$nodes[[role]])) return(NULL)
  grouped <- group_rows(input$nodes[role], input$frame, input$rows)
  key <- grouped$keys[[role]]
  text <- panel_key_text(key)
  order <- input$options$order
  sorted <- role == "x" &&
    !is.null(statistic) &&
    !is.null(order) &&
    !identical(order, "keys") &&
    length(text)
  if (sorted) {
    numbers <- c(statistics_of_order(input, grouped), statistic(grouped))
    order <- order_by_statistics(order)
    table <- table_of_columns(c(list(`(group)` = text), numbers))
    text <- sort_table(
      table,
      order_entries(order, utils::tail(names(numbers), 1)),
      input$state$where
    )[[1]]
  }
  unique(c(
    text, if (isTRUE(input$options$empty) && is.factor(key)) levels(key)
  ))
}

is_whole <- function(input, role) {
  input$nodes[[role]]$kind %in% c("whole", "date") ||
    is.integer(input$vectors[[role]])
}

most_lines <- 12

# Rows in play where the roles' values are all present.
rows_present <- function(input, roles) {
  rows <- if (is.null(input$rows)) seq_len(input$frame$n) else input$rows
  for (role in roles) rows <- rows[!is.na(input$vectors[[role]][rows])]
  rows
}

# Levels of x and colour; x by the median of y where that is asked for.
group_levels <- function(input) {
  of_groups <- function(grouped) {
    y <- input$vectors$y
    median <- weighed_or_plain(
      input, "quantiles", "y",
      grouping = grouped, probs = 0.5
    )
    list(
      n = asked_of(input, "moments", values = y, grouping = grouped)$n,
      median = as.vector(median)
    )
  }
  list(
    x = role_levels(input, "x", of_groups),
    colour = role_levels(input, "colour")
  )
}
