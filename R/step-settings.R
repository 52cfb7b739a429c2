#' Named values that can be changed per run
#'
#' Gives names to values. Conditions use them by bare name; `pour(set = )` or
#' [swap()] changes them without changing the conditions.
#'
#' @param ... Named values: a number, text, logical or date, or a vector of
#'   these.
#' @return A step for a [sieve()].
#' @section Errors: Class `neatsieve_error_step` for a value without a name or
#'   of another class.
#' @seealso [criteria()], [pour()], [pour_each()]
#' @examples
#' plan <- sieve(settings(min_weight = 20), include(hive_weight_kg >= min_weight))
#' pour(demo_file("hive-visits.csv"), plan, set = list(min_weight = 30))
#' @export
settings <- function(...) {
  values <- list(...)
  if (length(values) && (is.null(names(values)) || any(names(values) == ""))) {
    stop_neatly(
      "step",
      "Every setting needs a name.",
      instead = "For example `settings(min_weight = 20)`."
    )
  }
  values <- stats::setNames(
    lapply(names(values), function(n) check_setting(n, values[[n]])),
    names(values)
  )
  make_step("settings", values = values)
}

define_step(
  "settings",
  "declares",
  list(values = field_settings(), name = field_name()),
  short = "values",
  declares = "settings",
  bind = function(step, typing) {
    for (name in names(step$values)) {
      guard_new_name(name, typing, "setting")
      typing$scope$settings[[name]] <- step$values[[name]]
    }
    new_bound(step, typing)
  },
  run = function(bound, state) state,
  by_row = function(bound) TRUE,
  words = function(step) {
    paste0(
      "settings: ",
      paste0(
        names(step$values), " = ", vapply(step$values, value_code, ""),
        collapse = ", "
      )
    )
  }
)

# Clashes between columns, criteria and settings are errors.
guard_new_name <- function(name, typing, what) {
  taken <- c(
    if (name %in% names(typing$scope$columns)) "a column",
    if (name %in% names(typing$scope$criteria)) "a criterion",
    if (name %in% names(typing$scope$settings) && what != "setting") "a setting"
  )
  if (what == "setting") taken <- setdiff(taken, "a setting")
  if (length(taken)) {
    stop_neatly(
      "step",
      paste0(
        "`", name, "` is the name of both a ", what, " and ", taken[1], "."
      ),
      where_of(typing),
      paste0("Give the ", what, " another name.")
    )
  }
}
