# Charts of the account: steps, or drawn at once from siftings.

#' The way of the rows as a figure
#'
#' Draws how many rows and units went on at each step, and how many were held
#' back, by which condition and why: as a step, or from the siftings of a
#' finished run.
#'
#' @inheritParams chart_histogram
#' @param out Finished siftings: the figure is drawn at once, of all their
#'   steps. Without them the call is a step, which shows the steps before it.
#' @return A step for a [sieve()] or [pour()], or, for siftings, a ggplot
#'   object. [chart_data()]: one row per step that held back or added rows,
#'   after a first one for what came in, with `step`, `label`, `rows` and
#'   `units` that went on, `held`, `added`; part `"reasons"`: one row per step,
#'   condition and reason with `rows`.
#' @section Errors: Class `neatsieve_error_step` for arguments out of their
#'   range.
#' @seealso [neatsieve_charts], [chart_data()], [save_figure()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(
#'   hives, include(weighed = present(hive_weight_kg), season == "spring"),
#'   exclude(misread = hive_weight_kg > 200)
#' )
#' chart_flow(out)
#' @export
chart_flow <- function(out = NULL, title = NULL, caption = NULL, name = NULL) {
  drawn_now("flow", out, match.call(), parent.frame())
}

#' Sizes of subset intersections as a figure
#'
#' Draws how many rows are in exactly which subsets: as a step, or from the
#' siftings of a finished run.
#'
#' @inheritParams chart_flow
#' @return A step for a [sieve()] or [pour()], or, for siftings, a ggplot
#'   object. [chart_data()]: what [overlaps()] gives, with `in_subsets`, in how
#'   many subsets the rows are, largest first. Of more than 30 combinations the
#'   30 largest are drawn, and the caption says how many rows the others have.
#' @section Errors: Class `neatsieve_error_step` when there are no subsets.
#' @seealso [neatsieve_charts], [chart_data()], [save_figure()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, subsets(
#'   strong = brood_frames > 8, treated = treatment != "none",
#'   calm = temper == "calm"
#' ))
#' chart_overlap(out)
#' @export
chart_overlap <- function(
  out = NULL, title = NULL, caption = NULL, name = NULL
) {
  drawn_now("overlap", out, match.call(), parent.frame())
}

# A chart of the account: a step, or drawn at once of siftings.
drawn_now <- function(kind, out, call, env) {
  local_plain()
  call$out <- NULL
  if (inherits(out, "neatsieve_step") ||
    (!is.null(out) && !inherits(out, "neatsieve_siftings"))) {
    stop_neatly(
      "step",
      paste0("The first argument of `chart_", kind, "()` must be siftings."),
      NULL,
      paste0(
        "Write `chart_", kind, "(out)` after `out <- pour(...)`, or `chart_",
        kind, "()` as a step."
      )
    )
  }
  step <- capture_chart(kind, call, env)
  if (is.null(out)) return(step)
  draw_chart(chart_of_run(step, siftings_parts(out)$state))
}

# Makes the chart of a step from the rows that went all the way.
chart_of_run <- function(step, state) {
  state$notes <- new_notebook()
  place <- new_place(step$kind)
  state$where <- place_lines(place)
  typing <- new_typing(state$scope, place)
  typing$scope$subsets <- as.character(subset_names(state))
  make_chart(definition_of(step)$bind(step, typing)$details, state)
}
