#' Histogram
#'
#' Draws the distribution of a number: how many rows fall into each bin, in one
#' panel per group.
#'
#' @param x The number (or date) to show: a column or an expression, such as
#'   `year(visit_date)`.
#' @param colour A key: each of its groups has a colour; groups stand over or
#'   beside each other. Colours repeat after eight, with other shapes or line
#'   types; ordered groups go from light to dark. If the key is already on the
#'   axis or in the panels, marks stay in their place.
#' @param panels Keys for panels (facets): `apiary`, `c(season, treatment)` or
#'   named expressions. One key wraps, two make a table of panels, rows by
#'   columns. `subsets()` puts the subsets side by side in one figure; without
#'   it there is one figure per subset.
#' @param width The width of a bin, in the measure of `x`. By default by the
#'   rule of Freedman and Diaconis (1981), 2 IQR / n^(1/3), rounded down to 1,
#'   2, 2.5 or 5 times a power of ten, with the IQR of at most 16,384 values
#'   taken evenly and n that of the largest group; of values that are all
#'   multiples of a number, as whole ones are of 1, to a multiple of it. All
#'   panels share the same bins; the caption says their width.
#' @param bins Instead of `width`: about how many bins.
#' @param axes `"shared"`: the same scale for all panels, or `"own"`: each panel
#'   a scale of its own for what is counted or measured upwards (bins and groups
#'   stay the same).
#' @param window The part of the axis of the number that is shown, `c(0, 80)`
#'   (dates as text, ISO 8601); on charts of two numbers also
#'   `list(x = c(0, 80), y = c(0, 5))`. The caption says how many values lie
#'   outside.
#' @param weights A number for each row, as `sampling(w)` or `repeats(w)` (see
#'   [neatsieve_functions]): bars are sums of weights, and means, quartiles,
#'   shares, densities and intervals are weighted as in [statistics()]. `n`
#'   stays the number of rows; the caption says the sum of weights. Rows without
#'   a weight are not in the figure; a note says how many.
#' @param title A title; by default what is shown.
#' @param caption Text at the start of the caption. The caption always says
#'   which rows these are and what is not drawn.
#' @param labels Names for axes and legend in place of the columns': `list(x =
#'   "Apiary", y = "Mites per 100 bees")`; `""` leaves one out.
#' @param scale `"log"`: a logarithmic axis for the number; on charts of two
#'   numbers also `list(x = "log", y = "log")`. Bins, densities and fits are
#'   then those of the logarithms to base 10 of the values; medians, means and
#'   intervals stay those of the values. Rows of 0 or below cannot be shown:
#'   they count as outside, and a note says how many.
#' @param reference_lines Dashed lines across the panels, by the axis they stand
#'   on: `list(y = 3)`, several with a text each: `list(y = c("treat above" = 3,
#'   "safe" = 1))`; dates as ISO 8601 text.
#' @param texts Texts inside the panels: `list("dry spring" = c(4, 12))` puts
#'   one at 4 on `x` and 12 on `y`; where `x` has groups,
#'   `list("few left" = list("thymol", 12))`.
#' @param highlight Groups of `colour` that stand out; the others are grey.
#' @param ... Not used: an unknown argument is an error that suggests the right
#'   name.
#' @param name A name for the figure in `$figures`; by default the kind of
#'   chart, such as `"histogram"`.
#' @return A step for a [sieve()] or [pour()]. In `$figures`: a ggplot object,
#'   or a list of them by subset, which [save_figure()] writes. Its numbers come
#'   from [chart_data()]: one row per panel, colour and bin with the panel's
#'   keys, `colour`, `from`, `to` (bins hold `from` and not `to`, the last one
#'   both) and `count`, with weights `n` and `weight`, their sum. Every panel
#'   says its n and how many values are absent.
#' @section Errors: Class `neatsieve_error_expression` when a column is not
#'   there or of another kind than the chart shows; class `neatsieve_error_step`
#'   if an argument is out of range.
#' @section Notes: A note names far values that squeeze the scale, and gives the
#'   `window` and the [exclude()] to use. Other notes: more than 24 panels, and
#'   more than eight colours on top of each other.
#' @seealso [neatsieve_charts], [chart_data()], [save_figure()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, chart_histogram(x = mites_per_100, panels = apiary))
#' out$figures$histogram
#' @export
chart_histogram <- function(
  x, colour = NULL, panels = NULL, width = NULL, bins = NULL, axes = "shared",
  window = NULL, title = NULL, caption = NULL, name = NULL, weights = NULL,
  labels = NULL, scale = NULL, reference_lines = NULL, texts = NULL,
  highlight = NULL, ...
) {
  capture_chart("histogram", match.call(), parent.frame())
}

define_chart(
  "histogram",
  called = "histogram",
  roles = c(x = "measure", colour = "key", weights = "weights"),
  needed = "x",
  window = "x",
  far = "x",
  overlays = TRUE,
  columns = c("colour", "from", "to", "count", "n", "weight"),
  says = c(x = "of ", colour = "coloured by ", weights = "weighted by "),
  usage = "chart_histogram(x = honey_kg)",
  title = function(names, chart) paste("Spread of", names$x),
  marks = list(x = c("from", "to"), y = c("count", "weight")),
  compute = compute_histogram,
  in_database = TRUE
)

compute_histogram <- function(input, options) {
  grouped <- chart_groups(input, "colour")
  levels <- list(colour = role_levels(input, "colour"))
  if (anyNA(input$spread$x$ends)) {
    present <- count_present(input, grouped)
    return(list(
      panels = panel_account(input, grouped, present$absent, present$outside),
      levels = levels,
      drawn = "value"
    ))
  }
  b <- bin_choice(
    input, "x", options$width, options$bins, largest_group(grouped)
  )
  edges <- bin_edges(b, input)
  counted <- asked_of(
    input,
    "bins",
    values = input$vectors$x,
    grouping = grouped,
    bins = b,
    window = input$windows$x
  )
  k <- length(edges) - 1
  heights <- if (is.null(input$weights)) {
    list(count = counted$counts)
  } else {
    list(
      n = counted$counts,
      weight = asked_of(
        input,
        "weighed_bins",
        values = input$vectors$x,
        weights = input$weights,
        grouping = grouped,
        edges = edges
      )
    )
  }
  list(
    data = do.call(
      with_keys,
      c(
        list(
          grouped,
          rep(seq_len(grouped$groups), each = k),
          from = as_role(rep(edges[-(k + 1)], grouped$groups), input, "x"),
          to = as_role(rep(edges[-1], grouped$groups), input, "x")
        ),
        heights
      )
    ),
    panels = panel_account(input, grouped, counted$absent, counted$outside),
    levels = levels,
    drawn = "value",
    remarks = paste0("Bins of ", width_words(edges, input, "x"), ".")
  )
}

largest_group <- function(grouped) max(0, grouped$rows_per_group)

# What the core needs to lay out bins: ends, IQR and number of values from the
# sample. Of groups the largest says how fine bins may be.
bin_choice <- function(input, role, width = NULL, bins = NULL, largest = NULL) {
  spread <- input$spread[[role]]
  rows <- if (is.null(spread$rows)) rows_in_play_of(input) else spread$rows
  if (!is.null(spread$largest)) largest <- spread$largest
  part <- if (is.null(largest) || rows == 0) 1 else min(1, largest / rows)
  list(
    ends = spread$ends,
    iqr = if (length(spread$sample)) {
      diff(stats::quantile(spread$sample, c(0.25, 0.75), names = FALSE))
    } else {
      0
    },
    n = length(spread$sample) * max(1, rows / sampled_rows) * part,
    unit = if (is_whole(input, role)) 1 else unit_of_values(spread$sample),
    width = if (is.null(width)) 0 else width,
    wanted = if (is.null(bins)) 0 else bins
  )
}

# What all of some values are multiples of, where they are heaped on such: 0.5
# of half degrees, 5 of ages told in fives. 0 where there is none.
unit_of_values <- function(values) {
  v <- sort(unique(values))
  if (length(v) < 3) return(0)
  unit <- signif(min(diff(v)), 10)
  is_one <- unit * 1000 > v[length(v)] - v[1] &&
    max(abs(v)) < unit * 1e9 &&
    all(abs(v / unit - round(v / unit)) < 1e-6)
  if (is_one) unit else 0
}

# "Bins of 0.5.", of dates in days, of date-times in the largest unit that makes
# it whole.
width_words <- function(edges, input, role) {
  width <- signif(edges[2] - edges[1], 10)
  kind <- input$nodes[[role]]$kind
  if (role %in% input$task$log_axes) {
    return(paste("a factor of", number_code(signif(10^width, 3))))
  }
  if (kind == "date") return(counted(width, "day"))
  if (kind != "date-time") return(number_code(width))
  units <- c(day = 86400, hour = 3600, minute = 60, second = 1)
  unit <- names(units)[match(TRUE, width %% units == 0, nomatch = 4)]
  counted(width / units[[unit]], unit)
}

# Values so large or far apart that bins of them cannot be told apart.
stop_uncuttable <- function(b, input) {
  narrow <- b$width > 0
  stop_neatly(
    "run",
    paste0(
      "The values go from ", number_code(b$ends[1]), " to ",
      number_code(b$ends[2]), ", which cannot be cut into bins",
      if (narrow) paste0(" of width ", number_code(b$width)), "."
    ),
    input$state$where,
    if (narrow) {
      "Write a larger `width`, or leave it out."
    } else {
      "Set the farthest aside with `exclude()` before, or show a `window`."
    }
  )
}

bin_edges <- function(b, input) {
  edges <- edges_of_bins(b)
  if (anyNA(edges)) stop_uncuttable(b, input)
  if (!length(edges)) {
    stop_neatly(
      "step",
      paste0(
        "A width of ", number_code(b$width), " makes more than 10,000 bins."
      ),
      input$state$where,
      paste0(
        "The values go from ", number_code(b$ends[1]), " to ",
        number_code(b$ends[2]), "; write a larger `width`, or a `window`."
      )
    )
  }
  edges
}
