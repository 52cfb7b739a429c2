#' Frequencies and cross tables
#'
#' Counts the rows for each value of a key, or each combination of several keys.
#'
#' @param ... Keys: columns or expressions, with or without names. None: just
#'   the number of rows.
#' @param by Keys, as in [statistics()]: counts of each of these groups, within
#'   which shares add up to 1. They stand before the other keys.
#' @param where A condition: only rows where it is yes are counted. Where it is
#'   unknown a note says so.
#' @param weights A number for each row. Adds a column `weight`, the sum over
#'   the rows of each combination, and shares are of it; `n` stays the number of
#'   rows. A row whose weight is absent counts in `n` alone, and a note says so.
#'   In a wide table the cells are sums of weights.
#' @param share What shares are of: `"whole"`, or a key (`share = season`),
#'   within whose groups they add up to 1. Not given, the long table has shares
#'   of the whole, the wide one none.
#' @param shape `"long"`: one row per combination; `"wide"`: for two keys, the
#'   first down and the second across, with sums as a last row and column; with
#'   `share` each count has its share of the row (of the first key), the column
#'   or the whole beside it. Printed and on pages both stand in one cell, as in
#'   [characteristics()]. With `by` there is such a table for each group, one
#'   below the other.
#' @param order What to sort by: `"keys"` (the order of the categories),
#'   `"falling"` (most frequent first), `"rising"`, or columns of the table, as
#'   `c(season, falling(n))`; see [falling()].
#' @param units `TRUE`: how many different units have each combination, in
#'   `units`, and what share that is of all units (of the group of `by`), in
#'   `unit_share`; as of several answers each. In the long shape.
#' @param cumulative `TRUE`: the running share in a column `cumulative`.
#' @param name A name for the table in `$tables`; `"counts"` by default.
#' @return A step for a [sieve()] or [pour()]. In `$tables`: a data frame with
#'   the keys, `n`, `weight`, `share` and `cumulative` where asked for. Rows
#'   with an absent key make a line of their own (`NA`); for a line by reason
#'   count by it, too: `counts(x, why = absent_reason(x))`.
#' @section Limits: A wide table has at most 10,000 columns and 100,000,000
#'   cells; more is an error before it is made.
#' @section Errors: Class `neatsieve_error_step` when `shape = "wide"` has not
#'   two keys, `share` names no key, or `units` are asked for of a study without
#'   a unit.
#' @seealso [statistics()], [absences()], [chart_bar()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, counts(temper, order = "falling", cumulative = TRUE))$tables$counts
#' pour(hives, counts(season, treatment, shape = "wide"))$tables$counts
#' @export
counts <- function(
  ..., by = NULL, where = NULL, weights = NULL, share = NULL, shape = "long",
  order = "keys", cumulative = FALSE, units = FALSE, name = NULL
) {
  env <- parent.frame()
  name <- control(name, "name", "counts", is_text, "one text")
  keys <- capture_keys(as.call(c(quote(c), eval(substitute(alist(...))))), env)
  make_step(
    "counts",
    keys = keys,
    by = capture_keys(substitute(by), env),
    where = capture_role(substitute(where), env),
    weights = capture_role(substitute(weights), env),
    share = capture_share(substitute(share), names(keys), env),
    shape = shape,
    order = capture_order(substitute(order), env),
    cumulative = cumulative,
    units = units,
    name = name
  )
}

define_step(
  "counts",
  "records",
  list(
    keys = field_keys("keys", in_dots = TRUE),
    by = field_keys("by"),
    where = field_role(),
    weights = field_role(),
    share = field_share(),
    shape = field_choice("long", "wide"),
    order = field_order(),
    cumulative = field_flag(),
    units = field_flag(),
    name = field_name()
  ),
  short = "keys",
  complete = function(values) counts_complete(values),
  bind = function(step, typing) bind_counts(step, typing),
  run = function(bound, state) run_counts(bound, state),
  of_groups = function(bound) {
    is.null(bound$details$where) &&
      is.null(bound$details$weights) &&
      !bound$step$units
  },
  words = function(step) {
    paste0(
      "table of counts", keys_words(step$keys, " of "), keys_words(step$by),
      where_words(step$where), weights_words(step$weights), share_words(step),
      if (step$units) ", with shares of units", order_words_of(step$order)
    )
  }
)

share_words <- function(step) {
  share <- step$share
  if (is.null(share)) return(NULL)
  if (share != "whole") {
    paste0(", shares within ", share)
  } else if (step$shape == "wide") {
    ", shares of all"
  }
}

bind_counts <- function(step, typing) {
  taken <- c(
    "n", "weight", "share", "cumulative", "subset",
    if (step$units) c("units", "unit_share")
  )
  if (step$units) check_has_unit(typing)
  by <- check_keys(step$by, typing, "by", taken)
  keys <- check_keys(step$keys, typing, "counts()", taken)
  both <- intersect(names(by), names(keys))
  if (length(both)) {
    stop_neatly(
      "step",
      paste0("`", both[1], "` is counted, and a group of `by` as well."),
      where_of(typing),
      "Name it in one place."
    )
  }
  check_counted(step, names(keys), where_of(typing))
  weights <- if (!is.null(step$weights)) typed_weights(step$weights, typing)
  where <- if (!is.null(step$where)) {
    type_condition(step$where, at_place(typing, "In `where`."))
  }
  new_bound(
    step,
    typing,
    keys = c(by, keys),
    nodes = compact(list(where = where, weights = weights)),
    details = list(by = names(by), where = where, weights = weights)
  )
}

where_words <- function(where) {
  if (!is.null(where)) {
    paste0(", only rows where ", expression_words(where$lang))
  }
}

# What shares are taken of: "whole" or a key.
field_share <- function() {
  field_plain(NULL, is_text, "\"whole\" or one of its keys", schema_text)
}

# A key as a bare name or text, or "whole".
capture_share <- function(lang, keys, env) {
  lang <- splice(lang, env)
  if (is.null(lang)) return(NULL)
  text <- if (is.symbol(lang)) {
    as.character(lang)
  } else if (is.call(lang)) {
    lang_text(lang)
  } else {
    lang
  }
  if (is_text(text)) return(text)
  stop_neatly(
    "step",
    "`share` of `counts()` is \"whole\" or one of its keys.",
    NULL,
    "For example `share = season`."
  )
}

# What picks among the keys find is known where the columns are.
counts_complete <- function(values) {
  is_pick <- vapply(values$keys, function(key) is_key_pick(key$lang), NA)
  if (!any(is_pick)) check_counted(values, names(values$keys), NULL)
  values
}

check_counted <- function(values, keys, where) {
  if (values$shape == "wide" && isTRUE(values$units)) {
    stop_neatly(
      "step",
      "A wide table of `counts()` has no shares of units.",
      where,
      "Leave `shape = \"wide\"` out, or `units = TRUE`."
    )
  }
  if (values$shape == "wide" && length(keys) != 2) {
    stop_neatly(
      "step",
      "`shape = \"wide\"` needs two keys.",
      where,
      "For example `counts(season, treatment, shape = \"wide\")`."
    )
  }
  share <- values$share
  if (!is.null(share) && share != "whole" && !share %in% keys) {
    stop_neatly(
      "step",
      paste0(
        "`share` names ", quoted(share), ", which is no key of `counts()`."
      ),
      where,
      if (length(keys)) {
        paste0(
          "Write \"whole\" or one of ", listed(ticked(keys), last = "or"), "."
        )
      } else {
        paste0("Count by it too: `counts(", share, ", share = ", share, ")`.")
      }
    )
  }
}

# Subsets may have groups that others lack: the columns are those of all rows,
# with the sum last.
with_groups_in_order <- function(table, bound, state) {
  across <- group_rows(
    bound$keys[length(bound$keys)], state$frame, state$rows
  )$keys[[1]]
  across <- panel_key_text(
    across[order(across, na.last = TRUE, method = "radix")]
  )
  last <- c(t(outer(c(across, "(all)"), c("", "_share"), paste0)))
  last <- intersect(last, names(table))
  table[c(setdiff(names(table), last), last)]
}

run_counts <- function(bound, state) {
  step <- bound$step
  rows_here <- rows_narrowed(state, bound$details$where)
  make <- if (step$shape == "wide") cross_table else count_table
  tables <- tables_by_subset(rows_here, function(rows, subset) {
    counted <- counted_groups(bound, rows_here, rows)
    if (step$units) counted$units <- counted_units(bound, rows_here, rows)
    list(main = make(counted, bound$details$by, step, state$where))
  })
  table <- finished_table(
    tables[[1]], names(bound$keys), keys_called(bound$keys, state)
  )
  if (step$shape == "wide") {
    table <- with_groups_in_order(table, bound, rows_here)
    of <- names(step$keys)
    table <- as_cross_table(
      table,
      new_cross_form(
        of[1], of[2], bound$details$by, step$share, !is.null(step$weights)
      )
    )
  }
  record_table(state, table)
}
