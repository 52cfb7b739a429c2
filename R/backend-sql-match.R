# Matches rows of a database with another table: one of the same database, or a
# small one of the session, which the query holds as a list of rows.

# The other table as FROM of a join: of each key the first row, with its key
# under `keys` and its columns `from` under `aliases`; `met` is 1 in each row.
sql_other_table <- function(other, key, from, keys, aliases, met, dialect) {
  relation <- other$database$relation
  is_there <- !is.null(relation) &&
    identical(live_dialect(relation$dialect)$con, live_dialect(dialect)$con)
  if (!is_there) {
    return(sql_listed_rows(other$frame, key, from, keys, aliases, met, dialect))
  }
  q <- new_query(relation)
  of <- function(names) {
    vapply(
      names, function(n) sql_column(column_node(n, relation$types[[n]]), q), ""
    )
  }
  there <- vapply(unname(key), function(n) paste(of(n), "IS NOT NULL"), "")
  relation <- Reduce(where_true, there, relation)
  columns <- c(
    stats::setNames(of(unname(key)), keys), stats::setNames(of(from), aliases)
  )
  order <- if (length(relation$base$key)) {
    row_order(relation)
  } else {
    of(unname(key))
  }
  first <- paste("row_number()", over_sql(of(unname(key)), order))
  inner <- paste(
    c(paste(columns, "AS", names(columns)), paste(first, "AS place")),
    collapse = ", "
  )
  paste0(
    "(SELECT ", paste(c(names(columns), paste("1 AS", met)), collapse = ", "),
    " FROM (SELECT ", inner, " FROM ",
    from_relation(relation, inner, with_key = TRUE), ") AS o WHERE place = 1)"
  )
}

# The first row of each key, for a table in R.
first_rows_by_key <- function(frame, key, from) {
  table <- vctrs::new_data_frame(
    unname(frame$columns[c(key, from)]),
    n = frame$n
  )
  names(
    table
  ) <- c(
    paste0("k", seq_along(key)), paste0("v", seq_along(from), recycle0 = TRUE)
  )
  keys <- table[seq_along(key)]
  table <- table[!Reduce(`|`, lapply(keys, is.na)), , drop = FALSE]
  keys <- table[seq_along(key)]
  table <- table[vctrs::vec_duplicate_id(keys) ==
    seq_len(nrow(table)), , drop = FALSE]
  if (nrow(table) > most_listed) {
    cannot_in_database(paste(
      "the other table has more than", format_count(most_listed), "keys"
    ))
  }
  table
}

# Foreign servers cannot see a table of the session, but CASE expressions on a
# key.
is_chosen_on_servers <- function(relation, key, other) {
  has_parts(relation) && length(key) == 1 && is.null(other$database)
}
# here: the key as SQL. The columns that it chooses, then 1 where there is such
# a key.
chosen_values <- function(here, key, from, frame, dialect) {
  table <- first_rows_by_key(frame, key, from)
  if (!nrow(table)) cannot_in_database("the other table has no keys")
  kind <- frame$types[[key]]$kind
  values <- table[[1]]
  columns <- Map(
    function(results, type) {
      sql <- sql_cases(here, values, results, kind, type$kind, dialect)
      if (type$kind == "number") dialect$real(sql) else sql
    },
    as.list(table[-1]),
    frame$types[from]
  )
  if (is.factor(values)) values <- as.character(values)
  condition <- paste(
    "CASE WHEN", here, "IN", sql_list(values, kind, dialect), "THEN 1 END"
  )
  c(unlist(columns, use.names = FALSE), condition)
}

sql_listed_rows <- function(frame, key, from, keys, aliases, met, dialect) {
  table <- stats::setNames(
    first_rows_by_key(frame, key, from), c(keys, aliases)
  )
  types <- frame$types[c(key, from)]
  if (!nrow(table) || any(vapply(table, function(x) all(is.na(x)), NA))) {
    cannot_in_database("the other table has a column without values")
  }
  literals <- Map(
    function(values, type) {
      if (is.factor(values)) values <- as.character(values)
      vapply(
        seq_along(values),
        function(i) sql_literal(values[i], type$kind, dialect),
        ""
      )
    },
    as.list(table),
    types
  )
  rows <- paste0(
    "(", do.call(paste, c(unname(literals), sep = ", ")), ")",
    collapse = ", "
  )
  paste0(
    "(WITH l(", paste(names(table), collapse = ", "), ") AS (VALUES ", rows,
    ") SELECT ", paste(c(names(table), paste("1 AS", met)), collapse = ", "),
    " FROM l)"
  )
}

# The relation beside the columns of the other table: `brought` are its new
# columns by name, `met` the column that is absent where there is no row there.
with_other_table <- function(relation, key, other, from = character()) {
  dialect <- relation$dialect
  types <- other$frame$types[from]
  if (any(vapply(types, function(t) t$kind %in% c("date-time", "other"), NA))) {
    cannot_in_database(
      "the other table has a column of a type that is read here"
    )
  }
  taken <- all_aliases(relation)
  new_alias <- function(name) {
    alias <- free_alias(name, taken, dialect)
    taken <<- c(taken, alias)
    alias
  }
  flag <- new_alias("met")
  keys <- vapply(unname(key), function(name) new_alias("key there"), "")
  aliases <- vapply(from, new_alias, "", USE.NAMES = FALSE)
  q <- new_query(relation)
  here <- vapply(names(key), function(n) {
    sql_column(column_node(n, relation$types[[n]]), q)
  }, "")
  if (is_chosen_on_servers(relation, key, other)) {
    sql <- chosen_values(here, unname(key), from, other$frame, dialect)
    layer <- stats::setNames(sql, c(aliases, flag))
    relation <- with_rows_of(with_layer(relation, "columns", layer), relation)
    return(list(
      relation = relation,
      met = flag,
      aliases = stats::setNames(aliases, from)
    ))
  }
  there <- Map(
    function(alias, name) {
      is_text <- other$frame$types[[name]]$kind %in% c("text", "category")
      if (is_text) dialect$text(alias) else alias
    },
    keys,
    unname(key)
  )
  join <- paste0(
    " LEFT JOIN ",
    sql_other_table(other, key, from, keys, aliases, flag, dialect),
    " AS j ON ", paste(here, "=", there, collapse = " AND ")
  )
  before <- relation
  relation <- with_layer(
    relation, "join", stats::setNames(nm = c(aliases, flag))
  )
  relation$layers[[length(relation$layers)]]$join <- join
  relation <- with_rows_of(relation, before)
  list(relation = relation, met = flag, aliases = stats::setNames(aliases, from))
}

# Keys of several rows there, how many rows each, by the first: of a table that
# is not read.
keys_again_in_database <- function(other, key) {
  relation <- other$database$relation
  q <- new_query(relation)
  sql <- vapply(
    key, function(n) sql_column(column_node(n, relation$types[[n]]), q), ""
  )
  for (one in sql) relation <- where_true(relation, paste(one, "IS NOT NULL"))
  columns <- named(sql, "k")
  listed <- paste(columns, "AS", names(columns), collapse = ", ")
  got <- ask_database(
    relation$dialect,
    paste0(
      "SELECT ", paste(names(columns), collapse = ", "),
      ", count(*) AS n FROM (SELECT ", listed, " FROM ",
      from_relation(relation, listed), ") AS o GROUP BY ",
      paste(names(columns), collapse = ", "), " HAVING count(*) > 1"
    ),
    of_values = TRUE
  )
  values <- lapply(seq_along(key), function(i) {
    vector_of_type(got[[paste0("k", i)]], relation$types[[key[i]]])
  })
  list(values = values, rows = plain_number(got$n))
}

# Different present values of a column in the rows where `where` is true, in the
# order they come.
values_in_order <- function(relation, name, where, most) {
  relation <- where_true(relation, where)
  sql <- sql_column(
    column_node(name, type_in_relation(relation, name)), new_query(relation)
  )
  order <- row_order(relation)
  inner <- paste0(
    sql, " AS v, row_number() OVER (ORDER BY ", paste(order, collapse = ", "),
    ") AS r"
  )
  got <- ask_database(
    relation$dialect,
    paste0(
      "SELECT v FROM (SELECT ", inner, " FROM ",
      from_relation(relation, inner, with_key = TRUE),
      ") AS s WHERE v IS NOT NULL GROUP BY v ORDER BY min(r) LIMIT ", most
    )
  )
  vector_of_type(got$v, type_in_relation(relation, name))
}
