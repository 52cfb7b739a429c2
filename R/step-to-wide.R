#' Long to wide
#'
#' Turns rows into columns: rows that are equal in the columns that stay become
#' one row, with a column for each label.
#'
#' @param label The column whose values become names of columns: `month`, or
#'   several, `c(measure, year)`, joined by `_`.
#' @param value The column, or columns, whose values go there: `weight_kg`,
#'   `c(weight_kg, mites)`. With several the new columns are called
#'   `weight_kg_01`, `mites_01`, ...
#' @param by Picks of the columns that stay and say which rows belong together;
#'   all others unless given, and then the rest is left out.
#' @param statistic What to take where several rows have one place: an aggregate
#'   of `it`, such as `mean(it)`. Without it several values in one place are an
#'   error that shows them.
#' @param as With one value column, what the new columns are called: a name with
#'   a `*` for the label.
#' @param there `TRUE`, without `value`: the new columns are logical and say
#'   whether there is a row with that label, as of each of several answers;
#'   absent where there is none and one of the rows has no label.
#' @param name A name for the step.
#' @param ... Not used: an unknown argument is an error that names it.
#' @return A step for a [sieve()] or [pour()]. Rows stand in the order of the
#'   first of each, columns in the order of the labels' categories, of numbers
#'   and dates, or, of texts, as first met. A place without a row is absent. In
#'   the [ledger()] the rows that entered count as held, because `"reshaped"`,
#'   and the new ones as added. Which columns there are depends on the rows, so
#'   later steps are checked when this one is done.
#' @section Limits: A wide table has at most 10,000 new columns and 100,000,000
#'   cells; more is an error before it is made.
#' @section Errors: Class `neatsieve_error_run` for several values in one place
#'   and for absent labels; class `neatsieve_error_step` for names that are
#'   there already, and after [subsets()].
#' @seealso [to_long()] turns them back.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, to_wide(label = season, value = honey_kg, by = apiary, statistic = mean(it)))
#' @export
to_wide <- function(
  label, value = NULL, by = NULL, statistic = NULL, as = "*", there = FALSE,
  name = NULL, ...
) {
  refuse_arguments("to_wide", eval(substitute(alist(...))))
  env <- parent.frame()
  one <- substitute(statistic)
  make_step(
    "to_wide",
    label = capture_some_picks(substitute(label), env),
    value = capture_some_picks(substitute(value), env),
    by = capture_some_picks(substitute(by), env),
    statistic = if (!is.null(one)) capture_expression(one, env),
    as = as,
    there = there,
    name = name
  )
}

define_step(
  "to_wide",
  "reshapes",
  list(
    label = field_picks("label", in_dots = FALSE),
    value = field_picks("value", in_dots = FALSE),
    by = field_picks("by", in_dots = FALSE),
    statistic = field_role(),
    as = field_starred(),
    there = field_flag(),
    name = field_name()
  ),
  complete = function(values) to_wide_complete(values),
  bind = function(step, typing) bind_to_wide(step, typing),
  run = function(bound, state) run_to_wide(bound, state),
  reads_all = function(step) TRUE,
  words = function(step) {
    texts <- function(picks) {
      paste(vapply(picks, lang_text, ""), collapse = ", ")
    }
    paste0(
      "turn rows into columns: ",
      if (length(step$value)) texts(step$value) else "whether there is a row",
      " by ", texts(step$label),
      if (length(step$by)) paste0(", a row for each ", texts(step$by)),
      if (!is.null(step$statistic)) {
        paste0(", ", expression_text(step$statistic), " of each place")
      },
      if (step$as != "*") paste0(", called ", step$as)
    )
  }
)

to_wide_complete <- function(values) {
  for (argument in c("label", if (!values$there) "value")) {
    if (!length(values[[argument]])) {
      stop_neatly(
        "step",
        paste0("`to_wide()` needs `", argument, "`."),
        NULL,
        c(
          "Write `to_wide(label = month, value = weight_kg)`.",
          if (argument == "value") {
            paste0(
              "For columns that say whether there is such a ",
              "row: `there = TRUE`."
            )
          }
        )
      )
    }
  }
  if (values$there && (length(values$value) || !is.null(values$statistic))) {
    stop_neatly(
      "step",
      "`to_wide()` has `there = TRUE`, and a value.",
      NULL,
      "With `there` the columns say whether there is a row: leave one out."
    )
  }
  values
}

bind_to_wide <- function(step, typing) {
  by_subset <- length(typing$scope$subsets) > 0
  typing <- typing_of_subset_rows(typing)
  columns <- names(typing$scope$columns)
  label <- resolve_picks(step$label, typing, "`label`")
  value <- resolve_picks(step$value, typing, "`value`")
  by <- if (length(step$by)) {
    resolve_picks(step$by, typing, "`by`")
  } else {
    setdiff(columns, c(label, value))
  }
  by <- union(if (by_subset) "subset", by)
  clash <- c(intersect(label, value), intersect(by, c(label, value)))
  if (length(clash)) {
    stop_neatly(
      "step",
      paste0("Column `", clash[1], "` stands in two places of `to_wide()`."),
      where_of(typing),
      "Let it be a label, a value, or stay."
    )
  }
  if (length(value) > 1 && step$as != "*") {
    stop_neatly(
      "step",
      "`as` of `to_wide()` is for one value column.",
      where_of(typing),
      "With several each is called by its column and the label."
    )
  }
  refuse_other_kinds(c(label, by), typing)
  summed <- if (is.null(step$statistic)) character() else value
  nodes <- lapply(stats::setNames(nm = summed), function(v) {
    inner <- at_place(per_group(typing), "In `statistic`.")
    inner$it <- type_name(v, typing)
    type_summary(step$statistic, inner, list())
  })
  bound <- new_bound(
    step,
    typing,
    nodes = nodes,
    details = list(label = label, value = value, by = by, by_subset = by_subset)
  )
  bound$opens <- TRUE
  bound
}

run_to_wide <- function(bound, state) {
  to_wide_over(relation_of(state), bound, state)
}

#' @export
to_wide_over.neatsieve_memory <- function(relation, bound, state) {
  details <- bound$details
  rows_in <- state_row_count(state)
  before <- state
  if (details$by_subset) state <- state_of_subset_rows(state)
  if (length(details$value)) check_labels_present(state, details$label)
  state <- summed_up(bound, state)
  result <- wide_table(bound, state)
  if (details$by_subset) {
    before$holdings <- c(
      before$holdings,
      list(new_holding(
        before$step,
        stage_number(before),
        before$rows,
        subset_fates(before),
        by = rep(before$name, 2),
        because = c("reshaped", "in no subset")
      ))
    )
    state <- before
  } else {
    state <- hold_rows(before, rep(as.raw(1), rows_in), "reshaped")
  }
  in_wide_stage(state, result, rows_in)
}
in_wide_stage <- function(state, made, rows_in) {
  state$record$held <- rows_in
  state$record$added <- made$n
  state <- in_new_stage(state, made$columns, made$n, made$source, made$types)
  state["subsets"] <- list(NULL)
  add_reasons(state$frame, made$reasons)
  state$scope <- scope_of_made(state)
  state
}

# The columns of the wide table and what is known of them.
wide_table <- function(bound, state) {
  details <- bound$details
  relation <- relation_of(state)
  group <- numbered_rows(relation, details$by)
  labels <- wide_labels(state, details)
  if (length(details$value)) guard_one_per_place(group, labels, state, details)
  n <- length(group$size)
  refuse_too_wide(
    n,
    length(labels$texts) * max(1, length(details$value)),
    state$where,
    "The long table holds the same values; `condense()` sums it up by both."
  )
  new <- reasons <- list()
  rows <- if (is.null(state$rows)) seq_len(state$frame$n) else state$rows
  for (value in details$value) {
    at <- matrix(NA_integer_, n, length(labels$texts))
    at[cbind(group$group, labels$code)] <- rows
    names <- if (length(details$value) > 1) {
      paste0(value, "_", labels$texts, recycle0 = TRUE)
    } else {
      starred(labels$texts, bound$step$as)
    }
    new <- c(
      new,
      stats::setNames(
        lapply(seq_along(names), function(j) {
          state$frame$columns[[value]][at[, j]]
        }),
        names
      )
    )
    why <- kept_reasons(state$frame, NULL, value)[[value]]
    if (!is.null(why)) {
      reasons[names] <- lapply(seq_along(names), function(j) why[at[, j]])
    }
  }
  if (!length(details$value)) {
    new <- stats::setNames(
      labels_there(group$group, labels$code, n, length(labels$texts)),
      starred(labels$texts, bound$step$as)
    )
  }
  first <- rows[match(seq_len(n), group$group)]
  stay <- unclass(frame_rows(state$frame, first, details$by))[details$by]
  check_wide_names(
    names(new),
    details$by,
    state$where,
    "Call the new ones otherwise: `as = \"label_*\"`."
  )
  types <- c(
    state$frame$types[details$by],
    if (length(details$value)) {
      rep(state$frame$types[details$value], each = length(labels$texts))
    } else {
      lapply(new, type_of_vector)
    }
  )
  columns <- c(stay, new)
  reasons <- c(kept_reasons(state$frame, first, details$by), reasons)
  types <- lapply(stats::setNames(types, names(columns)), function(type) {
    type["reasons"] <- list(NULL)
    type
  })
  list(
    columns = columns,
    n = n,
    source = source_row_of(state$frame, first),
    types = types,
    reasons = reasons
  )
}

# With a statistic: condenses to one row per cell first.
summed_up <- function(bound, state) {
  if (!length(bound$nodes)) return(state)
  details <- bound$details
  keys <- lapply(
    stats::setNames(nm = c(details$by, details$label)),
    column_of_frame,
    frame = state$frame
  )
  relation <- relation_of(state)
  grouping <- groups_of(relation, keys)
  first <- match(seq_len(grouping$groups), group_numbers(relation, keys))
  rows <- if (is.null(state$rows)) first else state$rows[first]
  for (value in details$value) {
    result <- aggregated(relation, grouping, bound$nodes[value])[[1]]
    result <- rep_len(result, grouping$groups)
    full <- result[rep(NA_integer_, state$frame$n)]
    full[rows] <- result
    state$frame <- frame_with(state$frame, value, full, type_of_vector(result))
  }
  state <- hold_rows(
    state,
    replace(rep(as.raw(1), state_row_count(state)), first, as.raw(0)),
    "reshaped"
  )
  state$rows <- sort(rows)
  state
}

guard_one_per_place <- function(group, labels, state, details) {
  place <- (as.numeric(group$group) - 1) * length(labels$texts) + labels$code
  again <- anyDuplicated(place)
  if (!again) return()
  twice <- which(duplicated(place))
  alike <- which(place == place[again])
  rows <- (if (is.null(state$rows)) {
    seq_len(state$frame$n)
  } else {
    state$rows
  })[alike]
  values <- state$frame$columns[[details$value[1]]][utils::head(rows, 4)]
  ids <- vapply(
    details$by, function(c) value_shown(state$frame$columns[[c]][rows[1]]), ""
  )
  stop_neatly(
    "run",
    paste0(
      counted(length(unique(place[twice])), "place"),
      " would hold several values of `", details$value[1], "`; the first has ",
      listed(
        vapply(seq_along(values), function(i) value_shown(values[i]), ""), 4
      ),
      "."
    ),
    c(
      state$where,
      paste0(
        "At ",
        paste0(
          c(details$by, paste(details$label, collapse = "_")), " ",
          c(ids, quoted(labels$texts[labels$code[again]])),
          collapse = ", "
        ),
        "; source rows ",
        listed(format_count(source_row_of(state$frame, rows)), 5), "."
      )
    ),
    "Name a statistic, `statistic = mean(it)`, or let `drop_repeats()` leave one row."
  )
}
