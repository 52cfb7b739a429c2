#' Lines
#'
#' Draws a statistic, or single values, along a number or date.
#'
#' @inheritParams chart_histogram
#' @param x The number or date along the axis, such as
#'   `start_of(visit_date, "month")`.
#' @param y A statistic for each value of `x` (and colour, line and panel), such
#'   as `mean(hive_weight_kg)` or `count()`; or a column or row expression: then
#'   each row is a point and they are joined in the order of `x`.
#' @param lines A key: one line for each of its groups, all in the same colour,
#'   such as one line per hive.
#' @return A step, as [chart_histogram()]. [chart_data()]: one row per point
#'   with the panel's keys, `colour`, `lines`, `x`, `y` and, for a statistic,
#'   `n` (rows) or, for single values, `source_row`; `piece` numbers the
#'   stretches drawn in one go: a line breaks where a period in between
#'   (`start_of()`, `year()`, `month()`, ...) or a row has no value.
#' @inheritSection chart_histogram Errors
#' @section Notes: When rows of one line share a value of `x`, so that the line
#'   goes up and down between them, a note says what to write: a statistic,
#'   `lines`, `colour` or `panels`. So does a note about more than 12 lines. The
#'   caption says how many lines and rows there are.
#' @seealso [neatsieve_charts], [chart_data()], [save_figure()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' by_month <- chart_line(
#'   x = start_of(visit_date, "month"), y = mean(mites_per_100),
#'   colour = treatment
#' )
#' pour(hives, by_month)$figures$line
#' @export
chart_line <- function(
  x, y, colour = NULL, lines = NULL, panels = NULL, axes = "shared",
  window = NULL, title = NULL, caption = NULL, name = NULL, weights = NULL,
  labels = NULL, scale = NULL, reference_lines = NULL, texts = NULL,
  highlight = NULL, ...
) {
  capture_chart("line", match.call(), parent.frame())
}

define_chart(
  "line",
  called = "lines",
  roles = c(
    x = "measure", y = "value", colour = "key", lines = "key",
    weights = "weights"
  ),
  needed = c("x", "y"),
  window = "y",
  far = "y",
  overlays = TRUE,
  columns = c("colour", "lines", "x", "y", "n", "source_row", "piece"),
  says = c(
    y = "of ", x = "along ", colour = "coloured by ",
    lines = "one for each of ", weights = "weighted by "
  ),
  usage = "chart_line(x = visit_date, y = mean(honey_kg))",
  title = function(names, chart) {
    paste(names$y, "along", names$x)
  },
  marks = list(x = "x", y = "y"),
  told = function(chart, input) {
    paste("values", ends_told(range(chart$data$y, na.rm = TRUE)))
  },
  compute = compute_line,
  in_database = TRUE,
  check = check_line
)

check_line <- function(task, typing) {
  if (is.null(task$nodes$weights) || task$types[["y"]] == "summary") {
    return(task)
  }
  y <- task$nodes$y$text
  stop_neatly(
    "step",
    paste0("`y = ", y, "` is a value of each row, which no weights change."),
    where_of(typing),
    paste0("Leave `weights` out, or write a statistic: `y = mean(", y, ")`.")
  )
}

compute_line <- function(input, options) {
  points <- if (input$task$types[["y"]] == "summary") {
    line_of_statistics(input)
  } else {
    line_of_rows(input)
  }
  c(points, list(levels = list(colour = role_levels(input, "colour"))))
}

line_of_statistics <- function(input) {
  grouped <- chart_groups(input, c("colour", "lines", "x"))
  used <- count_used(input, grouped, "y", "x")
  y <- group_summary(input, "y", grouped)
  drawn <- which(!is.na(y) & is.finite(y) & !is.na(grouped$keys$x))
  data <- with_keys(
    grouped,
    drawn,
    y = as.numeric(y[drawn]),
    n = as_count(grouped$rows_per_group)[drawn]
  )
  data$piece <- pieces_of(data, period_places(input, grouped$keys$x, drawn))
  list(
    data = data,
    panels = panel_account(
      input, grouped, used$absent, outside_marks(input, grouped, y), used$aside
    ),
    drawn = "point",
    remarks = line_remarks(
      data,
      sum(grouped$rows_per_group) - sum(used$absent) - sum(used$aside),
      input
    )
  )
}

line_of_rows <- function(input) {
  grouped <- chart_groups(input, c("colour", "lines"))
  present <- count_present(input, grouped)
  group_of_row <- asked_of(input, "groups", grouping = grouped)
  # A row without y but with x is a gap in its line.
  rows <- rows_present(input, "x")
  group <- group_of_row[rows]
  sorted <- order(group, input$vectors$x[rows], source_rows(input, rows))
  rows <- rows[sorted]
  group <- group[sorted]
  known <- !is.na(input$vectors$y[rows])
  gaps <- cumsum(!known)
  rows <- rows[known]
  group <- group[known]
  note_shared_x(input, rows, group)
  x <- input$vectors$x[rows]
  data <- with_keys(
    grouped,
    group,
    x = as_role(x, input, "x"),
    y = as.numeric(input$vectors$y[rows]),
    source_row = source_rows(input, rows)
  )
  data$piece <- pieces_of(data, if (any(gaps > 0)) gaps[known], gap = 0)
  list(
    data = data,
    panels = panel_account(input, grouped, present$absent, present$outside),
    drawn = "value",
    remarks = line_remarks(data, length(rows), input)
  )
}

note_shared_x <- function(input, rows, group) {
  x <- input$vectors$x[rows]
  again <- which(duplicated(data.frame(group, x)))
  if (!length(again)) return()
  first <- as_role(x[again[1]], input, "x")
  share <- sum(group == group[again[1]] & x == x[again[1]])
  unit <- input$state$study$unit
  take_note(
    input$state$notes,
    paste0(
      "Rows of one line share a value of `", input$written$x$text, "` (",
      counted(share, "row"), " at ",
      if (is.numeric(first)) number_code(first) else format(first),
      "), so groups lie on top of each other."
    ),
    input$state$where,
    c(
      paste0(
        "For one value each write a statistic: `y = mean(",
        input$written$y$text, ")`."
      ),
      paste0(
        "For one line each write `lines = ",
        if (is.null(unit)) "the unit" else unit,
        "`, `colour = ` or `panels = `."
      )
    )
  )
}

# Lines and pieces: a line is cut where the place of its next point is more than
# `gap` further on.
line_keys <- function(data) {
  data[setdiff(names(data), c("x", "y", "n", "source_row", "piece"))]
}
pieces_of <- function(data, place, gap = 1) {
  if (!nrow(data)) return(integer())
  keys <- line_keys(data)
  line <- if (length(keys)) interaction_code(keys) else rep(1L, nrow(data))
  if (is.null(place)) return(line)
  piece <- integer(nrow(data))
  last <- 0L
  for (rows in split(seq_along(line), line)) {
    sorted <- rows[order(data$x[rows])]
    cuts <- cumsum(c(0L, diff(place[sorted]) > gap))
    piece[sorted] <- last + 1L + cuts
    last <- last + 1L + cuts[length(cuts)]
  }
  piece
}

# Places of x in a row of periods without gaps: parts of dates and whole numbers
# by one, starts of periods by their unit; NULL where x is no period.
period_places <- function(input, keys, drawn) {
  node <- input$written$x
  x <- keys[drawn]
  if (node$node != "call") return(NULL)
  if (node$fn == "start_of") {
    unit <- node$args$unit$value
    all <- seq(min(keys, na.rm = TRUE), max(keys, na.rm = TRUE), by = unit)
    return(match(x, all))
  }
  if (node$fn %in% names(date_words)) as.numeric(x)
}

# "12 lines of 2,119 rows."
line_remarks <- function(data, rows, input) {
  keys <- line_keys(data)
  lines <- if (!nrow(data)) {
    0
  } else if (length(keys)) {
    length(unique(interaction_code(keys)))
  } else {
    1
  }
  note_many_lines(input, lines)
  cut <- length(unique(data$piece)) - lines
  c(
    paste0(counted(lines, "line"), " of ", counted(rows, "row"), "."),
    if (cut > 0) {
      paste0(
        "Lines break where a value in between is absent (",
        counted(cut, "time"), ")."
      )
    }
  )
}

note_many_lines <- function(input, lines) {
  panels <- if (length(input$panel_nodes)) {
    group_rows(input$panel_nodes, input$frame, input$rows)$groups
  } else {
    1
  }
  if (lines / max(1, panels) <= (if (panels > 1) 2 else 1) * most_lines) {
    return()
  }
  key <- input$written[["lines"]]
  if (is.null(key)) key <- input$written[["colour"]]
  take_note(
    input$state$notes,
    paste0(
      format_count(lines), " lines",
      if (panels > 1) paste0(" in ", counted(panels, "panel")),
      " cannot be told apart."
    ),
    input$state$where,
    c(
      paste0(
        "Give groups of them panels: `panels = ` and a key of few groups",
        if (!is.null(key)) {
          paste0(", or each its own: `panels = ", key$text, "`")
        },
        "."
      ),
      paste0(
        "For one line in place of many leave `lines` out and write a ",
        "statistic, as ",
        "in `y = median(...)`."
      )
    )
  )
}

# A statistic per group of `grouped`.
group_summary <- function(input, role, grouped) {
  renamed <- grouped
  for (r in setdiff(names(grouped$keys), input$panel_keys)) {
    written <- input$written[[r]]
    if (!is.null(written) && written$node == "column") {
      renamed$keys[[written$name]] <- grouped$keys[[r]]
    }
  }
  value <- evaluate_summary(
    input$nodes[[role]], new_aggregation(input$frame, input$rows, renamed)
  )
  rep_len(as.numeric(value), grouped$groups)
}

# Rows per group that a statistic does not use: `absent`, because an argument of
# it (or `also`) is absent, and `aside`, because its `where` is not yes.
count_used <- function(input, grouped, role, also = NULL) {
  node <- input$nodes[[role]]
  a <- new_aggregation(input$frame, input$rows, grouped)
  wheres <- Filter(Negate(is.null), lapply(aggregates_in(node), `[[`, "where"))
  asked <- as_count(grouped$rows_per_group)
  if (length(wheres) && length(wheres) == length(aggregates_in(node))) {
    asked <- as_count(do.call(
      pmax,
      lapply(
        aggregates_in(node), function(n) narrowed(n, a)$grouping$rows_per_group
      )
    ))
  }
  used <- pmin(rows_rested_on(node, a), asked)
  if (length(also)) {
    x <- asked_of(
      input,
      "present",
      vectors = unname(input$vectors[also]),
      grouping = grouped
    )$absent
    used <- pmin(used, asked - pmin(x, asked))
  }
  list(absent = asked - used, aside = as_count(grouped$rows_per_group) - asked)
}

# Marks whose statistic lies outside the window.
outside_marks <- function(input, grouped, value) {
  window <- input$windows[["y"]]
  x <- input$windows[["x"]]
  out <- rep(FALSE, grouped$groups)
  if (!is.null(window)) {
    out <- out | (!is.na(value) & (value < window[1] | value > window[2]))
  }
  if (!is.null(x)) {
    out <- out |
      (!is.na(grouped$keys$x) &
        !is.na(value) &
        (as.numeric(grouped$keys$x) < x[1] | as.numeric(grouped$keys$x) > x[2]))
  }
  as.integer(out)
}
