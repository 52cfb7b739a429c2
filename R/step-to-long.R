#' Wide to long
#'
#' Turns columns into rows: each row becomes one row per picked column, with the
#' column's name as label and its value.
#'
#' @param ... Picks of the columns (see [pick_columns()]). Named picks make
#'   several value columns at once: `weight_kg = "weight_*", mites = "mites_*"`;
#'   columns belong together by what the pattern's one `*` stands for, or by
#'   `label_pattern`.
#' @param label_as The name of the label column; several names with
#'   `label_pattern`.
#' @param value_as The name of the value column, where the picks are not named.
#' @param label_pattern A Perl-compatible regular expression that fits the whole
#'   name of each column, with a group in parentheses for each label: `label_as =
#'   c("measure", "year"), label_pattern = "(\\w+)_(\\d+)"`.
#' @param label_kind The kind of the labels, for each column of `label_as` or
#'   for all: as in `kinds` of [study()] (`"number"`, `"whole"`, `"text"`,
#'   `"date %Y-%m-%d"`, ...). `"category"`, the default, has the labels in the
#'   order of the columns.
#' @param split What stands between several answers in one cell of one text
#'   column: `to_long(signs, split = "; ")` makes a row for each answer, in the
#'   column itself or in `value_as`; blanks around answers go, a cell without an
#'   answer stays one row. See [counts()] with `units = TRUE` for shares of
#'   those who answered.
#' @param name A name for the step.
#' @return A step for a [sieve()] or [pour()]. The other columns are repeated.
#'   Rows stand row by row, and for each in the order of the columns;
#'   `source_row` stays that of the wide row. In the [ledger()] the further rows
#'   count as added.
#' @section Errors: Class `neatsieve_error_step` for columns of kinds that do
#'   not go together, labels that are not of the kind asked for, a pattern that
#'   does not fit, and after [subsets()].
#' @seealso [to_wide()] turns them back.
#' @examples
#' weights <- study(demo_file("monthly-weights.csv"))
#' long <- pour(weights, to_long("weight_*",
#'   label_as = "month", value_as = "weight_kg",
#'   label_pattern = "weight_(.*)", label_kind = "whole"
#' ))
#' long
#' pour(long, statistics(weight_kg, by = month))$tables
#' @export
to_long <- function(
  ..., label_as = "label", value_as = "value", label_pattern = NULL,
  label_kind = "category", split = NULL, name = NULL
) {
  env <- parent.frame()
  dots <- eval(substitute(alist(...)))
  named <- if (is.null(names(dots))) {
    rep(FALSE, length(dots))
  } else {
    names(dots) != ""
  }
  sets <- lapply(dots[named], capture_some_picks, env)
  make_step(
    "to_long",
    picks = capture_picks(unname(dots[!named]), env),
    sets = sets,
    label_as = label_as,
    value_as = value_as,
    label_pattern = label_pattern,
    label_kind = label_kind,
    split = split,
    name = name
  )
}

field_texts <- function(default) {
  field_plain(
    default,
    function(x) is.character(x) && length(x) > 0 && all(nzchar(x)) && !anyNA(x),
    "one or more texts",
    schema_ref("plain"),
    from_plan = function(spec, context, key) unlist(spec)
  )
}

# Picks by the name of the value column they make.
field_pick_sets <- function() {
  new_field(
    list(),
    key = "values",
    in_dots = TRUE,
    check = some_or_none,
    schema = list(type = "object", additionalProperties = schema_ref("picks")),
    to_plan = function(value) {
      lapply(value, function(set) lapply(set, lang_text))
    },
    from_plan = function(spec, context, key) {
      lapply(spec, plan_picks, context = context)
    },
    to_code = function(value) {
      vapply(value, function(set) {
        texts <- vapply(set, lang_text, "")
        if (length(texts) == 1) texts else arguments_in_r("c", texts)
      }, "")
    },
    makes = names
  )
}

define_step(
  "to_long",
  "reshapes",
  list(
    picks = field_picks(),
    sets = field_pick_sets(),
    label_as = field_texts("label"),
    value_as = field_text("value"),
    label_pattern = field_text(),
    label_kind = field_texts("category"),
    split = field_text(),
    name = field_name()
  ),
  complete = function(values) to_long_complete(values),
  bind = function(step, typing) {
    if (is.null(step$split)) {
      bind_to_long(step, typing)
    } else {
      bind_split(step, typing)
    }
  },
  run = function(bound, state) {
    if (is.null(bound$step$split)) {
      run_to_long(bound, state)
    } else {
      run_split(bound, state)
    }
  },
  reads_all = function(step) TRUE,
  words = function(step) to_long_words(step)
)

to_long_complete <- function(values) {
  if (!is.null(values$split)) return(split_complete(values))
  usage <-
    "Write `to_long(\"weight_*\", label_as = \"month\", value_as = \"weight_kg\")`."
  if (!length(values$picks) && !length(values$sets)) {
    stop_neatly("step", "`to_long()` has no columns.", NULL, usage)
  }
  if (length(values$picks) && length(values$sets)) {
    stop_neatly(
      "step",
      "`to_long()` has picks with and without a name.",
      NULL,
      "Name each: `to_long(weight_kg = \"weight_*\", mites = \"mites_*\")`."
    )
  }
  result <- c(
    values$label_as,
    if (length(values$sets)) names(values$sets) else values$value_as
  )
  if (anyDuplicated(result)) {
    stop_neatly(
      "step",
      paste0(
        "`to_long()` makes two columns `", result[anyDuplicated(result)], "`."
      ),
      NULL,
      "Give each a name of its own."
    )
  }
  if (length(values$label_as) > 1 && is.null(values$label_pattern)) {
    stop_neatly(
      "step",
      "Several labels need `label_pattern`.",
      NULL,
      "Write `label_pattern = \"(\\\\w+)_(\\\\d+)\"`, with a group for each."
    )
  }
  if (!length(values$label_kind) %in% c(1L, length(values$label_as))) {
    stop_neatly(
      "step",
      "`label_kind` is one kind, or one for each of `label_as`.",
      NULL,
      usage
    )
  }
  values
}

bind_to_long <- function(step, typing) {
  by_subset <- length(typing$scope$subsets) > 0
  typing <- typing_of_subset_rows(typing)
  sets <- if (length(step$sets)) {
    step$sets
  } else {
    stats::setNames(list(step$picks), step$value_as)
  }
  sets <- lapply(sets, resolve_picks, typing = typing, where = "to_long()")
  used <- unlist(sets, use.names = FALSE)
  if (!length(used)) {
    stop_neatly(
      "expression", "No column is picked.", where_of(typing), picks_usage()
    )
  }
  if (anyDuplicated(used)) {
    stop_neatly(
      "step",
      paste0("Column `", used[anyDuplicated(used)], "` is picked twice."),
      where_of(typing),
      "Let each column go to one value column."
    )
  }
  stay <- setdiff(names(typing$scope$columns), used)
  clash <- intersect(c(step$label_as, names(sets)), stay)
  if (length(clash)) {
    stop_neatly(
      "step",
      paste0(
        "`to_long()` makes a column `", clash[1], "`, and there is one ",
        "already."
      ),
      where_of(typing),
      "Give it another name."
    )
  }
  labels <- label_table(step, sets, typing)
  types <- Map(
    function(columns, name) {
      type <- long_type(columns, typing)
      type["reasons"] <- list(joined_type_reasons(typing$scope$columns[columns], name))
      type
    },
    sets,
    names(sets)
  )
  results <- c(lapply(labels$values, type_of_vector), types)
  for (name in names(results)) {
    guard_new_name(name, without_columns(typing), "column")
  }
  typing <- with_columns_in_order(typing, stay)
  for (name in names(results)) {
    typing$scope$columns[[name]] <- results[[name]]
    typing$scope$origin[name] <- NA
  }
  typing$scope$dropped <- typing$scope$dropped[setdiff(
    names(typing$scope$dropped), names(results)
  )]
  new_bound(
    step,
    typing,
    details = list(
      sets = labels$sets,
      labels = labels$values,
      types = types,
      stay = stay,
      by_subset = by_subset
    )
  )
}

run_to_long <- function(bound, state) {
  to_long_over(relation_of(state), bound, state)
}

#' @export
to_long_over.neatsieve_memory <- function(relation, bound, state) {
  details <- bound$details
  if (details$by_subset) state <- held_in_no_subset(state)
  from <- if (details$by_subset) state_of_subset_rows(state) else state
  n <- state_row_count(from)
  size <- length(details$labels[[1]])
  rows <- if (is.null(from$rows)) seq_len(n) else from$rows
  place <- rep(rows, each = size)
  take <- function(x) {
    if (is.null(dim(x))) x[place] else x[place, , drop = FALSE]
  }
  hidden <- reasons_in_use(from$frame$types[details$stay])
  stay <- lapply(from$frame$columns[c(details$stay, hidden)], take)
  labels <- lapply(details$labels, function(label) rep(label, times = n))
  values <- Map(
    function(columns, type) long_values(from$frame, columns, rows, type),
    details$sets,
    details$types
  )
  state$record$added <- n * size - state_row_count(state)
  types <- c(
    from$frame$types[details$stay], lapply(details$labels, type_of_vector),
    details$types
  )
  reasons <- unlist(
    Map(
      function(columns, type) long_reasons(from$frame, columns, rows, type),
      unname(details$sets),
      details$types
    ),
    recursive = FALSE
  )
  state <- in_new_stage(
    state,
    c(stay, labels, values, reasons),
    n * size,
    source_row_of(from$frame, place),
    types
  )
  state["subsets"] <- list(NULL)
  state
}
