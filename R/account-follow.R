#' What happened to one row, or to the rows of one unit
#'
#' Runs the sieve again and shows, for every step, what its conditions said of
#' the row, which values they used, and whether the row went on.
#'
#' @param out Siftings from [pour()].
#' @param row Numbers of rows in the study (`source_row`).
#' @param unit A value of the study's unit column, instead of `row`: all rows of
#'   that unit are followed.
#' @return A data frame with one line per row, step and condition: `source_row`,
#'   `step`, `kind`, `name` (of the condition, the column made, or the step),
#'   `outcome` (`"yes"`, `"no"` or `"unknown"`; absent where nothing was asked),
#'   `saw` (the values that were looked at or made) and `became` (`"went on"`,
#'   `"held back"`, `"in a group"`, `"in a subset"` or `""`). Steps that only
#'   give names, tables or figures have no line. A row that becomes several rows
#'   has a line for each.
#' @section Errors: Class `neatsieve_error_run` if the row does not exist, the
#'   study has no unit, or the unit does not occur (the message names the
#'   nearest).
#' @seealso [held_back()] for all rows that were held, [ledger()] for the
#'   counts.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(
#'   hives, include(weighed = present(hive_weight_kg), mites_per_100 > 5),
#'   work_out(share = honey_kg / hive_weight_kg)
#' )
#' follow(out, 12)
#' follow(out, unit = "FG-02")
#' @export
follow <- function(out, row = NULL, unit = NULL) {
  local_plain()
  matches <- followed_where_they_are(out, row, unit)
  state <- matches$state
  asked <- matches$asked
  lines <- matches$lines
  rownames(lines) <- NULL
  structure(
    lines,
    class = c("neatsieve_followed", "data.frame"),
    asked = asked,
    study = state$study$name,
    unit = unit,
    unit_column = state$study$unit
  )
}

# In a database only these rows are fetched; if that is impossible, the table is
# read.
followed_where_they_are <- function(out, row, unit) {
  state <- siftings_parts(out)$state
  if (has_numbers_there(state$study)) {
    result <- tryCatch(
      followed_there(state, row, unit),
      neatsieve_not_in_database = function(e) NULL
    )
    if (!is.null(result)) return(result)
  }
  state <- siftings_parts(out, "all")$state
  asked <- asked_rows(state, row, unit, state$frame)
  list(
    state = state,
    asked = asked,
    lines = lines_followed(
      new_run(state$study), as_sieve(state$steps), asked
    )$lines
  )
}

# frame: of the end of the run.
asked_rows <- function(state, row, unit, frame) {
  if (is.null(row) == is.null(unit)) {
    stop_neatly(
      "run",
      "`follow()` needs a row or a unit.",
      NULL,
      "Write `follow(out, 12)` or `follow(out, unit = \"FG-02\")`."
    )
  }
  if (!is.null(unit)) return(rows_of_unit(state, unit))
  whole <- is.numeric(row) &&
    length(row) > 0 &&
    !anyNA(row) &&
    all(row == floor(row) & row >= 1)
  if (!whole) {
    stop_neatly(
      "run",
      "`row` must be numbers of rows of the study.",
      NULL,
      "`held_back(out)$source_row` has those of the rows held back."
    )
  }
  most <- max(state$study$frame$n, frame$source)
  if (any(row > most)) {
    stop_neatly(
      "run",
      paste0("There is no row ", format_count(max(row)), "."),
      NULL,
      paste0("The study has ", counted(state$study$frame$n, "row"), ".")
    )
  }
  unique(as.integer(row))
}

rows_of_unit <- function(state, unit) {
  column <- state$study$unit
  if (is.null(column)) {
    stop_neatly(
      "run",
      "The study names no unit.",
      NULL,
      "Name it with `study(data, unit = hive)`, or follow a row by its number."
    )
  }
  rows <- rows_with_unit(state$rows, state, column, as.character(unit)[1])
  if (length(rows)) return(rows)
  text <- units_to_follow(state$rows, state, column)
  stop_neatly(
    "run",
    paste0("No row has the ", column, " ", quoted(as.character(unit)[1]), "."),
    NULL,
    meant(as.character(unit)[1], unique(text[!is.na(text)]), quoted)
  )
}

# Runs the steps and collects a line for each followed row and each condition or
# column; returns the final state, too.
lines_followed <- function(state, steps, asked) {
  ids <- new.env(parent = emptyenv())
  at <- rows_followed(state$rows, state, asked, ids)
  lines <- list()
  while (length(steps)) {
    checked <- check_all(steps, state)
    for (bound in checked) {
      before <- state
      state <- run_one(bound, state)
      if (is_declaration(bound$step) || has_effect(bound$step, "records")) next
      view <- views_followed(before$rows, bound, before, state, at, asked, ids)
      after <- followed_on(view$at, bound, view$before, view$after, asked)
      lines <- c(
        lines,
        list(step_lines_followed(
          bound, view$before, view$after, view$at, after
        ))
      )
      at <- after
    }
    steps <- steps[-seq_along(checked)]
  }
  none <- line_followed(integer(), bound = NULL, "", "", "", "")
  list(state = state, lines = one_below_other(c(list(none), lines)))
}

line_followed <- function(source_row, bound, name, outcome, saw, became) {
  n <- length(source_row)
  data.frame(
    source_row = source_row,
    step = rep(if (n) bound$number else 0L, n),
    kind = rep(if (n) bound$step$kind else "", n),
    name = rep_len(name, n),
    outcome = rep_len(as.character(outcome), n),
    saw = rep_len(saw, n),
    became = rep_len(became, n)
  )
}

# Where the rows stand in the table behind a step.
followed_on <- function(at, bound, before, after, asked) {
  in_play <- if (is.null(after$rows)) seq_len(after$frame$n) else after$rows
  if (length(after$stages) == length(before$stages)) {
    return(at[at$at %in% in_play, , drop = FALSE])
  }
  if (is.null(after$frame$source)) {
    at <- if (isTRUE(bound$details$by_subset)) {
      subset_groups_followed(at, bound, before, after)
    } else {
      groups_followed(at, bound, before, after)
    }
    return(at[at$at %in% in_play, , drop = FALSE])
  }
  source <- after$frame$source[in_play]
  # Rows of another table have numbers behind the study's, and are met here
  # first.
  there <- which(
    source %in% c(at$source_row, asked[asked > before$study$frame$n])
  )
  data.frame(source_row = source[there], at = in_play[there])
}

# The group that each row became part of, by the values of the keys.
groups_followed <- function(at, bound, before, after, subset = NULL) {
  keys <- bound$keys
  if (!length(keys)) at$at <- rep(1L, nrow(at))
  if (!length(keys)) return(at)
  words <- function(columns) interaction_words(lapply(columns, value_texts))
  mine <- lapply(stats::setNames(nm = names(keys)), function(name) {
    if (name == "subset" && !is.null(subset)) return(rep(subset, nrow(at)))
    values_at(keys[[name]], before, at$at)
  })
  at$at <- match(words(mine), words(after$frame$columns[names(keys)]))
  at
}

# The same for a row in several subsets, which is in a group of each subset.
subset_groups_followed <- function(at, bound, before, after) {
  one_below_other(lapply(subset_names(before), function(subset) {
    of <- at[at$at %in% subset_rows(before, subset), , drop = FALSE]
    groups_followed(of, bound, before, after, subset)
  }))
}

step_lines_followed <- function(bound, before, after, at, on) {
  known <- line_followed(integer(), bound, "", "", "", "")
  if (nrow(at)) {
    known <- if (length(bound$step[["conditions"]]) && length(bound$nodes)) {
      conditions_followed(bound, before, at, on)
    } else if (has_effect(bound$step, "columns")) {
      columns_followed(bound, after, at)
    } else {
      plain_lines_followed(bound, before, after, at, on)
    }
  }
  came <- on[!on$source_row %in% at$source_row, , drop = FALSE]
  one_below_other(list(
    known,
    line_followed(
      came$source_row, bound, bound$name, NA, "", rep("came in", nrow(came))
    )
  ))
}

# Rows after a step without conditions: they went on, were held back, or became
# part of a group; with the values that the step used, or the keys of the group.
plain_lines_followed <- function(bound, before, after, at, on) {
  in_group <- length(after$stages) > length(before$stages) &&
    is.null(after$frame$source)
  became <- ifelse(
    at$source_row %in% on$source_row,
    if (in_group) "in a group" else "went on",
    "held back"
  )
  group <- on$at[match(at$source_row, on$source_row)]
  if (in_group && anyDuplicated(on$source_row)) {
    # A row of several subsets is in a group of each.
    places <- lapply(
      at$source_row,
      function(row) {
        c(
          on$at[on$source_row == row], NA
        )[seq_len(max(1, sum(on$source_row == row)))]
      }
    )
    again <- rep(seq_len(nrow(at)), lengths(places))
    at <- at[again, , drop = FALSE]
    became <- became[again]
    group <- unlist(places)
  }
  saw <- if (in_group) {
    lapply(names(bound$keys), function(k) {
      paste0(k, " = ", value_texts(after$frame$columns[[k]][group]))
    })
  } else if (has_effect(bound$step, "rows")) {
    lapply(unname(c(bound$keys, bound$nodes)), function(n) {
      paste0(n$text, " = ", value_texts(values_at(n, before, at$at)))
    })
  }
  saw <- if (length(saw)) do.call(paste, c(saw, sep = ", ")) else ""
  if (in_group) saw <- ifelse(is.na(group), "", saw)
  line_followed(at$source_row, bound, bound$name, NA, saw, became)
}

# What each condition of a step said of the rows, and the values it read.
conditions_followed <- function(bound, before, at, on) {
  conditions <- Filter(function(n) n$kind == "logical", bound$nodes)
  each <- lapply(names(conditions), function(name) {
    outcomes <- as.logical(values_at(conditions[[name]], before, at$at))
    line_followed(
      at$source_row,
      bound,
      name,
      ifelse(is.na(outcomes), "unknown", ifelse(outcomes, "yes", "no")),
      values_seen(conditions[[name]], before, at$at),
      ""
    )
  })
  lines <- row_by_row(each)
  last <- seq_len(nrow(lines)) %% length(each) == 0
  kept <- at$at %in% on$at
  lines$became[last] <- if (has_effect(bound$step, "marks")) {
    lines$became[lines$outcome %in% "yes"] <- "in a subset"
    lines$became[last]
  } else {
    ifelse(kept, "went on", "held back")
  }
  lines
}

# The columns that a step made, as they are for the rows.
columns_followed <- function(bound, after, at) {
  new_columns <- names(bound$nodes)
  if (!length(new_columns)) {
    return(line_followed(at$source_row, bound, bound$name, NA, "", "went on"))
  }
  each <- lapply(new_columns, function(name) {
    line_followed(
      at$source_row,
      bound,
      name,
      NA,
      paste0(name, " = ", value_texts(after$frame$columns[[name]][at$at])),
      ""
    )
  })
  lines <- row_by_row(each)
  lines$became[seq_len(nrow(lines)) %% length(each) == 0] <- "went on"
  lines
}

# Row numbers of a unit (given as text), and all units as texts.
rows_with_unit <- function(rows, state, column, unit) {
  UseMethod("rows_with_unit")
}
#' @export
rows_with_unit.default <- function(rows, state, column, unit) {
  which(units_to_follow(rows, state, column) == unit)
}
units_to_follow <- function(rows, state, column) UseMethod("units_to_follow")
#' @export
units_to_follow.default <- function(rows, state, column) {
  as.character(state$study$frame$columns[[column]])
}

# The states before and after a step as tables of the followed rows, and the
# places of these rows in them (`at`). ids: the identity of such rows, by stage.
views_followed <- function(rows, bound, before, after, at, asked, ids) {
  UseMethod("views_followed")
}
#' @export
views_followed.default <- function(rows, bound, before, after, at, asked, ids) {
  list(before = before, after = after, at = at)
}

# Where the rows asked for stand before the first step.
rows_followed <- function(rows, state, asked, ids) UseMethod("rows_followed")
#' @export
rows_followed.default <- function(rows, state, asked, ids) {
  at <- data.frame(source_row = asked, at = asked)
  at[at$source_row <= state$frame$n, , drop = FALSE]
}
