# A table spread over servers: its partitions are foreign tables. Counts,
# screens and groups are asked of each partition as states, all in one
# statement, so that each server works at the same time and sends groups and not
# rows; the states are put together here. For quantiles and different values by
# group see backend-sql-search.R.

# Windows and numbers of rows see all rows, and other tables are not on the
# servers, so what stands on them is asked of the whole table.
has_parts <- function(relation) {
  sees_all <- c(" OVER (", source_alias(relation))
  sees <- function(sql) {
    any(vapply(sees_all, function(s) any(grepl(s, sql, fixed = TRUE)), NA))
  }
  length(relation$base$parts) > 0 &&
    !any(vapply(relation$layers, function(l) {
      (l$kind == "join" && is.null(l$numbers)) || sees(l$sql)
    }, NA))
}

# Whether rows are on several servers, or on one of these.
is_spread <- function(relation) {
  length(relation$base$parts) > 0 || relation$base$is_part
}

# The same relation over each of the partitions, and each label of what became
# long.
parts_of <- function(relation) {
  is_long <- vapply(relation$layers, function(l) !is.null(l$numbers), NA)
  if (any(is_long)) {
    at <- which(is_long)[1]
    layer <- relation$layers[[at]]
    return(unlist(
      lapply(layer$numbers, function(number) {
        relation$layers[[at]] <- list(
          kind = "columns",
          sql = stats::setNames(as.character(number), names(layer$sql))
        )
        parts_of(relation)
      }),
      recursive = FALSE
    ))
  }
  lapply(relation$base$parts, function(part) {
    base <- relation$base
    base$from <- part
    base["parts"] <- list(NULL)
    base$is_part <- TRUE
    base$known <- new.env(parent = emptyenv())
    relation$base <- base
    relation$known <- new.env(parent = emptyenv())
    relation$dialect$kept_apart <- ""
    relation
  })
}

# Combines one query per partition into one statement.
ask_parts <- function(relation, query) {
  queries <- vapply(parts_of(relation), query, "")
  ask_database(
    relation$dialect, paste0("(", queries, ")", collapse = " UNION ALL ")
  )
}

# Asks each partition, or the whole table if there are none.
ask_each_part <- function(relation, query) {
  if (has_parts(relation)) {
    ask_parts(relation, query)
  } else {
    ask_database(relation$dialect, query(relation))
  }
}

# Adds up answers of one row, such as counts.
added_parts <- function(got) {
  sums <- lapply(got, function(x) sum(plain_number(x), na.rm = TRUE))
  structure(sums, class = "data.frame", row.names = 1L)
}

count_values_of_parts <- function(relation, alias) {
  there <- where_true(relation, paste(alias, "IS NOT NULL"))
  queries <- vapply(parts_of(there), function(part) {
    paste0(
      "(SELECT ", alias, " AS v FROM ", from_relation(part, alias),
      " GROUP BY 1)"
    )
  }, "")
  ask_database(
    relation$dialect,
    paste0(
      "SELECT ", relation$dialect$real("count(*)"), " AS n FROM (",
      paste(queries, collapse = " UNION "), ") AS v"
    )
  )$n
}

# Aggregates that are computed from states of the parts, with the states that
# each needs.
state_fields <- list(
  n = character(),
  true = character(),
  sum = character(),
  min = character(),
  max = character(),
  mean = "n",
  var = c("n", "mean")
)

# The answer to a question from states of its parts, from a search over them
# and, where neither can tell, from the whole table.
answer_over_servers <- function(question, wanted, keys, q) {
  fields <- vapply(wanted, `[[`, "", "field")
  states <- wanted[fields %in% names(state_fields)]
  for (w in wanted[fields == "quantile"]) {
    for (field in c("n", "min", "max")) {
      states[[asked_name(
        w$node, field, w$where
      )]] <- list(node = w$node, field = field, where = w$where, more = NULL)
    }
  }
  answer <- answer_of_parts(question, states, keys, q)
  others <- wanted[!fields %in% names(state_fields)]
  searched <- is_found_over_parts(others, sum(answer$rows), length(answer$rows))
  matches <- answers_over_parts(question, others[searched], answer)
  whole <- others[!searched]
  if (length(whole)) {
    matches <- c(matches, answer_of_whole(question, whole, keys, q)$values)
  }
  answer$values <- c(answer$values, matches)
  answer
}

answer_of_parts <- function(question, asked, keys, q) {
  wanted <- with_states(asked)
  parts <- inner_columns(wanted, q)
  got <- ask_parts(question$relation, function(part) {
    grouped_query(keys, parts, wanted, new_query(part))
  })
  keys_met <- typed_keys(got, question$keys)
  matches <- vctrs::vec_unique(vctrs::new_data_frame(
    as.list(keys_met),
    n = nrow(got)
  ))
  matches <- structure(
    as.list(matches),
    class = "data.frame",
    row.names = .set_row_names(nrow(matches))
  )
  matches <- matches[order_of_keys(matches), , drop = FALSE]
  rownames(matches) <- NULL
  group <- if (length(question$keys)) {
    vctrs::vec_match(keys_met, matches)
  } else {
    rep(1L, nrow(got))
  }
  groups <- if (length(question$keys)) nrow(matches) else 1L
  states <- lapply(
    seq_along(wanted), function(i) plain_number(got[[paste0("v", i)]])
  )
  names(states) <- names(wanted)
  values <- lapply(stats::setNames(nm = names(asked)), function(name) {
    put_together(name, wanted, states, group, groups)
  })
  n <- added_by(plain_number(got$n), group, groups)
  list(keys = matches, rows = n, values = values)
}

# Adds to each mean and variance the states that it is computed from.
with_states <- function(wanted) {
  for (w in wanted) {
    for (field in state_fields[[w$field]]) {
      name <- asked_name(w$node, field, w$where, w$more)
      if (is.null(wanted[[name]])) {
        w$field <- field
        wanted[[name]] <- w
      }
    }
  }
  wanted
}

# Sums the parts of each group; absent parts do not count.
added_by <- function(x, group, groups) {
  added <- numeric(groups)
  if (!length(x)) return(added)
  sums <- rowsum(as.numeric(ifelse(is.na(x), 0, x)), group)
  added[as.integer(rownames(sums))] <- sums
  added
}

# Moments of groups from those of their parts (Chan, Golub and LeVeque 1979).
put_together <- function(name, wanted, states, group, groups) {
  w <- wanted[[name]]
  x <- states[[name]]
  of <- function(field) states[[asked_name(w$node, field, w$where, w$more)]]
  sums <- function(x) added_by(x, group, groups)
  if (w$field %in% c("n", "true")) return(sums(x))
  if (w$field == "var") {
    return(joined_variance(x, of("n"), of("mean"), group, sums))
  }
  is_there <- sums(!is.na(x)) > 0
  sql <- switch(w$field,
    sum = sums(x),
    mean = sums(x * of("n")) / sums(of("n") * !is.na(x)),
    min = ends_by(x, group, groups, FALSE),
    max = ends_by(x, group, groups, TRUE)
  )
  as.numeric(ifelse(is_there, sql, NA))
}

ends_by <- function(x, group, groups, highest) {
  rising <- order(x, decreasing = highest, na.last = TRUE)
  x[rising][match(seq_len(groups), group[rising])]
}

joined_variance <- function(var, n, mean, group, sums) {
  all <- sums(n)
  there <- n > 0
  centre <- sums(ifelse(there, mean * n, 0)) / all
  within <- sums(ifelse(n > 1, (n - 1) * var, 0))
  between <- sums(ifelse(there, n * (mean - centre[group])^2, 0))
  out <- (within + between) / (all - 1)
  # With infinite values there is no variance, whatever the other values are.
  endless <- sums(there & !is.finite(mean) | n > 1 & is.na(var)) > 0
  as.numeric(ifelse(all < 2 | endless | is.nan(out), NA, out))
}
