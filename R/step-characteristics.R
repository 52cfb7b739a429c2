#' The table of characteristics
#'
#' Makes the first table of a paper: a description of the current rows, with a
#' column for each group and one for all.
#'
#' @param ... Column picks (see [pick_columns()]) of numbers, texts, categories,
#'   logicals and dates; none: all of these but the keys, the unit, and texts of
#'   more than 20 different values.
#' @param by Keys, as in [statistics()]: a column of the table for each group.
#' @param where A condition, as in [statistics()].
#' @param numbers How numbers are shown: a text with names of statistics in it,
#'   such as `"mean (sd)"` or `"median [q1, q3]"`; several texts give a line
#'   each. Statistics are those of [statistics()]: `n`, `absent`, `mean`, `sd`,
#'   `min`, `q1`, `median`, `q3`, `max` and the aggregates of one column in
#'   [neatsieve_functions].
#' @param numbers_of The same for single columns:
#'   `list(mites_per_100 = "median [q1, q3]")`.
#' @param categories How each category is shown, with `n` and `share` (of the
#'   values that are there); `share%` is the share in per cent.
#' @param dates How dates are shown, with `n`, `absent`, `min`, `median` and
#'   `max`; several texts give a line each.
#' @param absent Lines for absent values, by reason where reasons are known:
#'   `"where any"`, `"always"` or `"no"`.
#' @param reference For one key: the group that the others are compared with.
#'   Adds a column for each of them with the standardized difference: of means
#'   over the root of the mean of both variances, of shares over the root of the
#'   mean of `p * (1 - p)` (Austin 2009).
#' @param all `FALSE` leaves out the column of all groups together.
#' @param units `TRUE`: how many different units each group has, as a line.
#'   `"once"`: each unit once: numbers are taken over units, of the means of
#'   their rows; a category counts the units that have such a row, with their
#'   share of those that have any value (of several categories of one unit,
#'   shares add up to more than 1); a value is absent where a unit has none at
#'   all, and n in the heads is the number of units. Dates stay those of rows.
#' @param weights A number for each row, as in [statistics()]: means, standard
#'   deviations, quantiles and shares are weighted, `n` counts rows, and a line
#'   says the sum of weights.
#' @param decimals How many decimals numbers are shown with; else two digits of
#'   their standard deviation.
#' @param name A name for the tables in `$tables`; `"characteristics"` by
#'   default.
#' @return A step for a [sieve()] or [pour()]. In `$tables`:
#'   * `<name>`: the cells as texts: `characteristic`, `level` (the category,
#'     the form of a number where there are several, `absent`), and a column for
#'     each group, headed by its name and number of rows when printed. After
#'     [subsets()] a block of columns for each subset.
#'   * `<name>_numbers`: the numbers behind them in full precision, one row per
#'     group, column, level and statistic: the keys (`"(all)"` for all groups),
#'     `column`, `level`, `statistic`, `value` (dates as days since 1970-01-01).
#'     It is not printed with the others.
#' @section Errors: Class `neatsieve_error_step` for a text with a word that is
#'   no statistic, and a reference without one key.
#' @seealso [statistics()], [counts()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' first <- characteristics(hive_weight_kg, honey_kg, temper, queen_seen, by = season, units = TRUE)
#' pour(hives, exclude(hive_weight_kg > 200), first)$tables$characteristics
#' @export
characteristics <- function(
  ..., by = NULL, where = NULL, numbers = "mean (sd)", numbers_of = list(),
  categories = "n (share%)", dates = c("min", "max"), absent = "where any",
  reference = NULL, all = TRUE, units = FALSE, weights = NULL, decimals = NULL,
  name = NULL
) {
  env <- parent.frame()
  make_step(
    "characteristics",
    picks = capture_step_picks(
      "characteristics", eval(substitute(alist(...))), env
    ),
    keys = capture_keys(substitute(by), env),
    where = capture_role(substitute(where), env),
    numbers = numbers,
    numbers_of = numbers_of,
    categories = categories,
    dates = dates,
    absent = absent,
    reference = reference,
    all = all,
    units = units,
    weights = capture_role(substitute(weights), env),
    decimals = decimals,
    name = name
  )
}

define_step(
  "characteristics",
  "records",
  list(
    picks = field_picks(),
    keys = field_keys(),
    where = field_role(),
    numbers = field_cells("mean (sd)", many = TRUE),
    numbers_of = field_cells_of(),
    categories = field_cells("n (share%)"),
    dates = field_cells(c("min", "max"), many = TRUE),
    absent = field_choice("where any", "always", "no"),
    reference = field_value("the value of one group"),
    all = field_flag(TRUE),
    units = field_units(),
    weights = field_role(),
    decimals = field_decimals(),
    name = field_name()
  ),
  short = "picks",
  complete = function(values) cells_complete(values),
  bind = function(step, typing) bind_characteristics(step, typing),
  run = function(bound, state) run_characteristics(bound, state),
  reads_all = function(step) !length(step$picks),
  rules = paste0(
    "Statistics leave absent values out and say how many; shares are of ",
    "the values that are there."
  ),
  of_groups = function(bound) {
    is.null(bound$details$where) &&
      is.null(bound$step$weights) &&
      !identical(bound$step$units, "once")
  },
  words = function(step) {
    paste0(
      "table of characteristics",
      if (length(step$picks)) {
        paste0(": ", paste(vapply(step$picks, lang_text, ""), collapse = ", "))
      },
      keys_words(step$keys), where_words(step$where),
      weights_words(step$weights),
      if (identical(step$units, "once")) ", each unit once"
    )
  }
)

field_units <- function() {
  field_plain(
    FALSE,
    function(x) is_flag(x) || identical(x, "once"),
    "TRUE, FALSE or \"once\"",
    list(enum = list(TRUE, FALSE, "once"))
  )
}

# A text with names of statistics in it, or several.
field_cells <- function(default, many = FALSE) {
  is_right <- function(x) {
    is.character(x) &&
      length(x) > 0 &&
      !anyNA(x) &&
      all(nzchar(x)) &&
      (many || length(x) == 1)
  }
  field_plain(
    default,
    function(x) is_right(unlist(x)),
    "a text with names of statistics in it",
    if (!many) {
      schema_text
    } else {
      list(anyOf = list(schema_text, list(type = "array", items = schema_text)))
    }
  )
}
# The same, separately for named columns.
field_cells_of <- function() {
  is_named <- function(x) {
    !length(x) || (!is.null(names(x)) && all(nzchar(names(x))))
  }
  field_plain(
    list(),
    function(x) {
      is.list(x) &&
        is_named(x) &&
        all(vapply(x, function(v) is.character(unlist(v)), NA))
    },
    "a list of such texts by columns",
    list(type = "object")
  )
}
field_decimals <- function() {
  field_plain(
    NULL,
    function(x) is.numeric(x) && length(x) == 1 && x %in% 0:10,
    "a whole number from 0 to 10",
    list(type = "integer", minimum = 0, maximum = 10)
  )
}

cells_complete <- function(values) {
  check <- function(texts, known, argument) {
    for (word in unique(unlist(lapply(texts, words_of_cell)))) {
      if (word %in% known) next
      stop_neatly(
        "step",
        paste0(
          "`", argument, "` of `characteristics()` has ", quoted(word),
          ", which is no statistic."
        ),
        NULL,
        c(
          meant(word, known, quoted),
          paste0(
            "Statistics are ", listed(quoted(known), 12),
            "; words like \"to\" and ", "\"of\" stand as they are."
          )
        )
      )
    }
  }
  aggregates <- Filter(
    function(n) isTRUE(language_function(n)$aggregate), language_names()
  )
  usual <- c("n", "absent", "mean", "sd", "min", "q1", "median", "q3", "max")
  check(
    unlist(c(values$numbers, values$numbers_of)),
    union(usual, setdiff(aggregates, "count")),
    "numbers"
  )
  check(values$categories, c("n", "share"), "categories")
  check(unlist(values$dates), c("n", "absent", "min", "median", "max"), "dates")
  if (!is.null(values$reference) && length(values$keys) != 1) {
    stop_neatly(
      "step",
      "`reference` compares the groups of one key.",
      NULL,
      "Give one key in `by`, or leave `reference` out."
    )
  }
  values
}

# The numbers come from a step of statistics over the same columns and groups.
bind_characteristics <- function(step, typing) {
  taken <- c(
    "characteristic", "level", "column", "statistic", "value", "subset", "group"
  )
  keys <- check_keys(step$keys, typing, "by", taken)
  picked <- columns_of_characteristics(step, keys, typing)
  if (identical(step$units, "once")) {
    check_has_unit(typing)
    if (!is.null(step$weights)) {
      stop_neatly(
        "step",
        "`characteristics()` with `units = \"once\"` takes no weights.",
        where_of(typing),
        "Leave one of them out."
      )
    }
  }
  strange <- setdiff(names(step$numbers_of), picked)
  if (length(strange)) {
    stop_neatly(
      "step",
      paste0(
        "`numbers_of` names `", strange[1], "`, which is not among the ",
        "columns."
      ),
      where_of(typing),
      meant(strange[1], picked)
    )
  }
  forms <- unlist(c(step$numbers, step$numbers_of))
  asked <- unique(c(unlist(lapply(forms, words_of_cell)), "mean", "sd"))
  show <- as.call(c(quote(c), as.list(setdiff(asked, c("n", "absent")))))
  inner <- make_step(
    "statistics",
    picks = lapply(picked, as.name),
    keys = step$keys,
    where = step$where,
    units = isTRUE(step$units),
    weights = step$weights,
    show = capture_show(show, emptyenv())
  )
  bound <- bind_statistics(inner, typing)
  # Dates have statistics of their own here, so that nothing of theirs is left
  # out.
  words <- typing$notes$notes
  turn_back_notes(
    typing$notes,
    Filter(function(note) {
      !grepl(" not taken of column ", note$problem, fixed = TRUE)
    }, words)
  )
  task <- bound$details
  task$date_nodes <- nodes_of_dates(task$date_columns, keys, typing)
  bound$step <- step
  bound$details <- new_record(
    "characteristics_task",
    list(
      task = task,
      picked = picked,
      where = task$where,
      forms = lapply(stats::setNames(nm = task$columns), function(column) {
        own <- unlist(step$numbers_of[[column]])
        if (length(own)) own else unlist(step$numbers)
      })
    )
  )
  bound
}

nodes_of_dates <- function(columns, keys, typing) {
  groups <- per_group(typing)
  lapply(stats::setNames(nm = columns), function(column) {
    groups$it <- type_name(column, typing)
    lapply(stats::setNames(nm = c("min", "median", "max")), function(word) {
      type_summary(show_word(word), groups, keys)
    })
  })
}

most_texts_shown <- 20

columns_of_characteristics <- function(step, keys, typing) {
  kinds <- vapply(typing$scope$columns, `[[`, "", "kind")
  of_keys <- unlist(lapply(keys, function(n) if (n$node == "column") n$name))
  if (length(step$picks)) {
    picked <- setdiff(
      resolve_picks(step$picks, typing, "characteristics()"), of_keys
    )
    other <- picked[kinds[picked] == "other"]
    if (length(other)) {
      take_note(
        typing$notes,
        paste0(
          listed(ticked(other)), " cannot be summarised, and ",
          if (length(other) > 1) "are" else "is", " left out."
        ),
        where_of(typing)
      )
    }
    return(setdiff(picked, other))
  }
  unit <- names(typing$scope$origin)[typing$scope$origin %in% typing$scope$unit]
  picked <- setdiff(names(kinds)[kinds != "other"], c(of_keys, unit))
  long <- Filter(function(column) {
    kinds[[column]] == "text" &&
      length(distinct_texts(typing, column)) > most_texts_shown
  }, picked)
  if (length(long)) {
    take_note(
      typing$notes,
      paste0(
        listed(ticked(long)), if (length(long) > 1) " have" else " has",
        " more than ", most_texts_shown, " different texts, and ",
        if (length(long) > 1) "are" else "is", " left out."
      ),
      where_of(typing),
      "Name the columns to have them."
    )
  }
  picked <- setdiff(picked, long)
  if (!length(picked)) {
    stop_neatly(
      "step",
      "There is no column to describe.",
      where_of(typing),
      "Name columns: `characteristics(hive_weight_kg, temper, by = season)`."
    )
  }
  picked
}
