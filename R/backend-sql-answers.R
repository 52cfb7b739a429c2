# The queries for groups and aggregates, one for each question.

answer_question <- function(question) {
  q <- new_query(question$relation)
  wanted <- unanswered(question)
  keys <- vapply(unname(question$keys), sql_value, "", q = q)
  names(keys) <- if (length(keys)) paste0("k", seq_along(keys))
  answer <- by_some(wanted, function(some) {
    if (has_parts(question$relation)) {
      answer_over_servers(question, some, keys, q)
    } else {
      answer_of_whole(question, some, keys, q)
    }
  })
  answer$values <- c(question$answer$values, answer$values)
  question$answer <- answer
}

# A query has room for some 1,600 columns, and a value needs up to four.
most_values_at_once <- 400
by_some <- function(wanted, ask) {
  part <- (seq_along(wanted) - 1) %/% most_values_at_once
  answers <- lapply(
    if (length(wanted)) split(wanted, part) else list(wanted), ask
  )
  answer <- answers[[1]]
  for (more in answers[-1]) {
    if (!identical(more$keys, answer$keys) ||
      !identical(more$rows, answer$rows)) {
      stop_neatly(
        "run",
        "The table changed between two queries of one run.",
        NULL,
        "Pour again, in a transaction of your own that sees one state."
      )
    }
    answer$values <- c(answer$values, more$values)
  }
  answer
}

answer_of_whole <- function(question, wanted, keys, q) {
  parts <- inner_columns(wanted, q)
  got <- ask_database(q$dialect, grouped_query(keys, parts, wanted, q))
  matches <- typed_keys(got, question$keys)
  order <- order_of_keys(matches)
  got <- lapply(as.list(got), `[`, order)
  values <- lapply(
    stats::setNames(seq_along(wanted), names(wanted)),
    function(i) answered_value(got, i, wanted[[i]])
  )
  matches <- matches[order, , drop = FALSE]
  rownames(matches) <- NULL
  list(keys = matches, rows = plain_number(got$n), values = values)
}

# A value as it came, or between the two values on both sides of a quantile's
# place (type 7).
answered_value <- function(got, i, wanted) {
  of <- function(what) plain_number(got[[paste0(what, i)]])
  if (is.null(got[[paste0("lo", i)]])) {
    # Between two infinite values the database returns NaN where the result is a
    # number.
    endless <- wanted$field == "quantile" && any(is.nan(got[[paste0("v", i)]]))
    if (endless) cannot_in_database("quantiles of infinite values")
    return(of("v"))
  }
  between_values(of("lo"), of("hi"), (of("n") - 1) * wanted$more)
}
# Type 7: between two values by the part of a place that is beyond a whole one,
# as the core does it.
between_values <- function(low, high, place) {
  part <- place - floor(place)
  between <- part > 0 & low != high
  as.numeric(ifelse(between %in% TRUE, (1 - part) * low + part * high, low))
}

# Lists each expression once, by its text and use.
inner_columns <- function(wanted, q) {
  results <- lapply(wanted, function(w) inner_sql(w, q))
  distinct <- unique(unlist(results))
  stats::setNames(
    distinct, if (length(distinct)) paste0("x", seq_along(distinct))
  )
}
inner_sql <- function(wanted, q) {
  node <- wanted$node
  if (wanted$field == "true") {
    more <- if (!is.null(wanted$more)) paste(" AND", wanted$more)
    return(paste0(sql_value(node, q), more))
  }
  sql <- switch(if (wanted$field %in% c("n", "different")) "" else node$kind,
    logical = paste0(
      "CASE WHEN ", sql_value(node, q), " THEN 1.0 WHEN NOT ",
      sql_value(node, q), " THEN 0.0 END"
    ),
    date = q$dialect$days(sql_of(node, q)),
    `date-time` = q$dialect$times$seconds(sql_value(node, q)),
    sql_value(node, q)
  )
  if (wanted$field != "n" && wanted$field != "different") {
    sql <- q$dialect$real(sql)
  }
  if (is.null(wanted$where)) {
    sql
  } else {
    paste0("CASE WHEN ", sql_value(wanted$where, q), " THEN ", sql, " END")
  }
}

grouped_query <- function(keys, parts, wanted, q) {
  dialect <- q$dialect
  inner <- c(keys, parts)
  inner <- if (length(inner)) {
    paste(inner, "AS", names(inner), collapse = ", ")
  } else {
    "1 AS one"
  }
  inner <- paste0(
    "(SELECT ", inner, " FROM ", from_relation(q$relation, inner), ")"
  )
  x <- vapply(
    wanted, function(w) names(parts)[match(inner_sql(w, q), parts)], ""
  )
  fields <- vapply(wanted, `[[`, "", "field")
  ranked <- unique(x[fields == "quantile" & is.null(dialect$quantile)])
  centred <- setdiff(x[fields == "var" & is.null(dialect$variance)], ranked)
  lead <- names(keys)
  from <- if (length(ranked)) {
    ranked_rows(inner, lead, names(parts), ranked, dialect)
  } else {
    inner
  }
  from <- paste0(
    from, " AS s",
    if (length(centred)) centre_join(inner, lead, centred, dialect)
  )
  values <- vapply(seq_along(wanted), function(i) {
    outer_sql(wanted[[i]], x[i], i, x[i] %in% ranked, dialect)
  }, "")
  paste0(
    "SELECT ",
    paste(
      c(
        if (length(lead)) paste0("s.", lead, " AS ", lead),
        paste(dialect$real("count(*)"), "AS n"), values
      ),
      collapse = ", "
    ),
    " FROM ", from,
    if (length(lead)) paste0(" GROUP BY ", paste0("s.", lead, collapse = ", "))
  )
}

# Beside each value its place in its group, how many are present there, and
# their mean: what quantiles and squares about the mean need, in one pass over
# the rows.
ranked_rows <- function(inner, keys, parts, ranked, dialect) {
  part <- if (length(keys)) {
    paste0("PARTITION BY ", paste(keys, collapse = ", "))
  }
  order <- paste("ORDER BY", dialect$math$absent_last(ranked))
  beside <- paste0(
    "row_number() OVER (", trimws(paste(part, order)), ") AS r_", ranked,
    ", count(", ranked, ") OVER (", part, ") AS n_", ranked, ", avg(", ranked,
    ") OVER (", part, ") AS m_", ranked
  )
  paste0(
    "(SELECT ", paste(c(keys, parts, beside), collapse = ", "), " FROM ",
    inner, " AS w)"
  )
}

# The mean of each group beside its rows, for squares about it. The join is a
# crossed one, so that rows are not read again for every group.
centre_join <- function(inner, keys, centred, dialect) {
  means <- paste0("avg(", centred, ") AS m_", centred)
  on <- if (length(keys)) {
    paste(
      dialect$same(paste0("s.", keys), paste0("c.", keys)),
      collapse = " AND "
    )
  } else {
    "1 = 1"
  }
  paste0(
    " CROSS JOIN (SELECT ", paste(c(keys, means), collapse = ", "), " FROM ",
    inner, " AS a",
    if (length(keys)) paste0(" GROUP BY ", paste(keys, collapse = ", ")),
    ") AS c ON ", on
  )
}

# One or, for a quantile, three columns of the answer. ranked: its place in the
# group is beside x.
outer_sql <- function(wanted, x, i, ranked, dialect) {
  bare <- x
  x <- paste0("s.", x)
  if (wanted$field == "quantile" && ranked) {
    place <- dialect$math$whole_part(paste0(
      "(s.n_", bare, " - 1) * ", number_digits(wanted$more)
    ))
    at <- function(k) {
      paste0(
        "max(CASE WHEN s.r_", bare, " = ", place, " + ", k, " THEN ", x, " END)"
      )
    }
    return(paste0(
      at(1), " AS lo", i, ", ", at(2), " AS hi", i, ", count(", x, ") AS n", i
    ))
  }
  off <- paste0("(", x, " - ", if (ranked) "s" else "c", ".m_", bare, ")")
  sql <- switch(wanted$field,
    n = dialect$real(paste0("count(", x, ")")),
    true = dialect$real(paste0("count(CASE WHEN ", x, " THEN 1 END)")),
    different = dialect$real(paste0("count(DISTINCT ", x, ")")),
    mean = paste0("avg(", x, ")"),
    sum = paste0("sum(", x, ")"),
    min = paste0("min(", x, ")"),
    max = paste0("max(", x, ")"),
    # Squares about an infinite mean come to nothing.
    var = if (!is.null(dialect$variance)) {
      dialect$variance(x)
    } else {
      paste0(
        "NULLIF(sum(", off, " * ", off, "), 9e999) / NULLIF(count(", x,
        ") - 1, 0)"
      )
    },
    quantile = dialect$quantile(x, wanted$more),
    cannot_in_database(paste0("the aggregate ", wanted$field))
  )
  paste0(sql, " AS v", i)
}

typed_keys <- function(got, keys) {
  columns <- lapply(seq_along(keys), function(i) {
    vector_of_type(got[[paste0("k", i)]], type_part(keys[[i]]))
  })
  structure(
    stats::setNames(columns, names(keys)),
    class = "data.frame",
    row.names = .set_row_names(nrow(got))
  )
}

# By category order, rising numbers and dates, text by code point; absent last.
order_of_keys <- function(keys) {
  if (!length(keys)) return(seq_len(nrow(keys)))
  ranks <- lapply(
    unname(as.list(keys)), function(k) if (is.factor(k)) as.integer(k) else k
  )
  do.call(order, c(ranks, list(method = "radix", na.last = TRUE)))
}
