# Rows in a database: a table or query and the steps after it, as one query that
# runs when somebody needs an answer.

# table, query: what the study is of; from: the same as SQL; columns: of
# new_sql_column(), by name; key: SQL that tells rows apart and gives their
# order, or NULL. unit: the column that is it. known: what was asked of the
# whole table. is_part: whether it is one of the partitions of a table. hidden:
# the columns of reasons of absence, which nobody sees. told_kinds, told_key:
# what was told of it. parts: SQL of its partitions, where it is spread over
# servers. left_out: why columns of the table are none of the study, by name.
# whole_keys: which keys are whole numbers. told_codes: codes for absent, of
# `all` columns and of single `columns`.
new_sql_base <- function(
  from, table, query, columns = list(), key = NULL, unit = NULL,
  told_kinds = list(), told_key = NULL, parts = NULL, left_out = character(),
  whole_keys = logical(), told_codes = list(all = NULL, columns = list()),
  hidden = character(), is_part = FALSE
) {
  new_record(
    "sql_base",
    list(
      from = from,
      table = table,
      query = query,
      columns = columns,
      key = key,
      unit = unit,
      told_kinds = told_kinds,
      told_key = told_key,
      parts = parts,
      left_out = left_out,
      whole_keys = whole_keys,
      told_codes = told_codes,
      hidden = hidden,
      is_part = is_part,
      known = new.env(parent = emptyenv())
    )
  )
}

# The same relation without answers from before.
asked_anew <- function(relation) {
  base <- relation$base
  base$known <- new.env(parent = emptyenv())
  relation$base <- base
  # Answers about the whole table are shared.
  relation$known <- base$known
  relation
}

# columns: by name the alias in the query, an id that outlives a new name, and
# whether the value is as it is stored; NULL for what no expression can use.
# layers: what steps did, each a condition ("where"), new columns ("columns") or
# columns of another table ("join"). order: SQL of what rows are sorted by
# before the key. asking: see backend-sql-groups.R. known: what was asked of the
# relation. of: how many rows the table has that a step made of the whole one,
# or NULL; places: what tells apart the rows that one became.
new_sql_relation <- function(
  dialect, base, columns, types, layers = list(), order = character()
) {
  relation <- new_record(
    "sql_relation",
    list(
      dialect = dialect,
      base = base,
      columns = columns,
      types = types,
      layers = layers,
      order = order,
      asking = NULL,
      of = NULL,
      places = character(),
      known = new.env(parent = emptyenv())
    )
  )
  class(relation) <- c("neatsieve_sql", class(relation))
  relation
}
is_in_database <- function(x) inherits(x, "neatsieve_sql")

new_sql_alias <- function(alias, id, is_stored = FALSE, is_usable = TRUE) {
  new_record(
    "sql_alias",
    list(alias = alias, id = id, is_stored = is_stored, is_usable = is_usable)
  )
}

# The relation of the whole table.
whole_relation <- function(dialect, base) {
  taken <- character(length(base$columns))
  columns <- vector("list", length(base$columns))
  names(columns) <- names(base$columns)
  for (name in names(base$columns)) {
    at <- match(name, names(columns))
    alias <- free_alias(name, taken[seq_len(at - 1)], dialect)
    taken[at] <- alias
    type <- base$columns[[name]]$type
    columns[[name]] <- new_sql_alias(
      alias,
      name,
      type$kind == "whole",
      type$kind != "other" &&
        (type$kind != "date-time" || !is.null(dialect$times))
    )
  }
  shown <- base$columns[setdiff(names(base$columns), base$hidden)]
  relation <- new_sql_relation(
    dialect, base, columns, lapply(shown, `[[`, "type")
  )
  # Answers about the whole table are shared.
  relation$known <- base$known
  relation
}

# A name for a column inside of queries: its own where every database takes it
# as it is.
free_alias <- function(name, taken, dialect) {
  plain <- grepl("^[a-z][a-z0-9_]*$", name) && nchar(name) <= 60
  alias <- if (plain) name else "column"
  label <- quote_name(dialect, alias)
  if (plain && !label %in% taken) return(label)
  numbered <- quoted_numbered_names(dialect, alias, length(taken) + 1)
  numbered[match(FALSE, numbered %in% taken)]
}
# The type of a column, of a hidden one that of the reasons that some column
# has.
type_in_relation <- function(relation, name) {
  own <- relation$types[[name]]
  if (!is.null(own)) return(own)
  for (type in relation$types) {
    if (identical(type$reasons$column, name)) {
      return(new_type("category", labels = type$reasons$labels))
    }
  }
}
# Columns that have a type, and the reasons beside them.
columns_with_reasons <- function(relation) {
  intersect(
    names(relation$columns),
    c(names(relation$types), reasons_in_use(relation$types))
  )
}

aliases_of <- function(relation) vapply(relation$columns, `[[`, "", "alias")

# With a further condition, or further columns (SQL by name, with their types).
with_layer <- function(relation, kind, sql) {
  relation$layers <- c(relation$layers, list(list(kind = kind, sql = sql)))
  relation$known <- new.env(parent = emptyenv())
  relation
}
where_true <- function(relation, sql) with_layer(relation, "where", sql)

with_sql_column <- function(relation, name, sql, type) {
  old <- relation$columns[[name]]
  # Never one that was there before, so that what was said of that one still
  # holds.
  alias <- free_alias(name, all_aliases(relation), relation$dialect)
  relation <- with_layer(relation, "columns", stats::setNames(sql, alias))
  relation$columns[[name]] <- new_sql_alias(alias, if (is.null(old)) alias else old$id)
  relation$types[[name]] <- type
  relation
}
# Columns under new names; a hidden column of such a name gives way.
relation_renamed <- function(relation, from, to) {
  hidden <- setdiff(names(relation$columns), c(from, to))
  relation$columns <- stats::setNames(
    relation$columns[c(from, hidden)], c(to, hidden)
  )
  typed <- intersect(hidden, names(relation$types))
  relation$types <- stats::setNames(
    relation$types[c(from, typed)], c(to, typed)
  )
  # Answers so far use the old names.
  before <- relation
  relation$known <- new.env(parent = emptyenv())
  with_rows_of(relation, before)
}

all_aliases <- function(relation) {
  results <- lapply(
    relation$layers, function(l) if (l$kind != "where") names(l$sql)
  )
  unique(c(base_aliases(relation), unlist(results), key_aliases(relation)))
}

key_aliases <- function(relation) {
  vapply(seq_along(relation$base$key), function(i) {
    quote_name(relation$dialect, paste("key", i))
  }, "")
}
source_alias <- function(relation) quote_name(relation$dialect, "source row")
stored_alias <- function(names, relation) {
  vapply(
    paste("stored", names, recycle0 = TRUE),
    quote_name,
    "",
    dialect = relation$dialect,
    USE.NAMES = FALSE
  )
}

# FROM and WHERE of a query over the relation. used: the rest of the query's
# text, which says what columns it needs; all of them where it is not told.
# stored: columns of the table that are wanted as they are stored, too, under
# names of stored_alias().
from_relation <- function(
  relation, used = NULL, with_key = FALSE, with_source = FALSE,
  stored = character()
) {
  layers <- side_by_side(relation$layers, relation$dialect$parts_windows)
  texts <- vapply(
    layers, function(l) paste(c(l$sql, l$join), collapse = " "), ""
  )
  is_used <- function(aliases, after) {
    if (is.null(used)) return(rep(TRUE, length(aliases)))
    later <- paste(
      c(used, texts[seq_along(texts) > after], relation$order),
      collapse = " "
    )
    vapply(aliases, grepl, NA, x = later, fixed = TRUE)
  }
  is_named <- function(alias) any(grepl(alias, c(texts, used), fixed = TRUE))
  with_key <- with_key || any(vapply(key_aliases(relation), is_named, NA))
  with_source <- with_source || is_named(source_alias(relation))
  first <- base_columns(relation, with_key, with_source)
  raw <- vapply(
    stored, quote_name, "",
    dialect = relation$dialect, USE.NAMES = FALSE
  )
  first <- c(first, stats::setNames(raw, stored_alias(stored, relation)))
  first <- first[is_used(names(first), 0) |
    names(first) %in% hidden_aliases(relation)]
  from <- select_sql(first, relation$base$from)
  there <- names(first)
  where <- character()
  for (i in seq_along(layers)) {
    if (layers[[i]]$kind == "where") {
      where <- c(where, layers[[i]]$sql)
      next
    }
    result <- layers[[i]]$sql
    kept <- there[is_used(there, i) | there %in% hidden_aliases(relation)]
    from <- select_sql(
      c(stats::setNames(kept, kept), result),
      paste0(from, layers[[i]]$join),
      where
    )
    there <- c(kept, names(result))
    where <- character()
  }
  paste0(from, where_sql(where))
}
# New columns that do not read each other are columns of one query: databases
# parse only so deep. parts_windows: whether windows stay in queries of their
# own.
side_by_side <- function(layers, parts_windows) {
  out <- list()
  has_window <- function(sql) {
    parts_windows && any(grepl(" OVER (", sql, fixed = TRUE))
  }
  for (layer in layers) {
    before <- if (length(out)) out[[length(out)]]
    joins <- identical(before$kind, "columns") &&
      layer$kind == "columns" &&
      !(has_window(before$sql) && has_window(layer$sql)) &&
      !any(vapply(
        names(before$sql),
        grepl,
        NA,
        x = paste(layer$sql, collapse = " "),
        fixed = TRUE
      ))
    if (joins) {
      out[[length(out)]]$sql <- c(before$sql, layer$sql)
    } else {
      out <- c(out, list(layer))
    }
  }
  out
}
where_sql <- function(where) {
  if (length(where)) paste0(" WHERE ", paste(where, collapse = " AND "))
}

# A query of columns (SQL by alias) that stands for a table.
select_sql <- function(columns, from, where = character()) {
  named <- ifelse(
    columns == names(columns), columns, paste(columns, "AS", names(columns))
  )
  if (!length(named)) named <- "1 AS one"
  paste0(
    "(SELECT ", paste(named, collapse = ", "), " FROM ", from,
    where_sql(where), ") AS t"
  )
}

hidden_aliases <- function(relation) {
  c(key_aliases(relation), source_alias(relation))
}

# The columns of the table, and what tells its rows apart and numbers them.
base_columns <- function(relation, with_key, with_source) {
  base <- relation$base
  dialect <- relation$dialect
  aliases <- base_aliases(relation)
  if (is.null(base$known[["read"]])) {
    raw <- vapply(names(base$columns), quote_name, "", dialect = dialect)
    read <- unname(mapply(
      function(column, name) column$read(name), base$columns, raw
    ))
    base$known[["read"]] <- as.character(read)
  }
  extra <- character()
  if (with_key) extra <- stats::setNames(base$key, key_aliases(relation))
  if (with_source && length(base$key)) {
    number <- paste0(
      "row_number() OVER (ORDER BY ", paste(base$key, collapse = ", "), ")"
    )
    extra <- c(extra, stats::setNames(number, source_alias(relation)))
  }
  c(stats::setNames(base$known[["read"]], aliases), extra)
}
base_aliases <- function(relation) {
  base <- relation$base
  if (is.null(base$known[["aliases"]])) {
    base$known[["aliases"]] <- unname(aliases_of(whole_relation(relation$dialect, base)))
  }
  base$known[["aliases"]]
}
