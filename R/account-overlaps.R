# Sizes of intersections of subsets.

#' Sizes of intersections, unions and differences of subsets
#'
#' Counts the rows (and units) that subsets share.
#'
#' @param out Siftings of a run with [subsets()].
#' @param of `"exact"`: rows in exactly these subsets and in no other; these add
#'   up to all rows; `"intersection"`, `"union"`: for every combination of two
#'   or more subsets (of at most 10 subsets); `"difference"`: rows in one subset
#'   and not in another, for every pair.
#' @return A data frame with `subsets` (names joined by ` & `, ` | ` or ` - `;
#'   `(none)`), `rows` and, with a unit, `units`.
#' @section Errors: Class `neatsieve_error_run` when the run has no subsets.
#' @seealso [subsets()], [chart_overlap()]
#' @examples
#' out <- pour(
#'   demo_file("hive-visits.csv"),
#'   subsets(strong = brood_frames > 8, treated = treatment != "none")
#' )
#' overlaps(out)
#' overlaps(out, "union")
#' @export
overlaps <- function(out, of = "exact") {
  local_plain()
  state <- siftings_parts(out)$state
  if (is.null(state$subsets)) {
    stop_neatly(
      "run",
      "This run has no subsets.",
      NULL,
      "Name subsets in the sieve, for example `subsets(strong = brood_frames > 8)`."
    )
  }
  control_choice(
    of, "of", "overlaps", c("exact", "intersection", "union", "difference")
  )
  overlap_table(state, of)
}
