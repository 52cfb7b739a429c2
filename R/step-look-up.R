#' Bring in columns from another table
#'
#' Adds columns from another table: each row gets the columns of the row there
#' with the same key. The number of rows stays the same, unless
#' `several = "all"`.
#'
#' @param table A data frame, a [study()], siftings of [pour()], a [database()]
#'   table, or the path of a file, several paths, a pattern or a folder (in a
#'   plan, relative to it; read with the defaults of [study()]). A [study()] of
#'   files stands in a plan with how it is read, as
#'   `table: {file: late.csv, decimal: ","}`, with the keys that a plan's
#'   `study` has; a table of a database as `table: {database: {driver: sqlite,
#'   file: hives.sqlite, table: apiaries}}`.
#' @param key The columns by which rows belong together: `hive`,
#'   `c(apiary, hive)`, or, where they are called otherwise there,
#'   `list(hive = "hive_id")`. Absent is no key: it matches nothing.
#' @param take Picks of the other table's columns (see [pick_columns()]); none:
#'   all but the key.
#' @param as What the columns are called here: a name with a `*` for their own
#'   name there.
#' @param several What is done with a key that several rows there have: `"stop"`
#'   (an error that shows them, before anything is computed), `"first"` takes
#'   the first, `"all"` makes a row for each.
#' @param unmatched Rows without a row there: `"keep"` (the new columns are
#'   absent), `"hold"` holds them back because `"unmatched"`, `"stop"` makes the
#'   run fail. They are always counted in a note, with values that are spelled
#'   nearly alike.
#' @param nearest The last column of the key, numbers or dates, need not be
#'   equal: `"before"` takes the nearest row there that is not after it,
#'   `"after"` the nearest not before it, `"either"` the nearest (of two equally
#'   near the one before). `"no"`: it has to be equal.
#' @param up_to With `nearest = "before"`: the column there up to which a row
#'   holds, so that a value is looked up by the interval it lies in, both ends
#'   included; an absent end is none. Intervals of one key that overlap are an
#'   error that shows them, unless `several = "first"`.
#' @param within With `nearest`: how far away it may be, in the numbers' own
#'   measure, for dates in days.
#' @param name A name for the step.
#' @param ... Not used: an unknown argument is an error that names it.
#' @return A step for a [sieve()] or [pour()]. Labels and measures of a study
#'   come along. With `several = "all"` the further rows count as added in the
#'   [ledger()].
#' @section Errors: Class `neatsieve_error_expression` for columns that are not
#'   there and for keys of kinds that do not agree; class `neatsieve_error_step`
#'   for repeated keys, for a column that is here already, and for a file that
#'   is not there.
#' @seealso [keep_matched()], [append_rows()], [database()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' sites <- demo_file("apiaries.csv")
#' pour(
#'   hives, look_up(sites, apiary, take = c(elevation_m, landscape)),
#'   statistics(honey_kg, by = landscape)
#' )
#' @export
look_up <- function(
  table, key = NULL, take = NULL, as = "*", several = "stop",
  unmatched = "keep", nearest = "no", within = NULL, up_to = NULL, name = NULL,
  ...
) {
  refuse_arguments("look_up", eval(substitute(alist(...))))
  env <- parent.frame()
  make_step(
    "look_up",
    table = capture_table(table, substitute(table)),
    key = capture_match(substitute(key), env, "look_up"),
    take = capture_some_picks(substitute(take), env),
    as = as,
    several = several,
    unmatched = unmatched,
    nearest = nearest,
    within = within,
    up_to = capture_column_name(substitute(up_to)),
    name = name
  )
}

# Captures a column given as bare name or text.
capture_column_name <- function(lang) {
  if (is.symbol(lang)) as.character(lang) else lang
}

define_step(
  "look_up",
  "reshapes",
  list(
    table = field_table(),
    key = field_match(),
    take = field_picks("take", in_dots = FALSE),
    as = field_starred(),
    several = field_choice("stop", "first", "all"),
    unmatched = field_choice("keep", "hold", "stop"),
    nearest = field_choice("no", "before", "after", "either"),
    within = field_plain(
      NULL,
      function(x) {
        is.numeric(x) && length(x) == 1 && is.finite(x) && x >= 0
      },
      "one number, 0 or more",
      list(type = "number", minimum = 0)
    ),
    up_to = field_text(),
    name = field_name()
  ),
  complete = function(values) look_up_complete(values),
  bind = function(step, typing) bind_look_up(step, typing),
  run = function(bound, state) run_look_up(bound, state),
  words = function(step) look_up_words(step)
)

# A name with one star.
field_starred <- function() {
  field_plain(
    "*",
    function(x) {
      is_text(x) && lengths(regmatches(x, gregexpr("*", x, fixed = TRUE))) == 1
    },
    "a name with one `*`, which stands for the column's own name",
    list(type = "string", pattern = "^[^*]*\\*[^*]*$")
  )
}
starred <- function(names, pattern) {
  vapply(
    names,
    function(n) sub("*", n, pattern, fixed = TRUE),
    "",
    USE.NAMES = FALSE
  )
}

look_up_complete <- function(values) {
  if (!is.null(values$within) && values$nearest == "no") {
    stop_neatly(
      "step",
      "`within` of `look_up()` needs `nearest`.",
      NULL,
      "Write `nearest = \"before\", within = 30`."
    )
  }
  if (values$nearest != "no" && values$several == "all") {
    stop_neatly(
      "step",
      "`nearest` of `look_up()` takes one row, and `several` asks for all.",
      NULL,
      "Leave one out."
    )
  }
  if (!is.null(values$up_to) && values$nearest != "before") {
    stop_neatly(
      "step",
      "`up_to` of `look_up()` needs `nearest = \"before\"`.",
      NULL,
      "Let the last column of the key be where an interval begins."
    )
  }
  values
}

look_up_words <- function(step) {
  taken <- if (length(step$take)) {
    paste(vapply(step$take, lang_text, ""), collapse = ", ")
  } else {
    "all columns"
  }
  paste0(
    "bring in ", taken, " from ", table_name(step$table), " by ",
    match_words(step$key), if (step$as != "*") paste0(", called ", step$as),
    switch(step$nearest,
      before = ", the nearest one before",
      either = ", the nearest one",
      after = ", the nearest one after",
      ""
    ),
    if (!is.null(step$within)) paste0(" within ", number_code(step$within)),
    if (!is.null(step$up_to)) paste0(" that holds up to ", step$up_to),
    switch(step$several,
      first = ", of several the first",
      all = ", a row for each",
      ""
    ),
    switch(step$unmatched,
      hold = ", rows without one held back",
      stop = ", stopping at a row without one",
      ""
    )
  )
}

bind_look_up <- function(step, typing) {
  other <- typing$facts$table(step$table, where_of(typing), typing$notes)
  check_match(step$key, other, typing)
  if (step$nearest != "no") check_nearest(step, typing)
  if (!is.null(step$up_to)) check_intervals(step, other, typing)
  if (step$several == "stop" && step$nearest == "no") {
    check_one_per_key(
      step$key,
      other,
      paste0(
        "Write `several = \"first\"` or `\"all\"`, or make ", "the key whole."
      ),
      typing
    )
  }
  if (step$several == "all") {
    refuse_after_subsets(step$kind, typing, "makes further rows")
  }
  types <- other$frame$types
  inner <- at_place(typing, paste0("In the table ", quoted(other$name), "."))
  inner$scope <- new_scope(types)
  from <- if (length(step$take)) {
    resolve_picks(step$take, inner, "`take`")
  } else {
    setdiff(names(types), c(step$key, step$up_to))
  }
  to <- starred(from, step$as)
  check_brought_names(from, to, typing)
  for (i in seq_along(to)) {
    type <- types[[from[i]]]
    if (!is.null(type$reasons)) {
      type$reasons$column <- reason_column(
        to[i], reasons_in_use(typing$scope$columns)
      )
    }
    typing$scope$columns[[to[i]]] <- type
    typing$scope$origin[to[i]] <- NA
  }
  typing$scope$dropped <- typing$scope$dropped[setdiff(
    names(typing$scope$dropped), to
  )]
  new_bound(
    step,
    typing,
    details = list(
      other = other,
      from = from,
      to = to,
      types = typing$scope$columns[to]
    )
  )
}

check_nearest <- function(step, typing) {
  last <- names(step$key)[length(step$key)]
  type <- typing$scope$columns[[last]]
  if (type$kind %in% c(numeric_kinds, "date", "date-time")) return()
  stop_neatly(
    "step",
    paste0(
      "`nearest` goes by `", last, "`, the last column of the key, which ",
      "is ", kind_words(type), "."
    ),
    where_of(typing),
    "Put a column of numbers or dates last: `key = c(hive, visit_date)`."
  )
}

check_brought_names <- function(from, to, typing) {
  if (!length(from)) {
    stop_neatly(
      "step",
      "There is no column to bring in.",
      where_of(typing),
      "Name some in `take`, or use `keep_matched()`."
    )
  }
  clash <- intersect(to, names(typing$scope$columns))
  if (length(clash)) {
    stop_neatly(
      "step",
      paste0("Column `", clash[1], "` is here already."),
      where_of(typing),
      paste0(
        "Leave it out of `take`, or give the new columns other names: ",
        "`as = \"other_*\"`."
      )
    )
  }
  for (name in to) guard_new_name(name, without_columns(typing), "column")
}

refuse_after_subsets <- function(kind, typing, what) {
  if (!length(typing$scope$subsets)) return()
  stop_neatly(
    "step",
    paste0("`", kind, "()` ", what, ", so it cannot come after `subsets()`."),
    where_of(typing),
    "Move it before `subsets()`, or end them with `subsets()` without conditions."
  )
}

run_look_up <- function(bound, state) {
  look_up_over(relation_of(state), bound, state)
}

#' @export
look_up_over.neatsieve_memory <- function(relation, bound, state) {
  step <- bound$step
  other <- new_memory_relation(bound$details$other$frame)
  match <- matched_rows(
    relation_of(state), step$key, other, step$nearest, step$within
  )
  if (!is.null(step$up_to)) {
    match <- still_holding(match, step, other$frame, state)
  }
  note_unmatched(match, bound, state)
  if (step$unmatched == "hold" && anyNA(match)) {
    state <- hold_rows(
      state, as.raw(is.na(match)), "unmatched", names(step$key)
    )
    match <- match[!is.na(match)]
  }
  if (step$several == "all") {
    all <- all_matches(match, step$key, other)
    state <- with_rows_of_frame(state, all$place)
    match <- all$match
  }
  with_brought_columns(state, match, bound$details)
}

# For each match (by its first row there) every row of its key: their places
# here and rows there.
all_matches <- function(match, key, other) {
  rows <- split(seq_len(count_rows(other)), alike_rows(other, unname(key)))
  rows <- rows[match(match, as.integer(names(rows)))]
  rows[is.na(match)] <- list(NA_integer_)
  list(
    place = rep(seq_along(match), lengths(rows)),
    match = as.integer(unlist(rows, use.names = FALSE))
  )
}

# The rows in play, some of them several times, as a table of their own.
with_rows_of_frame <- function(state, place) {
  rows <- if (is.null(state$rows)) place else state$rows[place]
  shown <- c(state$visible, reasons_in_use(state$frame$types[state$visible]))
  columns <- unclass(frame_rows(state$frame, rows, shown))[shown]
  state$record$added <- length(place) - state_row_count(state)
  in_new_stage(
    state,
    columns,
    length(place),
    source_row_of(state$frame, rows),
    state$frame$types[state$visible]
  )
}

with_brought_columns <- function(state, match, details) {
  for (i in seq_along(details$from)) {
    bring <- function(column) {
      spread_over(
        details$other$frame$columns[[column]][match],
        state$rows,
        state$frame$n,
        NULL
      )
    }
    type <- details$types[[details$to[i]]]
    state$frame <- frame_with(
      state$frame, details$to[i], bring(details$from[i]), type
    )
    there <- details$other$frame$types[[details$from[i]]]$reasons
    if (!is.null(there)) {
      state$frame <- frame_with(
        state$frame, type$reasons$column, bring(there$column), NULL
      )
    }
    for (what in c("labels", "measures")) {
      words <- details$other[[what]][[details$from[i]]]
      if (!is.null(words)) state[[what]][[details$to[i]]] <- words
    }
  }
  state$visible <- union(state$visible, details$to)
  state
}
