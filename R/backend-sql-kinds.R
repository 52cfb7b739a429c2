# Converts kinds of columns in a database. A value that cannot be converted is
# absent; a note counts it, as in memory.

sql_as_number <- function(node, q) {
  x <- node$args$x
  if (x$kind %in% numeric_kinds) return(sql_real(x, q))
  if (x$kind == "logical") sql_zero_one(sql_value(x, q), q$dialect)
}
sql_zero_one <- function(condition, dialect) {
  paste0(
    "CASE WHEN ", condition, " THEN ", dialect$real("1"), " WHEN NOT ",
    condition, " THEN ", dialect$real("0"), " END"
  )
}
sql_as_text <- function(node, q) {
  x <- node$args$x
  if (!is.null(node$args$digits)) return(NULL)
  sql <- sql_value(x, q)
  switch(x$kind,
    text = ,
    category = sql,
    logical = paste0(
      "CASE WHEN ", sql, " THEN 'TRUE' WHEN NOT ", sql, " THEN 'FALSE' END"
    ),
    whole = if (is_stored_there(x, q)) q$dialect$math$as_text(sql),
    number = sql_digits(sql, q$dialect$math),
    date = q$dialect$math$as_text(sql)
  )
}
# If the digits of large and small numbers could differ, the step runs in R.
sql_digits <- function(sql, math) {
  if (is.null(math$digits)) return(NULL)
  paste0(
    "CASE WHEN ", sql, " = 0 THEN '0' WHEN abs(", sql,
    ") BETWEEN 1e-4 AND 999999999999998 ", "THEN ", math$digits(sql), " WHEN ",
    math$beyond(paste0("(1 / ", sql, " + ", sql, ")"), "number"),
    " = 0 THEN '' END"
  )
}
is_stored_there <- function(node, q) {
  node$node == "column" && column_in_database(q$relation, node$name)$is_stored
}
sql_as_whole <- function(node, q) {
  x <- node$args$x
  if (x$kind == "whole") return(sql_of(x, q))
  if (x$kind != "number") return(NULL)
  value <- sql_value(x, q)
  floor <- q$dialect$math$floor(value)
  note_unturned_there(node, paste(value, "<>", floor), q)
  paste0("CASE WHEN ", value, " = ", floor, " THEN ", value, " END")
}
sql_as_logical <- function(node, q) {
  x <- node$args$x
  if (x$kind == "logical") return(sql_of(x, q))
  if (!x$kind %in% numeric_kinds) return(NULL)
  value <- sql_value(x, q)
  note_unturned_there(node, paste(value, "NOT IN (0, 1)"), q)
  paste0(
    "CASE WHEN ", value, " = 1 THEN TRUE WHEN ", value, " = 0 THEN FALSE END"
  )
}

# Notes how many values are lost (where `lost` is true). If no note can be made
# here, the step runs in R.
note_unturned_there <- function(node, lost, q) {
  if (is_told_unturned(node, q)) return(invisible())
  n <- count_rows(where_true(q$relation, paste0("(", lost, ")")))
  if (n == 0) return(invisible())
  stop_unheard(node, q)
  take_note(
    q$notes,
    paste0(
      "`", node$text, "` made ", counted(n, "value"),
      " absent that could not be turned."
    ),
    q$where
  )
}
# The same for a column whose values were converted one by one.
note_unturned_values <- function(node, values, results, read, q) {
  turns <- intersect(functions_within(node), functions_that_turn)
  lost <- values[is.na(results) & !is.na(values)]
  if (!length(turns) || !length(lost) || is_told_unturned(node, q)) {
    return(invisible())
  }
  if (is.factor(lost)) lost <- as.character(lost)
  if (node$args$x$node != "column" || !is.character(lost)) {
    cannot_in_database(paste0("`", turns[1], "()` makes values absent"))
  }
  stop_unheard(node, q)
  type <- type_in_relation(q$relation, read)
  sql <- sql_column(column_node(read, type), q)
  some <- where_true(
    q$relation, paste(sql, "IN", sql_list(lost, "text", q$dialect))
  )
  answer <- ask_for_step(
    q$relation,
    paste0(
      "SELECT v, count(*) AS n FROM (SELECT ", sql, " AS v FROM ",
      from_relation(some, sql), ") AS s GROUP BY v"
    )
  )
  say_unturned(
    as_utf8(as.character(answer$v)), plain_number(answer$n), node, q$notes, q$where
  )
}
is_told_unturned <- function(node, q) {
  known <- q$relation$known
  label <- paste("unturned", node$text)
  is_told <- isTRUE(known[[label]])
  if (!is.null(q$notes)) known[[label]] <- TRUE
  is_told && is.null(q$notes)
}
stop_unheard <- function(node, q) {
  if (is.null(q$notes)) {
    cannot_in_database(paste0("`", node$fn, "()` makes values absent"))
  }
}
