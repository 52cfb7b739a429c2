# Columns of a table or query of SQLite: their kinds, by what is declared or
# else by what is met, and the SQL that reads them.

describe_sqlite <- function(con, base, kinds) {
  about <- columns_of_sqlite(con, base)
  options <- lapply(
    stats::setNames(seq_along(about$name), about$name),
    function(i) {
      sqlite_kind(about$declared[i], kinds[[about$name[i]]])
    }
  )
  open <- vapply(options, is.null, NA) & !about$name %in% names(kinds)
  options[open] <- sqlite_kinds_met(
    con, base$from, about$name[open], about$declared[open]
  )[about$name[open]]
  bytes <- names(options)[vapply(options, identical, NA, "bytes")]
  columns <- Map(sqlite_column, about$name, options, about$declared)
  new_sql_columns(
    columns[setdiff(about$name, bytes)],
    stats::setNames(rep("it holds bytes", length(bytes)), bytes)
  )
}

# Names and declarations; of a query's columns nothing is declared.
columns_of_sqlite <- function(con, base) {
  if (is.null(base$table)) {
    none <- DBI::dbGetQuery(con, paste("SELECT * FROM", base$from, "LIMIT 0"))
    return(list(name = names(none), declared = rep("", length(none))))
  }
  name <- DBI::dbQuoteIdentifier(con, base$table)
  schema <- if (length(name) > 1) paste0(name[length(name) - 1], ".")
  about <- DBI::dbGetQuery(
    con, paste0("PRAGMA ", schema, "table_xinfo(", name[length(name)], ")")
  )
  about <- about[about$hidden %in% c(0, 2, 3), ]
  list(name = about$name, declared = toupper(about$type))
}

# By the rules of affinity; NULL for what says nothing of its values, or of a
# kind of them that is only told by reading.
sqlite_kind <- function(declared, told) {
  if (!is.null(told)) {
    return(if (told %in% c("text", "date", "number", "whole", "logical")) told)
  }
  if (grepl("BOOL", declared)) return("logical")
  if (grepl("DATE|TIME", declared)) return(NULL)
  if (grepl("INT", declared)) return("whole")
  if (grepl("CHAR|CLOB|TEXT", declared)) return("text")
  if (grepl("REAL|FLOA|DOUB|DEC|NUMERIC", declared)) return("number")
}

# The kinds of columns whose declaration does not tell it, by the types of their
# values, which the database looks through: numbers beside texts, and whole
# numbers that no double holds, are texts; "bytes" for those that hold such.
# Texts of a column declared to be of days, where all are days in ISO 8601, are
# dates.
sqlite_kinds_met <- function(con, from, names, declared) {
  if (!length(names)) return(list())
  raw <- as.character(DBI::dbQuoteIdentifier(con, names))
  of_type <- function(type) {
    paste0("count(CASE WHEN typeof(", raw, ") = '", type, "' THEN 1 END)")
  }
  odd_day <- paste0("count(CASE WHEN ", is_no_day(raw), " THEN 1 END)")
  long <- paste0(
    "count(CASE WHEN typeof(", raw, ") = 'integer' AND ", beyond_doubles(raw),
    " THEN 1 END)"
  )
  asked <- c(
    of_type("text"), of_type("integer"), of_type("real"), of_type("blob"),
    odd_day, long
  )
  got <- DBI::dbGetQuery(
    con,
    paste0(
      "SELECT ", paste0(asked, " AS c", seq_along(asked), collapse = ", "),
      " FROM ", from
    )
  )
  counts <- matrix(plain_number(unlist(got)), nrow = length(names))
  lapply(stats::setNames(seq_along(names), names), function(i) {
    n <- stats::setNames(
      counts[i, ], c("text", "integer", "real", "blob", "odd", "long")
    )
    is_day <- grepl("DATE", declared[i]) && !grepl("TIME", declared[i])
    if (n[["blob"]] > 0) return("bytes")
    if (n[["text"]] > 0) {
      is_text <- n[["integer"]] + n[["real"]] == 0
      return(if (is_text && is_day && n[["odd"]] == 0) "date" else "text")
    }
    if (n[["long"]] > 0) return("text")
    if (n[["real"]] > 0) {
      "number"
    } else if (n[["integer"]] > 0) {
      "whole"
    } else {
      "text"
    }
  })
}
is_no_day <- function(x) {
  paste0("(date(", x, ", '+0 days') IS NOT ", x, " OR length(", x, ") <> 10)")
}

sqlite_column <- function(name, kind, declared) {
  if (is.null(kind)) return(NULL)
  # A column of numbers that is to be text gives their digits.
  if (kind == "text" && !grepl("CHAR|CLOB|TEXT", declared)) {
    return(new_sql_column(
      name,
      new_type("text"),
      function(x) paste0("CAST(", x, " AS TEXT)"),
      stored = sqlite_column(name, sqlite_kind(declared, NULL), declared)
    ))
  }
  # Numbers come before all texts, and these before bytes: a comparison takes
  # half the time of asking for the type.
  read <- switch(kind,
    number = function(x) paste0("CAST(", x, " AS REAL)"),
    identity
  )
  check <- switch(kind,
    whole = function(x) {
      paste0(
        "(typeof(", x, ") NOT IN ('null', 'integer') OR ", beyond_doubles(x),
        ")"
      )
    },
    number = function(x) paste0("(", x, " >= '')"),
    text = function(x) paste0("(", x, " < '' OR ", x, " >= x'')"),
    logical = function(x) paste(x, "NOT IN (0, 1)"),
    date = is_no_day
  )
  new_sql_column(name, new_type(kind), read, check)
}

# A table read whole: values that are not what their column says would be
# changed on the way.
sqlite_whole <- function(con, asked, kinds) {
  base <- new_sql_base(sql_source(asked), asked$table, asked$query)
  described <- describe_sqlite(con, base, lapply(kinds, function(kind) "text"))
  base$columns <- columns <- described$columns
  check_stored(whole_relation(dialect_sqlite(con), base), names(columns))
  raw <- as.character(DBI::dbQuoteIdentifier(con, names(columns)))
  read <- mapply(function(one, name) one$read(name), columns, raw)
  list(
    sql = paste0(
      "SELECT ", paste(read, "AS", raw, collapse = ", "), " FROM ", base$from
    ),
    left_out = described$left_out
  )
}
