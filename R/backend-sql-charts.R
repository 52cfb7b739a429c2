# Asks a database for the numbers of charts. Values are nodes of columns there.
# What depends on earlier answers (bins on the ends, whiskers on the quartiles)
# is asked afterwards.

#' @export
summarise_for_chart.neatsieve_sql <- function(relation, request, ...) {
  ask <- sql_chart_requests[[request]]
  if (is.null(ask)) cannot_in_database("the figure shows rows one by one")
  ask(relation, ...)
}

# A query over the relation, or over each of its parts.
ask_each <- function(relation, query) {
  sql <- if (has_parts(relation)) {
    paste0(
      "(", vapply(parts_of(relation), query, ""), ")",
      collapse = " UNION ALL "
    )
  } else {
    query(relation)
  }
  ask_for_step(relation, sql)
}

# A column as numbers; dates as days since 1970.
chart_number <- function(node, relation) {
  inner_sql(
    list(node = node, field = "mean", where = NULL), new_query(relation)
  )
}
within_sql <- function(x, ends, dialect) {
  parts <- c(
    if (is.finite(ends[1])) paste(x, ">=", dialect$number(ends[1])),
    if (is.finite(ends[2])) paste(x, "<=", dialect$number(ends[2]))
  )
  if (length(parts)) {
    paste(parts, collapse = " AND ")
  } else {
    paste(x, "IS NOT NULL")
  }
}
all_or <- function(window) if (is.null(window)) c(-Inf, Inf) else window

# Ends of the values in the window, and a sample of them; see core_spread().
sql_spread <- function(relation, values, window, most) {
  dialect <- relation$dialect
  x <- chart_number(values, relation)
  shown <- within_sql("v", all_or(window), dialect)
  endless <- paste(
    sql_is_infinite("v", dialect), "OR", sql_is_infinite("v", dialect, -1)
  )
  got <- ask_each(
    relation,
    function(part) {
      paste0(
        "SELECT ", dialect$real("count(*)"), " AS n, min(CASE WHEN ", shown,
        " THEN v END) AS low, ", "max(CASE WHEN ", shown,
        " THEN v END) AS high, count(CASE WHEN ", endless,
        " THEN 1 END) AS endless FROM (SELECT ", x, " AS v FROM ",
        from_relation(part, x), ") AS s"
      )
    }
  )
  if (sum(plain_number(got$endless)) > 0) {
    cannot_in_database("the figure shows infinite values")
  }
  n <- sum(plain_number(got$n))
  of <- function(x, f) {
    if (all(is.na(x))) NA_real_ else f(plain_number(x), na.rm = TRUE)
  }
  ends <- c(of(got$low, min), of(got$high, max))
  sample <- if (n > most && has_parts(relation)) {
    known_to_step(
      relation,
      paste("sample", x, shown),
      sample_over_parts(relation, values, window, ends, n, most)
    )
  } else {
    sql_sample(relation, x, shown, n, most)
  }
  list(ends = ends, infinite = FALSE, rows = NULL, sample = sample)
}
sql_sample <- function(relation, x, shown, n, most) {
  if (n <= most) {
    got <- ask_each(
      relation,
      function(part) {
        paste0(
          "SELECT v, count(*) AS n FROM (SELECT ", x, " AS v FROM ",
          from_relation(part, x), ") AS s WHERE ", shown, " GROUP BY v"
        )
      }
    )
    return(rep(plain_number(got$v), plain_number(got$n)))
  }
  order <- paste(row_order(relation), collapse = ", ")
  taken <- format(sampled_places(n, most), scientific = FALSE, trim = TRUE)
  got <- ask_for_step(
    relation,
    paste0(
      "SELECT v FROM (SELECT ", x, " AS v, row_number() OVER (ORDER BY ",
      order, ") AS r FROM ", from_relation(relation, x, with_key = TRUE),
      ") AS s WHERE r IN (", paste(taken, collapse = ", "), ") AND ", shown,
      " ORDER BY r"
    )
  )
  plain_number(got$v)
}

# Values far from the rest, with their rows and units; see core_values_beyond().
sql_beyond <- function(relation, values, fences, window, most) {
  dialect <- relation$dialect
  x <- chart_number(values, relation)
  shown <- within_sql("v", all_or(window), dialect)
  rest <- within_sql("v", fences, dialect)
  got <- ask_each(
    relation,
    function(part) {
      paste0(
        "SELECT ", dialect$tally(paste("NOT (", rest, ")")),
        " AS far, min(CASE WHEN ", rest, " THEN v END) AS low, max(CASE WHEN ",
        rest, " THEN v END) AS high FROM (SELECT ", x, " AS v FROM ",
        from_relation(part, x), ") AS s WHERE ", shown
      )
    }
  )
  of <- function(x, f) {
    if (all(is.na(x))) NA_real_ else f(plain_number(x), na.rm = TRUE)
  }
  unit <- unit_of_base(relation)
  unit <- if (is.null(unit)) "NULL" else relation$columns[[unit$name]]$alias
  off <- paste0(
    "abs(v - ", dialect$real(dialect$number(mean(fences))), ") DESC"
  )
  order <- order_as_columns(relation)
  source <- source_column(relation)
  columns <- c(v = x, source, u = unit, order$columns)
  inner <- paste(columns, "AS", names(columns), collapse = ", ")
  order <- paste(c(off, order$terms), collapse = ", ")
  far <- ask_for_step(
    relation,
    paste0(
      "SELECT v, ", names(source), ", u FROM (SELECT ", inner, " FROM ",
      from_relation(relation, inner, with_key = TRUE), ") AS s WHERE ", shown,
      " AND NOT (", rest, ") ORDER BY ", order, " LIMIT ", most
    )
  )
  list(
    row = source_of_answer(far, relation),
    value = plain_number(far$v),
    unit = as.character(far$u),
    count = sum(plain_number(got$far), na.rm = TRUE),
    ends = c(of(got$low, min), of(got$high, max))
  )
}

# The row order as columns o1, o2, ..., and the ORDER BY terms that use them.
order_as_columns <- function(relation) {
  terms <- row_order(relation)
  columns <- named(sub(" DESC$", "", terms), "o")
  falls <- ifelse(grepl(" DESC$", terms), " DESC", "")
  list(columns = columns, terms = paste0(names(columns), falls))
}

# Rows by group where all numbers are present, and of these how many lie outside
# of windows.
sql_present <- function(relation, vectors, grouping, windows = NULL) {
  a <- new_aggregation(NULL, relation, grouping)
  there <- call_node(
    "row_complete", as_rest(unname(vectors)), new_type("logical")
  )
  shown <- Filter(function(i) !is.null(windows[[i]]), seq_along(windows))
  inside <- vapply(shown, function(i) {
    within_sql(
      chart_number(vectors[[i]], relation), windows[[i]], relation$dialect
    )
  }, "")
  n <- answered(a, there, "true")
  shown <- if (length(inside)) {
    answered(a, there, "true", paste(inside, collapse = " AND "))
  } else {
    n
  }
  list(
    absent = as_count(grouping$rows_per_group - n),
    outside = as_count(n - shown)
  )
}

# Numbers by group of a query of its own. inner: columns of each row, SQL by
# name; beside: further ones over these and the keys k1, k2, ..., or a list of
# such, each over those before; asked: what each group is asked, by `also` where
# that is told. with_key: whether the order of the rows is needed. most: of how
# many answers one more than that is enough. NULL where the groups are not known
# yet.
by_groups <- function(
  relation, grouping, inner, asked, beside = list(), also = NULL,
  with_key = FALSE, most = NULL
) {
  question <- grouping$question
  if (is.null(question$answer)) return(NULL)
  keys <- group_keys(question, new_query(relation))
  columns <- c(keys, inner)
  lead <- c(names(keys), also)
  got <- ask_each(relation, function(part) {
    from <- paste(columns, "AS", names(columns), collapse = ", ")
    from <- paste0(
      "(SELECT ", from, " FROM ", from_relation(part, from, with_key), ") AS s"
    )
    there <- names(columns)
    for (further in if (is.list(beside)) beside else list(beside)) {
      further <- c(there, paste(further, "AS", names(further)))
      from <- paste0(
        "(SELECT ", paste(further, collapse = ", "), " FROM ", from, ") AS t"
      )
      there <- sub("^.* AS ", "", further)
    }
    paste0(
      "SELECT ",
      paste(c(lead, paste(asked, "AS", names(asked))), collapse = ", "),
      " FROM ", from,
      if (length(lead)) paste(" GROUP BY", paste(lead, collapse = ", ")),
      if (!is.null(most)) paste(" LIMIT", number_digits(most + 1))
    )
  })
  got$group <- group_of_keys(got, question)
  got
}
group_keys <- function(question, q) {
  named(vapply(unname(question$keys), sql_value, "", q = q), "k")
}
group_of_keys <- function(got, question) {
  if (!length(question$keys)) return(rep(1L, nrow(got)))
  vctrs::vec_match(typed_keys(got, question$keys), question$answer$keys)
}

# A number of each group as SQL over the keys k1, k2, ..., or as `names` have
# them.
number_of_group <- function(
  values, question, dialect, names = paste0("k", seq_along(keys))
) {
  keys <- question$answer$keys
  if (length(values) > most_in_a_choice) {
    cannot_in_database(paste(
      "a figure of more than", most_in_a_choice, "groups"
    ))
  }
  if (!length(values)) return(dialect$real("NULL"))
  if (!length(keys)) {
    return(dialect$real(sql_literal(values[1], "number", dialect)))
  }
  tests <- lapply(seq_along(keys), function(i) {
    kind <- question$keys[[i]]$kind
    text <- if (is.factor(keys[[i]])) as.character(keys[[i]]) else keys[[i]]
    literals <- vapply(
      text, sql_literal, "",
      kind = kind, dialect = dialect, USE.NAMES = FALSE
    )
    ifelse(
      literals == "NULL",
      paste(names[i], "IS NULL"),
      paste(names[i], "=", literals)
    )
  })
  numbers <- vapply(
    as.numeric(values),
    sql_literal,
    "",
    kind = "number",
    dialect = dialect
  )
  dialect$real(paste(
    "CASE",
    paste(
      "WHEN", do.call(paste, c(tests, sep = " AND ")), "THEN", numbers,
      collapse = " "
    ),
    "END"
  ))
}
most_in_a_choice <- 200

# Counts of bins, bin after bin within group after group; see core_bin_counts().
sql_bins <- function(relation, values, grouping, bins, window) {
  dialect <- relation$dialect
  edges <- edges_of_bins(bins)
  k <- length(edges) - 1
  ends <- c(max(edges[1], window[1]), min(edges[k + 1], window[2]))
  place <- paste0(
    "CASE WHEN v IS NULL THEN ", k + 1, " WHEN NOT (",
    within_sql("v", ends, dialect), ") THEN ", k + 2, " ELSE ",
    place_among(edges[-c(1, k + 1)], 1, dialect), " END"
  )
  got <- by_groups(
    relation,
    grouping,
    c(v = chart_number(values, relation)),
    c(n = "count(*)"),
    beside = c(place = place),
    also = "place"
  )
  counts <- matrix(0, k + 2, grouping$groups)
  for (i in seq_len(NROW(got))) {
    at <- cbind(plain_number(got$place[i]), got$group[i])
    counts[at] <- counts[at] + plain_number(got$n[i])
  }
  list(
    counts = as_count(counts[seq_len(k), ]),
    absent = as_count(counts[k + 1, ]),
    outside = as_count(counts[k + 2, ])
  )
}
# SQL of the bin's number, by bisection. `edges`: the edges between bins;
# `first`: the number of the first bin.
place_among <- function(edges, first, dialect) {
  if (!length(edges)) return(as.character(first))
  half <- (length(edges) + 1) %/% 2
  below <- edges[seq_len(half - 1)]
  above <- edges[-seq_len(half)]
  paste0(
    "CASE WHEN v < ", dialect$number(edges[half]), " THEN ",
    place_among(below, first, dialect), " ELSE ",
    place_among(above, first + half, dialect), " END"
  )
}

sql_chart_requests <- list(
  cumulative = function(...) sql_cumulative(...),
  densities = function(...) sql_densities(...),
  spread = sql_spread,
  beyond = sql_beyond,
  present = sql_present,
  bins = sql_bins,
  boxes = sql_boxes,
  order_statistics = sql_order_statistics,
  moments = function(relation, values, grouping) {
    asked_moments(values, new_aggregation(NULL, relation, grouping))
  },
  quantiles = function(relation, values, grouping, probs) {
    asked_quantiles(
      values, new_aggregation(NULL, relation, grouping), probs, 7L
    )
  }
)
