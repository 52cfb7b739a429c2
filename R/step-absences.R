#' Missing values per column
#'
#' Counts absent values in each column, per group, and which columns are absent
#' together.
#'
#' @param ... Column picks (see [pick_columns()]); none: all columns.
#' @param by Keys, as in [statistics()].
#' @param patterns `TRUE`: also a table `<name>_patterns` of the sets of columns
#'   that are absent together.
#' @param name A name for the table in `$tables`; `"absences"` by default.
#' @return A step for a [sieve()] or [pour()]. In `$tables`: `<name>`, a data
#'   frame with the keys, `column`, `rows`, `absent`, `share`, and a last line
#'   per group, `(any of these)`, whose `absent` counts the rows where any
#'   picked column is absent (the others are complete). Where values are absent
#'   for reasons that are known (`absent_codes` of [study()]), a column `reason`
#'   follows `column`: `"(any)"`, and behind it a line for each reason and
#'   `"(no reason)"`. With `patterns`, `<name>_patterns`: the keys,
#'   `absent_columns` (joined by ` + `, `(none)` for complete rows), `columns`
#'   (how many) and `rows`.
#' @section Errors: Class `neatsieve_error_expression` for picks that find
#'   nothing.
#' @seealso [counts()], [statistics()], [chart_absence()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' gaps <- absences(hive_weight_kg, mites_per_100, honey_kg, by = season, patterns = TRUE)
#' pour(hives, gaps)$tables
#' @export
absences <- function(..., by = NULL, patterns = FALSE, name = NULL) {
  env <- parent.frame()
  make_step(
    "absences",
    picks = capture_step_picks("absences", eval(substitute(alist(...))), env),
    keys = capture_keys(substitute(by), env),
    patterns = patterns,
    name = name
  )
}

define_step(
  "absences",
  "records",
  list(
    picks = field_picks(),
    keys = field_keys(),
    patterns = field_flag(),
    name = field_name()
  ),
  short = "picks",
  bind = function(step, typing) bind_absences(step, typing),
  run = function(bound, state) run_absences(bound, state),
  reads_all = function(step) !length(step$picks),
  of_groups = function(bound) TRUE,
  words = function(step) {
    paste0(
      "table of absent values of ",
      if (length(step$picks)) {
        paste(vapply(step$picks, lang_text, ""), collapse = ", ")
      } else {
        "all columns"
      },
      keys_words(step$keys), if (step$patterns) ", with what is absent together"
    )
  }
)

bind_absences <- function(step, typing) {
  keys <- check_keys(
    step$keys,
    typing,
    "by",
    c("column", "reason", "rows", "absent", "share", "subset")
  )
  columns <- if (length(step$picks)) {
    resolve_picks(step$picks, typing, "absences()")
  } else {
    names(typing$scope$columns)
  }
  of_keys <- unlist(lapply(keys, function(n) if (n$node == "column") n$name))
  new_bound(
    step,
    typing,
    keys = keys,
    details = list(columns = setdiff(columns, of_keys))
  )
}

run_absences <- function(bound, state) {
  columns <- bound$details$columns
  keys <- names(bound$keys)
  sets_of <- absences_by_group(bound$keys, columns, state)
  tables <- tables_by_subset(state, function(rows, subset) {
    matches <- sets_of(rows)
    grouped <- matches$grouped
    absent_in <- matches$absent_in
    group <- if (length(keys)) {
      interaction_code(grouped$keys[keys])
    } else {
      rep(1L, grouped$groups)
    }
    main <- absence_table(grouped, absent_in, group, keys, columns)
    c(
      list(
        main = with_reason_lines(main, bound$keys, columns, state$frame, rows)
      ),
      if (bound$step$patterns) {
        list(patterns = pattern_table(grouped, absent_in, group, keys, columns))
      }
    )
  })
  for (part in names(tables)) {
    state <- record_table(
      state,
      finished_table(
        tables[[part]], names(bound$keys), keys_called(bound$keys, state)
      ),
      part
    )
  }
  state
}

# A function of some rows: their groups by keys and by what is absent in them,
# and which columns are absent in each group.
absences_by_group <- function(keys, columns, state) {
  absences_over(relation_of(state), keys, columns, state)
}

#' @export
absences_over.neatsieve_memory <- function(relation, keys, columns, state) {
  sets <- absent_sets(state$frame$columns[columns], state$frame$n)
  frame <- frame_with(state$frame, "(set)", sets$code, new_type("whole"))
  # The sets already have codes, so they need no further coding.
  frame$keys[["(set)"]] <- list(codes = sets$code, values = seq_len(nrow(sets$sets)))
  set_node <- column_node("(set)", new_type("whole"))
  function(rows) {
    grouped <- group_rows(c(keys, list(`(set)` = set_node)), frame, rows)
    list(
      grouped = grouped,
      absent_in = sets$sets[grouped$keys[["(set)"]], , drop = FALSE]
    )
  }
}

absence_table <- function(grouped, absent_in, group, keys, columns) {
  n <- grouped$rows_per_group
  total <- as.vector(rowsum(n, group, reorder = FALSE))
  missing <- rowsum(
    cbind(absent_in, rowSums(absent_in) > 0) * n,
    group,
    reorder = FALSE
  )
  if (!length(total) && !length(keys)) {
    # Without keys all rows are one group, even if there are no rows.
    total <- 0
    missing <- matrix(0, 1, length(columns) + 1L)
  }
  first <- !duplicated(group)
  lines <- rep(seq_along(total), each = length(columns) + 1L)
  table_of_columns(c(
    lapply(as.list(grouped$keys[keys][first, , drop = FALSE]), `[`, lines),
    list(
      column = rep(c(columns, "(any of these)"), length(total)),
      rows = as_count(total[lines]),
      absent = as_count(t(missing)),
      share = ifelse(total[lines] > 0, as.vector(t(missing)) / total[lines], NA)
    )
  ))
}

# With lines below a column, where reasons are known for it: how many values are
# absent for each.
with_reason_lines <- function(table, keys, columns, frame, rows) {
  # A code for all columns may not occur in this one.
  having <- Filter(
    function(column) length(counts_of_reasons_of(frame, column)), columns
  )
  if (!length(having)) return(table)
  by_hand <- lapply(
    having, function(column) reason_lines(table, keys, column, frame, rows)
  )
  all <- one_below_other(c(
    list(cbind(table, reason = "(any)", at = seq_len(nrow(table)))), by_hand
  ))
  all <- all[order(
    all$at
  ), c(names(keys), "column", "reason", "rows", "absent", "share")]
  rownames(all) <- NULL
  all
}

# at: where a line belongs, behind that of its column and group.
reason_lines <- function(table, keys, column, frame, rows) {
  reasons <- frame$types[[column]]$reasons
  of_column <- which(table$column == column)
  grouped <- group_rows(
    c(keys, list(`(reason)` = reasons_node(reasons))), frame, rows
  )
  codes <- match(grouped$keys[["(reason)"]], reasons$labels)
  at <- if (!length(keys)) {
    rep(1L, length(codes))
  } else {
    vctrs::vec_match(
      vctrs::new_data_frame(as.list(grouped$keys[names(keys)])),
      vctrs::new_data_frame(as.list(
        table[of_column, names(keys), drop = FALSE]
      ))
    )
  }
  counts <- matrix(0, length(of_column), length(reasons$labels) + 1L)
  known <- !is.na(codes)
  counts[cbind(
    at, codes
  )[known, , drop = FALSE]] <- grouped$rows_per_group[known]
  last <- ncol(counts)
  counts[, last] <- table$absent[of_column] - rowSums(counts)
  shown <- c(rep(TRUE, last - 1), any(counts[, last] > 0))
  line <- rep(of_column, each = sum(shown))
  lines <- table[line, , drop = FALSE]
  lines$reason <- rep(
    c(reasons$labels, "(no reason)")[shown], length(of_column)
  )
  lines$absent <- as_count(as.vector(t(counts[, shown, drop = FALSE])))
  lines$share <- ifelse(lines$rows > 0, lines$absent / lines$rows, NA)
  lines$at <- line + rep(seq_len(sum(shown)), length(of_column)) / (last + 1)
  lines
}

# What is absent together, by group, the most frequent first.
pattern_table <- function(grouped, absent_in, group, keys, columns) {
  n <- grouped$rows_per_group
  words <- apply(absent_in, 1, function(a) {
    if (any(a)) paste(columns[a], collapse = " + ") else "(none)"
  })
  pattern <- table_of_columns(c(
    as.list(grouped$keys[keys]),
    list(
      absent_columns = as.character(words),
      columns = as.integer(rowSums(absent_in)),
      rows = as_count(n)
    )
  ))
  pattern <- pattern[base::order(group, -n), , drop = FALSE]
  rownames(pattern) <- NULL
  pattern
}
