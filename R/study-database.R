# A study whose rows stay in a database: it knows columns and kinds, and reads
# rows when somebody looks at them. Functions that need the whole table read it
# once.

# NULL where the table is to be read whole: a database without a dialect here,
# or something told of the values that is only done to values read.
study_in_database <- function(request) {
  asked <- request$data
  dialect <- dialect_of(asked$con)
  if (is.null(dialect) || is_told_of_values(request)) return(NULL)
  dialect$now$time_limit <- asked$time_limit
  dialect$now$connect <- asked$connect
  check_database_connection(asked)
  tryCatch(
    harmless(dialect, function() study_told_by(request, dialect)),
    error = function(e) {
      if (inherits(e, "neatsieve_error")) stop(e)
      stop_on_study(e, asked)
    }
  )
}

# What the database tells of the table or query.
study_told_by <- function(request, dialect) {
  asked <- request$data
  if (is.null(asked$query)) check_database_table(asked)
  base <- database_base(asked, dialect, request$reading$kinds)
  if (is.null(base)) return(NULL)
  where <- database_place(asked)
  check_column_names(names(base$columns), where)
  check_known_columns(
    c(request$unit, names(request$reading$kinds)),
    names(base$columns),
    "unit or kinds",
    where
  )
  check_known_columns(
    unlist(request$reading$design), names(base$columns), "design", where
  )
  base$unit <- request$unit
  key <- key_of_base(base, asked$key, dialect, where)
  base["key"] <- list(key$sql)
  base$whole_keys <- key$is_whole
  base <- with_told_categories(base, request, dialect)
  if (is.null(base)) return(NULL)
  base <- with_told_codes(base, request$reading, dialect, where)
  relation <- whole_relation(dialect, base)
  notes <- new_notebook()
  note_left_out(notes, base$left_out, where)
  show_notes(notes$notes)
  study <- new_study_facts(
    unread_frame(relation),
    request$unit,
    database_name(asked, request),
    asked$table,
    request$reading$labels,
    request$reading$measures,
    notes$notes,
    database = list(relation = relation, checked = new.env()),
    read_from = asked,
    design = request$reading$design
  )
  as_study_object(study)
}

# Why values must be read: what is done to them needs R.
why_read_whole <- function(request) {
  con <- request$data$con
  if (is.null(dialect_of(con))) {
    return(paste0(
      "databases of the class ", class(con)[1],
      " are not asked but for their rows"
    ))
  }
  if (length(request$dictionary)) {
    return("a dictionary says what its values are")
  }
  if (length(request$reading$row_names)) return("row names are asked for")
  kinds <- request$reading$kinds
  paste0(
    "kinds are told that are not read there: ",
    listed(paste0("`", names(kinds), "` ", quoted(unlist(kinds))), 6)
  )
}

is_told_of_values <- function(request) {
  length(request$dictionary) > 0 || length(request$reading$row_names) > 0
}

database_name <- function(asked, request) {
  if (!is.null(request$name)) return(request$name)
  if (is.null(asked$query)) paste(asked$table, collapse = ".") else "a query"
}

# Columns of texts that are categories in an order that is told.
with_told_categories <- function(base, request, dialect) {
  options <- c(request$ordered, request$categories)
  check_known_columns(
    names(options), names(base$columns), "ordered or categories", ""
  )
  for (name in names(options)) {
    as_ordered(character(), name, options[[name]], "", "ordered")
    type <- new_type(
      "category",
      labels = as_utf8(options[[name]]),
      ordered = name %in% names(request$ordered)
    )
    column <- base$columns[[name]]
    if (column$type$kind != "text") return(NULL)
    codes <- c(
      if (isTRUE(request$reading$codes_given)) request$reading$absent_codes,
      request$reading$column_codes[[name]]
    )
    labels <- sql_list(union(options[[name]], codes), "text", dialect)
    base$columns[[name]] <- new_sql_column(
      name,
      type,
      column$read,
      local({
        labels <- labels
        function(x) paste(dialect$text(x), "NOT IN", labels)
      })
    )
  }
  base
}

# The base of the study, or NULL if a column's kind does not follow from its
# declaration.
database_base <- function(asked, dialect, kinds) {
  base <- new_sql_base(
    sql_source(asked),
    asked$table,
    asked$query,
    told_kinds = kinds,
    told_key = asked$key
  )
  # Dates are stored as ISO 8601 texts there.
  facts <- lapply(
    kinds, function(kind) if (identical(kind, "date %Y-%m-%d")) "date" else kind
  )
  is_category <- vapply(facts, identical, NA, "category")
  facts[is_category] <- "text"
  described <- dialect$describe(base, facts)
  if (is.null(described) || any(vapply(described$columns, is.null, NA))) {
    return(NULL)
  }
  base$columns <- described$columns
  for (name in names(facts)[is_category]) {
    column <- category_met(base$columns[[name]], base, dialect)
    if (is.null(column)) return(NULL)
    base$columns[[name]] <- column
  }
  base$left_out <- described$left_out
  base["parts"] <- list(dialect$parts(base))
  base
}

# A column of texts as categories, which are the texts it has, by code point;
# NULL for too many.
category_met <- function(column, base, dialect) {
  raw <- quote_name(dialect, column$name)
  texts <- ask_database(
    dialect,
    paste0(
      "SELECT DISTINCT ", dialect$text(column$read(raw)), " AS v FROM ",
      base$from, " LIMIT 10001"
    )
  )$v
  if (length(texts) > 10000) return(NULL)
  labels <- sort(as_utf8(as.character(texts[!is.na(texts)])), method = "radix")
  new_sql_column(
    column$name,
    new_type("category", labels = labels),
    column$read,
    column$check
  )
}

# What gives the order of the rows: the columns told, else what the database
# knows.
key_of_base <- function(base, told, dialect, where) {
  if (is.null(told)) return(dialect$key(base))
  check_known_columns(told, names(base$columns), "key", where)
  key_of_columns(
    base$columns[told], function(name) quote_name(dialect, name), dialect$ranked
  )
}

# A frame that reads its rows when it is first asked for a column.
unread_frame <- function(relation) {
  frame <- new_frame(list(), relation$types, NA)
  delayedAssign("columns", columns_in_database(relation), assign.env = frame)
  delayedAssign("n", as.integer(count_rows(relation)), assign.env = frame)
  frame
}
columns_in_database <- function(relation) {
  columns <- columns_with_reasons(relation)
  check_stored(relation, columns)
  rows <- fetched_rows(relation, columns)$rows
  words <- paste0(
    "The whole of ", called_table(relation$base), " is fetched: ",
    fetched_words(rows), "."
  )
  show_notes(list(list(problem = words, where = NULL, instead = NULL)))
  as.list(rows)
}
