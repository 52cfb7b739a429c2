# Sizes of intersections of subsets.

#' Sizes of intersections, unions and differences of subsets
#'
#' Gives how many rows (and units) subsets share.
#'
#' @param out Siftings of a run with [subsets()].
#' @param of `"exact"`: rows in exactly these subsets and no other, which adds up to all rows;
#'   `"intersection"`, `"union"`: for every combination of two or more subsets (of at most 10
#'   subsets); `"difference"`: rows in one subset and not in another, for every pair.
#' @return A data frame with `subsets` (names joined by ` & `, ` | ` or ` - `; `(none)`), `rows`
#'   and, with a unit, `units`.
#' @section Errors: Class `neatsieve_error_run` when the run has no subsets.
#' @seealso [subsets()], [chart_overlap()]
#' @examples
#' out <- pour(demo_file("hive-visits.csv"),
#'             subsets(strong = brood_frames > 8, treated = treatment != "none"))
#' overlaps(out)
#' overlaps(out, "union")
#' @export
overlaps <- function(out, of = "exact") {
  local_plain()
  state <- siftings_parts(out)$state
  if (is.null(state$subsets)) {
    stop_neatly("run", "This run has no subsets.", NULL,
                "Name subsets in the sieve, for example `subsets(strong = brood_frames > 8)`.")
  }
  control_choice(of, "of", "overlaps", c("exact", "intersection", "union", "difference"))
  overlap_table(state, of)
}

overlap_table <- function(state, of) {
  sets <- state$subsets$sets
  names <- colnames(sets)
  rows <- if (is.null(state$rows)) seq_len(state$frame$n) else state$rows
  signature <- state$subsets$signature[rows]
  size <- function(label, inside) {
    chosen <- rows[inside[signature] %in% TRUE]
    data.frame(subsets = label, rows = length(chosen),
               units = if (!is.null(state$study$unit)) units_among(state, chosen) else NA_real_)
  }
  lines <- if (of == "exact") {
    lapply(order(-rowSums(sets)),
           function(i) {
             size(if (any(sets[i, ])) paste(names[sets[i, ]], collapse = " & ") else "(none)",
                  seq_len(nrow(sets)) == i)
           })
  } else if (of == "difference") {
    pairs <- expand.grid(b = names, a = names, stringsAsFactors = FALSE)
    pairs <- pairs[pairs$a != pairs$b, ]
    Map(function(a, b) size(paste(a, "-", b), sets[, a] & !sets[, b]), pairs$a, pairs$b)
  } else {
    if (length(names) > 10) {
      stop_neatly("run",
                  paste0("Combinations of ", length(names), " subsets are too many to list."), NULL,
                  "Use `overlaps(out)`, which lists those that occur.")
    }
    sign <- if (of == "union") " | " else " & "
    unlist(lapply(seq_along(names)[-1], function(k) utils::combn(names, k, function(s) {
      list(
        size(paste(s, collapse = sign),
             if (of == "union") rowSums(sets[, s, drop = FALSE]) > 0
             else rowSums(sets[, s, drop = FALSE]) == k))
    }, simplify = FALSE) |> unlist(recursive = FALSE)), recursive = FALSE)
  }
  none <- data.frame(subsets = character(), rows = integer(), units = numeric())
  table <- one_below_other(c(list(none), lines))
  if (is.null(state$study$unit)) table$units <- NULL
  finished_table(table)
}
