# Fates of rows in a table that is spread over servers. A window would move all
# rows, so groups are asked instead: the first key of equal rows, the lowest
# value among the highest of a group, the keys of random rows.

# The most groups whose first keys are asked for, and the most rows that a query
# names by keys.
most_named_keys <- 10000

# Whether rows on several servers have one key of whole numbers, which
# identifies and orders them.
is_decided_by_groups <- function(relation) {
  has_parts(relation) &&
    length(relation$base$key) == 1 &&
    isTRUE(relation$base$whole_keys) &&
    !length(relation$order) &&
    is.null(relation$of) &&
    is.null(relation$dialect$now$of_no_rows)
}

key_among <- function(relation, keys) {
  if (!length(keys)) return("1 = 0")
  paste0(key_aliases(relation), " IN (", paste(keys, collapse = ", "), ")")
}

# One row of those that are the same in some columns, by the first or last key
# of each group; NULL where there are too many groups. Where rows that are the
# same are on one server, groups of a single row are not asked for.
repeats_over_parts <- function(relation, columns, keep) {
  if (!is_decided_by_groups(relation)) return(NULL)
  nodes <- lapply(
    columns, function(name) column_node(name, type_in_relation(relation, name))
  )
  together <- stand_together(relation, columns)
  ends <- ends_of_alike(relation, nodes, keep, together)
  if (is.null(ends)) return(NULL)
  if (!together) {
    return(new_sql_fates(relation, fate_by(key_among(relation, ends$key))))
  }
  is_repeated <- alike_tests(nodes, ends$keys, new_query(relation))
  new_sql_fates(
    relation,
    if (!length(ends$key)) {
      "0"
    } else {
      paste0(
        "CASE WHEN NOT (", paste(is_repeated, collapse = " OR "),
        ") THEN 0 WHEN ", key_among(relation, ends$key), " THEN 0 ELSE 1 END"
      )
    }
  )
}
# Whether rows that are the same in some columns are on one server.
stand_together <- function(relation, columns) {
  all(columns_of_partitions(relation) %in% columns_that_tell(relation, columns))
}
# The groups of several rows that are the same, in the order of their first
# rows: whether a row is of each, as SQL, and how many rows it has. NULL where
# there are too many.
repeats_found_over_parts <- function(relation, columns) {
  if (!is_decided_by_groups(relation)) return(NULL)
  nodes <- lapply(
    columns, function(name) column_node(name, type_in_relation(relation, name))
  )
  ends <- ends_of_alike(
    relation, nodes, "first", stand_together(relation, columns)
  )
  if (is.null(ends)) return(NULL)
  several <- which(ends$size > 1)
  if (length(several) > most_in_a_choice) return(NULL)
  several <- several[order_of_digits(ends$key[several])]
  keys <- ends$keys[several, , drop = FALSE]
  tests <- vapply(seq_along(several), function(i) {
    alike_tests(nodes, keys[i, , drop = FALSE], new_query(relation))
  }, "")
  list(tests = tests, size = ends$size[several])
}
fate_by <- function(test) paste("CASE WHEN", test, "THEN 0 ELSE 1 END")

# The first or last key of each group of rows that are the same, as a text of
# digits, the values that they are the same in, and how many rows; NULL where
# there are too many. together: whether they are on one server, so that groups
# of one row are left out.
ends_of_alike <- function(relation, nodes, keep, together) {
  key <- key_aliases(relation)
  values <- named(vapply(nodes, sql_value, "", q = new_query(relation)), "k")
  end <- if (keep == "last") "max" else "min"
  most <- if (together && length(nodes) > 1) {
    most_in_a_choice
  } else {
    most_named_keys
  }
  inner <- paste(
    c(values, key), "AS", c(names(values), "key1"),
    collapse = ", "
  )
  got <- ask_parts(
    relation,
    function(part) {
      paste0(
        "SELECT ", paste(names(values), collapse = ", "), ", ", end,
        "(key1) AS first, ", relation$dialect$real("count(*)"),
        " AS n FROM (SELECT ", inner, " FROM ",
        from_relation(part, inner, with_key = TRUE), ") AS s GROUP BY ",
        paste(names(values), collapse = ", "),
        if (together) " HAVING count(*) > 1", " LIMIT ", most + 1
      )
    }
  )
  if (nrow(got) > most) return(NULL)
  keys <- typed_keys(got, stats::setNames(nodes, names(values)))
  digits <- key_sql(got$first, relation$dialect)
  order <- order_of_digits(digits)
  if (keep == "last") order <- rev(order)
  group <- as.integer(vctrs::vec_group_id(keys))
  first <- order[!duplicated(group[order])]
  list(
    key = digits[first],
    keys = keys[first, , drop = FALSE],
    size = added_by(plain_number(got$n), group, max(group, 0L))[group[first]]
  )
}

# Whether a row is the same as one of these, row by row of `keys`, as SQL.
alike_tests <- function(nodes, keys, q) {
  if (!nrow(keys)) return(character())
  each <- lapply(seq_along(nodes), function(i) {
    value <- if (is.factor(keys[[i]])) as.character(keys[[i]]) else keys[[i]]
    literals <- vapply(
      value,
      sql_literal,
      "",
      kind = nodes[[i]]$kind,
      dialect = q$dialect,
      USE.NAMES = FALSE
    )
    sql <- sql_value(nodes[[i]], q)
    if (length(nodes) == 1 && !anyNA(value)) {
      return(paste0(sql, " IN (", paste(literals, collapse = ", "), ")"))
    }
    ifelse(literals == "NULL", paste(sql, "IS NULL"), paste(sql, "=", literals))
  })
  paste0("(", do.call(paste, c(each, sep = " AND ")), ")")
}

# Columns that two rows differ in exactly when they differ in the table's
# columns; with the names there.
columns_that_tell <- function(relation, columns) {
  ids <- unname(columns_as_stored(relation, columns))
  tells <- vapply(relation$base$columns[ids], function(column) {
    is.null(column$unread) &&
      column$type$kind %in% c("whole", "text", "logical", "date")
  }, NA)
  ids[tells]
}

# The columns that decide which server a row is on; NA where something else
# does.
columns_of_partitions <- function(relation) {
  asked_once(
    relation, "columns of partitions", relation$dialect$split_by(relation$base)
  )
}

# The highest or lowest of each group, ties among them, by the value of the last
# of them; `wanted`: how many of each group.
extremes_over_parts <- function(relation, node, keys, wanted, highest) {
  if (!has_parts(relation) ||
    !is.null(relation$dialect$now$of_no_rows) ||
    !node$kind %in% c(numeric_kinds, "date")) {
    return(NULL)
  }
  grouping <- groups_of(relation, keys)
  if (grouping$groups > most_in_a_choice) return(NULL)
  n <- answered_now(grouping, relation, node, "n")
  taken <- pmin(wanted, n)
  place <- if (highest) n - taken + 1 else taken
  value <- values_of_places(node, grouping, ifelse(taken > 0, place, NA))
  q <- new_query(relation)
  x <- inner_sql(list(node = node, field = "mean", where = NULL), q)
  last <- number_of_group(
    value,
    grouping$question,
    relation$dialect,
    vapply(unname(keys), sql_value, "", q = q)
  )
  new_sql_fates(
    relation,
    paste0(
      "CASE WHEN ", x, " IS NULL THEN 2 WHEN ", x,
      if (highest) " >= " else " <= ", last, " THEN 0 ELSE 1 END"
    )
  )
}

# An aggregate of groups, asked at once.
answered_now <- function(grouping, relation, node, field) {
  a <- new_aggregation(NULL, relation, grouping)
  answered(a, node, field)
  if (is_open(grouping$question)) answer_question(grouping$question)
  answered(a, node, field)
}

# The value at one place of each group's order, or absent.
values_of_places <- function(node, grouping, places) {
  sought <- data.frame(
    group = seq_along(places),
    place = places
  )[!is.na(places), ]
  value <- rep(NA_real_, length(places))
  if (!nrow(sought)) return(value)
  w <- list(node = node, field = "quantile", where = NULL, more = 0)
  values_found <- values_at_places(w, grouping, sought)
  value[values_found$group] <- values_found$value
  value
}

# What stands for the sample that bins and notes on far values are worked out
# from: all values where few are different, else as many between the ends and
# the quantiles in between, which servers find without sending rows. Its length
# is the share of present values, as of a sample.
sample_over_parts <- function(relation, values, window, ends, n, most) {
  x <- chart_number(values, relation)
  there <- where_true(relation, within_sql(x, all_or(window), relation$dialect))
  present <- count_rows(there)
  if (present == 0) return(numeric())
  few <- few_values(there, x)
  share <- max(1, round(most * present / n / 20)) * 20 + 1
  if (!is.null(few)) {
    below <- c(0, cumsum(few$n) / sum(few$n))
    return(
      few$v[findInterval(
        seq(0, 1, length.out = share),
        below,
        all.inside = TRUE
      )]
    )
  }
  at <- c(0.05, 0.25, 0.5, 0.75, 0.95)
  grouping <- groups_of(there, list())
  a <- new_aggregation(NULL, there, grouping)
  asked_quantiles(values, a, at, 7L)
  if (is_open(grouping$question)) answer_question(grouping$question)
  inner <- asked_quantiles(values, a, at, 7L)[1, ]
  stats::approx(
    c(0, at, 1), c(ends[1], inner, ends[2]), seq(0, 1, length.out = share)
  )$y
}

# Values with their counts, in order; NULL for more than a thousand.
few_values <- function(relation, x) {
  most <- 1000
  got <- ask_parts(
    relation,
    function(part) {
      paste0(
        "SELECT v, count(*) AS n FROM (SELECT ", x, " AS v FROM ",
        from_relation(part, x), ") AS s GROUP BY v LIMIT ", most + 1
      )
    }
  )
  v <- plain_number(got$v)
  different <- sort(unique(v))
  if (length(different) > most) return(NULL)
  data.frame(
    v = different,
    n = added_by(plain_number(got$n), match(v, different), length(different))
  )
}
