#' How groups differ
#'
#' Compares each group with a reference group, with intervals: means or medians
#' of numbers, shares of conditions and categories; as differences or ratios;
#' over rows, over units, or within units. It describes the size of differences;
#' it is not a test.
#'
#' @param ... Column picks (see [pick_columns()]): numbers, logicals, categories
#'   and texts.
#' @param by Keys: the groups of the first are compared, within each group of
#'   the others.
#' @param reference The value of the first key that the other groups are
#'   compared with.
#' @param show Of numbers: `"mean"` or `"median"`.
#' @param compare `"rows"`: rows as they stand, taken as independent; `"units"`:
#'   each unit once, with the mean (or share) of its rows in the group;
#'   `"pairs"`: within units, those with values in both groups.
#' @param ratio `TRUE`: the ratio to the reference, too, with its interval.
#' @param level The level of the intervals.
#' @param name A name for the table in `$tables`; `"differences"` by default.
#' @details With n values of a group, mean m and variance v, and those of the
#'   reference marked 0:
#'   * *Means*: m - m0 with Welch's interval (Welch 1947, degrees of freedom by
#'     Satterthwaite 1946); their ratio with Fieller's (1954), by the same
#'     degrees of freedom. `standardized` is the difference over the pooled
#'     standard deviation (Cohen 1988).
#'   * *Shares*: p - p0 with the interval of Newcombe (1998, method 10), made of
#'     Wilson's intervals of both; their ratio with that of logarithms (Katz and
#'     others 1978), absent where a share is 0.
#'   * *Medians*: their difference and ratio with the distribution-free
#'     intervals of Price and Bonett (2002), of groups of six values or more.
#'   * *Pairs*: the mean of the units' own differences with Student's interval
#'     (`standardized`: over their standard deviation); of medians the median of
#'     the differences with the interval of the sign test (Conover 1999, 3.2).
#'     There is no ratio of pairs.
#'
#'   Shares of units and pairs are compared as means. A note says how many rows
#'   a unit has where rows are taken as independent.
#' @return A step for a [sieve()] or [pour()]. In `$tables`: a data frame with a
#'   row for each group, column and value: the keys, `column`, `value` (of
#'   categories and texts), `statistic` (`"mean"`, `"median"`, `"share"`),
#'   `difference`, `ci_low`, `ci_high`, `estimate`, `n`, `reference_estimate`,
#'   `reference_n`, `standardized`, with `ratio` also `ratio`, `ratio_low` and
#'   `ratio_high`, and `interval`, how it was made. n counts rows, units, or
#'   pairs, as `compare` says. Absent values are left out.
#' @section Errors: Class `neatsieve_error_step` without `by` or `reference`, or
#'   with units of a study that has none; class `neatsieve_error_run` where no
#'   group is the reference.
#' @seealso [statistics()], [characteristics()], [chart_interval()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, differences(mites_per_100, queen_seen,
#'   by = treatment, reference = "none",
#'   compare = "units"
#' ))
#' out$tables$differences
#' @export
differences <- function(
  ..., by = NULL, reference = NULL, show = "mean", compare = "rows",
  ratio = FALSE, level = 0.95, name = NULL
) {
  env <- parent.frame()
  make_step(
    "differences",
    picks = capture_step_picks(
      "differences", eval(substitute(alist(...))), env
    ),
    keys = capture_keys(substitute(by), env),
    reference = reference,
    show = show,
    compare = compare,
    ratio = ratio,
    level = level,
    name = name
  )
}

define_step(
  "differences",
  "records",
  list(
    picks = field_picks(),
    keys = field_keys(),
    reference = field_value("the value of one group"),
    show = field_choice("mean", "median"),
    compare = field_choice("rows", "units", "pairs"),
    ratio = field_flag(),
    level = field_plain(
      0.95,
      function(x) {
        is.numeric(x) && length(x) == 1 && !is.na(x) && x > 0 && x < 1
      },
      "a number between 0 and 1, as 0.95",
      list(type = "number")
    ),
    name = field_name()
  ),
  complete = function(values) differences_complete(values),
  bind = function(step, typing) bind_differences(step, typing),
  run = function(bound, state) run_differences(bound, state),
  rules = paste0(
    "Differences of means have Welch's intervals, of shares Newcombe's, of ",
    "medians those of Price and Bonett; within units Student's."
  ),
  words = function(step) {
    paste0(
      "table of differences to ", value_code(step$reference),
      keys_words(step$keys, " of "), ": ",
      paste(vapply(step$picks, lang_text, ""), collapse = ", "),
      if (step$show == "median") ", medians",
      switch(step$compare,
        units = ", each unit once",
        pairs = ", within units"
      ),
      if (step$ratio) ", and ratios"
    )
  }
)

differences_complete <- function(values) {
  usage <-
    "For example `differences(honey_kg, by = treatment, reference = \"none\")`."
  if (!length(values$picks)) {
    stop_neatly("step", "`differences()` has no columns.", NULL, usage)
  }
  if (!length(values$keys) || is.null(values$reference)) {
    stop_neatly(
      "step",
      paste0(
        "`differences()` needs ",
        if (length(values$keys)) "`reference`" else "`by`", "."
      ),
      NULL,
      usage
    )
  }
  if (values$ratio && values$compare == "pairs") {
    stop_neatly(
      "step",
      "`differences()` of pairs have no ratio.",
      NULL,
      "Leave `ratio` out, or compare \"units\"."
    )
  }
  values
}

bind_differences <- function(step, typing) {
  taken <- c(
    "column", "value", "statistic", "n", "estimate", "reference_n",
    "difference", "ci_low", "ci_high", "standardized", "ratio", "interval",
    "subset"
  )
  keys <- check_keys(step$keys, typing, "by", taken)
  picked <- resolve_picks(step$picks, typing, "differences()")
  of_keys <- unlist(lapply(keys, function(n) if (n$node == "column") n$name))
  picked <- setdiff(picked, of_keys)
  kinds <- vapply(typing$scope$columns[picked], `[[`, "", "kind")
  odd <- picked[!kinds %in% c(numeric_kinds, "logical", "category", "text")]
  if (length(odd) || !length(picked)) {
    stop_neatly(
      "step",
      if (length(odd)) {
        paste0(
          "`differences()` compares numbers, conditions and categories, and `",
          odd[1], "` is ", kind_words(typing$scope$columns[[odd[1]]]), "."
        )
      } else {
        "`differences()` has no column beside its keys."
      },
      where_of(typing),
      "Pick others, or work out a number of it."
    )
  }
  if (step$compare != "rows" && is.null(typing$scope$unit)) {
    stop_neatly(
      "step",
      paste0(
        "`compare = ", value_code(step$compare), "` needs a study with a ",
        "unit."
      ),
      where_of(typing),
      "Name the column of units when the study is made: `study(data, unit = ...)`."
    )
  }
  new_bound(step, typing, keys = keys, details = list(columns = picked))
}

run_differences <- function(bound, state) {
  need_values(state$rows, "differences are taken of values")
  tables <- tables_by_subset(state, function(rows, subset) {
    list(main = differences_table(bound, state, rows))
  })
  if (bound$step$compare == "rows") {
    note_repeated_units(
      state,
      "These intervals take",
      paste0(
        "`compare = \"units\"` takes each unit once, `\"pairs\"` compares ",
        "within units."
      )
    )
  }
  called <- c(
    keys_called(bound$keys, state), columns_called(bound$details$columns, state)
  )
  record_table(state, finished_table(tables[[1]], names(bound$keys), called))
}

columns_called <- function(columns, state) {
  called <- vapply(
    stats::setNames(nm = columns), function(c) state_axis(state, c), ""
  )
  called[called != names(called)]
}
