#' Lines
#'
#' Records a figure of how a statistic, or single values, go along a number or date.
#'
#' @inheritParams chart_histogram
#' @param x The number or date along the axis, such as `start_of(visit_date, "month")`.
#' @param y A statistic for each value of `x` (and colour, line and panel), such as `mean(hive_weight_kg)` or `count()`;
#'   or a column or row expression: then each row is a point and they are joined in the order of `x`.
#' @param lines A key: one line for each of its groups, all in the same colour, such as one line per hive.
#' @return A step, as [chart_histogram()]. [chart_data()]: one row per point with the panel's keys, `colour`, `lines`, `x`, `y` and, for a
#'   statistic, `n` (rows) or, for single values, `source_row`.
#' @inheritSection chart_histogram Errors
#' @section Notes: When rows of one line share a value of `x`, so that the line goes up and down between them, a note
#'   says what to write: a statistic, `lines`, `colour` or `panels`.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, chart_line(x = start_of(visit_date, "month"), y = mean(mites_per_100), colour = treatment))$figures$line
#' @export
chart_line <- function(x, y, colour = NULL, lines = NULL, panels = NULL, axes = "shared", window = NULL, title = NULL, caption = NULL, name = NULL) {
  capture_chart("line", match.call(), parent.frame())
}
read_step_chart_line <- function(spec, context) read_chart(spec, context)

chart_kind_line <- function() {
  list(called = "lines", roles = c(x = "measure", y = "value", colour = "key", lines = "key"), needed = c("x", "y"), window = "y", far = "y", overlays = TRUE, columns = c("colour", "lines", "x", "y", "n", "source_row"),
       says = c(y = "of ", x = "along ", colour = "coloured by ", lines = "one for each of "), usage = "chart_line(x = visit_date, y = mean(honey_kg))", title = function(names, chart) paste(names$y, "along", names$x), compute = compute_line)
}

compute_line <- function(input, options) {
  made <- if (input$step$types[["y"]] == "summary") line_of_statistics(input) else line_of_rows(input)
  c(made, list(levels = list(colour = role_levels(input, "colour"))))
}

line_of_statistics <- function(input) {
  grouped <- chart_groups(input, c("colour", "lines", "x"))
  present <- count_used(input, grouped, "y", "x")
  y <- group_summary(input, "y", grouped)
  drawn <- which(!is.na(y) & is.finite(y) & !is.na(grouped$keys$x))
  list(data = with_keys(grouped, drawn, y = as.numeric(y[drawn]), n = as.integer(grouped$rows_per_group)[drawn]), panels = panel_account(input, grouped, present, outside_marks(input, grouped, y)), drawn = "point")
}

line_of_rows <- function(input) {
  grouped <- chart_groups(input, c("colour", "lines"))
  present <- count_present(input, grouped)
  rows <- rows_present(input, c("x", "y"))
  group <- core_groups_of_rows(grouped, input$frame$n)[rows]
  sorted <- order(group, input$vectors$x[rows], rows)
  rows <- rows[sorted]
  group <- group[sorted]
  again <- which(duplicated(data.frame(group, input$vectors$x[rows])))
  if (length(again)) {
    x <- as_role(input$vectors$x[rows[again[1]]], input, "x")
    share <- sum(group == group[again[1]] & input$vectors$x[rows] == input$vectors$x[rows[again[1]]])
    take_note(input$state$notes, paste0("Rows of one line share a value of `", input$written$x$text, "` (", counted(share, "row"), " at ", if (is.numeric(x)) number_code(x) else format(x), "), so groups lie on top of each other."), input$state$where,
              c(paste0("For one value each write a statistic: `y = mean(", input$written$y$text, ")`."), paste0("For one line each write `lines = ", if (is.null(input$state$study$unit)) "the unit" else input$state$study$unit, "`, `colour = ` or `panels = `.")))
  }
  list(data = with_keys(grouped, group, x = as_role(input$vectors$x[rows], input, "x"), y = as.numeric(input$vectors$y[rows]), source_row = source_rows(input, rows)), panels = panel_account(input, grouped, present$absent, present$outside), drawn = "value")
}

# A statistic per group of `grouped`.
group_summary <- function(input, role, grouped) {
  renamed <- grouped
  for (r in setdiff(names(grouped$keys), input$panel_keys)) {
    written <- input$written[[r]]
    if (!is.null(written) && written$node == "column") renamed$keys[[written$name]] <- grouped$keys[[r]]
  }
  value <- evaluate_summary(input$nodes[[role]], new_aggregation(input$frame, input$rows, renamed))
  rep_len(as.numeric(value), grouped$groups)
}

# Rows per group that a statistic cannot use, because a column it reads (or `also`) is absent.
count_used <- function(input, grouped, role, also = NULL) {
  read <- setdiff(columns_read(input$nodes[[role]]), vapply(input$panel_nodes, function(n) n$name, ""))
  vectors <- lapply(read, function(column) {
    x <- input$frame$columns[[column]]
    if (is.character(x)) frame_codes(input$frame, column)$codes else if (is.logical(x) || is.factor(x)) as.integer(x) else plain_numbers(x)
  })
  vectors <- c(vectors, input$vectors[also])
  if (!length(vectors)) return(rep(0L, grouped$groups))
  core_count_present(unname(vectors), rep(list(NULL), length(vectors)), input$rows, grouped, input$threads)$absent
}

# Marks whose statistic lies outside the window.
outside_marks <- function(input, grouped, value) {
  window <- input$windows[["y"]]
  x <- input$windows[["x"]]
  out <- rep(FALSE, grouped$groups)
  if (!is.null(window)) out <- out | (!is.na(value) & (value < window[1] | value > window[2]))
  if (!is.null(x)) out <- out | (!is.na(grouped$keys$x) & !is.na(value) & (as.numeric(grouped$keys$x) < x[1] | as.numeric(grouped$keys$x) > x[2]))
  as.integer(out)
}
