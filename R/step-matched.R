#' Keep or hold back rows by another table
#'
#' `keep_matched()` keeps the rows whose key is in another table,
#' `drop_matched()` the rows whose key is not. No columns are added.
#'
#' @inheritParams look_up
#' @return A step for a [sieve()] or [pour()]. The other rows are held because
#'   `"unmatched"` or `"matched"`. A row with an absent key matches nothing:
#'   `keep_matched()` holds it back as `"unknown"`, `drop_matched()` lets it
#'   through, and a note says so.
#' @section Errors: As in [look_up()].
#' @seealso [look_up()], [include()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' weighed <- demo_file("monthly-weights.csv")
#' pour(hives, drop_matched(weighed, hive), counts(hive))$tables$counts
#' @export
keep_matched <- function(table, key = NULL, name = NULL, ...) {
  refuse_arguments("keep_matched", eval(substitute(alist(...))))
  make_step(
    "keep_matched",
    table = capture_table(table, substitute(table)),
    key = capture_match(substitute(key), parent.frame(), "keep_matched"),
    name = name
  )
}

#' @rdname keep_matched
#' @export
drop_matched <- function(table, key = NULL, name = NULL, ...) {
  refuse_arguments("drop_matched", eval(substitute(alist(...))))
  make_step(
    "drop_matched",
    table = capture_table(table, substitute(table)),
    key = capture_match(substitute(key), parent.frame(), "drop_matched"),
    name = name
  )
}

matched_step <- function(kind, verb, said) {
  define_step(
    kind,
    "rows",
    list(table = field_table(), key = field_match(), name = field_name()),
    bind = function(step, typing) {
      other <- typing$facts$table(step$table, where_of(typing), typing$notes)
      check_match(step$key, other, typing)
      new_bound(step, typing, details = list(other = other))
    },
    run = function(bound, state) {
      run_matched(bound, state, kind == "keep_matched")
    },
    words = function(step) {
      paste0(verb, " rows whose ", matched_words(step))
    },
    caption = function(step) paste(said, matched_words(step))
  )
}
matched_words <- function(step) {
  paste0(
    match_words(step$key), if (length(step$key) > 1) " are in " else " is in ",
    table_name(step$table)
  )
}
matched_step("keep_matched", "keep", "only rows whose")
matched_step("drop_matched", "hold back", "without rows whose")

run_matched <- function(bound, state, keep) {
  match_over(relation_of(state), bound, state, keep)
}

#' @export
match_over.neatsieve_memory <- function(relation, bound, state, keep) {
  step <- bound$step
  other <- new_memory_relation(bound$details$other$frame)
  match <- matched_rows(relation_of(state), step$key, other, "no", NULL)
  absent <- absent_keys(relation_of(state), names(step$key))
  note_absent_keys(sum(absent), bound, state, keep)
  fates <- raw(length(match))
  fates[is.na(match) == keep] <- as.raw(1)
  if (keep) fates[absent] <- as.raw(2)
  hold_rows(
    state,
    fates,
    c(if (keep) "unmatched" else "matched", "unknown"),
    names(step$key)
  )
}

note_absent_keys <- function(absent, bound, state, keep) {
  if (absent == 0) return()
  take_note(
    state$notes,
    paste0(
      "The key is absent in ", counted(absent, "row"), ", which ",
      if (keep) "are held back as unknown." else "are let through."
    ),
    state$where,
    paste0(
      "`include(present(", lang_text(as.name(names(bound$step$key)[1])),
      "))` before it sets them apart."
    )
  )
}
