#' Some rows: the highest, the lowest, random ones, or by place
#'
#' Keeps some rows, or some of each group: those with the highest or lowest
#' values, random rows, or rows at given positions. The others are held back.
#'
#' @param n How many rows, of each group where there is `by`.
#' @param share Instead of `n`: which share of the rows, from 0 to 1. The number
#'   is the nearest whole one, halves up.
#' @param highest,lowest A column or expression. Rows where it is absent are
#'   never scooped; they are held back as unknown, which a note says.
#' @param at Places among the rows as they stand, `1:3`, or from the end, `-1`.
#' @param seed For random rows (neither `highest`, `lowest` nor `at`): the
#'   number the draw follows from. The same seed draws the same rows of the same
#'   study on every machine. Without one a seed is chosen when the step is
#'   written and stays with it, in plans too.
#' @param weights Of random rows: a number for each, so that a row of weight 2
#'   is drawn as easily as two of weight 1. Rows of weight 0 are never drawn;
#'   rows whose weight is absent are held back as unknown.
#' @param by Keys, as in [statistics()].
#' @param ties `"all"`: rows that equal the last one scooped come along;
#'   `"first"`: of these the first, as the rows stand.
#' @param name A name for the step.
#' @details A random row is one of those with the smallest numbers that
#'   splitmix64 (Steele, Lea and Flood 2014) makes of the seed and the row's
#'   number in the study: with `n`, a row that is drawn stays drawn when other
#'   rows are held back before. With `share` fewer are drawn then. With
#'   `weights` the number u of a row becomes -log(1 - u) / weight, and those
#'   with the smallest are drawn, one after the other without putting back
#'   (Efraimidis and Spirakis 2006).
#' @param ... Not used: an unknown argument is an error that names it.
#' @return A step for a [sieve()] or [pour()]. The rows keep their order. In
#'   [held_back()] the others are held because `"not scooped"`. A note says
#'   where a group has fewer rows than asked for.
#' @section Errors: Class `neatsieve_error_step` for a number below 0, a share
#'   beyond 1, or when it is not clear which rows are meant.
#' @seealso [order_rows()], [drop_repeats()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' best <- pour(hives, scoop(3, highest = honey_kg, by = apiary))
#' best
#' pour(hives, scoop(share = 0.5, seed = 7, by = apiary))
#' pour(hives, order_rows(visit_date), scoop(at = -1, by = hive))
#' @export
scoop <- function(
  n = NULL, share = NULL, highest = NULL, lowest = NULL, at = NULL,
  seed = NULL, by = NULL, ties = "all", weights = NULL, name = NULL, ...
) {
  refuse_arguments("scoop", eval(substitute(alist(...))))
  env <- parent.frame()
  make_step(
    "scoop",
    n = n,
    share = share,
    highest = capture_role(substitute(highest), env),
    lowest = capture_role(substitute(lowest), env),
    at = at,
    seed = seed,
    keys = capture_keys(substitute(by), env),
    ties = ties,
    weights = capture_role(substitute(weights), env),
    name = name
  )
}

field_whole <- function(wanted, least) {
  new_field(
    is_plain = TRUE,
    schema = list(type = "integer", minimum = least),
    check = function(value, argument, kind) {
      as_written(control(value, argument, kind, function(x) {
        is.numeric(x) &&
          length(x) == 1 &&
          is.finite(x) &&
          x == floor(x) &&
          x >= least
      }, wanted))
    },
    to_plan = whole_in_plan
  )
}
# Writes whole numbers in a plan without a decimal point.
whole_in_plan <- function(x) {
  if (all(abs(x) <= .Machine$integer.max)) x <- as.integer(x)
  plan_value(x)
}
field_places <- function() {
  new_field(
    is_plain = TRUE,
    schema = schema_ref("plain"),
    check = function(value, argument, kind) {
      as_written(control(value, argument, kind, function(x) {
        is.numeric(x) &&
          length(x) > 0 &&
          all(is.finite(x) & x == floor(x) & x != 0)
      }, "places such as `1:3`, or `-1` for the last"))
    },
    to_plan = whole_in_plan,
    from_plan = function(spec, context, key) unlist(spec)
  )
}

define_step(
  "scoop",
  "rows",
  list(
    n = field_whole("how many rows, a whole number from 0", 0),
    share = field_plain(
      NULL,
      function(x) {
        is.numeric(x) && length(x) == 1 && !is.na(x) && x >= 0 && x <= 1
      },
      "a share from 0 to 1",
      list(type = "number", minimum = 0, maximum = 1)
    ),
    highest = field_role(),
    lowest = field_role(),
    at = field_places(),
    seed = field_whole("a whole number from 0", 0),
    keys = field_keys(),
    ties = field_choice("all", "first"),
    weights = field_role(),
    name = field_name()
  ),
  complete = function(values) scoop_complete(values),
  bind = function(step, typing) bind_scoop(step, typing),
  run = function(bound, state) run_scoop(bound, state),
  words = function(step) paste("let through", scoop_words(step)),
  caption = function(step) scoop_words(step)
)

scoop_complete <- function(values) {
  ways <- c(
    "highest", "lowest", "at"
  )[!vapply(values[c("highest", "lowest", "at")], is.null, NA)]
  usage <- paste0(
    "For example `scoop(3, highest = honey_kg)`, `scoop(200, seed = 7)` or ",
    "`scoop(at = 1:3)`."
  )
  if (length(ways) > 1) {
    stop_neatly(
      "step",
      paste0("`scoop()` is given both `", ways[1], "` and `", ways[2], "`."),
      NULL,
      "Leave one out, or make two steps."
    )
  }
  sized <- sum(!vapply(values[c("n", "share")], is.null, NA))
  if (identical(ways, "at") && sized > 0) {
    stop_neatly(
      "step",
      "`scoop(at = )` says which rows, so it takes neither `n` nor `share`.",
      NULL,
      usage
    )
  }
  if (!identical(ways, "at") && sized != 1) {
    stop_neatly(
      "step",
      paste0(
        "`scoop()` is given ",
        if (sized) "both `n` and `share`." else "no number of rows."
      ),
      NULL,
      usage
    )
  }
  if (length(ways) && !is.null(values$seed)) {
    stop_neatly(
      "step",
      paste0(
        "`seed` of `scoop()` is for random rows, and here `", ways,
        "` says which."
      ),
      NULL,
      "Leave one out."
    )
  }
  if (length(ways) && !is.null(values$weights)) {
    stop_neatly(
      "step",
      paste0(
        "`weights` of `scoop()` are for random rows, and here `", ways,
        "` says which."
      ),
      NULL,
      "Leave one out."
    )
  }
  if (!length(ways) && is.null(values$seed)) values$seed <- fresh_seed()
  values
}

# A seed of six digits from the clock; R's own random numbers stay as they are.
fresh_seed <- function() {
  (as.numeric(Sys.time()) * 1e6 + Sys.getpid() * 7919) %/% 1 %% 1e6
}

scoop_words <- function(step) {
  many <- if (!is.null(step$share)) {
    paste0(number_code(100 * step$share), "% of the rows")
  } else if (!is.null(step$n)) {
    counted(step$n, "row")
  }
  of <- step$highest
  if (is.null(of)) of <- step$lowest
  which <- if (!is.null(step$at)) {
    paste0(
      if (length(step$at) == 1) "row " else "rows ",
      listed(place_words(step$at), 8)
    )
  } else if (is.null(of)) {
    paste0(
      many, " at random (seed ", number_code(step$seed), ")",
      weights_words(step$weights)
    )
  } else {
    paste0(
      many, " with the ", if (is.null(step$highest)) "lowest " else "highest ",
      expression_text(of)
    )
  }
  paste0(
    which, keys_words(step$keys, " per "),
    if (!is.null(of) && step$ties == "first") ", of ties the first"
  )
}
place_words <- function(at) {
  ifelse(
    at == -1,
    "last",
    ifelse(at < 0, paste("last but", -at - 1), as.character(at))
  )
}

bind_scoop <- function(step, typing) {
  keys <- check_keys(step$keys, typing, "by")
  way <- if (is.null(step$highest)) "lowest" else "highest"
  nodes <- list()
  if (!is.null(step[[way]])) {
    inner <- at_place(typing, paste0("In `", way, "`."))
    node <- type_expression(step[[way]], inner)
    sortable <- node$kind %in% c(numeric_kinds, "date", "date-time") ||
      (node$kind == "category" && isTRUE(node$ordered))
    if (!sortable || node$node == "constant") {
      stop_neatly(
        "expression",
        paste0(
          "`", way, "` takes numbers, dates or ordered categories, and `",
          node$text, "` is ", kind_words(node), "."
        ),
        where_of(inner),
        number_column_hint(way, typing)
      )
    }
    nodes <- stats::setNames(list(node), way)
  }
  if (!is.null(step$weights)) {
    nodes <- list(weights = typed_weights(step$weights, typing))
  }
  new_bound(step, typing, nodes = nodes, keys = keys)
}

# Suggests an existing number column.
number_column_hint <- function(way, typing) {
  kinds <- vapply(typing$scope$columns, `[[`, "", "kind")
  first <- names(kinds)[kinds %in% numeric_kinds][1]
  if (is.na(first)) return("There is no column of numbers here.")
  paste0(
    "Give a column of numbers, as in `", way, " = ", lang_text(as.name(first)),
    "`."
  )
}

run_scoop <- function(bound, state) {
  step <- bound$step
  relation <- relation_of(state)
  grouping <- groups_of(relation, bound$keys)
  size <- grouping$rows_per_group
  wanted <- if (is.null(step$share)) {
    rep(step$n, length(size))
  } else {
    floor(step$share * size + 0.5)
  }
  if (!is.null(step$at)) {
    return(hold_unscooped(
      place_over(relation, bound, state, size), bound, state
    ))
  }
  note_larger_scoop(step, size, state)
  if (!is.null(bound$nodes$weights)) {
    return(scooped_by_weight(bound, state, wanted))
  }
  if (!length(bound$nodes)) {
    return(hold_unscooped(
      drawn_rows(relation, bound$keys, wanted, step$seed), bound, state
    ))
  }
  matches <- scoop_over(relation, bound, wanted)
  note_absent_weights(matches$absent, bound$nodes[[1]], state)
  hold_unscooped(matches$fates, bound, state)
}

#' @export
scoop_over.neatsieve_memory <- function(relation, bound, wanted) {
  extremes(
    relation,
    bound$nodes[[1]],
    bound$keys,
    wanted,
    names(bound$nodes) == "highest",
    bound$step$ties == "all"
  )
}

# Draws random rows with weights.
scooped_by_weight <- function(bound, state, wanted) {
  node <- bound$nodes$weights
  relation <- relation_of(state)
  weights <- worked_out(relation, node)
  if (any(weights < 0 | is.infinite(weights), na.rm = TRUE)) {
    stop_neatly(
      "run",
      paste0(
        "`", node$text, "` has negative or infinite values, which are no ",
        "weights."
      ),
      state$where,
      paste0(
        "Write `include(", node$text, " >= 0, ", node$text, " < 1e300)` before."
      )
    )
  }
  matches <- drawn_rows(relation, bound$keys, wanted, bound$step$seed, weights)
  note_absent_weights(sum(is.na(weights)), node, state)
  hold_unscooped(matches, bound, state)
}

note_absent_weights <- function(absent, node, state) {
  if (absent == 0) return()
  take_note(
    state$notes,
    paste0(
      "`", node$text, "` is absent in ", counted(absent, "row"), ", which ",
      if (absent == 1) "is" else "are", " held back as unknown."
    ),
    state$where,
    "See them with `held_back(out, unknown = TRUE)`."
  )
}

#' @export
scoop_over.neatsieve_sql <- function(relation, bound, wanted) {
  step <- bound$step
  highest <- names(bound$nodes) == "highest"
  fates <- if (step$ties == "all") {
    extremes_over_parts(relation, bound$nodes[[1]], bound$keys, wanted, highest)
  }
  if (is.null(fates)) {
    fates <- extremes_in_database(
      relation,
      bound$nodes[[1]],
      bound$keys,
      step$n,
      step$share,
      highest,
      step$ties == "all"
    )
  }
  list(fates = fates, absent = count_sql_fates(fates, 2)$counts[[2]])
}

hold_unscooped <- function(fates, bound, state) {
  hold_rows(
    state,
    fates,
    because = c("not scooped", "unknown"),
    reads = unlist(lapply(bound$nodes, columns_read))
  )
}
