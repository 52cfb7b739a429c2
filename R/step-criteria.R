#' Named conditions
#'
#' Gives names to conditions, to be cited by bare name in later criteria and steps. A criterion
#' is read where it is cited, over the columns there.
#'
#' @param ... Named conditions in the expression language (see [neatsieve_functions]): as they
#'   stand, as formulas (`~ honey_kg > 5`), or as text with `written("honey_kg > 5")`. A value
#'   of the session is spliced in with `.(x)`.
#' @return A step for a [sieve()].
#' @section Errors: Class `neatsieve_error_step` for a condition without a name or a name used
#'   twice; class `neatsieve_error_expression` for a condition that cannot be read.
#' @seealso [settings()], [subsets()], [screening()]
#' @examples
#' plan <- sieve(
#'   criteria(treated = treatment != "none", strong = brood_frames > 6, both = treated & strong),
#'   include(both)
#' )
#' pour(demo_file("hive-visits.csv"), plan)
#' @export
criteria <- function(...) {
  make_step("criteria", conditions = capture_dots(eval(substitute(alist(...))), parent.frame()))
}

define_step("criteria", "declares",
            list(conditions = field_expressions(wanted = "criteria"), name = field_name()),
            short = "conditions", declares = "criteria",
            complete = function(values) criteria_complete(values),
            bind = function(step, typing) bind_criteria(step, typing),
            run = function(bound, state) state, by_row = function(bound) TRUE,
            words = function(step) {
              c("criteria:", paste0(names(step$conditions), ": ",
                                    vapply(step$conditions, function(e) expression_words(e$lang),
                                           character(1))))
            })

criteria_complete <- function(values) {
  conditions <- values$conditions
  bare <- names(conditions) == ""
  if (any(bare)) {
    stop_neatly("step",
                paste0("`", expression_text(conditions[[which(bare)[1]]]),
                       "` in `criteria()` has no name."), NULL,
                "For example `criteria(strong = brood_frames > 6)`.")
  }
  if (anyDuplicated(names(conditions))) {
    stop_neatly("step",
                paste0("`criteria()` names `", names(conditions)[anyDuplicated(names(conditions))],
                       "` twice."), NULL, "Give each its own name; `swap()` replaces one.")
  }
  values
}

# A criterion is checked at once when the columns it needs are there, else where it is cited.
bind_criteria <- function(step, typing) {
  for (name in names(step$conditions)) {
    expression <- step$conditions[[name]]
    inner <- at_place(typing, paste0("In criterion \"", name, "\"."))
    guard_named_comparison(name, expression, inner, "criterion")
    guard_new_name(name, inner, "criterion")
    unknown <- setdiff(all.vars(expression$lang),
                       c(names(typing$scope$columns), names(typing$scope$criteria)))
    if (!any(fits_pattern(unknown, names(typing$scope$coming)))) {
      inner$in_criterion <- TRUE
      type_condition(expression, inner)
    }
    typing$scope$criteria[[name]] <- expression
  }
  new_bound(step, typing)
}
