# Translates the typed tree to SQL, which has the same three-valued logic. A
# function without an exact form in SQL is computed in R for each different
# value of its column, or the step runs in R.

# The context of a translation: the relation, and the notebook for notes on
# aggregates.
new_query <- function(relation, notes = NULL, where = NULL) {
  new_record(
    "query",
    list(
      relation = relation,
      dialect = relation$dialect,
      notes = notes,
      where = where
    )
  )
}

# A node as SQL of its kind: a condition, a text (also of a category), a number,
# a date.
sql_of <- function(node, q) {
  switch(node$node,
    constant = sql_constant(node, q),
    column = sql_column(node, q),
    call = sql_call(node, q)
  )
}

sql_constant <- function(node, q) {
  if (node$kind == "absent") return("NULL")
  if (length(node$value) != 1) cannot_in_database("a list of values")
  sql_literal(node$value, node$kind, q$dialect)
}

sql_column <- function(node, q) {
  column <- column_in_database(q$relation, node$name)
  alias <- column$alias
  if (node$kind == "text" || node$kind == "category") {
    q$dialect$text(alias)
  } else {
    alias
  }
}

# The SQL of a column, if the database can use it.
column_in_database <- function(relation, name) {
  column <- relation$columns[[name]]
  if (is.null(column) || !column$is_usable) {
    cannot_in_database(paste0(
      "column `", name, "` is of a type that is read here"
    ))
  }
  column
}

sql_call <- function(node, q) {
  stop_at_inner_window(node)
  if (is_aggregate(node)) return(sql_aggregate_beside(node, q))
  form <- sql_form(node$fn, q$dialect)
  sql <- if (!is.null(form)) form(node, q)
  if (is.null(sql)) sql_by_distinct(node, q) else sql
}

# The SQL form of a function: the dialect's own, else the one for all databases.
sql_form <- function(fn, dialect) {
  for (forms in list(dialect$forms, sql_forms, sql_number_forms, window_forms)) {
    if (!is.null(forms[[fn]])) return(forms[[fn]])
  }
}

# SQL of a whole expression: a result that is not a number becomes NULL.
sql_value <- function(node, q) {
  sql <- sql_of(node, q)
  if (node$node != "call") return(sql)
  if (node$kind %in% numeric_kinds && may_be_no_number(node)) {
    return(q$dialect$present(sql))
  }
  if (node$kind %in% c("text", "category")) q$dialect$text(sql) else sql
}
may_be_no_number <- function(node) {
  node$fn %in%
    c(
      "+", "-", "*", "/", "^", "abs", "limit", "row_sum", "row_mean",
      "first_true", "first_present", "floor", "ceiling", "round", "trunc",
      "%%", "%/%"
    )
}

# A number as a double, so that whole numbers do not overflow.
sql_real <- function(node, q) {
  sql <- sql_of(node, q)
  if (node$kind == "number" && node$node != "constant") {
    sql
  } else {
    q$dialect$real(sql)
  }
}

sql_list <- function(values, kind, dialect) {
  literals <- vapply(
    unique(values),
    sql_literal,
    "",
    kind = kind,
    dialect = dialect
  )
  paste0("(", paste(literals, collapse = ", "), ")")
}

# A date of the database's own.
sql_date_argument <- function(node, q) {
  if (node$args$x$kind == "date") sql_of(node$args$x, q)
}

# Whole numbers as they are stored by a fixed one that is not 0; NULL for
# others.
sql_whole_by_fixed <- function(node, q, how) {
  x <- node$args[[1]]
  y <- node$args[[2]]
  fits <- x$node == "column" &&
    x$kind == "whole" &&
    y$node == "constant" &&
    length(y$value) == 1 &&
    is_whole_value(y$value) &&
    y$value != 0
  if (!fits || !column_in_database(q$relation, x$name)$is_stored) return(NULL)
  how(sql_of(x, q), number_of_whole(y$value))
}

# SQL of a node that reads one column: R computes it for each distinct value.
# among: SQL that selects the values to look up; NULL: all.
sql_by_distinct <- function(node, q, among = NULL) {
  read <- columns_read(node)
  type <- if (length(read) == 1) type_in_relation(q$relation, read)
  if (is.null(type) ||
    !type$kind %in% c("text", "category", "logical", "date") ||
    !all(functions_within(node) %in% c(functions_by_value(), functions_that_turn))) {
    cannot_in_database(paste0(
      "`", node$fn, "()` has no form in ", q$dialect$name
    ))
  }
  values <- distinct_in_database(q$relation, read, most_distinct, among)
  if (is.null(values)) {
    cannot_in_database(paste0(
      "`", node$fn, "()` would be asked of more than ",
      format_count(most_distinct), " different values"
    ))
  }
  frame <- new_frame(
    stats::setNames(list(values), read),
    stats::setNames(list(type), read),
    length(values)
  )
  results <- evaluate_node(node, frame, NULL)
  check_few_results(node, results)
  note_unturned_values(node, values, results, read, q)
  sql_cases(
    sql_column(column_node(read, type), q),
    values,
    results,
    type$kind,
    node$kind,
    q$dialect
  )
}
# How many values one list may hold, and how many lists: one for each result.
most_distinct <- 100000
most_results <- 1000
# How many values are listed where each is looked at by itself.
most_listed <- 1000

check_few_results <- function(node, results) {
  if (length(unique(results)) > most_results) {
    cannot_in_database(paste0(
      "`", node$fn, "()` gives more than ", format_count(most_results),
      " different values"
    ))
  }
}
functions_that_turn <- c("as_number", "as_whole", "as_logical", "as_date")

# Functions whose value depends only on their arguments, and that make no notes.
functions_by_value <- function() {
  rowwise <- Filter(
    function(name) {
      group <- language_function(name)$group
      !group %in% c("along rows", "aggregates", "kinds")
    },
    language_names()
  )
  c(setdiff(rowwise, c("equal_bands", "date_from_parts")), "as_text")
}
functions_within <- function(node) {
  if (node$node != "call") return(NULL)
  unique(c(node$fn, unlist(lapply(node$args, functions_within))))
}

# Each result once, with the values that give it.
sql_cases <- function(sql, values, results, kind, gives, dialect) {
  if (is.factor(results)) results <- as.character(results)
  is_gone <- is.na(values)
  cases <- character()
  if (any(is_gone) && !is.na(results[is_gone])) {
    cases <- paste(
      "WHEN", sql, "IS NULL THEN", sql_literal(results[is_gone], gives, dialect)
    )
  }
  there <- !is_gone & !is.na(results)
  for (result in unique(as.list(results[there]))) {
    of_it <- values[there & results %in% result]
    if (is.factor(of_it)) of_it <- as.character(of_it)
    cases <- c(
      cases,
      paste(
        "WHEN", sql, "IN", sql_list(of_it, kind, dialect), "THEN",
        sql_literal(result, gives, dialect)
      )
    )
  }
  if (length(cases)) {
    paste("CASE", paste(cases, collapse = " "), "END")
  } else {
    sql_absent(gives, dialect)
  }
}
# A value that is absent, of a kind.
sql_absent <- function(kind, dialect) {
  like <- switch(kind,
    logical = "1 = 1",
    number = ,
    whole = dialect$real("0"),
    date = dialect$date(as.Date("2000-01-01")),
    quote_text(dialect, "")
  )
  paste("CASE WHEN 1 = 0 THEN", like, "END")
}
