#' Named conditions
#'
#' Gives names to conditions. Later criteria and steps use them by bare name. A
#' criterion is evaluated where it is used, with the columns there.
#'
#' @param ... Named conditions in the expression language (see
#'   [neatsieve_functions]): as they stand, as formulas (`~ honey_kg > 5`), or
#'   as text with `written("honey_kg > 5")`. A value of the session is spliced
#'   in with `.(x)`.
#' @return A step for a [sieve()].
#' @section Limits: Once the criteria that it names are written out, a criterion
#'   has at most 4,000 parts, and criteria stand in one another at most 50 deep.
#' @section Errors: Class `neatsieve_error_step` for a condition without a name
#'   or a name used twice; class `neatsieve_error_expression` for a condition
#'   that cannot be read.
#' @seealso [settings()], [subsets()], [screening()]
#' @examples
#' plan <- sieve(
#'   criteria(treated = treatment != "none", strong = brood_frames > 6, both = treated & strong),
#'   include(both)
#' )
#' pour(demo_file("hive-visits.csv"), plan)
#' @export
criteria <- function(...) {
  make_step(
    "criteria",
    conditions = capture_dots(eval(substitute(alist(...))), parent.frame())
  )
}

define_step(
  "criteria",
  "declares",
  list(
    conditions = field_expressions(wanted = "criteria"),
    name = field_name()
  ),
  short = "conditions",
  declares = "criteria",
  complete = function(values) criteria_complete(values),
  bind = function(step, typing) bind_criteria(step, typing),
  run = function(bound, state) state,
  by_row = function(bound) TRUE,
  words = function(step) {
    c(
      "criteria:",
      paste0(
        names(step$conditions), ": ",
        vapply(
          step$conditions, function(e) expression_words(e$lang), character(1)
        )
      )
    )
  }
)

criteria_complete <- function(values) {
  conditions <- values$conditions
  bare <- names(conditions) == ""
  if (any(bare)) {
    stop_neatly(
      "step",
      paste0(
        "`", expression_text(conditions[[which(bare)[1]]]),
        "` in `criteria()` has no name."
      ),
      NULL,
      "For example `criteria(strong = brood_frames > 6)`."
    )
  }
  if (anyDuplicated(names(conditions))) {
    stop_neatly(
      "step",
      paste0(
        "`criteria()` names `",
        names(conditions)[anyDuplicated(names(conditions))], "` twice."
      ),
      NULL,
      "Give each its own name; `swap()` replaces one."
    )
  }
  values
}

# A criterion is checked at once when the columns it needs are there, else where
# it is cited.
bind_criteria <- function(step, typing) {
  typing <- with_typed_criteria(typing)
  nodes <- typing$typed$nodes
  known <- written_out(typing$scope$criteria)
  coming <- names(typing$scope$coming)
  for (name in names(step$conditions)) {
    expression <- step$conditions[[name]]
    inner <- at_place(typing, criterion_place(name))
    written_out(step$conditions[name], known)
    refuse_many_parts(name, known, inner)
    guard_named_comparison(name, expression, inner, "criterion")
    guard_new_name(name, inner, "criterion")
    unknown <- setdiff(
      all.vars(expression$lang),
      c(names(typing$scope$columns), names(typing$scope$criteria))
    )
    if (!any(fits_pattern(unknown, coming))) {
      inner$in_criterion <- TRUE
      nodes[[name]] <- named_node(type_condition(expression, inner), name)
    }
    typing$scope$criteria[[name]] <- expression
  }
  typing$typed <- NULL
  new_bound(step, typing)
}

# How many names each condition holds where the criteria it names are written
# out, and how many of these stand in one another: c(parts, depth) by name, in
# an environment.
written_out <- function(conditions, known = new.env(parent = emptyenv())) {
  for (name in names(conditions)) {
    names_used <- all.names(conditions[[name]]$lang)
    named <- compact(mget(unique(names_used), known, ifnotfound = list(NULL)))
    times <- tabulate(match(names_used, names(named)), length(named))
    known[[name]] <- c(
      parts = length(names_used) + sum(times * vapply(named, `[[`, 0, "parts")),
      depth = 1 + max(0, vapply(named, `[[`, 0, "depth"))
    )
  }
  known
}

most_written_out <- c(parts = 4000, depth = 50)
refuse_many_parts <- function(name, known, typing) {
  n <- known[[name]]
  over <- names(n)[n > most_written_out][1]
  if (is.na(over)) return(invisible())
  limit <- format_count(most_written_out[[over]])
  stop_neatly(
    "expression",
    paste0(
      "Criterion `", name, "` ",
      switch(over,
        parts = paste0(
          "has ", format_count(n[["parts"]]),
          " parts, once the criteria that it names ", "are written out; ",
          limit, " are the limit."
        ),
        depth = paste0(
          "names a criterion that names another, and so on ", n[["depth"]] - 1,
          " deep; ", limit, " is the limit."
        )
      )
    ),
    where_of(typing),
    "Work one of them out as a column before, and name the column in its place."
  )
}
