# Codes for absent in a database: SQL that reads these values as absent.

# codes: texts, as they are told; the column as the database has it, and with
# its codes taken out.
column_with_codes <- function(column, codes, dialect) {
  stored <- if (is.null(column$stored)) column else column$stored
  test <- if (length(codes)) code_test(stored, codes, dialect)
  if (is.null(test)) return(column)
  unless <- function(sql, otherwise) {
    if (is.null(sql)) return(NULL)
    function(x) {
      paste0(
        "CASE WHEN ", test(x), " THEN ", otherwise, " ELSE ", sql(x), " END"
      )
    }
  }
  type <- column$type
  if (type$kind == "category") type$labels <- setdiff(type$labels, codes)
  new_sql_column(
    column$name,
    type,
    read = unless(column$read, "NULL"),
    check = unless(column$check, "FALSE"),
    rounds = unless(column$rounds, "FALSE"),
    coded = test,
    unread = unless(column$unread, "FALSE")
  )
}

# SQL that is true for a code; NULL if no code can be a value of the column.
# Numbers match by size, days by their ISO 8601 text.
code_test <- function(column, codes, dialect) {
  kind <- column$type$kind
  number <- unique(stats::na.omit(numbers_from_text(codes)))
  day <- suppressWarnings(as.Date(
    codes[grepl("^\\d{4}-\\d\\d-\\d\\d$", codes)],
    optional = TRUE
  ))
  codes <- switch(kind,
    text = ,
    category = codes,
    number = ,
    whole = number,
    date = as.list(stats::na.omit(day))
  )
  if (!length(codes)) return(NULL)
  among <- paste(
    " IN", sql_list(codes, switch(kind,
      category = "text",
      kind
    ), dialect)
  )
  is_text <- kind %in% c("text", "category")
  function(x) {
    paste0(if (is_text) dialect$text(column$read(x)) else column$read(x), among)
  }
}

# Why values of a column are absent, as a column of its own beside it: codes
# with reasons, by what the table has stored. NULL where no code can be a value
# of the column.
reason_column_there <- function(column, codes, hidden, dialect) {
  why <- code_reasons(codes)
  labels <- unique(why[why != ""])
  stored <- if (is.null(column$stored)) column else column$stored
  tests <- lapply(
    labels, function(label) code_test(stored, codes[why == label], dialect)
  )
  owner <- quote_name(dialect, column$name)
  whens <- unlist(Map(function(test, label) {
    if (!is.null(test)) {
      paste0(" WHEN ", test(owner), " THEN ", quote_text(dialect, label))
    }
  }, tests, labels))
  if (!length(whens)) whens <- " WHEN 1 = 0 THEN ''"
  sql <- paste0("CASE", paste(whens, collapse = ""), " END")
  new_sql_column(
    hidden,
    new_type("category", labels = labels),
    read = function(x) sql
  )
}

# The columns of a study with the codes that are told of all, and of single
# ones.
with_told_codes <- function(base, reading, dialect, where) {
  check_known_columns(
    names(reading$column_codes), names(base$columns), "absent_codes", where
  )
  all <- if (isTRUE(reading$codes_given)) reading$absent_codes
  of_columns <- codes_of_columns(reading, names(base$columns))
  for (name in names(base$columns)) {
    codes <- of_columns[[name]]
    before <- base$columns[[name]]
    base$columns[[name]] <- column_with_codes(before, unname(c(all, codes)), dialect)
    if (all(code_reasons(codes) == "")) next
    hidden <- reason_column(name, c(names(base$columns), base$hidden))
    reasons <- reason_column_there(before, codes, hidden, dialect)
    base$columns[[name]]$type$reasons <- new_reasons(hidden, reasons$type$labels)
    base$columns[[hidden]] <- reasons
    base$hidden <- c(base$hidden, hidden)
  }
  base$told_codes <- list(
    all = c(all, if (isTRUE(reading$codes_given)) reading$reason_codes),
    columns = reading$column_codes
  )
  base
}
