# Asks a relation in a database for counts and values without fetching rows.

# Answers to one query, kept with the relation.
asked_once <- function(relation, name, ask) {
  # R limits the length of names, and a query may be longer.
  if (nchar(name, "bytes") > 5000) {
    name <- digest::digest(name, "sha256", serialize = FALSE)
  }
  kept <- relation$known[[name]]
  if (is.null(kept)) kept <- relation$known[[name]] <- ask
  kept
}

#' @export
with_rows.neatsieve_sql <- function(relation, rows) rows

#' @export
sorted_by.neatsieve_sql <- function(relation, nodes, locale = NULL) {
  if (!is.null(locale)) cannot_in_database("an order of a language")
  relation$order <- c(order_terms(nodes, new_query(relation)), relation$order)
  list(rows = relation)
}
order_terms <- function(nodes, q) {
  unlist(lapply(seq_along(nodes), function(i) {
    sql <- order_term(nodes[[i]], q)
    c(
      paste0("(", sql, " IS NULL)"),
      paste0(sql, if (names(nodes)[i] == "falling") " DESC")
    )
  }))
}
order_term <- function(node, q) {
  sql <- sql_value(node, q)
  if (node$kind == "category") {
    labels <- vapply(node$labels, quote_text, "", dialect = q$dialect)
    return(paste0(
      "CASE ", sql, " ",
      paste("WHEN", labels, "THEN", seq_along(labels), collapse = " "), " END"
    ))
  }
  if (node$kind == "text") q$dialect$ranked(sql) else sql
}

#' @export
count_rows.neatsieve_sql <- function(relation) {
  asked_once(relation, "rows", {
    count <- relation$dialect$real("count(*)")
    query <- function(relation) {
      paste0("SELECT ", count, " AS n FROM ", from_relation(relation, count))
    }
    got <- if (has_parts(relation)) {
      added_parts(ask_parts(relation, query))
    } else {
      ask_database(relation$dialect, query(relation))
    }
    plain_number(got$n)
  })
}

# The number of different present values of a column.
count_values <- function(relation, name) {
  asked_once(relation, paste("values", name), {
    alias <- column_in_database(relation, name)$alias
    if (has_parts(relation)) return(count_values_of_parts(relation, alias))
    count <- relation$dialect$real("count(*)")
    ask_database(
      relation$dialect,
      paste0(
        "SELECT ", count, " AS n FROM (SELECT DISTINCT ", alias, " AS v FROM ",
        from_relation(where_true(relation, paste(alias, "IS NOT NULL")), alias),
        ") AS v"
      )
    )$n
  })
}

# The unit's column, under its current name.
unit_node <- function(relation, unit) {
  ids <- vapply(relation$columns, `[[`, "", "id")
  name <- names(ids)[match(unit, ids)]
  column_node(name, type_in_relation(relation, name))
}
unit_of_base <- function(relation) {
  if (!is.null(relation$base$unit)) unit_node(relation, relation$base$unit)
}
units_in_database <- function(relation, unit) {
  if (is.null(unit)) return(NA_real_)
  count_values(relation, unit_node(relation, unit)$name)
}

# The smallest and largest number of rows per value of a column.
rows_per_value <- function(relation, name) {
  asked_once(relation, paste("per value", name), {
    alias <- column_in_database(relation, name)$alias
    answer <- ask_database(
      relation$dialect,
      paste0(
        "SELECT min(n) AS least, max(n) AS most FROM (SELECT ",
        relation$dialect$real("count(*)"), " AS n FROM ",
        from_relation(where_true(relation, paste(alias, "IS NOT NULL")), alias),
        " GROUP BY ", alias, ") AS c"
      )
    )
    if (count_values(relation, name) < 2) {
      numeric()
    } else {
      plain_number(c(answer$least, answer$most))
    }
  })
}

# How many values of some columns are absent.
absent_in_database <- function(relation, columns) {
  if (!length(columns)) return(stats::setNames(numeric(), character()))
  aliases <- unname(aliases_of(relation)[columns])
  asked <- paste0(
    relation$dialect$tally(paste(aliases, "IS NULL")), " AS a",
    seq_along(aliases),
    collapse = ", "
  )
  query <- function(relation) {
    paste0("SELECT ", asked, " FROM ", from_relation(relation, asked))
  }
  got <- if (has_parts(relation)) {
    added_parts(ask_parts(relation, query))
  } else {
    ask_database(relation$dialect, query(relation))
  }
  counts <- vapply(got, plain_number, 0)
  stats::setNames(ifelse(is.na(counts), 0, counts), columns)
}

# Different values of a column, absent among them; NULL where there are too
# many. among: SQL that is true of those that are asked for.
distinct_in_database <- function(
  relation, name, most = most_listed, among = NULL
) {
  asked_once(relation, paste("distinct", most, name, among), {
    if (!is.null(among)) relation <- where_true(relation, among)
    q <- new_query(relation)
    sql <- sql_column(column_node(name, type_in_relation(relation, name)), q)
    # In groups, which servers behind the server are let make.
    query <- function(part) {
      paste0(
        "SELECT v FROM (SELECT ", sql, " AS v FROM ", from_relation(part, sql),
        ") AS s GROUP BY v LIMIT ", most + 1
      )
    }
    asked <- if (has_parts(relation)) {
      paste0(
        "(", vapply(parts_of(relation), query, ""), ")",
        collapse = " UNION "
      )
    } else {
      query(relation)
    }
    values <- ask_database(relation$dialect, asked, of_values = TRUE)$v
    type <- type_in_relation(relation, name)
    list(values = if (length(values) <= most) vector_of_type(values, type))
  })$values
}

# Finds the texts that do not occur in a column.
lacking_in_database <- function(relation, name, texts) {
  q <- new_query(relation)
  sql <- sql_column(column_node(name, type_in_relation(relation, name)), q)
  texts <- unique(texts[!is.na(texts)])
  if (!length(texts) || length(texts) > 100) return(character())
  probes <- vapply(texts, function(text) {
    answer <- where_true(
      relation, paste(sql, "=", quote_text(relation$dialect, text))
    )
    paste0(
      "CASE WHEN EXISTS (SELECT 1 FROM ", from_relation(answer, sql),
      ") THEN 1 ELSE 0 END"
    )
  }, "")
  answer <- ask_database(
    relation$dialect,
    paste0(
      "SELECT ", paste0(probes, " AS p", seq_along(probes), collapse = ", ")
    ),
    of_values = TRUE
  )
  texts[unlist(answer) == 0]
}

#' @export
facts_of_relation.neatsieve_sql <- function(relation) {
  new_facts(
    distinct = function(column) {
      type <- type_in_relation(relation, column)
      if (type$kind == "category") return(type$labels)
      if (type$kind != "text") return(NULL)
      values <- distinct_in_database(relation, column)
      values[!is.na(values)]
    },
    gaps = function(column) {
      alias <- column_in_database(relation, column)$alias
      absent_sql <- where_true(relation, paste(alias, "IS NULL"))
      nrow(ask_database(
        relation$dialect,
        paste("SELECT 1 AS one FROM", from_relation(absent_sql, alias), "LIMIT 1")
      )) >
        0
    },
    lacking = function(column, texts) {
      if (type_in_relation(relation, column)$kind == "category") {
        setdiff(texts, type_in_relation(relation, column)$labels)
      } else {
        lacking_in_database(relation, column, texts)
      }
    }
  )
}

#' @export
groups_of.neatsieve_sql <- function(relation, keys) sql_groups(keys, relation)
#' @export
aggregated.neatsieve_sql <- function(relation, grouping, nodes) {
  a <- new_aggregation(NULL, relation, grouping)
  lapply(nodes, evaluate_summary, a = a)
}

# Methods for questions that a database does not answer.
not_in_database <- function(relation, ...) {
  cannot_in_database("it looks at rows one by one")
}
#' @export
outcomes.neatsieve_sql <- not_in_database
#' @export
worked_out.neatsieve_sql <- not_in_database
#' @export
absent_results.neatsieve_sql <- not_in_database
#' @export
alike_rows.neatsieve_sql <- not_in_database
#' @export
numbered_rows.neatsieve_sql <- not_in_database
#' @export
extremes.neatsieve_sql <- not_in_database
#' @export
group_numbers.neatsieve_sql <- not_in_database
#' @export
places_in_groups.neatsieve_sql <- not_in_database
#' @export
matched_rows.neatsieve_sql <- not_in_database
#' @export
absent_keys.neatsieve_sql <- not_in_database
#' @export
places_sorted.neatsieve_sql <- not_in_database
