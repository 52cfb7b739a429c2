# Aggregates over windows that end at each row: the last rows, the last days, or
# all so far.

# The core's name of each aggregate.
rolled_aggregates <- c(
  count = "count", count_true = "sum", share = "mean", sum = "sum",
  mean = "mean", median = "median", quantile = "quantile", var = "var",
  sd = "sd", min = "min", max = "max"
)
rolling_usage <- "rolling(mean(x), rows, days, needs, order, by)"
rolling_example <-
  "rolling(mean(mites_per_100), days = 28, order = visit_date, by = hive)"

type_rolling <- function(lang, typing) {
  given <- given_arguments(lang)
  names <- if (is.null(names(given))) rep("", length(given)) else names(given)
  check_named_once(
    "rolling", names, paste0("It is used as `", rolling_usage, "`."), typing
  )
  strange <- setdiff(names, c("", "rows", "days", "needs", "order", "by"))
  if (length(strange)) {
    stop_neatly(
      "expression",
      paste0("`rolling()` has no argument `", strange[1], "`."),
      where_of(typing),
      c(
        meant(strange[1], c("rows", "days", "needs", "order", "by")),
        paste0("It is used as `", rolling_usage, "`.")
      )
    )
  }
  taken <- given[names == ""]
  if (length(taken) != 1 ||
    !call_name(taken[[1]]) %in% names(rolled_aggregates)) {
    stop_neatly(
      "expression",
      "`rolling()` takes one aggregate of each window.",
      where_of(typing),
      c(
        paste0("For example `", rolling_example, "`."),
        paste0(
          "It knows ", listed(paste0(names(rolled_aggregates), "()"), 20), "."
        )
      )
    )
  }
  args <- rolled_arguments(taken[[1]], typing)
  order <- if (is.null(given$order)) {
    typing$order
  } else {
    type_order(given$order, typing)
  }
  window <- rolling_window(given, order, typing)
  by <- if (is.null(given$by)) {
    typing$by
  } else {
    check_keys(capture_keys(given$by, emptyenv()), typing, "by")
  }
  if (!length(order)) note_present_order(lang, typing)
  what <- call_name(taken[[1]])
  type <- if (what %in% c("count", "count_true")) {
    new_type("whole")
  } else {
    type_given(language_function(what), args)
  }
  args <- c(
    args, window, list(what = constant_node(what, new_type("text"), what)),
    order
  )
  call_node("rolling", args, type, lang_text(lang), by = by)
}

# The arguments of the aggregate: x or cond, p of a quantile, and `where`.
rolled_arguments <- function(lang, typing) {
  name <- call_name(lang)
  split <- aggregate_parts(name, lang, typing)
  other <- setdiff(names(split$control), "where")
  if (length(other)) {
    stop_neatly(
      "expression",
      paste0("`", other[1], "` stands inside `", name, "()`."),
      where_of(typing),
      if (other[1] == "by") {
        "Give it to `rolling()`: `rolling(mean(x), rows = 3, by = hive)`."
      } else {
        "Leave it out: a window takes the rows in play, and leaves absent values out."
      }
    )
  }
  inner <- typing
  inner$inside_aggregate <- TRUE
  args <- typed_arguments(language_function(name), split$rest, inner)
  if (!is.null(args$weights)) {
    stop_neatly(
      "expression",
      paste0("`rolling()` takes no weights."),
      where_of(typing),
      "Leave `weights` out."
    )
  }
  if (name %in% c("min", "max") &&
    !args$x$kind %in% c(numeric_kinds, "date", "date-time")) {
    stop_neatly(
      "expression",
      paste0(
        "`rolling(", name, "())` takes numbers and dates, and `", args$x$text,
        "` is ", kind_words(args$x), "."
      ),
      where_of(typing),
      "Take the place of its categories as a number first."
    )
  }
  if (!is.null(args$type) && args$type$value != 7) {
    stop_neatly(
      "expression",
      "`rolling()` takes quantiles of type 7 alone.",
      where_of(typing),
      "Leave `type` out."
    )
  }
  args$type <- NULL
  if (!is.null(split$control$where)) {
    args$where <- type_where(
      split$control$where, call_node(name, args, new_type("number")), typing
    )
  }
  args
}

# The length of a window and the number of values it needs, as constants.
rolling_window <- function(given, order, typing) {
  window <- list()
  for (name in intersect(c("rows", "days", "needs"), names(given))) {
    node <- type_language(given[[name]], typing)
    is_fine <- node$node == "constant" &&
      node$kind %in% numeric_kinds &&
      length(node$value) == 1 &&
      isTRUE(node$value >= 1) &&
      (name == "days" || is_whole_value(node$value))
    if (!is_fine) {
      stop_neatly(
        "expression",
        paste0(
          "`", name, "` of `rolling()` is a number of 1 or more, not ",
          shown_constant(node), "."
        ),
        where_of(typing),
        paste0("For example `", name, " = 7`.")
      )
    }
    window[[name]] <- node
  }
  if (length(window$rows) && length(window$days)) {
    stop_neatly(
      "expression",
      "`rolling()` has both `rows` and `days`.",
      where_of(typing),
      "Leave one out."
    )
  }
  if (length(window$days) && !goes_by_dates(order)) {
    stop_neatly(
      "expression",
      "`days` of `rolling()` needs rows in the order of a date.",
      where_of(typing),
      paste0("For example `", rolling_example, "`.")
    )
  }
  window
}

goes_by_dates <- function(order) {
  length(order) > 0 &&
    names(order)[1] == "order" &&
    order[[1]]$kind %in% c("date", "date-time")
}

define_function(
  "rolling",
  "along rows",
  list(),
  "number",
  function(args, b, node) emit_rolling(args, b, node),
  type = type_rolling,
  usage = rolling_usage,
  help = paste0(
    "An aggregate of the rows up to this one, in the order and the group: of ",
    "the last ",
    "`rows`, this one among them, of the last `days` (all rows of this date, ",
    "and of ",
    "less than so many days before), or, without either, of all so far. It ",
    "may be ",
    "count, count_true, share, sum, mean, median, quantile, var, sd, min or ",
    "max, with ",
    "`where`. A note says how many windows begin before their group does; ",
    "`needs = 3` ",
    "makes those absent that have fewer than three present values."
  ),
  absent = "absent values are left out; absent where fewer than `needs` are there",
  example = rolling_example
)

# Runs of equal values, and days since a condition was yes: written as
# expressions of simpler functions, so that they mean the same wherever these
# do.

# Adds `order` and `by` of the original call to a call.
along <- function(fn, ..., given) {
  as.call(c(list(as.name(fn), ...), given[names(given) %in% c("order", "by")]))
}

define_function(
  "spell",
  "along rows",
  list(x = takes("any")),
  "whole",
  NULL,
  type = function(lang, typing) {
    given <- given_arguments(lang)
    x <- given[!names(given) %in% c("order", "by", "x")]
    x <- if (is.null(names(given))) {
      given
    } else {
      c(x, given["x"["x" %in% names(given)]])
    }
    if (length(x) != 1) {
      stop_neatly(
        "expression",
        "`spell()` takes one value.",
        where_of(typing),
        "For example `spell(treatment, order = visit_date, by = hive)`."
      )
    }
    x <- x[[1]]
    same <- call("is_true", call("==", x, along("lag", x, given = given)))
    starts <- call("first_true", call("absent", x), 0L, same, 0L, if_none = 1L)
    type_language(
      call(
        "first_true",
        call("present", x),
        along("cumsum", starts, given = given),
        if_none = NA
      ),
      typing
    )
  },
  usage = "spell(x, order, by)",
  help = paste0(
    "Which run of equal values the row is in, from 1 in each group; how long ",
    "it is ",
    "tells `count(by = c(hive, spell))` of a column of it."
  ),
  absent = "absent beside an absent value, which ends a run",
  example = "spell(treatment, order = visit_date, by = hive)"
)

define_function(
  "days_since",
  "along rows",
  list(cond = takes("logical"), date = takes("dated")),
  "number",
  NULL,
  type = function(lang, typing) {
    given <- given_arguments(lang)
    names <- if (is.null(names(given))) rep("", length(given)) else names(given)
    slots <- given[names %in% c("", "cond", "date")]
    if (length(slots) != 2 || !all(names %in% c("", "cond", "date", "by"))) {
      stop_neatly(
        "expression",
        "`days_since()` takes a condition and a date.",
        where_of(typing),
        "For example `days_since(treatment != \"none\", visit_date, by = hive)`."
      )
    }
    date <- if ("date" %in% names(slots)) {
      slots[["date"]]
    } else {
      slots[[length(slots)]]
    }
    cond <- if ("cond" %in% names(slots)) slots[["cond"]] else slots[[1]]
    given <- c(list(order = date), given[names == "by"])
    last <- function(when) {
      along(
        "fill_down",
        call("first_true", when, date, if_none = NA),
        given = given
      )
    }
    known <- last(call("is_true", cond))
    open <- call("is_true", call(">", last(call("is_unknown", cond)), known))
    type_language(
      call("first_true", open, NA, if_none = call("days_between", known, date)),
      typing
    )
  },
  usage = "days_since(cond, date, by)",
  help = "Days since the last row, in the order of the date, whose condition was yes: 0 there.",
  absent = paste0(
    "absent before the first yes, and from a row whose condition is unknown ",
    "up to ",
    "the next yes"
  ),
  example = "days_since(treatment != \"none\", visit_date, by = hive)"
)
