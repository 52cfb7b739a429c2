#' Named, possibly overlapping subsets
#'
#' Defines named subsets of the current rows. Every later table has a first
#' column `subset`, every later figure is a list by subset. A row may be in
#' several subsets or in none. Membership is decided here, once; later row steps
#' work on all rows and keep it.
#'
#' @param ... Criteria by name, or named conditions; `leftover()` (with or
#'   without a name) for the rows that are yes in no other subset. Without any:
#'   the subsets end.
#' @param unknown Of `leftover()`: `TRUE` takes rows that some other subset
#'   could not decide and none took (a note says how many and which columns are
#'   absent); `FALSE` leaves them out.
#' @param name A name for the step.
#' @return A step for a [sieve()] or [pour()]. `$subsets` of the siftings is a
#'   list of data frames by name; [overlaps()] gives the sizes of intersections.
#' @details Steps that change what a row is, [condense()], [to_long()] and
#'   [to_wide()], work subset by subset: their rows have the subset's name in a
#'   leading column `subset`, a row that is in two subsets counts in both, those
#'   in none are held back (because `"in no subset"`), and the subsets end.
#' @section Errors: Class `neatsieve_error_step` for subsets of one name. Steps
#'   that add rows, such as [append_rows()], cannot come after it.
#' @seealso [criteria()], [overlaps()], [as_study()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(
#'   hives, subsets(strong = brood_frames > 8, treated = treatment != "none", leftover()),
#'   statistics(mites_per_100)
#' )
#' out$tables$statistics
#' overlaps(out)
#' @export
subsets <- function(..., name = NULL) {
  make_step(
    "subsets",
    conditions = capture_dots(eval(substitute(alist(...))), parent.frame()),
    name = name
  )
}

define_step(
  "subsets",
  "marks",
  list(conditions = field_conditions(), name = field_name()),
  short = "conditions",
  writes_short = TRUE,
  complete = function(values) subsets_complete(values),
  bind = function(step, typing) {
    is_rest <- vapply(step$conditions, is_leftover, logical(1))
    nodes <- condition_nodes(step$conditions[!is_rest], typing)
    typing$scope$subsets <- as.character(names(step$conditions))
    new_bound(step, typing, nodes = nodes, details = list(is_rest = is_rest))
  },
  run = function(bound, state) run_subsets(bound, state),
  words = function(step) subsets_words(step)
)

subsets_complete <- function(values) {
  conditions <- values$conditions
  is_rest <- vapply(conditions, is_leftover, logical(1))
  names(conditions)[is_rest & names(conditions) == ""] <- "leftover"
  conditions <- name_conditions(conditions)
  twice <- names(conditions)[duplicated(names(conditions))]
  if (length(twice)) {
    stop_neatly(
      "step",
      paste0("`subsets()` names ", quoted(twice[1]), " twice."),
      NULL,
      "Give each subset a name of its own."
    )
  }
  if (sum(is_rest) > 1) {
    stop_neatly(
      "step", "`subsets()` has `leftover()` twice.", NULL, "Leave one out."
    )
  }
  if (sum(is_rest) == length(conditions) && length(conditions)) {
    stop_neatly(
      "step",
      "`leftover()` needs other subsets to be left over from.",
      NULL,
      "For example `subsets(strong = brood_frames > 8, others = leftover())`."
    )
  }
  for (rest in conditions[is_rest]) takes_unknown(rest)
  values$conditions <- conditions
  values
}

is_leftover <- function(expression) call_name(expression$lang) == "leftover"

# Whether a leftover() takes the rows that no condition could decide.
takes_unknown <- function(expression) {
  given <- as.list(expression$lang)[-1]
  if (!length(given)) return(TRUE)
  known <- length(given) == 1 &&
    (is.null(names(given)) || names(given) %in% c("", "unknown"))
  if (known && is_flag(given[[1]])) return(given[[1]])
  stop_neatly(
    "step",
    paste0("`", expression_text(expression), "` is not understood."),
    NULL,
    "Write `leftover()`, or `leftover(unknown = FALSE)` to leave undecided rows out."
  )
}

#' @rdname subsets
#' @export
leftover <- function(unknown = TRUE) {
  stop_neatly(
    "step",
    "`leftover()` stands inside `subsets()` only.",
    NULL,
    "For example `subsets(strong = brood_frames > 8, others = leftover())`."
  )
}

run_subsets <- function(bound, state) {
  if (!length(bound$step$conditions)) {
    state$subsets <- NULL
    return(state)
  }
  subsets_over(relation_of(state), bound, state)
}

#' @export
subsets_over.neatsieve_memory <- function(relation, bound, state) {
  split <- subset_outcomes(bound, state)
  state$subsets <- c(
    signatures_of(lapply(split, `==`, 2L), state),
    list(words = subset_words(bound$step, state))
  )
  for (name in names(split)) {
    if (any(split[[name]] == 2L)) next
    take_note(
      state$notes,
      paste0("Subset \"", name, "\" has no rows."),
      state$where,
      "Check its condition with `screening()`."
    )
  }
  tally <- function(outcome) {
    vapply(split, function(o) as.numeric(sum(o == outcome)), numeric(1))
  }
  state$record$conditions <- data.frame(
    name = names(split),
    yes = tally(2L),
    no = tally(0L),
    unknown = tally(1L),
    held = 0,
    row.names = NULL
  )
  state
}

# Outcome of every subset for the rows in play: 0 no, 1 unknown, 2 yes. A
# leftover is yes where no other is, and where one of them is unknown it says so
# or not.
subset_outcomes <- function(bound, state) {
  conditions <- bound$step$conditions
  outcomes <- lapply(outcomes(relation_of(state), bound$nodes), as.integer)
  names(outcomes) <- names(bound$nodes)
  for (name in names(conditions)[bound$details$is_rest]) {
    most <- do.call(pmax, unname(outcomes))
    open <- most == 1L
    takes <- takes_unknown(conditions[[name]])
    note_leftover(name, open, takes, bound$nodes, state)
    outcomes[[name]] <- if (takes) ifelse(most == 2L, 0L, 2L) else 2L - most
  }
  outcomes[names(conditions)]
}

note_leftover <- function(name, open, takes, nodes, state) {
  if (!any(open)) return()
  rows <- (if (is.null(state$rows)) {
    seq_len(state$frame$n)
  } else {
    state$rows
  })[open]
  because <- unknown_because(
    call_node("", unname(nodes), new_type("logical")), state$frame, rows
  )
  note_left_over(name, sum(open), takes, because, state)
}

note_left_over <- function(name, n, takes, because, state) {
  take_note(
    state$notes,
    paste0(
      "Subset \"", name, "\" ", if (takes) "takes " else "leaves out ",
      counted(n, "row"), " that the other subsets could not decide (", because,
      ")."
    ),
    state$where,
    paste0(
      "Write `leftover(unknown = ",
      if (takes) "FALSE)` to leave them out." else "TRUE)` to take them."
    )
  )
}

# What each subset's condition says, with criteria spelled out.
subset_words <- function(step, state) {
  spelled <- spelled_out(step, state$scope)$conditions
  vapply(
    names(step$conditions),
    function(n) {
      if (is_leftover(step$conditions[[n]])) {
        leftover_words(step$conditions[[n]])
      } else {
        expression_words(spelled[[n]]$lang)
      }
    },
    character(1)
  )
}
leftover_words <- function(expression) {
  paste0(
    "rows in no other subset",
    if (!takes_unknown(expression)) ", undecided ones left out"
  )
}

subsets_words <- function(step) {
  if (!length(step$conditions)) return("end of the subsets")
  c(
    "subsets:",
    vapply(
      names(step$conditions),
      function(n) {
        condition <- step$conditions[[n]]
        words <- if (is_leftover(condition)) {
          leftover_words(condition)
        } else {
          expression_words(condition$lang)
        }
        if (words == n) n else paste0(n, ": ", words)
      },
      character(1),
      USE.NAMES = FALSE
    )
  )
}

# Behind subsets a step that changes what a row is goes over the rows of each:
# their name stands in a leading column, and the subsets end.
typing_of_subset_rows <- function(typing) {
  names <- typing$scope$subsets
  if (!length(names)) return(typing)
  if ("subset" %in% names(typing$scope$columns)) {
    stop_neatly(
      "step",
      "The name of the subset would be a column `subset`, and there is one.",
      where_of(typing),
      "Rename it before, as with `pick_columns(rest(), renamed = list(part = subset))`."
    )
  }
  guard_new_name("subset", typing, "column")
  typing$scope$columns <- c(
    list(subset = new_type("category", labels = names)), typing$scope$columns
  )
  typing$scope$origin <- c(subset = NA, typing$scope$origin)
  typing$scope$subsets <- character()
  typing
}
