# follow() in a database: at each step it fetches only the followed rows, with
# the values of the step's expressions.

# Whether the database can find rows by number without reading the table.
has_numbers_there <- function(study) {
  !is.null(study$database) && length(study$database$relation$base$key) > 0
}

# Runs the sieve again in the database, in one state of the table.
followed_there <- function(state, row, unit) {
  in_its_state(state$study$database$relation$dialect, function() {
    start <- new_database_run(state$study)
    asked <- asked_rows(start, row, unit, state$frame)
    relation <- relation_there(state)
    alike <- compare_state(relation)
    matches <- lines_followed(start, as_sieve(state$steps), asked)
    check_same_account(matches$state$records, state$records, relation)
    other <- unlist(Map(
      function(a, b) length(a) && length(b) && a != b,
      marks_of_run(matches$state),
      marks_of_run(state)
    ))
    if (any(other)) {
      stop_on_changed_table(relation, "other rows than then are met")
    }
    say_of_state(relation, alike)
    list(state = state, asked = as.integer(asked), lines = matches$lines)
  })
}

# The sums of the marks of the rows that went on and that each step held back.
marks_of_run <- function(state) {
  c(
    list(rows_there(state$rows)$known$mark),
    lapply(state$holdings, function(h) h$expected$mark)
  )
}

#' @export
views_followed.neatsieve_sql <- function(
  rows, bound, before, after, at, asked, ids
) {
  same_stage <- length(after$stages) == length(before$stages)
  is_there <- !is.null(rows_there(after$rows))
  if (!is_there && same_stage) {
    here <- fetched_state(before, columns_with_reasons(before$rows))
    show_notes(list(new_note(
      paste0(
        "To follow rows through this step, which runs in R, the rows that ",
        "reach it are ",
        "fetched: ", counted(here$frame$n, "row"), "."
      ),
      bound$where,
      NULL
    )))
    return(list(before = here, after = after, at = placed_by_source(at, here)))
  }
  # New columns are looked at behind the step.
  nodes <- if (!has_effect(bound$step, "columns")) {
    unname(c(bound$nodes, bound$keys))
  }
  list(
    before = view_of_rows(before, nodes, ids),
    at = at,
    after = if (is_there) view_of_rows(after, NULL, ids) else after
  )
}

# Finds each row in another table by its number in the study, and by its rank
# among rows of that number.
placed_by_source <- function(at, state) {
  source <- source_row_of(state$frame, seq_len(state$frame$n))
  of_row <- function(rows) paste(rows, stats::ave(rows, rows, FUN = seq_along))
  at$at <- match(of_row(at$source_row), of_row(source))
  at
}

# The requested rows as a table in memory, which of them are current, and the
# values of the step's nodes and aggregates, by their text.
view_of_rows <- function(state, nodes, ids) {
  nodes <- unique_nodes(unlist(
    lapply(nodes, function(node) c(list(node), aggregates_in(node))),
    recursive = FALSE
  ))
  nodes <- stats::setNames(as.list(nodes), vapply(nodes, `[[`, "", "text"))
  relation <- state$rows
  # Notes on values were given when the step ran, so they are dropped here.
  notes <- new_notebook()
  flat <- with_all_inner_windows(relation, nodes, notes, state$where)
  rows <- flat$relation
  result <- character()
  for (i in seq_along(nodes)) {
    node <- flat$nodes[[i]]
    result[i] <- paste0("(seen ", i, ")")
    rows <- with_sql_column(
      rows,
      result[i],
      sql_value(node, new_query(flat$relation, notes)),
      type_of_column(node)
    )
  }
  columns <- setdiff(names(relation$types), flat$names)
  got <- rows_at_once(
    with_these_keys(rows, ids$keys),
    c(columns, result),
    1e9,
    FALSE,
    c(key_of_rows(rows), named(relation$places, "p"))
  )
  keys <- lapply(got$more[seq_along(ids$keys)], key_sql, relation$dialect)
  source <- ids$source[match(one_text(keys), one_text(ids$keys))]
  id <- one_text(c(list(source), unname(got$more[-seq_along(ids$keys)])))
  stage <- paste("stage", stage_number(state))
  if (is.null(ids[[stage]])) ids[[stage]] <- list(id = id, source = source)
  known <- ids[[stage]]
  place <- match(known$id, id)
  all <- lapply(got$rows, `[`, place)
  state$frame <- new_frame(
    all[columns],
    relation$types[columns],
    length(place),
    source = known$source
  )
  state$rows <- which(!is.na(place))
  state$seen <- stats::setNames(all[result], names(nodes))
  state
}

one_text <- function(parts) do.call(paste, c(unname(parts), sep = "\r"))

#' @export
rows_followed.neatsieve_sql <- function(rows, state, asked, ids) {
  keep_keys(state$rows, asked, ids)
  view <- view_of_rows(state, NULL, ids)
  at <- data.frame(
    source_row = view$frame$source,
    at = seq_along(view$frame$source)
  )
  at[order(match(at$source_row, asked)), , drop = FALSE]
}

# The keys of the rows asked for, and their numbers, in `ids`.
keep_keys <- function(relation, asked, ids) {
  keys <- attr(asked, "keys")
  if (is.null(keys) && is_numbered_by_counts(relation)) {
    matches <- keys_of_numbers(relation, asked)
    keys <- if (!is.null(matches)) list(matches)
  }
  if (is.null(keys)) {
    got <- rows_at_once(
      where_true(relation, is_numbered(relation, asked)),
      character(),
      1e9,
      TRUE,
      key_of_rows(relation)
    )
    keys <- lapply(got$more, key_sql, relation$dialect)
    asked <- got$source
  }
  ids$keys <- keys
  ids$source <- as.integer(asked)
}

# With their keys.
#' @export
rows_with_unit.neatsieve_sql <- function(rows, state, column, unit) {
  relation <- rows
  type <- type_in_relation(relation, column)
  sql <- sql_column(column_node(column, type), new_query(relation))
  # A text that is no value of the column's kind matches no row.
  value <- tryCatch(
    suppressWarnings(switch(type$kind,
      number = ,
      whole = as.numeric(unit),
      date = as.Date(unit),
      logical = as.logical(unit),
      unit
    )),
    error = function(e) NA
  )
  some <- where_true(
    relation, paste(sql, "=", sql_literal(value, type$kind, relation$dialect))
  )
  got <- rows_at_once(some, character(), 1e9, TRUE, key_of_rows(some))
  structure(got$source, keys = lapply(got$more, key_sql, relation$dialect))
}
#' @export
units_to_follow.neatsieve_sql <- function(rows, state, column) {
  as.character(distinct_in_database(rows, column, most_distinct))
}
