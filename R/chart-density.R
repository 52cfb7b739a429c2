#' Density curves
#'
#' Draws the distribution of a number as a smooth curve per group.
#'
#' @inheritParams chart_histogram
#' @param bandwidth The standard deviation of the Gaussian kernel, in the
#'   measure of `x`. By default by Silverman's rule of thumb (1986, eq. 3.31)
#'   for each curve, 0.9 min(sd, IQR / 1.34) n^(-1/5); the caption says it.
#' @return A step, as [chart_histogram()]. [chart_data()]: one row per panel,
#'   colour and place with `x` and `density`; part `"bandwidth"`: one row per
#'   curve with `n`, `bandwidth` and `reflected`. A curve goes from the smallest
#'   to the largest value of its group, at 256 places; groups of fewer than two
#'   different values have none. Where values are dense up to an end (as at 0 of
#'   waiting times), they are mirrored there, so that the curve does not fall to
#'   half (Silverman 1986, section 2.10): at an end of 20 values or more where
#'   the density is at least 0.35 of its greatest value. `reflected` says
#'   `"low"`, `"high"`, `"both"` or `""`; the caption says it, too.
#' @inheritSection chart_histogram Errors
#' @inheritSection chart_histogram Notes
#' @seealso [neatsieve_charts], [chart_data()], [save_figure()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, chart_density(x = mites_per_100, colour = season))$figures$density
#' @export
chart_density <- function(
  x, colour = NULL, panels = NULL, bandwidth = NULL, axes = "shared",
  window = NULL, title = NULL, caption = NULL, name = NULL, weights = NULL,
  labels = NULL, scale = NULL, reference_lines = NULL, texts = NULL,
  highlight = NULL, ...
) {
  capture_chart("density", match.call(), parent.frame())
}

define_chart(
  "density",
  called = "density curves",
  roles = c(x = "measure", colour = "key", weights = "weights"),
  needed = "x",
  window = "x",
  far = "x",
  overlays = TRUE,
  columns = c("colour", "x", "density", "n", "bandwidth", "reflected"),
  says = c(x = "of ", colour = "coloured by ", weights = "weighted by "),
  usage = "chart_density(x = honey_kg)",
  title = function(names, chart) paste("Density of", names$x),
  marks = list(x = "x", y = "density"),
  compute = compute_density,
  in_database = TRUE
)

compute_density <- function(input, options) {
  grouped <- chart_groups(input, "colour")
  curves <- densities_of(input, "x", grouped, options)
  curve <- with_keys(
    grouped,
    curves$curve$group,
    x = as_role(curves$curve$x, input, "x"),
    density = curves$curve$y
  )
  c(
    list(
      data = curve,
      levels = list(colour = role_levels(input, "colour")),
      drawn = "value"
    ),
    curves[c("panels", "remarks", "parts")]
  )
}

# A width, or a range of values, beyond what numbers hold.
stop_overflowing <- function(input, role, options) {
  ends <- input$spread[[role]]$ends
  stop_neatly(
    "run",
    paste0(
      "The bandwidth of `", input$written[[role]]$text,
      "` is too large or too small to calculate with: its values go from ",
      number_code(ends[1]), " to ", number_code(ends[2]), "."
    ),
    input$state$where,
    if (is.null(options$bandwidth)) {
      "Set the farthest values aside with `exclude()` before, or write a `bandwidth`."
    } else {
      paste0(
        "Write a `bandwidth` nearer to the spread of the values, not ",
        number_code(options$bandwidth), "."
      )
    }
  )
}

# Which curves were mirrored at their ends.
reflected_words <- function(reflected) {
  n <- sum(reflected > 0)
  if (n == 0) return("")
  if (length(reflected) == 1) {
    return(" and is mirrored where values are dense there")
  }
  paste0(
    "; where values are dense up to an end they are mirrored (",
    counted(n, "curve"), ")"
  )
}

# Curves with their account, for density and violin charts.
densities_of <- function(input, role, grouped, options) {
  present <- count_present(input, grouped, role)
  ask <- function(...) {
    weighed_or_plain(
      input,
      "densities",
      role,
      grouping = grouped,
      bandwidth = options$bandwidth,
      points = 256,
      window = input$windows[[role]],
      ...
    )
  }
  result <- if (is.null(input$weights)) {
    ask()
  } else {
    ask(are_repeats = are_repeats(input$task$nodes$weights))
  }
  if (any(is.infinite(result$bandwidth))) stop_overflowing(input, role, options)
  widths <- result$bandwidth[!is.na(result$bandwidth)]
  n <- as_count(grouped$rows_per_group) - present$absent
  flat <- sum(is.na(result$bandwidth) & n > 0)
  words <- if (length(widths)) {
    unique(vapply(range(widths), function(w) number_code(signif(w, 2)), ""))
  }
  list(
    curve = result$curve,
    panels = panel_account(input, grouped, present$absent, present$outside),
    parts = list(
      bandwidth = with_keys(
        grouped,
        seq_len(grouped$groups),
        n = n,
        bandwidth = result$bandwidth,
        reflected = c("", "low", "high", "both")[result$reflected + 1L]
      )
    ),
    remarks = c(
      if (length(widths)) {
        paste0(
          "Gaussian kernel, bandwidth ",
          if (is.null(options$bandwidth)) "by Silverman's rule, ",
          paste(words, collapse = " to "),
          "; each curve ends at its smallest and largest value",
          reflected_words(result$reflected), "."
        )
      },
      if (flat) {
        paste0(
          counted(flat, "group"), " of fewer than two different values ",
          if (flat == 1) "has" else "have", " no curve."
        )
      }
    )
  )
}
