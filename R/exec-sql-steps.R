# Steps whose work in a database differs from that in memory.

# Each new column is a query around those before.
most_new_columns <- 50

# Each column becomes one of the query; what it changes and where it is newly
# absent is counted.
#' @export
work_out_over.neatsieve_sql <- function(relation, bound, state) {
  account <- list()
  if (length(bound$nodes) > most_new_columns) {
    cannot_in_database(paste(
      "more than", most_new_columns, "new columns at once"
    ))
  }
  for (i in seq_along(bound$nodes)) {
    column <- names(bound$nodes)[i]
    node <- bound$nodes[[i]]
    where <- c(state$where, paste0("In column \"", column, "\"."))
    type <- type_of_column(node)
    type["reasons"] <- list(bound$scope$columns[[column]]$reasons)
    if (!is.null(type$reasons) && node$node != "column") {
      cannot_in_database("the reasons of values that are chosen")
    }
    if (node$kind == "category" && is.null(node$labels)) {
      cannot_in_database("categories that are told by the values")
    }
    old <- if (column %in% state$visible) state$rows$columns[[column]]$alias
    old_type <- state$rows$types[[column]]
    note_different_rows(node, state$frame, state$rows, state$notes, where)
    flat <- with_inner_windows(state$rows, node, state$notes, where)
    sql <- sql_value(flat$node, new_query(flat$relation, state$notes, where))
    rows <- with_sql_column(flat$relation, column, sql, type)
    count_rows(state$rows)
    rows <- without_sql_columns(with_rows_of(rows, state$rows), flat$names)
    account[[i]] <- account_in_database(column, node, old, old_type, rows, state, where)
    state$rows <- rows
    state$frame <- outline_of_database(rows)
    state$visible <- unique(c(state$visible, column))
  }
  state$record$columns <- account
  state$visible <- bound$details$to
  state
}

account_in_database <- function(
  column, node, old, old_type, rows, state, where
) {
  dialect <- rows$dialect
  new <- rows$columns[[column]]$alias
  read <- columns_read(node)
  sources <- unname(aliases_of(state$rows)[read])
  open <- undecided_choices(node)
  # The counts read the columns as they were, and may not contain windows.
  rows[c("columns", "types")] <- state$rows[c("columns", "types")]
  for (i in seq_along(open)) {
    flat <- with_inner_windows(rows, open[[i]], NULL, where, inside = TRUE)
    rows <- flat$relation
    open[[i]] <- flat$node
  }
  q <- new_query(rows)
  whens <- c(
    changed = changed_in_database(node, new, old, old_type),
    beyond = if (node$kind == "whole") {
      paste0("abs(", new, ") > 2147483647")
    } else {
      "1 = 0"
    },
    when_result_absent(new, sources),
    stats::setNames(
      vapply(open, function(choice) sql_value(choice, q), ""),
      numbered("open", open)
    )
  )
  counts <- dialect$real(paste0("count(CASE WHEN ", whens, " THEN 1 END)"))
  asked <- paste(counts, "AS", names(whens), collapse = ", ")
  n <- unlist(ask_database(
    dialect, paste0("SELECT ", asked, " FROM ", from_relation(rows, asked))
  ))
  note_beyond_whole(node, n[["beyond"]], state$notes, where)
  of <- stats::setNames(n[numbered("of", sources)], read)
  undecided <- stats::setNames(n[numbered("open", open)], names(open))
  new_column_account(
    column,
    if (is.null(old)) NA_real_ else n[["changed"]],
    new_absent_results(n[["gone"]], of, n[["several"]], n[["newly"]]),
    if (n[["gone"]] == 0) undecided * 0 else undecided
  )
}

# When a value is unlike that of the column whose place it takes.
changed_in_database <- function(node, new, old, old_type) {
  if (is.null(old)) return("1 = 0")
  kinds <- c(old_type$kind, node$kind)
  if (kinds[1] != kinds[2] && !all(kinds %in% numeric_kinds)) {
    cannot_in_database("a column of another kind takes the place of one")
  }
  paste0(
    "(", old, " IS NULL AND ", new, " IS NOT NULL) OR (", old,
    " IS NOT NULL AND ", new, " IS NULL) OR ", old, " <> ", new
  )
}

# When a result is absent: at all, where several of the columns it is made of
# are, where none is, and where each is.
when_result_absent <- function(new, sources) {
  absent_sql <- paste(new, "IS NULL")
  also <- function(when) paste(c(absent_sql, when), collapse = " AND ")
  ones <- if (length(sources)) {
    paste0("CASE WHEN ", sources, " IS NULL THEN 1 ELSE 0 END")
  }
  reasons <- paste(c("0", ones), collapse = " + ")
  c(
    gone = absent_sql,
    several = also(paste0("(", reasons, ") > 1")),
    newly = also(if (length(sources)) paste(sources, "IS NOT NULL")),
    stats::setNames(
      vapply(sources, function(s) also(paste(s, "IS NULL")), ""),
      numbered("of", sources)
    )
  )
}

numbered <- function(word, x) {
  if (length(x)) paste0(word, seq_along(x)) else character()
}

# Membership of each subset is a column of the query.
#' @export
subsets_over.neatsieve_sql <- function(relation, bound, state) {
  conditions <- bound$step$conditions
  flat <- with_all_inner_windows(
    state$rows, bound$nodes, state$notes, state$where
  )
  rows <- flat$relation
  sql <- vapply(unname(flat$nodes), sql_value, "", q = new_query(rows))
  if (any(vapply(flat$nodes, needs_window, NA))) {
    rows <- with_outcomes(rows, sql)
    sql <- names_of_outcomes(rows, length(sql))
  }
  sql <- stats::setNames(as.list(sql), names(bound$nodes))
  for (name in names(conditions)[bound$details$is_rest]) {
    sql[[name]] <- leftover_sql(unname(unlist(sql)), takes_unknown(conditions[[name]]))
  }
  sql <- sql[names(conditions)]
  over <- rows
  members <- list()
  for (name in names(sql)) {
    alias <- free_alias("subset", all_aliases(rows), rows$dialect)
    rows <- with_layer(rows, "columns", stats::setNames(sql[[name]], alias))
    members[[name]] <- alias
  }
  counts <- subset_counts(members, rows)
  for (name in names(conditions)[bound$details$is_rest]) {
    note_leftover_there(
      name, takes_unknown(conditions[[name]]), sql, bound$nodes, over, state
    )
  }
  count_rows(state$rows)
  rows <- with_rows_of(without_sql_columns(rows, flat$names), state$rows)
  state$rows <- rows
  state$frame <- outline_of_database(rows)
  state$subsets <- list(
    signature = NULL,
    sets = matrix(FALSE, 0, length(sql), dimnames = list(NULL, names(sql))),
    words = subset_words(bound$step, state),
    in_database = members
  )
  for (name in counts$name[counts$yes == 0]) {
    take_note(
      state$notes,
      paste0("Subset \"", name, "\" has no rows."),
      state$where,
      "Check its condition with `screening()`."
    )
  }
  state$record$conditions <- counts
  state
}

# Rows that no other subset could decide, and what is absent there.
note_leftover_there <- function(name, takes, sql, nodes, rows, state) {
  others <- unlist(sql[names(nodes)])
  open <- where_true(
    rows, paste0("((", paste(others, collapse = " OR "), ") IS NULL)")
  )
  n <- count_rows(open)
  if (n == 0) return()
  node <- call_node("", unname(nodes), new_type("logical"))
  because <- absence_words(absent_in_database(open, columns_read(node)))
  note_left_over(name, n, takes, because, state)
}

# True for rows in no other subset; `unknown` decides about rows that another
# subset could not decide.
leftover_sql <- function(sql, takes) {
  any <- paste0("(", paste(sql, collapse = " OR "), ")")
  if (takes) paste0("(", any, " IS NOT TRUE)") else paste0("(NOT ", any, ")")
}

subset_counts <- function(members, rows) {
  dialect <- rows$dialect
  count <- function(when) {
    dialect$real(paste0("count(CASE WHEN ", when, " THEN 1 END)"))
  }
  k <- seq_along(members)
  asked <- c(
    stats::setNames(count(unlist(members)), paste0("y", k)),
    stats::setNames(count(paste("NOT", unlist(members))), paste0("n", k))
  )
  answer <- ask_database(
    dialect,
    paste0(
      "SELECT ", dialect$real("count(*)"), " AS n, ",
      paste(asked, "AS", names(asked), collapse = ", "), " FROM ",
      from_relation(rows, paste(asked, collapse = " "))
    )
  )
  yes <- as.numeric(unlist(answer[paste0("y", k)]))
  no <- as.numeric(unlist(answer[paste0("n", k)]))
  data.frame(
    name = names(members),
    yes = yes,
    no = no,
    unknown = answer$n - yes - no,
    held = 0
  )
}

# Which of some columns are absent in a row, by groups of rows; see
# absent_sets().
absences_in_database <- function(keys, columns, rows) {
  absent_values <- lapply(columns, function(column) {
    node <- column_node(column, rows$types[[column]])
    call_node("absent", list(x = node), new_type("logical"))
  })
  names(absent_values) <- if (length(absent_values)) paste0("(absent) ", columns)
  grouped <- sql_groups(c(keys, absent_values), rows)
  sets <- as.matrix(as.data.frame(grouped$keys[names(absent_values)], optional = TRUE))
  list(
    grouped = grouped,
    absent_in = matrix(as.logical(sets), grouped$groups, length(columns))
  )
}

# Columns of another table beside the rows.
#' @export
look_up_over.neatsieve_sql <- function(relation, bound, state) {
  step <- bound$step
  if (step$several == "all" || step$nearest != "no") {
    cannot_in_database(
      if (step$several == "all") "it makes further rows" else "the nearest row"
    )
  }
  other <- bound$details$other
  if (length(reasons_in_use(bound$details$types))) {
    cannot_in_database("the other table says why values are absent")
  }
  joined_rows <- with_other_table(state$rows, step$key, other, bound$details$from)
  rows <- joined_rows$relation
  open <- paste(joined_rows$met, "IS NULL")
  unmatched <- where_true(rows, open)
  n_absent <- count_rows(unmatched)
  if (n_absent > 0) {
    first <- names(step$key)[1]
    say_unmatched(
      n_absent,
      unname(absent_in_database(unmatched, first)),
      values_in_order(rows, first, open, most_listed),
      bound,
      state
    )
  }
  types <- other$frame$types[bound$details$from]
  for (i in seq_along(bound$details$to)) {
    alias <- joined_rows$aliases[[i]]
    name <- bound$details$to[i]
    rows$columns[[name]] <- new_sql_alias(alias, alias)
    rows$types[[name]] <- types[[i]]
    for (what in c("labels", "measures")) {
      words <- other[[what]][[bound$details$from[i]]]
      if (!is.null(words)) state[[what]][[name]] <- words
    }
  }
  state$rows <- rows
  state$frame <- outline_of_database(rows)
  state$visible <- union(state$visible, bound$details$to)
  if (step$unmatched == "keep" || n_absent == 0) return(state)
  hold_rows(
    state,
    new_sql_fates(rows, paste("CASE WHEN", open, "THEN 1 ELSE 0 END")),
    "unmatched",
    names(step$key)
  )
}

# Rows by whether they have a row in another table.
#' @export
match_over.neatsieve_sql <- function(relation, bound, state, keep) {
  key <- bound$step$key
  joined_rows <- with_other_table(state$rows, key, bound$details$other)
  rows <- joined_rows$relation
  absent_sql <- paste(
    unname(aliases_of(rows)[names(key)]), "IS NULL",
    collapse = " OR "
  )
  note_absent_keys(
    count_rows(where_true(rows, paste0("(", absent_sql, ")"))), bound, state, keep
  )
  fates <- if (keep) {
    paste(
      "CASE WHEN", absent_sql, "THEN 2 WHEN", joined_rows$met, "IS NULL THEN 1 ELSE 0 END"
    )
  } else {
    paste("CASE WHEN", joined_rows$met, "IS NULL THEN 0 ELSE 1 END")
  }
  hold_rows(
    state,
    new_sql_fates(rows, fates),
    c(if (keep) "unmatched" else "matched", "unknown"),
    names(key)
  )
}

#' @export
rename_over.neatsieve_sql <- function(relation, state, from, to) {
  state$rows <- relation_renamed(relation, from, to)
  state$frame <- outline_of_database(state$rows)
  state
}

#' @export
repeats_over.neatsieve_sql <- function(relation, columns, order, keep) {
  repeats_in_database(relation, columns, order, keep)
}

#' @export
stop_on_unknown.neatsieve_sql <- function(relation, screened, state) {
  if (sum(screened$counts[, "unknown"]) == 0) return()
  cannot_in_database("the rows that cannot be decided are looked for")
}

#' @export
absences_over.neatsieve_sql <- function(relation, keys, columns, state) {
  function(rows) absences_in_database(keys, columns, rows)
}

#' @export
all_held.neatsieve_sql <- function(relation) "1"

#' @export
units_in_groups.neatsieve_sql_grouping <- function(grouping, state, a) {
  shape_of(unit_node(a$rows, state$study$unit), a, "count_different")
}
