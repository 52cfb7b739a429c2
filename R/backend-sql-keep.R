# Writes rows of a database into a table of the same database by one query.

# types: of columns by kind, as the database declares them. value(sql, kind): a
# value as it is stored. create(name, columns, key, labels, query): statements
# that make a table of a query; columns: declarations by quoted name; key:
# quoted names, or none; labels: texts by quoted name. commits: whether making a
# table ends a transaction that is open. as_stored: whether columns that no step
# changed keep the types and digits that they are stored with.
new_sql_keeping <- function(
  types, create, value = function(sql, kind) sql, commits = FALSE,
  as_stored = FALSE
) {
  new_record(
    "sql_keeping",
    list(
      types = types,
      create = create,
      value = value,
      commits = commits,
      as_stored = as_stored
    )
  )
}
declared_columns <- function(columns) {
  paste(names(columns), columns, collapse = ", ")
}
primary_key <- function(key) {
  if (length(key)) paste0(", PRIMARY KEY (", paste(key, collapse = ", "), ")")
}

# What is to be kept of rows in a database by a query over another connection to
# it or the same: columns of the query with their kinds, and which of them are
# its key. NULL for rows elsewhere, and for columns that no query gives as they
# are read.
rows_to_keep <- function(relation, columns, con) UseMethod("rows_to_keep")
#' @export
rows_to_keep.default <- function(relation, columns, con) NULL
#' @export
rows_to_keep.neatsieve_sql <- function(relation, columns, con) {
  dialect <- live_dialect(relation$dialect)
  types <- relation$types[columns]
  usable <- vapply(relation$columns[columns], `[[`, NA, "is_usable")
  is_there <- identical(con, dialect$con) || is_same_database(con, dialect$con)
  if (!is_there ||
    is.null(dialect$keeping) ||
    !all(usable) ||
    is_of_pieces(relation) ||
    length(reasons_in_use(types))) {
    return(NULL)
  }
  ids <- vapply(relation$columns[columns], `[[`, "", "id")
  key <- names(ids)[match(relation$base$told_key, ids)]
  # If a row became several rows, the table's key no longer tells them apart.
  has_key <- !anyNA(key) && is.null(relation$of)
  list(
    relation = relation,
    columns = columns,
    types = types,
    key = if (has_key) key
  )
}

# The query of kept rows, under the names they are to have.
kept_query <- function(kept) {
  relation <- kept$relation
  dialect <- relation$dialect
  kinds <- vapply(kept$types, `[[`, "", "kind")
  aliases <- unname(aliases_of(relation)[kept$columns])
  values <- mapply(dialect$keeping$value, aliases, kinds)
  stored <- if (dialect$keeping$as_stored) {
    columns_as_stored(relation, kept$columns)
  }
  values[match(
    names(stored), kept$columns
  )] <- stored_alias(unname(stored), relation)
  names <- vapply(kept$columns, quote_name, "", dialect = dialect)
  listed <- paste(values, "AS", names, collapse = ", ")
  paste(
    "SELECT", listed, "FROM",
    from_relation(relation, listed, stored = unname(as.character(stored)))
  )
}

# Columns that are those of the table, by their names now: none was changed,
# turned or had codes.
columns_as_stored <- function(relation, columns) {
  base <- aliases_of(whole_relation(relation$dialect, relation$base))
  ids <- vapply(relation$columns[columns], `[[`, "", "id")
  is_own <- ids %in% names(base) & aliases_of(relation)[columns] == base[ids]
  is_plain <- vapply(relation$base$columns[ids], function(column) {
    is.null(column$coded) && is.null(column$stored)
  }, NA)
  stats::setNames(ids, columns)[is_own %in% TRUE & is_plain]
}

# Statements that make a table of kept rows, or append them to one.
keeping_statements <- function(kept, name, labels, append) {
  dialect <- kept$relation$dialect
  quoted <- function(names) {
    vapply(names, quote_name, "", dialect = dialect, USE.NAMES = FALSE)
  }
  query <- kept_query(kept)
  if (append) {
    return(paste0(
      "INSERT INTO ", name, " (", paste(quoted(kept$columns), collapse = ", "),
      ") ", query
    ))
  }
  kinds <- vapply(kept$types, `[[`, "", "kind")
  columns <- stats::setNames(dialect$keeping$types[kinds], quoted(kept$columns))
  labels <- labels[intersect(names(labels), kept$columns)]
  dialect$keeping$create(
    name,
    columns,
    quoted(kept$key),
    stats::setNames(as.character(labels), quoted(names(labels))),
    query
  )
}

# Whether two connections are to one database.
is_same_database <- function(one, other) {
  if (identical(one, other)) return(TRUE)
  place <- function(con) {
    at <- tryCatch(dialect_of(con)$place(), error = function(e) NULL)
    at[setdiff(names(at), "user")]
  }
  length(place(one)) > 0 && identical(place(one), place(other))
}
