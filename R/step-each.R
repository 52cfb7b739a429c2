#' The same for many columns
#'
#' Inside [work_out()] and [condense()]: evaluates one expression for each
#' picked column.
#'
#' @param ... Picks of columns (see [pick_columns()]), then an expression in
#'   which `it` stands for the column.
#' @param as The name of each new column: `*` stands for the column's own name.
#'   `"*"`, the default, changes the columns themselves.
#' @return Nothing: `each()` has a meaning inside `work_out()` and `condense()`
#'   only. In a plan file it stands behind the pattern of the names:
#'   `"log_*": each("mass_*", log(it))`.
#' @section Errors: Class `neatsieve_error_step` when called on its own. In
#'   [include()] a condition on several columns is written
#'   `row_all(picks, it > 5)` or `row_any(picks, it > 5)`.
#' @seealso [work_out()], [pick_columns()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, work_out(each("*_kg", it / 0.4536, as = "*_in_pounds")), pick_columns("*_kg*"))
#' @export
each <- function(..., as = "*") {
  stop_neatly(
    "step",
    "`each()` stands inside `work_out()` and `condense()` only.",
    NULL,
    "Write `work_out(each(\"*_kg\", log(it), as = \"log_*\"))`."
  )
}
