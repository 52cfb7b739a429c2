#' Choose, order and rename columns
#'
#' Keeps the picked columns, in the order written.
#'
#' @param ... Picks: names (`apiary`), ranges (`hive:treatment`), positions
#'   (`1:3`), `from_end(1:2)`, patterns (`"mites_*"`),
#'   `of_kind("number", "date")`, `gapless()` and `gappy()` (columns of the
#'   study without and with absent values), `rest()` (all not yet listed),
#'   `except(...)` (takes out), `both(p, q)` (what two picks have in common). No
#'   picks: all columns.
#' @param renamed A list of new names: `list(weight = hive_weight_kg)`.
#' @param recase A style for all names: `"underscore"`, `"lower"`, `"upper"`,
#'   `"hyphen"` or `"spaced"`.
#' @param name A name for the step.
#' @return A step for a [sieve()] or [pour()]. Columns left out are gone for
#'   later steps, but not for [held_back()].
#' @section Errors: Class `neatsieve_error_expression` for a pick that finds
#'   nothing, with the nearest names; class `neatsieve_error_step` when two
#'   columns would have one name.
#' @seealso [work_out()], [each()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, pick_columns(hive, visit_date, "*_kg", renamed = list(weight = hive_weight_kg)))
#' @export
pick_columns <- function(..., renamed = list(), recase = NULL, name = NULL) {
  env <- parent.frame()
  picks <- capture_step_picks("pick_columns", eval(substitute(alist(...))), env)
  make_step(
    "pick_columns",
    picks = picks,
    renamed = capture_renamed(substitute(renamed), env),
    recase = recase,
    name = name
  )
}

define_step(
  "pick_columns",
  "columns",
  list(
    picks = field_picks(default = list(quote(rest()))),
    renamed = field_renamed(),
    recase = field_word(),
    name = field_name()
  ),
  short = "picks",
  writes_short = TRUE,
  bind = function(step, typing) bind_pick_columns(step, typing),
  run = function(bound, state) run_pick_columns(bound, state),
  by_row = function(bound) TRUE,
  words = function(step) {
    renamed <- if (length(step$renamed)) {
      paste0(", calling ", listed(paste(step$renamed, names(step$renamed)), 8))
    }
    paste0(
      "pick columns ",
      paste(vapply(step$picks, lang_text, ""), collapse = ", "), renamed,
      if (!is.null(step$recase)) paste0(", names in ", step$recase, " style")
    )
  }
)

# list(new = old) or c(new = old), old as a name or text; returns new = "old".
capture_renamed <- function(lang, env) {
  if (is.symbol(lang)) {
    lang <- as.call(c(
      quote(list), as.list(get(as.character(lang), envir = env))
    ))
  }
  items <- if (is.call(lang)) given_arguments(lang) else as.list(lang)
  usage <- "Write `renamed = list(new_name = old_name)`."
  if (!length(items)) return(character())
  if (is.null(names(items)) || any(names(items) == "")) {
    stop_neatly(
      "step", "`renamed` needs a new name for each column.", NULL, usage
    )
  }
  vapply(
    items,
    function(l) {
      l <- splice(l, env)
      if (is.symbol(l)) return(as.character(l))
      if (is_text(l)) return(l)
      stop_neatly(
        "step",
        paste0(
          "`", lang_text(l), "` in `renamed` is not the name of a column."
        ),
        NULL,
        usage
      )
    },
    character(1)
  )
}

bind_pick_columns <- function(step, typing) {
  picked <- resolve_picks(step$picks, typing, "pick_columns()")
  if (!length(picked)) {
    stop_neatly(
      "expression", "No column is picked.", where_of(typing), picks_usage()
    )
  }
  new <- new_names(picked, step, typing)
  other_columns <- setdiff(names(typing$scope$columns), new)
  how <- ifelse(
    other_columns %in% picked,
    paste0(
      place_label(typing$place), ", which calls it `",
      new[match(other_columns, picked)], "`"
    ),
    place_label(typing$place)
  )
  typing$scope$dropped[other_columns] <- how
  typing$scope$dropped <- typing$scope$dropped[setdiff(
    names(typing$scope$dropped), new
  )]
  typing$scope$columns <- stats::setNames(typing$scope$columns[picked], new)
  typing$scope$origin <- stats::setNames(typing$scope$origin[picked], new)
  new_bound(step, typing, details = list(from = picked, to = new))
}

# What the picked columns are called behind the step.
new_names <- function(picked, step, typing) {
  for (old in step$renamed) {
    if (!old %in% names(typing$scope$columns)) pick_name(old, typing)
    if (!old %in% picked) {
      stop_neatly(
        "step",
        paste0(
          "`renamed` names column `", old, "`, which this step does not pick."
        ),
        where_of(typing),
        paste0("Add `", old, "` to the picks.")
      )
    }
  }
  new <- picked
  at <- match(step$renamed, picked)
  new[at] <- names(step$renamed)
  if (!is.null(step$recase)) {
    new <- recase_names(new, step$recase, where_of(typing))
    new[at] <- names(step$renamed)
  }
  if (anyDuplicated(new)) {
    twice <- new[duplicated(new)][1]
    stop_neatly(
      "step",
      paste0("Two columns would be called `", twice, "`."),
      c(
        where_of(typing),
        paste0("They are now ", listed(ticked(picked[new == twice])), ".")
      ),
      "Give one of them another name in `renamed`."
    )
  }
  for (name in setdiff(new, picked)) {
    guard_new_name(name, without_columns(typing), "column")
  }
  new
}

run_pick_columns <- function(bound, state) {
  from <- bound$details$from
  to <- bound$details$to
  if (!identical(from, to)) state <- with_columns_renamed(state, from, to)
  renamed <- from != to
  state$labels <- stats::setNames(
    state$labels, rename_some(names(state$labels), from[renamed], to[renamed])
  )
  state$measures <- stats::setNames(
    state$measures,
    rename_some(names(state$measures), from[renamed], to[renamed])
  )
  state$visible <- to
  state$changed <- lapply(state$changed, function(kept) {
    kept$column <- rename_some(kept$column, from[renamed], to[renamed])
    kept
  })
  if (!is.null(state$unit_column)) {
    state$unit_column <- rename_some(
      state$unit_column, from[renamed], to[renamed]
    )
  }
  state
}

with_columns_renamed <- function(state, from, to) {
  rename_over(relation_of(state), state, from, to)
}

#' @export
rename_over.neatsieve_memory <- function(relation, state, from, to) {
  state$frame <- frame_renamed(state$frame, from, to)
  state
}

rename_some <- function(names, from, to) {
  at <- match(names, from)
  names[!is.na(at)] <- to[at[!is.na(at)]]
  names
}
