#' Scatter plots
#'
#' Draws one number against another: a point per row or, with many rows, counts
#' in tiles; with a trend if you ask for it.
#'
#' @inheritParams chart_histogram
#' @param x,y The numbers (or dates) to show: columns or expressions.
#' @param trend `"none"`, `"linear"` (least squares) or `"smooth"` (penalised
#'   cubic regression spline by restricted maximum likelihood, from package
#'   mgcv; Wood 2017), each with its pointwise 95% band, one per panel and
#'   colour. It is fitted to the rows shown: a row outside the window takes no
#'   part.
#' @param marks `"points"`, `"tiles"` (counts in bins of both numbers), or
#'   `"auto"`: points for up to 5,000 rows, tiles for more (or, with `colour`,
#'   5,000 points chosen at random).
#' @param bins For tiles: about how many bins there are across a panel, and nine
#'   tenths of it up; by default 64, fewer where there are several panels, 64
#'   over the root of their number, but at least 16. Of more than 5,000 rows
#'   those in tiles of up to three are drawn as points, so that what lies apart
#'   shows.
#' @param colour A key, as in [chart_histogram()]; numbers and dates of more
#'   than 12 values colour each point along a bar.
#'   `equal_bands(hive_weight_kg, 4)` makes groups of them.
#' @param axes `"shared"`: the same scales for all panels, or `"own"`: each
#'   panel scales of its own, as far as a table of panels allows.
#' @param seed For the choice of points, and for spreading them: where `x` takes
#'   at most 15 values, points of one value are moved sideways, by up to a fifth
#'   of the way to the next. The same seed, the same picture.
#' @return A step, as [chart_histogram()]. [chart_data()]: for points, one row
#'   per point with the panel's keys, `colour`, `x`, `y` and `source_row`, and
#'   `offset`, how far it is moved sideways, where that is so; for tiles, one
#'   row per tile that is not empty with `x_from`, `x_to`, `y_from`, `y_to` and
#'   `count`, and in part `"points"` the rows of tiles with up to three. Part
#'   `"trend"`: `x`, `y`, `low`, `high` at 80 places per panel and colour. A row
#'   counts as absent when `x` or `y` is.
#' @inheritSection chart_histogram Errors
#' @inheritSection chart_histogram Notes
#' @seealso [neatsieve_charts], [chart_data()], [save_figure()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(
#'   hives, exclude(hive_weight_kg > 200),
#'   chart_scatter(
#'     x = brood_frames, y = hive_weight_kg, panels = season,
#'     trend = "linear"
#'   )
#' )
#' out$figures$scatter
#' @export
chart_scatter <- function(
  x, y, colour = NULL, panels = NULL, trend = "none", marks = "auto",
  bins = NULL, axes = "shared", window = NULL, seed = 1, title = NULL,
  caption = NULL, name = NULL, labels = NULL, scale = NULL,
  reference_lines = NULL, texts = NULL, highlight = NULL, ...
) {
  capture_chart("scatter", match.call(), parent.frame())
}

define_chart(
  "scatter",
  called = "scatter plot",
  roles = c(x = "measure", y = "measure", colour = "key"),
  needed = c("x", "y"),
  window = "y",
  far = c("x", "y"),
  overlays = TRUE,
  columns = c(
    "colour", "x", "y", "source_row", "offset", "x_from", "x_to", "y_from",
    "y_to", "count", "low", "high"
  ),
  says = c(y = "of ", x = "against ", colour = "coloured by "),
  usage = "chart_scatter(x = brood_frames, y = honey_kg)",
  title = function(names, chart) paste(names$y, "against", names$x),
  marks = list(
    x = c("x", "x_from", "x_to"),
    y = c("y", "y_from", "y_to"),
    shade = "count"
  ),
  told = function(chart, input) pairs_told(input),
  compute = compute_scatter
)

most_points <- 5000

compute_scatter <- function(input, options) {
  total <- if (is.null(input$rows)) input$frame$n else length(input$rows)
  coloured <- !is.null(input$nodes$colour)
  if (is_value_colour(input)) return(scatter_by_value(input, options))
  tiles <- options$marks == "tiles" ||
    (options$marks == "auto" && total > most_points && !coloured)
  if (tiles && coloured) stop_coloured_tiles(input)
  known <- !anyNA(c(input$spread$x$ends, input$spread$y$ends))
  result <- if (tiles && known) {
    scatter_tiles(input, options)
  } else {
    scatter_points(input, options, thin = options$marks == "auto")
  }
  trends <- if (options$trend != "none") trends_of(input, options$trend)
  result$parts <- compact(list(trend = trends$curve, points = result$parts$points))
  result$remarks <- c(result$remarks, trends$remarks)
  c(
    result,
    list(levels = list(colour = role_levels(input, "colour")), drawn = "row")
  )
}

stop_coloured_tiles <- function(input) {
  stop_neatly(
    "step",
    "Tiles show how many rows there are, not groups in colours.",
    input$state$where,
    "Write `panels = ` instead of `colour = `, or `marks = \"points\"`."
  )
}

scatter_tiles <- function(input, options) {
  grouped <- chart_groups(input)
  bins <- if (is.null(options$bins)) {
    max(16, round(64 / sqrt(max(1, grouped$groups))))
  } else {
    options$bins
  }
  across <- bin_choice(input, "x", bins = bins)
  up <- bin_choice(input, "y", bins = max(1, round(bins * 0.9)))
  x <- bin_edges(across, input)
  y <- bin_edges(up, input)
  counted <- asked_of(
    input,
    "tiles",
    x = input$vectors$x,
    y = input$vectors$y,
    grouping = grouped,
    across = across,
    up = up,
    windows = input$windows
  )
  places <- which(counted$counts > 0)
  place <- places - 1
  nx <- length(x) - 1
  ny <- length(y) - 1
  i <- place %% nx + 1
  j <- (place %/% nx) %% ny + 1
  points <- sparse_points(input, grouped, list(x = x, y = y), counted$counts)
  side <- function(edges, at, role) as_role(edges[at], input, role)
  list(
    data = with_keys(
      grouped,
      place %/% (nx * ny) + 1,
      x_from = side(x, i, "x"),
      x_to = side(x, i + 1, "x"),
      y_from = side(y, j, "y"),
      y_to = side(y, j + 1, "y"),
      count = counted$counts[places]
    ),
    panels = panel_account(input, grouped, counted$absent, counted$outside),
    parts = list(points = points),
    remarks = paste0(
      "Shade: number of rows per tile of ", width_words(x, input, "x"), " by ",
      width_words(y, input, "y"),
      if (is.null(points)) {
        "."
      } else {
        paste0(", where more than ", most_sparse, " are in one; else points.")
      }
    ),
    tiles = TRUE
  )
}

# Rows of tiles with few rows, one by one. NULL where they are very many.
most_sparse <- 3
sparse_points <- function(input, grouped, edges, counts) {
  sparse <- counts > 0 & counts <= most_sparse
  total <- sum(counts[sparse])
  # Of few rows points would be darker than the tiles between them.
  if (!total || total > most_points || sum(counts) <= most_points) return(NULL)
  rows <- if (is.null(input$rows)) seq_len(input$frame$n) else input$rows
  nx <- length(edges$x) - 1
  ny <- length(edges$y) - 1
  bin <- function(role) {
    findInterval(
      as.numeric(input$vectors[[role]][rows]),
      edges[[role]],
      rightmost.closed = TRUE
    )
  }
  i <- bin("x")
  j <- bin("y")
  inside <- !is.na(i) & !is.na(j) & i >= 1 & i <= nx & j >= 1 & j <= ny
  group <- asked_of(input, "groups", grouping = grouped)[rows]
  inside <- which(inside)
  tile <- (group[inside] - 1) * nx * ny + (j[inside] - 1) * nx + i[inside]
  matches <- inside[sparse[tile]]
  # Where ends of bins are told otherwise here, tiles alone are drawn.
  if (length(matches) != total) return(NULL)
  with_keys(
    grouped,
    group[matches],
    x = as_role(input$vectors$x[rows[matches]], input, "x"),
    y = as_role(input$vectors$y[rows[matches]], input, "y"),
    source_row = source_rows(input, rows[matches])
  )
}

# Colours of more numbers or dates than a legend names are values along a bar,
# not groups.
is_value_colour <- function(input) {
  colour <- input$nodes$colour
  if (is.null(colour) || !is.null(input$options$highlight)) return(FALSE)
  if (!colour$kind %in% c("number", "whole", "date", "date-time")) return(FALSE)
  group_rows(input$nodes["colour"], input$frame, input$rows)$groups > most_lines
}

scatter_points <- function(input, options, thin, values = NULL) {
  grouped <- chart_groups(input, "colour")
  present <- count_present(input, grouped, c("x", "y"))
  rows <- rows_present(input, c("x", "y"))
  all <- length(rows)
  if (thin && all > most_points) {
    rows <- with_seed(options$seed, sort(rows[sample.int(all, most_points)]))
  }
  group <- asked_of(input, "groups", grouping = grouped)[rows]
  x <- input$vectors$x[rows]
  spread <- if (!"x" %in% input$task$log_axes) sideways(x, options$seed)
  columns <- list(
    x = as_role(x, input, "x"),
    y = as_role(input$vectors$y[rows], input, "y"),
    source_row = source_rows(input, rows)
  )
  if (!is.null(spread)) columns$offset <- spread
  if (!is.null(values)) columns$colour <- as_colour_value(values[rows], input)
  few <- if (length(rows) < all) {
    paste0(
      "Of ", counted(all, "point"), " ", format_count(length(rows)),
      " are drawn, chosen at random."
    )
  }
  spread_said <- if (!is.null(spread)) {
    paste0(
      "Points are spread sideways, since ", input$written$x$text, " takes ",
      counted(length(unique(x)), "value"), " only."
    )
  }
  list(
    data = do.call(with_keys, c(list(grouped, group), columns)),
    panels = panel_account(input, grouped, present$absent, present$outside),
    remarks = c(few, spread_said)
  )
}

# Where x takes few values, points of one value would lie on a line and on top
# of each other: each is moved by up to a fifth of the way to the next value.
most_values_spread <- 15
sideways <- function(x, seed) {
  different <- sort(unique(x))
  if (length(x) < 20 ||
    length(different) > most_values_spread ||
    length(different) > length(x) / 4) {
    return(NULL)
  }
  step <- if (length(different) > 1) min(diff(different)) else 1
  with_seed(seed, stats::runif(length(x), -step / 5, step / 5))
}

scatter_by_value <- function(input, options) {
  if (options$marks == "tiles") return(stop_coloured_tiles(input))
  colour <- input$vectors$colour
  input$nodes$colour <- NULL
  points <- scatter_points(
    input,
    options,
    thin = options$marks == "auto",
    values = colour
  )
  trends <- if (options$trend != "none") trends_of(input, options$trend)
  points$parts <- compact(list(trend = trends$curve))
  points$remarks <- c(
    points$remarks, trends$remarks,
    if (anyNA(points$data$colour)) {
      paste0(
        "Grey: ", input$written$colour$text, " is absent (",
        counted(sum(is.na(points$data$colour)), "point"), ")."
      )
    }
  )
  c(points, list(drawn = "row", graded_values = TRUE))
}

as_colour_value <- function(values, input) {
  node <- input$written$colour
  if (node$kind == "date") {
    structure(as.numeric(values), class = "Date")
  } else if (node$kind == "date-time") {
    .POSIXct(as.numeric(values), tz = "UTC")
  } else {
    values
  }
}
