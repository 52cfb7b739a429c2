#' Means or medians with intervals
#'
#' Draws the mean or median of a number for each group, with its confidence
#' interval.
#'
#' @inheritParams chart_box
#' @param show `"mean"`, with the interval of Student's t, or `"median"`, with
#'   the interval between two order statistics that the sign test gives (Conover
#'   1999, 3.2), which has at least the level asked for.
#' @param level The level of the interval, 0.95 unless said otherwise.
#' @param reference A value of `x`: the figure shows how the other groups differ
#'   from this one, within each panel and colour, beside a line at 0, with the
#'   intervals of [differences()] (Welch's of means, that of Price and Bonett of
#'   medians).
#' @param order `"keys"`, or by the mean or median over all panels `"rising"` or
#'   `"falling"`, or by numbers of the groups: `falling(n)`, `centre`; see
#'   [falling()].
#' @param empty `TRUE` keeps groups without rows: in every panel, and categories
#'   that do not occur. Else each panel has the groups it has rows of.
#' @return A step, as [chart_histogram()]. [chart_data()]: one row per group
#'   with the panel's keys, `x`, `colour`, `n`, `absent`, `centre`, `low` and
#'   `high`. Groups too small for an interval (one value; for a median at 0.95,
#'   fewer than six) have none.
#' @inheritSection chart_histogram Errors
#' @inheritSection chart_histogram Notes
#' @seealso [neatsieve_charts], [chart_data()], [save_figure()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, chart_interval(y = mites_per_100, x = treatment, colour = season))$figures$interval
#' @export
chart_interval <- function(
  y, x = NULL, colour = NULL, panels = NULL, show = "mean", level = 0.95,
  order = "keys", empty = FALSE, axes = "shared", window = NULL, title = NULL,
  caption = NULL, name = NULL, reference = NULL, weights = NULL, labels = NULL,
  scale = NULL, reference_lines = NULL, texts = NULL, highlight = NULL, ...
) {
  capture_chart("interval", match.call(), parent.frame())
}

define_chart(
  "interval",
  called = "centres with intervals",
  roles = c(y = "measure", x = "key", colour = "key", weights = "weights"),
  needed = "y",
  window = "y",
  columns = c("x", "colour", "n", "absent", "centre", "low", "high"),
  says = says_groups,
  usage = "chart_interval(y = honey_kg, x = apiary)",
  title = function(names, chart) {
    reference <- chart$options$reference
    if (!is.null(reference)) {
      return(paste0(
        "Difference in ", chart$options$show, " ", names$y, " from ",
        panel_key_text(reference), ", by ", names$x
      ))
    }
    paste0(
      if (chart$options$show == "mean") "Mean of " else "Median of ", names$y,
      if (!is.null(names$x)) paste(" by", names$x)
    )
  },
  marks = list(y = c("low", "high")),
  told = function(chart, input) centres_told(chart),
  compute = compute_interval,
  in_database = TRUE,
  check = check_interval
)

# Means of weighted rows, or of a sample with a design, and their ends are
# statistics of the language, so that they are those of a table.
check_interval <- function(task, typing) {
  weights <- task$nodes$weights
  is_designed <- length(typing$scope$design) &&
    task$options$show == "mean" &&
    is.null(task$options$reference)
  if (is.null(weights) && !is_designed) return(task)
  other <- if (task$options$show != "mean") {
    "show = \"median\""
  } else if (!is.null(task$options$reference)) {
    "reference"
  }
  if (!is.null(other)) {
    stop_neatly(
      "step",
      paste0("`chart_interval()` with `", other, "` takes no weights."),
      where_of(typing),
      "Leave one of them out."
    )
  }
  if (!is.null(weights)) {
    check_kind_of_weights(
      list(fn = "chart_interval", args = list(weights = weights)), typing
    )
  }
  if (!task$nodes$y$kind %in% c(numeric_kinds, "logical")) return(task)
  for (fn in c("mean", "ci_low", "ci_high")) {
    task$nodes[[fn]] <- end_of_mean(fn, task, typing)
    task$types[[fn]] <- "summary"
  }
  task
}

# A statistic of y, with the weights of the figure and the design of the study.
end_of_mean <- function(fn, task, typing) {
  known <- language_function(fn)
  args <- list(x = task$nodes$y)
  if (fn != "mean") {
    level <- task$options$level
    args$level <- constant_node(level, new_type("number"), number_code(level))
    args <- with_study_design(known, args, str2lang(paste0(fn, "(x)")), typing)
  }
  args$weights <- task$nodes$weights
  aggregate_node(fn, args, paste0(fn, "(", task$nodes$y$text, ")"))
}

compute_interval <- function(input, options) {
  intervals <- function(grouped) {
    if (!is.null(input$nodes$mean)) {
      means_by_statistics(input, grouped)
    } else if (options$show == "mean") {
      mean_intervals(input, grouped, options$level)
    } else {
      median_intervals(input, grouped, options$level)
    }
  }
  if (is.null(input$nodes$ci_low$args$cluster)) {
    note_repeated_units(
      input$state,
      "These intervals take",
      paste0(
        "`condense()` by units before makes one row of each, as ",
        "`differences(compare = \"units\")` does."
      )
    )
  }
  if (!is.null(options$reference)) {
    return(compute_interval_differences(input, options))
  }
  grouped <- chart_groups(input, c("x", "colour"))
  bounds <- intervals(grouped)
  none <- sum(bounds$n > 0 & is.na(bounds$low))
  dated <- lapply(
    bounds[c("centre", "low", "high")],
    as_role,
    input = input,
    role = "y"
  )
  list(
    data = do.call(
      with_keys,
      c(list(grouped, seq_len(grouped$groups)), bounds[c("n", "absent")], dated)
    ),
    panels = panel_account(
      input, grouped, bounds$absent, outside_marks(input, grouped, bounds$centre)
    ),
    levels = list(
      x = role_levels(input, "x", function(g) intervals(g)[c("n", "centre")]),
      colour = role_levels(input, "colour")
    ),
    drawn = "centre",
    remarks = c(
      paste0(
        if (options$show == "mean") "Mean with " else "Median with ",
        number_code(100 * options$level), "% interval (",
        if (!is.null(input$nodes$mean)) {
          means_words(input)
        } else if (options$show == "mean") {
          "Student's t"
        } else {
          "sign test"
        },
        ")."
      ),
      if (none) {
        paste0(
          counted(none, "group"), if (none == 1) " is" else " are",
          " too small for an interval."
        )
      }
    )
  )
}

means_by_statistics <- function(input, grouped) {
  counted <- asked_of(
    input, "moments",
    values = input$vectors$y, grouping = grouped
  )
  for (fn in c("mean", "ci_low", "ci_high")) {
    input$nodes[[fn]]$args$x <- input$nodes$y
    input$nodes[[fn]]$args$weights <- input$nodes$weights
  }
  of_groups <- if ("subset" %in% names(grouped$keys)) {
    summary_by_subset
  } else {
    group_summary
  }
  list(
    n = counted$n,
    absent = counted$absent,
    centre = of_groups(input, "mean", grouped),
    low = of_groups(input, "ci_low", grouped),
    high = of_groups(input, "ci_high", grouped)
  )
}

# A statistic per group where subsets stand side by side: of the rows of each
# alone, for clusters are counted among all rows that it is taken over.
summary_by_subset <- function(input, role, grouped) {
  text <- function(keys) {
    do.call(paste, c(lapply(unname(as.list(keys)), as.character), sep = "\r"))
  }
  value <- rep(NA_real_, grouped$groups)
  roles <- setdiff(names(grouped$keys), input$panel_keys)
  for (rows in split(seq_len(input$frame$n), input$frame$columns[["(subset)"]])) {
    input$rows <- rows
    inner <- chart_groups(input, roles)
    value[match(
      text(inner$keys), text(grouped$keys)
    )] <- group_summary(input, role, inner)
  }
  value
}

means_words <- function(input) {
  design <- intersect(c("cluster", "strata"), names(input$nodes$ci_low$args))
  columns <- vapply(input$nodes$ci_low$args[design], `[[`, "", "text")
  paste(
    c(
      if (!is.null(input$weights)) "weighted",
      if (length(design)) design_words(as.list(columns)), "Student's t"
    ),
    collapse = ", "
  )
}

mean_intervals <- function(input, grouped, level) {
  m <- asked_of(input, "moments", values = input$vectors$y, grouping = grouped)
  half <- ifelse(
    m$n > 1,
    suppressWarnings(stats::qt(1 - (1 - level) / 2, m$n - 1)) *
      sqrt(m$var / m$n),
    NA_real_
  )
  list(
    n = m$n,
    absent = m$absent,
    centre = m$mean,
    low = m$mean - half,
    high = m$mean + half
  )
}

median_intervals <- function(input, grouped, level) {
  m <- asked_of(input, "moments", values = input$vectors$y, grouping = grouped)
  middle <- asked_of(
    input,
    "quantiles",
    values = input$vectors$y,
    grouping = grouped,
    probs = 0.5
  )[, 1]
  below <- ifelse(m$n > 0, stats::qbinom((1 - level) / 2, pmax(m$n, 1), 0.5), 0)
  below[below < 1] <- NA
  ends <- asked_of(
    input,
    "order_statistics",
    values = input$vectors$y,
    grouping = grouped,
    places = cbind(below, m$n - below + 1)
  )
  list(
    n = m$n,
    absent = m$absent,
    centre = middle,
    low = ends[, 1],
    high = ends[, 2]
  )
}
