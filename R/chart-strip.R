#' Strips of single values
#'
#' Draws a point for every value of a number, moved sideways at random, for each
#' group.
#'
#' @inheritParams chart_box
#' @param seed For the sideways places and the choice of points: the same seed,
#'   the same picture. The session's random numbers are left alone.
#' @return A step, as [chart_histogram()]. [chart_data()]: one row per point
#'   with the panel's keys, `x`, `colour`, `value`, `offset` (sideways, from -1
#'   to 1, less where values are rare) and `source_row`; part `"medians"`: one
#'   row per group with `n`, `absent` and `median`. Of a group with more than
#'   1,000 values 1,000 are drawn, chosen at random, with the 5 smallest and
#'   largest, and the caption says so.
#' @inheritSection chart_histogram Errors
#' @inheritSection chart_histogram Notes
#' @seealso [neatsieve_charts], [chart_data()], [save_figure()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, chart_strip(y = mites_per_100, x = treatment))$figures$strip
#' @export
chart_strip <- function(
  y, x = NULL, colour = NULL, panels = NULL, order = "keys", empty = FALSE,
  axes = "shared", window = NULL, seed = 1, title = NULL, caption = NULL,
  name = NULL, labels = NULL, scale = NULL, reference_lines = NULL,
  texts = NULL, highlight = NULL, ...
) {
  capture_chart("strip", match.call(), parent.frame())
}

define_chart(
  "strip",
  called = "strips of points",
  roles = c(y = "measure", x = "key", colour = "key"),
  needed = "y",
  window = "y",
  far = "y",
  columns = c(
    "x", "colour", "value", "offset", "source_row", "n", "absent", "median"
  ),
  says = says_groups,
  usage = "chart_strip(y = honey_kg, x = apiary)",
  title = title_of_groups,
  marks = list(y = "value"),
  told = function(chart, input) {
    c(values_told(chart, input), medians_told(chart, chart$parts$medians))
  },
  compute = compute_strip
)

most_points_of_group <- 1000

compute_strip <- function(input, options) {
  grouped <- chart_groups(input, c("x", "colour"))
  present <- count_present(input, grouped)
  rows <- rows_present(input, "y")
  group <- asked_of(input, "groups", grouping = grouped)[rows]
  drawn <- with_seed(options$seed, {
    of_group <- split(seq_along(rows), factor(group, seq_len(grouped$groups)))
    kept <- sort(unlist(
      lapply(of_group, function(i) {
        some_of_strip(i, input$vectors$y[rows[i]])
      }),
      use.names = FALSE
    ))
    list(
      kept = kept,
      offset = stats::runif(length(kept), -1, 1) *
        crowding(on_axis(input$vectors$y[rows[kept]], "y", input), group[kept])
    )
  })
  by_group <- order(group[drawn$kept])
  drawn <- list(kept = drawn$kept[by_group], offset = drawn$offset[by_group])
  kept <- drawn$kept
  medians <- asked_of(
    input,
    "quantiles",
    values = input$vectors$y,
    grouping = grouped,
    probs = 0.5
  )[, 1]
  n <- as_count(grouped$rows_per_group) - present$absent
  list(
    data = with_keys(
      grouped,
      group[kept],
      value = as_role(input$vectors$y[rows[kept]], input, "y"),
      offset = drawn$offset,
      source_row = source_rows(input, rows[kept])
    ),
    parts = list(
      medians = with_keys(
        grouped,
        seq_len(grouped$groups),
        n = n,
        absent = present$absent,
        median = as_role(medians, input, "y")
      )
    ),
    panels = panel_account(input, grouped, present$absent, present$outside),
    levels = group_levels(input),
    drawn = "value",
    remarks = c(
      "Line: median of all values.",
      if (length(kept) < length(rows)) {
        paste0(
          "Of ", counted(length(rows), "value"), " ",
          format_count(length(kept)), " are drawn, at most ",
          format_count(most_points_of_group),
          " per group, chosen at random, the ", ends_of_strip,
          " smallest and largest among them."
        )
      }
    )
  )
}

# Points of a long strip, chosen at random, with those at both ends.
ends_of_strip <- 5
some_of_strip <- function(i, values) {
  if (length(i) <= most_points_of_group) return(i)
  sorted <- order(values)
  ends <- i[c(
    utils::head(sorted, ends_of_strip), utils::tail(sorted, ends_of_strip)
  )]
  rest <- setdiff(i, ends)
  c(ends, rest[sample.int(length(rest), most_points_of_group - length(ends))])
}

# Values as they stand along their axis.
on_axis <- function(values, role, input) {
  values <- as.numeric(values)
  if (role %in% input$task$log_axes) {
    log10(pmax(values, .Machine$double.xmin))
  } else {
    values
  }
}

# How far sideways points may stand: as far as values are dense, so that a strip
# shows their spread.
crowding <- function(values, group) {
  wide <- rep(1, length(values))
  for (i in split(seq_along(values), group)) {
    if (length(i) < 30 || length(unique(values[i])) < 5) next
    curve <- stats::density(values[i], n = 256)
    at <- stats::approx(curve$x, curve$y, values[i], rule = 2)$y
    wide[i] <- pmax(at / max(at), 0.02)
  }
  wide
}

# Random numbers from a seed, with the session's own put back.
with_seed <- function(seed, code) {
  old <- get0(".Random.seed", globalenv(), inherits = FALSE)
  kinds <- RNGkind("Mersenne-Twister", "Inversion", "Rejection")
  on.exit({
    do.call(RNGkind, as.list(kinds))
    if (is.null(old)) {
      suppressWarnings(rm(".Random.seed", envir = globalenv()))
    } else {
      assign(".Random.seed", old, globalenv())
    }
  })
  set.seed(seed)
  code
}
