#' Where values are missing
#'
#' Draws the share of absent values of each column, for all rows or for each
#' group.
#'
#' @inheritParams chart_histogram
#' @param ... Column picks (see [pick_columns()]); none: all columns that have
#'   absent values, as loaded.
#' @param x A key: one column of tiles for each of its groups; none: one bar per
#'   column.
#' @return A step, as [chart_histogram()]. [chart_data()]: one row per panel,
#'   `x` and column with `column`, `rows`, `absent` and `share`, and a line
#'   `(any of these)` that counts the rows where some picked column is absent.
#'   Where values are absent for reasons that are known (`absent_codes` of
#'   [study()]), a column `reason`: `"(any)"` on these lines, and lines for each
#'   reason and `"(no reason)"`; bars show them in shades.
#' @inheritSection chart_histogram Errors
#' @inheritSection chart_histogram Notes
#' @seealso [neatsieve_charts], [chart_data()], [save_figure()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, chart_absence(hive_weight_kg, mites_per_100, temper, x = season))$figures$absence
#' @export
chart_absence <- function(
  ..., x = NULL, panels = NULL, title = NULL, caption = NULL, name = NULL
) {
  capture_chart("absence", match.call(), parent.frame())
}

define_chart(
  "absence",
  called = "shares of absent values",
  roles = c(x = "key"),
  picks = TRUE,
  columns = c("x", "column", "reason", "rows", "absent", "share"),
  says = c(x = "by "),
  usage = "chart_absence()",
  title = function(names, chart) {
    paste0("Absent values", if (!is.null(names$x)) paste(" by", names$x))
  },
  marks = function(chart) {
    if (is.null(chart$levels$x)) list(x = "share") else list(shade = "share")
  },
  told = function(chart, input) shares_told(chart$data$share),
  compute = compute_absence,
  in_database = TRUE,
  check = check_absence
)

check_absence <- function(task, typing) {
  keys <- unlist(lapply(
    c(task$panel_nodes, task$nodes), function(n) if (n$node == "column") n$name
  ))
  picked <- if (length(task$picks)) {
    resolve_picks(task$picks, typing, "chart_absence()")
  } else {
    names(typing$scope$columns)
  }
  picked <- setdiff(picked, keys)
  if (!length(task$picks)) {
    gappy <- Filter(
      function(c) is.na(typing$scope$origin[[c]]) || has_gaps(typing, c), picked
    )
    if (length(gappy)) {
      task$complete <- setdiff(picked, gappy)
      picked <- gappy
    }
  }
  task$picked <- lapply(
    stats::setNames(nm = picked),
    column_node,
    type = new_type("other")
  )
  task
}

# Columns that are not shown as nothing is absent in them.
complete_remark <- function(input) {
  complete <- input$task$complete
  if (!length(complete)) return(NULL)
  called <- vapply(complete, function(c) state_label(input$state, c), "")
  paste0(
    "Without an absent value in the study, and left out: ", listed(called, 8),
    "."
  )
}

compute_absence <- function(input, options) {
  picked <- names(input$task$picked)
  grouped <- chart_groups(input, "x")
  rows <- as_count(grouped$rows_per_group)
  counts <- absent_in_groups(relation_of(input), input, picked, grouped)
  columns <- c(picked, if (length(picked) > 1) "(any of these)")
  counts <- counts[, seq_along(columns), drop = FALSE]
  each <- rep(seq_len(grouped$groups), each = length(columns))
  absent <- as.vector(t(counts))
  data <- with_keys(
    grouped,
    each,
    column = rep(columns, grouped$groups),
    rows = rows[each],
    absent = as_count(absent),
    share = ifelse(rows[each] > 0, absent / rows[each], NA_real_)
  )
  list(
    data = with_reasons_of_chart(data, counts, input, picked, grouped),
    panels = panel_account(input, grouped, 0),
    levels = list(x = role_levels(input, "x"), y = columns),
    column_labels = vapply(
      columns, function(c) state_label(input$state, c), ""
    ),
    remarks = complete_remark(input),
    labels = list(value = "Share absent")
  )
}

# With lines for each reason behind those of its column, where values are absent
# for reasons that are known.
with_reasons_of_chart <- function(data, counts, input, picked, grouped) {
  frame <- input$state$frame
  known <- kept_reasons(frame, NULL, intersect(picked, names(frame$types)))
  known <- known[vapply(known, function(why) any(!is.na(why)), NA)]
  if (!length(known)) return(data)
  rows <- as_count(grouped$rows_per_group)
  groups <- seq_len(grouped$groups)
  lines <- lapply(picked, function(column) {
    why <- known[[column]]
    if (!is.null(why) && !is.null(input$stacked)) why <- why[input$stacked]
    results <- vapply(
      levels(why),
      function(label) {
        absent_marked(!is.na(why) & why == label, input, grouped)
      },
      numeric(grouped$groups)
    )
    results <- matrix(results, nrow = grouped$groups)
    of_column <- counts[, match(column, picked)]
    results <- cbind(results, of_column - rowSums(results))
    labels <- c(levels(why), "(no reason)")
    each <- rep(groups, each = length(labels))
    amount <- as.vector(t(results))
    with_keys(
      grouped,
      each,
      column = rep(column, length(each)),
      reason = rep(labels, length(groups)),
      rows = rows[each],
      absent = as_count(amount),
      share = ifelse(rows[each] > 0, amount / rows[each], NA_real_)
    )
  })
  data$reason <- "(any)"
  one_below_other(c(list(data[names(lines[[1]])]), lines))
}

# How many rows of each group are marked.
absent_marked <- function(is_marked, input, grouped) {
  marked <- rep(1, input$frame$n)
  marked[is_marked] <- NA
  as.numeric(
    asked_of(
      input,
      "present",
      vectors = list(marked),
      grouping = grouped
    )$absent
  )
}

# Rows by group where each of some columns, and at last where any of them, is
# absent.
#' @export
absent_in_groups.neatsieve_memory <- function(
  relation, input, picked, grouped
) {
  absent_values <- lapply(picked, function(column) {
    x <- input$state$frame$columns[[column]]
    missing <- if (is.null(dim(x))) is.na(x) else rowSums(is.na(x)) > 0
    if (is.null(input$stacked)) missing else missing[input$stacked]
  })
  any_gone <- Reduce(`|`, absent_values, logical(input$frame$n))
  counts <- vapply(
    c(absent_values, list(any_gone)),
    absent_marked,
    numeric(grouped$groups),
    input = input,
    grouped = grouped
  )
  matrix(counts, nrow = grouped$groups, ncol = length(picked) + 1)
}
absent_by_group_there <- function(input, picked, grouped) {
  nodes <- lapply(
    picked, function(name) column_node(name, input$rows$types[[name]])
  )
  counts <- vapply(
    c(lapply(nodes, list), list(nodes)),
    function(vectors) {
      as.numeric(
        asked_of(input, "present", vectors = vectors, grouping = grouped)$absent
      )
    },
    numeric(grouped$groups)
  )
  matrix(counts, nrow = grouped$groups, ncol = length(picked) + 1)
}
