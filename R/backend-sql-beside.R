# Aggregates of groups as columns beside the rows of a database.

# An aggregate of each row's group.
sql_beside_groups <- function(node, q) {
  x <- node$args$x
  more <- setdiff(names(node$args), c("x", "cond"))
  plain <- !length(more) &&
    (is.null(x) || x$kind %in% c(numeric_kinds, "logical"))
  if (!plain || isTRUE(node$carry) || !is.null(node$where)) {
    return(sql_value_of_group(node, q))
  }
  over <- window_of(node, q)
  if (is.null(x)) x <- node$args$cond
  as_number <- if (!is.null(x)) {
    inner_sql(list(node = x, field = "sum", where = NULL), q)
  }
  sql <- switch(node$fn,
    count = if (is.null(x)) {
      paste("count(*)", over)
    } else {
      paste0("count(", sql_value(x, q), ") ", over)
    },
    mean = ,
    share = paste0("avg(", as_number, ") ", over),
    sum = ,
    count_true = paste0("COALESCE(sum(", as_number, ") ", over, ", 0)"),
    min = paste0("min(", as_number, ") ", over),
    max = paste0("max(", as_number, ") ", over)
  )
  if (is.null(sql)) sql_value_of_group(node, q) else sql
}

# The value of each row's group, computed first and written into the query.
sql_value_of_group <- function(node, q) {
  got <- asked_in_database(q$relation, function(relation) {
    a <- new_aggregation(NULL, relation, sql_groups(node$by, relation))
    list(
      values = as_kind(aggregate_values(node, a), node, a),
      keys = a$grouping$keys
    )
  })
  if (nrow(got$keys) > most_listed) {
    cannot_in_database(paste0(
      "`", node$fn, "()` beside the rows of more than ",
      format_count(most_listed), " groups"
    ))
  }
  dialect <- q$dialect
  literal <- function(x, kind) {
    if (is.factor(x)) x <- as.character(x)
    vapply(seq_along(x), function(i) sql_literal(x[i], kind, dialect), "")
  }
  tests <- Map(
    function(by, key) {
      sql <- sql_value(by, q)
      value <- literal(key, by$kind)
      ifelse(value == "NULL", paste(sql, "IS NULL"), paste(sql, "=", value))
    },
    unname(node$by),
    unname(as.list(got$keys))
  )
  values <- literal(got$values, node$kind)
  whens <- paste(
    "WHEN", do.call(paste, c(tests, sep = " AND ")), "THEN", values
  )
  if (!any(values != "NULL")) return(sql_absent(node$kind, dialect))
  paste("CASE", paste(whens[values != "NULL"], collapse = " "), "END")
}

#' @export
complete_rows.neatsieve_sql <- function(args, frame, rows) {
  relation <- rows
  if (identical(relation$asking$phase, "ask")) return()
  complete <- function(nodes) {
    call_node("row_complete", as_rest(nodes), new_type("logical"))
  }
  nodes <- c(
    lapply(args, complete), list(complete(unlist(args, recursive = FALSE)))
  )
  counts <- asked_in_database(relation, function(relation) {
    a <- new_aggregation(NULL, relation, sql_groups(list(), relation))
    vapply(nodes, function(n) zero_for_none(moments_of(n, a)$sum), 0)
  })
  list(each = counts[-length(counts)], both = counts[length(counts)])
}

#' @export
rows_taken.neatsieve_sql <- function(frame, rows) {
  taken <- count_rows(rows)
  all <- if (is.null(rows$of)) {
    count_rows(whole_relation(rows$dialect, rows$base))
  } else {
    rows$of
  }
  list(taken = taken, held = all - taken)
}
