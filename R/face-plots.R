# plot() of results that print as text.

#' Pictures of overviews
#'
#' `plot()` of a [screening()] draws how each condition splits the rows three
#' ways, of [compare_runs()] which rows came in and went and why, of a [look()]
#' a small picture of every column, of siftings the rows' way through the steps.
#'
#' @param x A screening, comparison or look.
#' @param ... Not used.
#' @return A ggplot object.
#' @name overview_plots
#' @section Errors: None of their own.
#' @seealso [look()], [screening()], [compare_runs()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' plot(screening(hives, hive_weight_kg > 50, season == "spring"))
#' plot(look(hives))
NULL

#' @rdname overview_plots
#' @export
plot.neatsieve_screening <- function(x, ...) {
  local_plain()
  draw_split(
    x$table,
    x$together,
    paste("How the conditions split the rows of", x$study),
    x$rows
  )
}

#' @rdname overview_plots
#' @export
plot.neatsieve_comparison <- function(x, ...) {
  local_plain()
  rows <- x$rows
  words <- ifelse(
    is.na(rows$step),
    rows$because,
    paste0(
      "step ", rows$step, ", ", rows$kind, "(): ", rows$by, ", ", rows$because
    )
  )
  reasons <- if (nrow(rows)) {
    result <- stats::aggregate(
      list(rows = rep(1, nrow(rows))),
      list(change = rows$change, reason = words),
      sum
    )
    result
  } else {
    data.frame(change = character(), reason = character(), rows = numeric())
  }
  draw_changes(reasons, "Rows that came in and went", comparison_headline(x))
}

#' @rdname overview_plots
#' @export
plot.neatsieve_look <- function(x, ...) {
  local_plain()
  words <- vapply(x$columns, look_words, "")
  draw_look(
    x$columns,
    paste("What is in", x$headline),
    paste0(
      x$headline, ". ", paste0(names(words), ": ", words, collapse = "; "), "."
    )
  )
}
