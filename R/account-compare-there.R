# Compares two runs over tables of one database in the database: it asks for the
# keys of rows that differ, and fetches only these rows.

# At most so many differing rows are fetched.
most_compared <- 100000

# Like compared_here(). NULL if the runs are not of one database by its own key,
# or if steps in R made other rows.
compared_there <- function(a, b, key) {
  ends <- list(a = end_of_rows(a), b = end_of_rows(b))
  if (any(vapply(ends, is.null, NA)) || !is_comparable_there(a, b, key)) {
    return(NULL)
  }
  tryCatch(
    in_its_state(ends$a$dialect, function() {
      for (end in ends) say_of_state(end, compare_state(end))
      keys <- keys_that_differ(a, b, ends)
      if (is.null(keys)) return(NULL)
      first <- state_of_keys(a, ends$a, keys)
      second <- state_of_keys(b, ends$b, keys)
      identity <- list(
        columns = if (is.null(key)) character() else key,
        ids_a = first$ids,
        ids_b = second$ids
      )
      by_source <- function(table) {
        table$row_a <- first$source[table$row_a]
        table$row_b <- second$source[table$row_b]
        # In the order of the studies' rows.
        table[order(
          is.na(table$row_a), table$row_a, table$row_b
        ), , drop = FALSE]
      }
      new_row_differences(
        identity$columns,
        by_source(compared_rows(first$state, second$state, identity)),
        units_that_differ(a, b, ends),
        by_source(compared_cells(first$state, second$state, identity))
      )
    }),
    neatsieve_not_in_database = function(e) NULL
  )
}

# The rows that went on, up to the first step that made rows of another sort.
end_of_rows <- function(state) {
  if (is.null(state$study$database)) return(NULL)
  if (!length(state$stages)) return(rows_there(state$rows))
  kept <- rows_there(state$stages[[1]]$rows)
  if (!is.null(kept)) return(kept)
  remade <- Filter(
    function(h) h$stage == 1L && any(h$because %in% c("condensed", "reshaped")),
    state$holdings
  )
  Reduce(
    function(found, h) if (is.null(found)) rows_there(h$rows) else found,
    remade,
    NULL
  )
}

# Without a key, rows of one table are matched by the table's own key.
is_comparable_there <- function(a, b, key) {
  bases <- lapply(
    list(a, b), function(state) state$study$database$relation$base
  )
  one <- a$study$database$relation
  other <- b$study$database$relation
  is_one <- identical(
    live_dialect(one$dialect)$con, live_dialect(other$dialect)$con
  )
  is_same <- is_one && identical(bases[[1]]$from, bases[[2]]$from)
  common <- intersect(names(one$types), names(other$types))
  has_kinds <- identical(
    lapply(one$types[common], `[[`, "kind"),
    lapply(other$types[common], `[[`, "kind")
  )
  has_key <- all(lengths(lapply(bases, `[[`, "key")) > 0) &&
    identical(length(bases[[1]]$key), length(bases[[2]]$key))
  is_own <- all(vapply(bases, function(base) {
    !is.null(base$told_key) &&
      setequal(base$told_key, key) &&
      identical(base$told_key, key)
  }, NA))
  is_one &&
    has_kinds &&
    has_key &&
    !length(reasons_in_use(c(one$types, other$types))) &&
    (is_own || (is.null(key) && is_same))
}

# SQL for keys of rows that are only in one run, only in one study, or have
# other values.
keys_that_differ <- function(a, b, ends) {
  studies <- lapply(
    list(a = a, b = b), function(state) state$study$database$relation
  )
  new_columns <- setdiff(intersect(a$visible, b$visible), names(studies$a$types))
  queries <- c(
    keys_but(ends$a, ends$b), keys_but(ends$b, ends$a),
    keys_of_other_values(ends$a, ends$b, new_columns)
  )
  if (!identical(studies$a$base$from, studies$b$base$from)) {
    common <- intersect(names(studies$a$types), names(studies$b$types))
    queries <- c(
      queries, keys_but(studies$a, studies$b), keys_but(studies$b, studies$a),
      keys_of_other_values(studies$a, studies$b, common)
    )
  }
  matches <- lapply(queries, function(sql) {
    got <- ask_database(
      ends$a$dialect,
      paste0("SELECT * FROM (", sql, ") AS d LIMIT ", most_compared + 1)
    )
    lapply(got, key_sql, ends$a$dialect)
  })
  all <- unique(do.call(
    rbind,
    lapply(matches, function(keys) {
      structure(
        keys,
        class = "data.frame",
        row.names = .set_row_names(length(keys[[1]]))
      )
    })
  ))
  if (nrow(all) <= most_compared) as.list(all)
}
keys_query <- function(relation) {
  keys <- key_of_rows(relation)
  listed <- paste(keys, "AS", names(keys), collapse = ", ")
  paste0(
    "SELECT ", listed, " FROM ",
    from_relation(relation, listed, with_key = TRUE)
  )
}
keys_but <- function(one, other) {
  paste(keys_query(one), "EXCEPT", keys_query(other))
}

# Rows that both runs have, with a different value in some column.
keys_of_other_values <- function(one, other, columns) {
  if (!length(columns)) return(NULL)
  dialect <- one$dialect
  values <- function(relation, letter) {
    sql <- vapply(columns, function(name) {
      sql_column(
        column_node(name, type_in_relation(relation, name)), new_query(relation)
      )
    }, "")
    listed <- c(key_of_rows(relation), named(unname(sql), letter))
    listed <- paste(listed, "AS", names(listed), collapse = ", ")
    paste0(
      "(SELECT ", listed, " FROM ",
      from_relation(relation, listed, with_key = TRUE), ")"
    )
  }
  keys <- names(key_of_rows(one))
  at <- seq_along(columns)
  different <- paste0(
    "NOT (", dialect$same(paste0("a.x", at), paste0("b.y", at)), ")"
  )
  paste0(
    "SELECT ", paste0("a.", keys, collapse = ", "), " FROM ", values(one, "x"),
    " AS a JOIN ", values(other, "y"), " AS b ON ",
    paste0("a.", keys, " = b.", keys, collapse = " AND "), " WHERE ",
    paste(different, collapse = " OR ")
  )
}

# A run as if its study had only some rows: their fates, and the columns at the
# end.
state_of_keys <- function(state, end, keys) {
  whole <- state$study$database$relation
  rows <- some_rows(whole, names(whole$types), keys, with_source = TRUE)
  at <- function(ids) match(rows$ids, ids)
  kept <- some_rows(end, intersect(names(end$types), state$visible), keys)
  small <- new_run(unclass(new_study(rows$rows, name = state$study$name)))
  small$steps <- state$steps
  small$visible <- names(kept$rows)
  small$frame <- new_frame(
    lapply(kept$rows, `[`, at(kept$ids)),
    end$types[names(kept$rows)],
    length(rows$ids)
  )
  small$rows <- which(rows$ids %in% kept$ids)
  small$stages <- state$stages
  small$holdings <- lapply(
    Filter(function(h) h$stage == 1L, state$holdings),
    function(h) {
      held <- some_rows(
        where_true(h$rows, paste0("(", h$fates, ") > 0")),
        character(),
        keys,
        more = c(fate = h$fates)
      )
      fates <- as.integer(plain_number(held$more))[at(held$ids)]
      new_holding(
        h$step, 1L, NULL, ifelse(is.na(fates), 0L, fates), h$by, h$because
      )
    }
  )
  list(state = small, source = rows$source, ids = rows$ids)
}

# Rows of some keys: columns, one more expression, their numbers in the study
# and keys as one text.
some_rows <- function(
  relation, columns, keys, with_source = FALSE, more = character()
) {
  parts <- (seq_along(keys[[1]]) - 1) %/% 5000
  got <- lapply(split(seq_along(keys[[1]]), parts), function(some) {
    rows_at_once(
      with_these_keys(relation, lapply(keys, `[`, some)),
      columns,
      1e9,
      with_source,
      c(key_of_rows(relation), more)
    )
  })
  if (!length(got)) {
    got <- list(rows_at_once(
      where_true(relation, "1 = 0"),
      columns,
      1e9,
      with_source,
      c(key_of_rows(relation), more)
    ))
  }
  of <- function(what) unlist(lapply(got, what), use.names = FALSE)
  ids <- of(
    function(one) {
      one_text(lapply(one$more[seq_along(keys)], key_sql, relation$dialect))
    }
  )
  list(
    rows = one_below_other(lapply(got, `[[`, "rows")),
    ids = ids,
    source = of(function(one) one$source),
    more = of(function(one) one$more[["fate"]])
  )
}

# The same result as compared_units().
units_that_differ <- function(a, b, ends) {
  unit <- a$study$unit
  none <- data.frame(change = character(), unit = character())
  if (is.null(unit) || !identical(unit, b$study$unit)) return(none)
  of <- function(relation) {
    node <- unit_node(relation, unit)
    sql <- sql_column(node, new_query(relation))
    paste0(
      "SELECT ", sql, " AS u FROM ",
      from_relation(where_true(relation, paste(sql, "IS NOT NULL")), sql)
    )
  }
  but <- function(one, other) {
    got <- ask_database(one$dialect, paste(of(one), "EXCEPT", of(other)))$u
    sort(as.character(vector_of_type(
      got, one$types[[unit_node(one, unit)$name]]
    )))
  }
  came <- but(ends$b, ends$a)
  went <- but(ends$a, ends$b)
  data.frame(
    change = rep(c("came in", "went"), c(length(came), length(went))),
    unit = c(came, went)
  )
}
