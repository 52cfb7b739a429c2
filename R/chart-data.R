#' The numbers a figure shows
#'
#' Gives the numbers that a figure shows: bins, box figures, curves, points and
#' so on.
#'
#' @param out Siftings from [pour()].
#' @param name The figure's name in `$figures`; may be left out when there is
#'   one figure.
#' @param subset After [subsets()]: the subset's name.
#' @param part `"main"`; `"panels"`: one row per panel with its keys, `n` (rows
#'   whose values are all present), `absent`, `infinite` and `outside` (the
#'   window); or a further part that the chart's help page names, such as
#'   `"points"` or `"trend"`.
#' @return A data frame; its columns are described with each chart. Attribute
#'   `panels` has the panels.
#' @section Errors: Class `neatsieve_error_run` when there is no such figure,
#'   subset or part.
#' @seealso [neatsieve_charts], [save_figure()]
#' @examples
#' out <- pour(demo_file("hive-visits.csv"), chart_histogram(x = honey_kg))
#' head(chart_data(out))
#' chart_data(out, part = "panels")
#' @export
chart_data <- function(out, name = NULL, subset = NULL, part = "main") {
  local_plain()
  charts <- siftings_parts(out)$charts
  if (is.null(name) && length(charts) == 1) name <- names(charts)
  if (is.null(name) || !name %in% names(charts)) {
    stop_neatly(
      "run",
      if (is.null(name)) {
        "Say which figure."
      } else {
        paste0("There is no figure ", quoted(name), ".")
      },
      NULL,
      if (length(charts)) {
        c(
          if (!is.null(name)) meant(name, names(charts), quoted),
          paste0("Figures: ", listed(quoted(names(charts)), 10), ".")
        )
      } else {
        "Add one, as `chart_histogram(x = honey_kg)`."
      }
    )
  }
  chart <- charts[[name]]
  if (inherits(chart, "neatsieve_charts")) {
    if (is.null(subset) || !subset %in% names(chart)) {
      stop_neatly(
        "run",
        "This figure is one per subset; say which.",
        NULL,
        paste0(
          "Write `subset = ` and one of ",
          listed(quoted(names(chart)), 10, "or"), "."
        )
      )
    }
    chart <- chart[[subset]]
  }
  parts <- c("main", "panels", names(chart$parts))
  if (!is_text(part) || !part %in% parts) {
    stop_neatly(
      "run",
      paste0("The figure has no part ", quoted(part)[1], "."),
      NULL,
      paste0("Parts: ", listed(quoted(parts)), ".")
    )
  }
  if (part == "panels") return(chart$panels)
  data <- if (part == "main") chart$data else chart$parts[[part]]
  structure(if (is.null(data)) data.frame() else data, panels = chart$panels)
}
