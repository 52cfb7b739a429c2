#' New or changed columns
#'
#' Makes new columns from others, or changes columns. Expressions are evaluated
#' in order, so a later one may use a column made by an earlier one.
#'
#' @param ... Named expressions (see [neatsieve_functions]). A name that is a
#'   column already changes it, which a note says; for a condition the column is
#'   logical, absent where it is unknown. [each()] works out the same for many
#'   columns.
#' @param by Keys, as in [statistics()]: aggregates and functions along rows
#'   (`lag()`, `rank()`, `cumsum()`) that have no `by` of their own go group by
#'   group.
#' @param order What functions along rows go by where they have no `order` of
#'   their own: a column, or `c(visit_date, falling(honey_kg))`. Without it they
#'   go through the rows as they stand, which a note says.
#' @param before,after A column that the new ones stand before or after; else
#'   they stand last.
#' @param only `TRUE` keeps only the columns worked out and those of `keep`.
#' @param keep With `only = TRUE`, picks of further columns to keep, as
#'   `c(hive, visit_date)`.
#' @param name A name for the step.
#' @return A step for a [sieve()] or [pour()]. The [ledger()] has a line for
#'   each column: `changed`, how many values differ from those of the column it
#'   takes the place of, and `newly_absent`, how many are absent though all
#'   columns that the expression reads are present (`log(-1)`, `0 / 0`, a text
#'   that is no number, the first row of a `lag()`).
#' @section Errors: Class `neatsieve_error_expression` as in [include()]; class
#'   `neatsieve_error_step` for an expression without a name, or the name of a
#'   criterion or setting.
#' @seealso [pick_columns()], [each()], [neatsieve_functions]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, work_out(honey_share = honey_kg / hive_weight_kg, year = year(visit_date)))
#' head(out$rows[c("visit_date", "year", "honey_share")])
#' gains <- work_out(
#'   gain = change(hive_weight_kg), visit = row_number(), by = hive,
#'   order = visit_date, only = TRUE, keep = c(hive, visit_date)
#' )
#' pour(hives, gains)
#' @export
work_out <- function(
  ..., by = NULL, order = NULL, before = NULL, after = NULL, only = FALSE,
  keep = NULL, name = NULL
) {
  env <- parent.frame()
  make_step(
    "work_out",
    columns = capture_dots(eval(substitute(alist(...))), env),
    keys = capture_keys(substitute(by), env),
    order = capture_sorting(substitute(order), env),
    before = capture_column(substitute(before), "before", env),
    after = capture_column(substitute(after), "after", env),
    only = only,
    keep = capture_some_picks(substitute(keep), env),
    name = name
  )
}

define_step(
  "work_out",
  "columns",
  list(
    columns = field_expressions(
      makes = names, wanted = "columns", is_needed = TRUE
    ),
    keys = field_keys(),
    order = field_sort(),
    before = field_text(),
    after = field_text(),
    only = field_flag(),
    keep = field_picks("keep", in_dots = FALSE),
    name = field_name()
  ),
  short = "columns",
  writes_short = TRUE,
  complete = function(values) work_out_complete(values),
  bind = function(step, typing) bind_work_out(step, typing),
  run = function(bound, state) run_work_out(bound, state),
  by_row = function(bound) {
    all(vapply(
      bound$nodes, function(n) is_by_row(n) && n$kind != "category", NA
    ))
  },
  note_record = function(bound, record, state) {
    note_work_out(bound, record, state)
  },
  words = function(step) work_out_words(step)
)

work_out_complete <- function(values) {
  columns <- values$columns <- with_each_patterns(values$columns)
  names <- names(columns)
  if (!length(columns)) {
    stop_neatly(
      "step",
      "`work_out()` has no column to work out.",
      NULL,
      "For example `work_out(share = honey_kg / hive_weight_kg)`."
    )
  }
  if (any(names == "")) {
    lang <- columns[[which(names == "")[1]]]$lang
    text <- lang_text(lang)
    assigns <- call_name(lang) %in% c("<-", "=") && length(lang) == 3
    stop_neatly(
      "step",
      paste0("`", text, "` in `work_out()` has no name."),
      NULL,
      if (assigns) {
        paste0(
          "A column is named with `=`: write `work_out(", lang_text(lang[[2]]),
          " = ", lang_text(lang[[3]]), ")`."
        )
      } else {
        paste0("Write `work_out(new_column = ", text, ")`.")
      }
    )
  }
  if (!is.null(values$before) && !is.null(values$after)) {
    stop_neatly(
      "step",
      "`work_out()` is given both `before` and `after`.",
      NULL,
      "Leave one out."
    )
  }
  if (length(values$keep) && !values$only) {
    stop_neatly(
      "step",
      "`keep` of `work_out()` needs `only = TRUE`.",
      NULL,
      "Without it all columns stay."
    )
  }
  values
}

work_out_words <- function(step) {
  results <- vapply(names(step$columns), function(n) {
    lang <- step$columns[[n]]$lang
    if (!is_each(lang)) return(paste0(n, " = ", lang_text(lang)))
    given <- as.list(lang)[-1]
    paste0(
      n, " = ", lang_text(given[[length(given)]]), " for each column `it` of ",
      listed(vapply(given[-length(given)], lang_text, ""), 8)
    )
  }, "")
  paste0(
    "work out ", paste(results, collapse = ", "), keys_words(step$keys, ", per "),
    if (length(step$order)) {
      paste0(", in the order of ", sort_words(step$order))
    },
    if (step$only) {
      paste0(
        ", and keep only these",
        if (length(step$keep)) {
          paste0(
            " and ", paste(vapply(step$keep, lang_text, ""), collapse = ", ")
          )
        }
      )
    }
  )
}

# Each column may use those before it.
bind_work_out <- function(step, typing) {
  there <- names(typing$scope$columns)
  typing$by <- check_keys(step$keys, typing, "by")
  typing$order <- typed_order(step$order, typing)
  keep <- if (step$only && length(step$keep)) {
    resolve_picks(step$keep, typing, "`keep`")
  }
  nodes <- list()
  for (i in seq_along(step$columns)) {
    name <- names(step$columns)[i]
    inner <- at_place(typing, paste0("In column \"", name, "\"."))
    result <- if (is_each(step$columns[[i]]$lang)) {
      type_each(step$columns[[i]], name, inner)
    } else {
      stats::setNames(list(type_expression(step$columns[[i]], inner)), name)
    }
    guard_constants(result, "row", inner)
    for (column in names(result)) {
      typing <- with_column(typing, column, result[[column]], inner)
    }
    nodes <- c(nodes, result)
  }
  guard_weeks(nodes, typing)
  to <- order_of_columns(step, there, unique(names(nodes)), keep, typing)
  bound <- new_bound(
    step,
    typing,
    nodes = nodes,
    keys = typing$by,
    details = list(to = to)
  )
  bound$scope <- with_columns_in_order(typing, to)$scope
  bound
}

# The same with a column that a node makes.
with_column <- function(typing, column, node, inner) {
  guard_new_name(column, without_columns(inner), "column")
  if (length(node$value) > 1) {
    stop_neatly(
      "expression",
      paste0("`", node$text, "` is a list of values, not one per row."),
      where_of(inner),
      "Give one value."
    )
  }
  typing$scope$columns[[column]] <- with_reasons_of_node(
    type_of_column(node), node, column, typing$scope$columns
  )
  typing$scope$origin[column] <- NA
  typing$scope$dropped <- typing$scope$dropped[setdiff(
    names(typing$scope$dropped), column
  )]
  typing
}

# The type of a new column with the reasons why its values are absent: a plain
# copy shares the hidden column of its own, else one is made.
with_reasons_of_node <- function(type, node, column, columns) {
  why <- reasons_given_by(node)
  if (is.null(why)) return(type)
  hidden <- if (node$node == "column") {
    why$name
  } else {
    reason_column(column, reasons_in_use(columns))
  }
  type$reasons <- new_reasons(hidden, why$labels)
  type
}

# Names of the columns behind the step: new ones stand last, or beside a column.
order_of_columns <- function(step, there, made, keep, typing) {
  new <- if (step$only) setdiff(made, keep) else setdiff(made, there)
  old <- if (step$only) keep else there
  beside <- c(step$before, step$after)
  if (is.null(beside)) return(c(old, new))
  at <- match(pick_name(beside, typing), old)
  if (is.na(at)) {
    stop_neatly(
      "step",
      paste0("Column `", beside, "` is not among the columns that stay."),
      where_of(typing),
      "Add it to `keep`, or name another."
    )
  }
  append(old, new, at - !is.null(step$before))
}

# Only some columns, in an order; those that go are gone from here.
with_columns_in_order <- function(typing, to) {
  other_columns <- setdiff(names(typing$scope$columns), to)
  typing$scope$dropped[other_columns] <- place_label(typing$place)
  typing$scope$columns <- typing$scope$columns[to]
  typing$scope$origin <- typing$scope$origin[to]
  typing
}

# What a name may clash with where columns may be replaced.
without_columns <- function(typing) {
  typing$scope$columns <- list()
  typing
}

run_work_out <- function(bound, state) {
  work_out_over(relation_of(state), bound, state)
}

#' @export
work_out_over.neatsieve_memory <- function(relation, bound, state) {
  account <- list()
  for (i in seq_along(bound$nodes)) {
    column <- names(bound$nodes)[i]
    node <- bound$nodes[[i]]
    where <- c(state$where, paste0("In column \"", column, "\"."))
    vector <- worked_out(relation_of(state), node, state$notes, where)
    old <- if (column %in% state$visible) state$frame$columns[[column]]
    account[[i]] <- account_of_column(column, node, vector, old, state)
    state <- keep_for_held(state, column, old, vector)
    type <- type_made(node, vector, state$notes, where)
    type["reasons"] <- list(bound$scope$columns[[column]]$reasons)
    state <- with_reasons_made(state, node, type$reasons, vector, where)
    state$frame <- frame_with(
      state$frame,
      column,
      spread_over(vector, state$rows, state$frame$n, old),
      type
    )
    state$visible <- unique(c(state$visible, column))
  }
  state$record$columns <- account
  state$visible <- bound$details$to
  state
}

# With the hidden column of the reasons of values that were chosen.
with_reasons_made <- function(state, node, reasons, vector, where) {
  if (is.null(reasons) || node$node == "column") return(state)
  why <- worked_out(
    relation_of(state), reasons_given_by(node), state$notes, where
  )
  why <- factor(as.character(why), levels = reasons$labels)
  why[!is.na(vector)] <- NA
  state$frame <- frame_with(
    state$frame,
    reasons$column,
    spread_over(why, state$rows, state$frame$n, NULL),
    NULL
  )
  state
}

note_work_out <- function(bound, record, state) {
  for (i in seq_along(bound$nodes)) {
    note_column(
      record$columns[[i]],
      bound$nodes[[i]],
      state,
      c(state$where, paste0("In column \"", names(bound$nodes)[i], "\"."))
    )
  }
  note_replaced(record$columns, state)
}

# What a column was checked as stands, also where whole numbers outgrow 32 bits,
# which is said.
type_made <- function(node, vector, notes, where) {
  type <- type_of_vector(vector)
  if (node$kind != "whole" || type$kind != "number") return(type)
  note_beyond_whole(
    node, sum(abs(vector) > .Machine$integer.max, na.rm = TRUE), notes, where
  )
  new_type("whole")
}

note_beyond_whole <- function(node, beyond, notes, where) {
  if (beyond == 0) return()
  take_note(
    notes,
    paste0(
      "`", node$text, "` goes beyond 2,147,483,647 in ",
      counted(beyond, "row"), ": the column holds numbers that R calls double."
    ),
    where,
    "For `of_kind(\"whole\")` and later steps it stays a column of whole numbers."
  )
}

# A column that becomes one of another kind would take along the values of rows
# held back before: they are kept as they were, with the step that changed them.
keep_for_held <- function(state, column, old, vector) {
  if (is.null(old) || !length(state$holdings) || same_kind(old, vector)) {
    return(state)
  }
  kept <- new_change(column, old, state$step, stage_number(state))
  state$changed <- c(state$changed, list(kept))
  state
}
