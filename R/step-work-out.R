#' New or changed columns
#'
#' Gives the rows columns worked out from the others. Expressions are read in order, so a later
#' one may use an earlier one's column.
#'
#' @param ... Named expressions (see [neatsieve_functions]). A name that is a column already
#'   changes it; for a condition the column is logical, absent where it is unknown.
#' @param name A name for the step.
#' @return A step for a [sieve()] or [pour()].
#' @section Errors: Class `neatsieve_error_expression` as in [include()]; class
#'   `neatsieve_error_step` for an expression without a name, or the name of a criterion or setting.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, work_out(honey_share = honey_kg / hive_weight_kg, year = year(visit_date)))
#' head(out$rows[c("visit_date", "year", "honey_share")])
#' @export
work_out <- function(..., name = NULL) {
  make_step("work_out", columns = capture_dots(eval(substitute(alist(...))), parent.frame()),
            name = name)
}

define_step("work_out", "columns",
            list(columns = field_expressions(makes = names, wanted = "columns", is_needed = TRUE),
                 name = field_name()),
            short = "columns", writes_short = TRUE,
            complete = function(values) work_out_complete(values),
            bind = function(step, typing) bind_work_out(step, typing),
            run = function(bound, state) run_work_out(bound, state),
            words = function(step) {
              paste0("work out ", paste0(names(step$columns), " = ",
                                         vapply(step$columns, expression_text, character(1)),
                                         collapse = ", "))
            })

work_out_complete <- function(values) {
  bare <- names(values$columns) == ""
  if (!length(values$columns)) {
    stop_neatly("step", "`work_out()` has no column to work out.", NULL,
                "Write `work_out(share = honey_kg / hive_weight_kg)`.")
  }
  if (any(bare)) {
    text <- expression_text(values$columns[[which(bare)[1]]])
    stop_neatly("step", paste0("`", text, "` in `work_out()` has no name."), NULL,
                paste0("Write `work_out(new_column = ", text, ")`."))
  }
  values
}

# Each column may use those before it.
bind_work_out <- function(step, typing) {
  nodes <- list()
  for (i in seq_along(step$columns)) {
    column <- names(step$columns)[i]
    inner <- at_place(typing, paste0("In column \"", column, "\"."))
    guard_new_name(column, without_columns(inner), "column")
    node <- type_expression(step$columns[[i]], inner)
    if (length(node$value) > 1) {
      stop_neatly("expression", paste0("`", node$text, "` is a list of values, not one per row."),
                  where_of(inner), "Give one value.")
    }
    nodes[[i]] <- node
    typing$scope$columns[[column]] <- type_of_column(node)
    typing$scope$origin[column] <- NA
    typing$scope$dropped <- typing$scope$dropped[setdiff(names(typing$scope$dropped), column)]
  }
  new_bound(step, typing, nodes = nodes)
}

# What a name may clash with where columns may be replaced.
without_columns <- function(typing) {
  typing$scope$columns <- list()
  typing
}

# The type of a column that an expression makes.
type_of_column <- function(node) {
  type <- type_part(node)
  if (type$kind == "absent") type <- new_type("logical")
  type
}

run_work_out <- function(bound, state) {
  for (i in seq_along(bound$nodes)) {
    column <- names(bound$step$columns)[i]
    node <- bound$nodes[[i]]
    where <- c(state$where, paste0("In column \"", column, "\"."))
    vector <- worked_out(relation_of(state), node, state$notes, where)
    old <- if (column %in% state$visible) state$frame$columns[[column]]
    state <- keep_for_held(state, column, old, vector)
    state$frame <- frame_with(state$frame, column,
                              spread_over(vector, state$rows, state$frame$n, old),
                              type_made(node, vector, state$notes, where))
    state$visible <- unique(c(state$visible, column))
  }
  state
}

# What a column was checked as stands, also where whole numbers outgrow 32 bits, which is said.
type_made <- function(node, vector, notes, where) {
  type <- type_of_vector(vector)
  if (node$kind != "whole" || type$kind != "number") return(type)
  beyond <- sum(abs(vector) > .Machine$integer.max, na.rm = TRUE)
  take_note(notes,
            paste0("`", node$text, "` goes beyond 2,147,483,647 in ", counted(beyond, "row"),
                   ": the column holds numbers that R calls double."),
            where, "For `of_kind(\"whole\")` and later steps it stays a column of whole numbers.")
  new_type("whole")
}

# A column that becomes one of another kind would take along the values of rows held back before:
# they are kept as they were, with the step that changed them.
keep_for_held <- function(state, column, old, vector) {
  if (is.null(old) || !length(state$holdings) || same_kind(old, vector)) return(state)
  kept <- new_change(column, old, state$step, stage_number(state))
  state$changed <- c(state$changed, list(kept))
  state
}
