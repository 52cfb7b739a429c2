#' A table of statistics
#'
#' Computes, per group and column of the current rows, the number of present and
#' absent values, the mean, standard deviation, minimum, quartiles and maximum,
#' or other statistics.
#'
#' @param ... Column picks (see [pick_columns()]); none: all number columns but
#'   the keys and the unit. Named arguments are statistics of their own, such as
#'   `heavy = count_true(hive_weight_kg > 30)` or
#'   `yield = sum(honey_kg) / count()`.
#' @param by Keys to group by: `apiary`, `c(apiary, treatment)`, or named
#'   expressions such as `c(apiary, year = year(visit_date))`.
#' @param where A condition: the whole table is of the rows where it is yes.
#'   Where it is unknown a note says so. (`where =` inside one statistic narrows
#'   that one.)
#' @param show Which statistics of each number or date column, instead of the
#'   default ones: names (`c("mean", "median", "se")`), or a list of expressions
#'   in which `it` stands for the column (`list(p90 = quantile(it, 0.9))`). See
#'   the aggregates of [neatsieve_functions].
#' @param shape `"long"`: one row per group and column; `"wide"`: one row per
#'   group, with columns such as `honey_kg_mean`.
#' @param absent `"skip"` leaves absent values out; `"carry"` makes a statistic
#'   absent when one of its values is.
#' @param order What to sort the table by: `"keys"`, `"rising"`, `"falling"`, or
#'   columns of the table, such as `falling(mean)` or `c(apiary, falling(n))`;
#'   see [falling()]. A wide table is sorted by its own columns:
#'   `falling(honey_kg_mean)`.
#' @param total `TRUE`: rows for all groups together, with `(all)` for the keys,
#'   at the end.
#' @param empty `TRUE`: rows for the categories (of category keys) that do not
#'   occur, with n 0.
#' @param with_n `FALSE` leaves out the columns `<statistic>_n` of named
#'   statistics.
#' @param units `TRUE`: how many different units each group has, in a column
#'   `units`.
#' @param reference For one key: the group to compare the others with. Adds a
#'   table `<name>_differences`, as a description of size, not a test.
#' @param weights A number for each row, as `sampling(w)` or `repeats(w)` (see
#'   [neatsieve_functions]), for every statistic that has no weights of its own:
#'   means, standard deviations, quantiles and shares; least and greatest
#'   values, and counts, are those of rows. A column `weight` has the sum of
#'   weights; a row without a weight counts in `n` alone.
#' @param digits How many significant digits the table prints with; it holds all
#'   of them. Printed, columns go by the study's labels and measures.
#' @param name A name for the table in `$tables`; `"statistics"` by default.
#' @return A step for a [sieve()] or [pour()]. In `$tables`:
#'   * `<name>`: a data frame with one row per group and number column: the
#'     keys, `units` where asked for, `column`, `n`, `absent`, with weights
#'     `weight`, `mean`, `sd`, `min`, `q1`, `median`, `q3`, `max` (or what
#'     `show` asks for), then each named statistic with `<statistic>_n`, the
#'     rows it rests on (a count of rows, `count()`, has none). If a named
#'     statistic is called `n`, the number of present values is renamed
#'     `present`; a name of another default statistic replaces that statistic. A
#'     statistic without a name is called by its text. With named statistics
#'     alone: one row per group with `rows` and these.
#'   * `<name>_categories`, when texts, categories or logicals are picked: the
#'     keys, `column`, `value`, `n`, `share` (of the present values).
#'   * `<name>_dates`, when dates are: the keys, `column`, `n`, `absent`, `min`,
#'     `median`, `max` (or those of `show` that dates have).
#'   * `<name>_differences`, with `reference`: the key, `column`, `n`, `mean`,
#'     `reference_n`, `reference_mean`, `difference`, `ci_low`, `ci_high`
#'     (Welch, 95%), `standardized` (difference over the pooled standard
#'     deviation).
#'
#'   Groups stand in the order of the keys' categories (text by code point);
#'   absent key values make the last group. After [subsets()] a column `subset`
#'   leads.
#' @details Sums carry their rounding errors along, so `mean` is that of exact
#'   addition to the last bit or nearly; `sd` divides by n - 1 (absent for fewer
#'   than two values); quartiles are of type 7 (Hyndman and Fan 1996). An
#'   aggregate uses the rows where its own arguments are present (all of them in
#'   `cor(x, y)`), and `where = condition` narrows them further, as in
#'   `mean(honey_kg, where = season == "spring")`; so `sum(a) / sum(b)` is the
#'   ratio of two sums, each over its own rows. A note says when these differ,
#'   and `<statistic>_n` is then the smallest number of rows. Statistics of no
#'   values are absent, counts and sums 0.
#' @section Errors: Class `neatsieve_error_expression` for columns that are not
#'   there; class `neatsieve_error_step` for keys and statistics whose names
#'   clash.
#' @seealso [counts()], [condense()], [chart_interval()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, statistics(hive_weight_kg, honey_kg, by = apiary))
#' out$tables$statistics
#' by_treatment <- statistics(
#'   mites_per_100,
#'   share_high = share(mites_per_100 > 3), by = treatment,
#'   show = list("mean", p90 = quantile(it, 0.9)), order = falling(mean), units = TRUE
#' )
#' pour(hives, by_treatment)$tables
#' @export
statistics <- function(
  ..., by = NULL, where = NULL, show = NULL, shape = "long", absent = "skip",
  order = NULL, total = FALSE, empty = FALSE, units = FALSE, reference = NULL,
  weights = NULL, digits = 4, with_n = TRUE, name = NULL
) {
  dots <- eval(substitute(alist(...)))
  env <- parent.frame()
  dots <- named_by_text(dots)
  named <- if (is.null(names(dots))) {
    rep(FALSE, length(dots))
  } else {
    names(dots) != ""
  }
  # A control argument that was given a condition is the first thing to say.
  name <- control(name, "name", "statistics", is_text, "one text")
  make_step(
    "statistics",
    picks = capture_picks(dots[!named], env),
    named = capture_dots(dots[named], env),
    keys = capture_keys(substitute(by), env),
    where = capture_role(substitute(where), env),
    show = capture_show(substitute(show), env),
    shape = shape,
    absent = absent,
    order = capture_order(substitute(order), env),
    total = total,
    empty = empty,
    units = units,
    reference = reference,
    weights = capture_role(substitute(weights), env),
    digits = digits,
    with_n = with_n,
    name = name
  )
}

# Statistics without a name are called by their text.
named_by_text <- function(dots) {
  names <- if (is.null(names(dots))) rep("", length(dots)) else names(dots)
  bare <- which(names == "" & vapply(dots, calls_aggregate, NA))
  names[bare] <- vapply(dots[bare], lang_text, "")
  stats::setNames(dots, names)
}

define_step(
  "statistics",
  "records",
  list(
    picks = field_picks(),
    named = field_expressions("own"),
    keys = field_keys(),
    where = field_role(),
    show = field_show(),
    shape = field_choice("long", "wide"),
    absent = field_choice("skip", "carry"),
    order = field_order(),
    total = field_flag(),
    empty = field_flag(),
    units = field_flag(),
    reference = field_value("the value of one group"),
    weights = field_role(),
    digits = field_digits(),
    with_n = field_flag(TRUE),
    name = field_name()
  ),
  short = "picks",
  bind = function(step, typing) bind_statistics(step, typing),
  run = function(bound, state) run_statistics(bound, state),
  reads_all = function(step) !length(step$picks) && !length(step$named),
  rules = paste0(
    "Statistics leave absent values out and say how many; quartiles are ",
    "linearly interpolated (type 7 of Hyndman and Fan), and standard ",
    "deviations have n - 1 as denominator."
  ),
  of_groups = function(bound) {
    is.null(bound$details$where) && is.null(bound$details$weights)
  },
  words = function(step) statistics_words(step)
)

# What the step needs when it runs: what was asked for, and the columns and
# nodes it became.
new_statistics_task <- function(
  step, key_nodes, where, columns, category_columns, date_columns, show_nodes,
  date_nodes, named_nodes, weights = NULL
) {
  new_record(
    "statistics_task",
    list(
      keys = key_nodes,
      where = where,
      show = step$show,
      named = step$named,
      shape = step$shape,
      absent = step$absent,
      order = step$order,
      total = step$total,
      empty = step$empty,
      units = step$units,
      reference = step$reference,
      digits = step$digits,
      with_n = step$with_n,
      key_nodes = key_nodes,
      columns = columns,
      category_columns = category_columns,
      date_columns = date_columns,
      show_nodes = show_nodes,
      date_nodes = date_nodes,
      named_nodes = named_nodes,
      weights = weights
    )
  )
}

bind_statistics <- function(step, typing) {
  keys <- check_keys(step$keys, typing, "by", statistic_names)
  picked <- columns_of_statistics(step, keys, typing)
  kinds <- vapply(typing$scope$columns[picked], `[[`, character(1), "kind")
  columns <- picked[kinds %in% numeric_kinds]
  groups <- per_group(typing)
  groups$absent <- step$absent
  dates <- picked[kinds %in% c("date", "date-time")]
  weights <- if (!is.null(step$weights)) typed_weights(step$weights, typing)
  weighed <- function(node) with_step_weights(node, weights, typing)
  show <- if (!is.null(step$show)) {
    lapply(stats::setNames(nm = columns), function(column) {
      groups$it <- type_name(column, typing)
      lapply(
        step$show, function(shown) weighed(type_summary(shown, groups, keys))
      )
    })
  }
  check_named_statistics(step, names(keys), typing)
  named <- lapply(stats::setNames(nm = names(step$named)), function(n) {
    inner <- at_place(groups, paste0("In statistic \"", n, "\"."))
    guard_named_comparison(n, step$named[[n]], inner, "statistic")
    weighed(type_summary(step$named[[n]], inner, keys))
  })
  guard_constants(named, "group", typing)
  guard_text_statistics(picked[kinds[picked] == "text"], typing)
  if (!is.null(step$reference)) check_reference(keys, columns, typing)
  if (!is.null(step$reference) && !is.null(weights)) {
    stop_neatly(
      "step",
      "`statistics()` with `weights` compares with no `reference`.",
      where_of(typing),
      "Leave one of them out."
    )
  }
  if (step$units) check_has_unit(typing)
  where <- if (!is.null(step$where)) {
    type_condition(step$where, at_place(typing, "In `where`."))
  }
  task <- new_statistics_task(
    step,
    key_nodes = keys,
    where = where,
    columns = columns,
    category_columns = picked[kinds %in% c("text", "category", "logical")],
    date_columns = dates,
    show_nodes = show,
    date_nodes = shown_of_dates(step, dates, groups, keys),
    named_nodes = named,
    weights = weights
  )
  new_bound(
    step,
    typing,
    nodes = compact(list(where = where)),
    keys = keys,
    details = task
  )
}

# Statistics that are asked for, of dates: those that dates have.
shown_of_dates <- function(step, dates, typing, keys) {
  asked <- step$show[setdiff(names(step$show), c("n", "absent"))]
  lapply(stats::setNames(nm = dates), function(column) {
    typing$it <- type_name(column, typing)
    nodes <- lapply(asked, function(expression) {
      tryCatch(
        type_summary(expression, typing, keys),
        neatsieve_error_expression = function(e) NULL
      )
    })
    none <- names(nodes)[vapply(nodes, is.null, NA)]
    if (length(none)) {
      take_note(
        typing$notes,
        paste0(
          listed(ticked(none)), if (length(none) > 1) " are" else " is",
          " not taken of column `", column, "`, which holds dates."
        ),
        where_of(typing),
        "Dates have `min`, `median`, `max`, `mean` and quantiles."
      )
    }
    compact(nodes)
  })
}

# The columns to summarise: those picked, or all numbers where nothing else is
# asked for.
columns_of_statistics <- function(step, keys, typing) {
  kinds <- vapply(typing$scope$columns, `[[`, character(1), "kind")
  key_columns <- unlist(lapply(
    keys, function(n) if (n$node == "column") n$name
  ))
  if (length(step$picks)) {
    picked <- setdiff(
      resolve_picks(step$picks, typing, "statistics()"), key_columns
    )
    other <- picked[kinds[picked] == "other"]
    if (length(other)) {
      take_note(
        typing$notes,
        paste0(
          listed(ticked(other)), " cannot be summarised and ",
          if (length(other) > 1) "are" else "is", " left out."
        ),
        where_of(typing)
      )
    }
    picked <- setdiff(picked, other)
  } else if (length(step$named)) {
    picked <- character()
  } else {
    picked <- setdiff(
      names(kinds)[kinds %in% numeric_kinds],
      c(
        key_columns,
        names(typing$scope$origin)[typing$scope$origin %in% typing$scope$unit]
      )
    )
  }
  if (!length(picked) && !length(step$named)) {
    stop_neatly(
      "step",
      "There is no column to take statistics of.",
      where_of(typing),
      paste0("Columns here: ", listed(ticked(names(kinds)), 12), ".")
    )
  }
  picked
}

# Names of named statistics stand beside the table's own columns; those of
# statistics take their place.
check_named_statistics <- function(step, keys, typing) {
  counts <- if (step$with_n) paste0(names(step$named), "_n")
  own <- c(
    "column", "absent", "subset", if (step$units) "units",
    if (!is.null(step$weights)) "weight", "present"
  )
  twice <- c(
    names(step$named)[duplicated(names(step$named))],
    intersect(names(step$named), c(keys, own, counts))
  )
  if (length(twice)) {
    stop_neatly(
      "step",
      paste0(
        "The statistic `", twice[1], "` has the name of a column of the table."
      ),
      where_of(typing),
      "Give it another name."
    )
  }
}

statistics_words <- function(step) {
  picks <- if (length(step$picks)) {
    paste(vapply(step$picks, lang_text, character(1)), collapse = ", ")
  } else if (!length(step$named)) {
    "all number columns"
  }
  texts <- vapply(step$named, expression_text, character(1))
  own <- if (length(step$named)) {
    paste0(names(step$named), " = ", texts, collapse = ", ")
  }
  shown <- if (!is.null(step$show)) {
    paste0(", showing ", listed(names(step$show), 8))
  }
  paste0(
    "table of statistics of ", paste(c(picks, own), collapse = ", "),
    keys_words(step$keys), where_words(step$where),
    weights_words(step$weights), shown, order_words_of(step$order),
    if (step$total) ", with a total",
    if (!is.null(step$reference)) {
      paste0(", compared with ", value_code(step$reference))
    }
  )
}
