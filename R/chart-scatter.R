#' Scatter plots
#'
#' Records a figure of one number against another, a point per row or, with many rows, counts in
#' tiles, with a trend if asked for.
#'
#' @inheritParams chart_histogram
#' @param x,y The numbers (or dates) to show: columns or expressions.
#' @param trend `"none"`, `"linear"` (least squares) or `"smooth"` (penalised cubic regression
#'   spline by restricted maximum likelihood, from package mgcv; Wood 2017), each with its pointwise
#'   95% band, one per panel and colour. It is fitted to the rows shown: a row outside the window
#'   takes no part.
#' @param marks `"points"`, `"tiles"` (counts in bins of both numbers), or `"auto"`: points for up
#'   to 5,000 rows, tiles for more (or, with `colour`, 5,000 points chosen at random).
#' @param bins For tiles: about how many bins there are across a panel, and three quarters of it up;
#'   by default 48, fewer where there are several panels, 48 over the root of their number, but at
#'   least 16.
#' @param axes `"shared"`: the same scales for all panels, or `"own"`: each panel scales of its own,
#'   as far as a table of panels allows.
#' @param seed For the choice of points, and for spreading them: where `x` takes at most 15 values,
#'   points of one value are moved sideways, by up to a fifth of the way to the next. The same seed,
#'   the same picture.
#' @return A step, as [chart_histogram()]. [chart_data()]: for points, one row per point with the
#'   panel's keys, `colour`, `x`, `y` and `source_row`, and `offset`, how far it is moved sideways,
#'   where that is so; for tiles, one row per tile that is not empty with `x_from`, `x_to`,
#'   `y_from`, `y_to` and `count`. Part `"trend"`: `x`, `y`, `low`, `high` at 80 places per panel
#'   and colour. A row counts as absent when `x` or `y` is.
#' @inheritSection chart_histogram Errors
#' @inheritSection chart_histogram Notes
#' @seealso [neatsieve_charts], [chart_data()], [save_figure()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, exclude(hive_weight_kg > 200),
#'             chart_scatter(x = brood_frames, y = hive_weight_kg, panels = season,
#'                           trend = "linear"))
#' out$figures$scatter
#' @export
chart_scatter <- function(x, y, colour = NULL, panels = NULL, trend = "none", marks = "auto",
                          bins = NULL, axes = "shared", window = NULL, seed = 1, title = NULL,
                          caption = NULL, name = NULL, ...) {
  capture_chart("scatter", match.call(), parent.frame())
}

define_chart("scatter", called = "scatter plot",
             roles = c(x = "measure", y = "measure", colour = "key"), needed = c("x", "y"),
             window = "y", far = c("x", "y"), overlays = TRUE,
             columns = c("colour", "x", "y", "source_row", "offset", "x_from", "x_to", "y_from",
                         "y_to", "count", "low", "high"),
             says = c(y = "of ", x = "against ", colour = "coloured by "),
             usage = "chart_scatter(x = brood_frames, y = honey_kg)",
             title = function(names, chart) paste(names$y, "against", names$x),
             marks = list(x = c("x", "x_from", "x_to"), y = c("y", "y_from", "y_to"),
                          shade = "count"),
             told = function(chart, input) pairs_told(input),
             compute = compute_scatter)

most_points <- 5000

compute_scatter <- function(input, options) {
  total <- if (is.null(input$rows)) input$frame$n else length(input$rows)
  coloured <- !is.null(input$nodes$colour)
  tiles <- options$marks == "tiles" || (options$marks == "auto" && total > most_points && !coloured)
  if (tiles && coloured) {
    stop_neatly("step", "Tiles show how many rows there are, not groups in colours.",
                input$state$where,
                "Write `panels = ` instead of `colour = `, or `marks = \"points\"`.")
  }
  known <- !anyNA(c(input$spread$x$ends, input$spread$y$ends))
  made <- if (tiles && known) scatter_tiles(input, options)
    else scatter_points(input, options, thin = options$marks == "auto")
  trends <- if (options$trend != "none") trends_of(input, options$trend)
  made$parts <- compact(list(trend = trends$curve))
  made$remarks <- c(made$remarks, trends$remarks)
  c(made, list(levels = list(colour = role_levels(input, "colour")), drawn = "row"))
}

scatter_tiles <- function(input, options) {
  grouped <- chart_groups(input)
  bins <- if (is.null(options$bins)) max(16, round(64 / sqrt(max(1, grouped$groups))))
    else options$bins
  across <- bin_choice(input, "x", bins = bins)
  up <- bin_choice(input, "y", bins = max(1, round(bins * 0.9)))
  x <- bin_edges(across, input)
  y <- bin_edges(up, input)
  counted <- asked_of(input, "tiles", x = input$vectors$x, y = input$vectors$y, grouping = grouped,
                      across = across, up = up, windows = input$windows)
  met <- which(counted$counts > 0)
  place <- met - 1
  nx <- length(x) - 1
  ny <- length(y) - 1
  i <- place %% nx + 1
  j <- (place %/% nx) %% ny + 1
  side <- function(edges, at, role) as_role(edges[at], input, role)
  list(
    data = with_keys(grouped, place %/% (nx * ny) + 1, x_from = side(x, i, "x"),
                     x_to = side(x, i + 1, "x"), y_from = side(y, j, "y"),
                     y_to = side(y, j + 1, "y"), count = counted$counts[met]),
       panels = panel_account(input, grouped, counted$absent, counted$outside),
       remarks = paste0("Shade: number of rows per tile of ", width_words(x, input, "x"), " by ",
                        width_words(y, input, "y"), "."), tiles = TRUE)
}

scatter_points <- function(input, options, thin) {
  grouped <- chart_groups(input, "colour")
  present <- count_present(input, grouped)
  rows <- rows_present(input, c("x", "y"))
  all <- length(rows)
  if (thin && all > most_points) {
    rows <- with_seed(options$seed, sort(rows[sample.int(all, most_points)]))
  }
  group <- asked_of(input, "groups", grouping = grouped)[rows]
  x <- input$vectors$x[rows]
  spread <- sideways(x, options$seed)
  columns <- list(x = as_role(x, input, "x"), y = as_role(input$vectors$y[rows], input, "y"),
                  source_row = source_rows(input, rows))
  if (!is.null(spread)) columns$offset <- spread
  few <- if (length(rows) < all)
    paste0("Of ", counted(all, "point"), " ", format_count(length(rows)),
           " are drawn, chosen at random.")
  spread_said <- if (!is.null(spread))
    paste0("Points are spread sideways, since ", input$written$x$text, " takes ",
           counted(length(unique(x)), "value"), " only.")
  list(data = do.call(with_keys, c(list(grouped, group), columns)),
       panels = panel_account(input, grouped, present$absent, present$outside),
       remarks = c(few, spread_said))
}

# Where x takes few values, points of one value would lie on a line and on top of each other: each
# is moved by up to a fifth of the way to the next value.
most_values_spread <- 15
sideways <- function(x, seed) {
  different <- sort(unique(x))
  if (length(x) < 20 || length(different) > most_values_spread ||
      length(different) > length(x) / 4) {
    return(NULL)
  }
  step <- if (length(different) > 1) min(diff(different)) else 1
  with_seed(seed, stats::runif(length(x), -step / 5, step / 5))
}

# One fit per panel and colour to the rows that are shown, at 80 places from its smallest to its
# largest x. A row outside the window takes no part.
trends_of <- function(input, kind) {
  grouped <- chart_groups(input, "colour")
  rows <- rows_shown(input, c("x", "y"))
  of_group <- split(rows,
                    factor(asked_of(input, "groups", grouping = grouped)[rows],
                           seq_len(grouped$groups)))
  fits <- lapply(of_group, function(r) fit_trend(input$vectors$x[r], input$vectors$y[r], kind))
  fitted <- !vapply(fits, is.null, logical(1))
  group <- rep(which(fitted), vapply(fits[fitted], nrow, integer(1)))
  none <- data.frame(x = numeric(), y = numeric(), low = numeric(), high = numeric())
  bound <- do.call(rbind, c(list(none), unname(fits[fitted])))
  few <- sum(!fitted)
  line <- paste0(if (kind == "linear") "Line: least squares"
                 else "Curve: penalised cubic spline (REML)", " with 95% band",
                 if (length(input$windows))
                   paste0(", fitted to the ", counted(length(rows), "row"), " inside the window"),
                 ".")
  too_few <- paste0(counted(few, "group"), if (few == 1) " has" else " have",
                    " too few different values for a trend.")
  list(
    curve = with_keys(grouped, group, x = as_role(bound$x, input, "x"),
                      y = as_role(bound$y, input, "y"),
                      low = as_role(bound$low, input, "y"),
                      high = as_role(bound$high, input, "y")),
       remarks = c(line, if (few) too_few))
}

# Rows whose values are present and inside the windows.
rows_shown <- function(input, roles) {
  rows <- rows_present(input, roles)
  for (role in intersect(roles, names(input$windows))) {
    v <- input$vectors[[role]][rows]
    rows <- rows[v >= input$windows[[role]][1] & v <= input$windows[[role]][2]]
  }
  rows
}

fit_trend <- function(x, y, kind) {
  different <- length(unique(x))
  if (length(x) < 3 || different < 2 || (kind == "smooth" && different < 5)) return(NULL)
  at <- data.frame(x = seq(min(x), max(x), length.out = 80))
  d <- data.frame(x = as.numeric(x), y = as.numeric(y))
  if (kind == "linear") {
    # Around the means, so that large offsets (dates) lose no digits.
    middle <- mean(d$x)
    d$x <- d$x - middle
    fit <- stats::lm(y ~ x, d)
    band <-
      suppressWarnings(
        stats::predict(fit, data.frame(x = at$x - middle), interval = "confidence", level = 0.95))
    return(data.frame(x = at$x, y = band[, "fit"], low = band[, "lwr"], high = band[, "upr"]))
  }
  k <- min(10, different - 1)
  formula <- stats::as.formula(paste0("y ~ s(x, bs = \"cr\", k = ", k, ")"),
                               env = asNamespace("mgcv"))
  fit <- if (nrow(d) > 20000) mgcv::bam(formula, data = d, method = "fREML", discrete = TRUE)
    else mgcv::gam(formula, data = d, method = "REML")
  said <- stats::predict(fit, at, se.fit = TRUE)
  half <- stats::qt(0.975, fit$df.residual) * said$se.fit
  data.frame(x = at$x, y = as.vector(said$fit), low = as.vector(said$fit - half),
             high = as.vector(said$fit + half))
}
