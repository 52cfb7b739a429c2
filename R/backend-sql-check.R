# Checks that values are of the type their column declares, in databases whose
# columns may hold anything. Each column of a study is checked once, before its
# values are used.

check_stored <- function(relation, columns, notes = NULL) {
  asked <- counts_of_stored(relation, columns)
  for (i in which(asked$counts > 0)) {
    test <- asked$tests[[i]]
    note_stored[[test$which]](test, asked$counts[[i]], relation, notes)
  }
  checked <- relation$base$known$checked
  relation$base$known$checked <- c(
    checked, lapply(asked$waiting, function(column) TRUE)
  )
}

# Before the first step: how many rows there are and, by the same query, whether
# the columns are what they declare that steps will read. What is not is told
# when it is used.
count_and_check <- function(relation, columns) {
  if (!is.null(relation$known$rows) || has_parts(relation)) return(invisible())
  asked <- counts_of_stored(
    relation, columns, c(n = relation$dialect$real("count(*)"))
  )
  if (is.null(asked$n)) return(invisible())
  relation$known$rows <- asked$n
  wrong <- vapply(
    asked$tests[asked$counts > 0], function(test) test$column$name, ""
  )
  fine <- setdiff(names(asked$waiting), wrong)
  relation$base$known$checked <- c(
    relation$base$known$checked,
    lapply(asked$waiting[fine], function(column) TRUE)
  )
}

# Counts, for columns not checked before, the values that do not fit the
# column's type.
counts_of_stored <- function(relation, columns, also = character()) {
  base <- relation$base
  dialect <- relation$dialect
  waiting <- base$columns[setdiff(columns, names(base$known$checked))]
  tests <- unlist(
    lapply(
      names(note_stored),
      stored_tests,
      columns = waiting,
      dialect = dialect
    ),
    recursive = FALSE
  )
  tests <- Filter(function(test) !test$sql %in% fine_at_state(relation), tests)
  none <- list(tests = list(), counts = numeric(), waiting = list(), n = NULL)
  if (!length(tests) || !is.null(dialect$now$of_no_rows)) return(none)
  asked <- c(
    also,
    named(
      paste0(
        "count(CASE WHEN ", vapply(tests, `[[`, "", "sql"), " THEN 1 END)"
      ),
      "c"
    )
  )
  query <- function(part) {
    paste0(
      "SELECT ", paste(asked, "AS", names(asked), collapse = ", "), " FROM ",
      part$base$from
    )
  }
  # Asks the whole table, before any step.
  whole <- whole_relation(dialect, base)
  got <- if (has_parts(whole)) {
    added_parts(ask_parts(whole, query))
  } else {
    ask_database(dialect, query(whole))
  }
  counts <- vapply(got[paste0("c", seq_along(tests))], plain_number, 0)
  remember_fine(relation, vapply(tests[counts == 0], `[[`, "", "sql"))
  list(
    tests = tests,
    counts = counts,
    waiting = waiting,
    n = if (length(also)) plain_number(got$n)
  )
}

# Checks that found nothing, for as long as the database reports the same state
# of the table; kept with the connection.
fine_at_state <- function(relation) {
  token <- relation$base$known$state$token
  seen <- relation$dialect$now$fine[[relation$base$from]]
  if (!is.null(token) && identical(seen$token, token)) seen$tests
}
remember_fine <- function(relation, tests) {
  token <- relation$base$known$state$token
  if (is.null(token)) return()
  tests <- c(fine_at_state(relation), tests)
  relation$dialect$now$fine[[relation$base$from]] <- list(token = token, tests = tests)
}

# The tests of columns: the SQL of each, with its column.
stored_tests <- function(which, columns, dialect) {
  columns <- Filter(function(column) !is.null(column[[which]]), columns)
  lapply(columns, function(column) {
    raw <- quote_name(dialect, column$name)
    list(column = column, raw = raw, sql = column[[which]](raw), which = which)
  })
}

stored_values <- function(test, relation) {
  text <- relation$dialect$math$as_text(test$raw)
  ask_database(
    relation$dialect,
    paste0(
      "SELECT ", text, " AS v FROM ", relation$base$from, " WHERE ", test$sql,
      " LIMIT 3"
    )
  )$v
}
where_stored <- function(base) {
  if (is.null(base$table)) {
    "In a query."
  } else {
    paste0("In table ", quoted(paste(base$table, collapse = ".")), ".")
  }
}

note_rounded <- function(test, count, relation, notes) {
  name <- test$column$name
  take_note(
    notes,
    paste0(
      "Column `", name, "` has ", counted(count, "value"),
      " with more digits ", "than a number holds: ",
      listed(stored_values(test, relation), 3), "."
    ),
    where_stored(relation$base),
    paste0(
      "Numbers keep 15 to 17 digits; `kinds = list(", lang_text(as.name(name)),
      " = \"text\")` keeps all."
    )
  )
}

# SQL that is true for whole numbers that a double does not hold exactly.
beyond_doubles <- function(x) {
  paste0("(", x, " >= 9007199254740992 OR ", x, " <= -9007199254740992)")
}

note_coded <- function(test, count, relation, notes) {
  take_note(
    notes,
    paste0(
      "`absent_codes` made ", counted(count, "value"), " of `",
      test$column$name, "` absent."
    ),
    where_stored(relation$base)
  )
}

note_unread_stored <- function(test, count, relation, notes) {
  kind <- test$column$type$kind
  take_note(
    notes,
    paste0(
      "Column `", test$column$name, "`: ", counted(count, "value"), " ",
      if (count == 1) "is" else "are", " no ",
      if (kind == "whole") "whole number" else kind, " and absent: ",
      listed(quoted(stored_values(test, relation)), 3), "."
    ),
    where_stored(relation$base),
    paste0(
      "Mend them, list a code for absent in `absent_codes`, or keep the text ",
      "with ",
      "`kinds = list(", lang_text(as.name(test$column$name)), " = \"text\")`."
    )
  )
}

# What happens with values that fail a column's test, by test.
note_stored <- list(
  check = function(...) stop_on_stored(...),
  rounds = function(...) note_rounded(...),
  coded = function(...) note_coded(...),
  unread = function(...) note_unread_stored(...)
)

stop_on_stored <- function(test, count, relation, notes) {
  name <- test$column$name
  shown <- stored_values(test, relation)
  # A long whole number is no number that a double holds exactly.
  long <- all(grepl("^-?[0-9]{16,}$", shown))
  as_text <- paste0(
    ": `kinds = list(", lang_text(as.name(name)), " = \"text\")`."
  )
  stop_neatly(
    "study",
    paste0(
      "Column `", name, "` holds ", counted(count, "value"), " that ",
      if (count == 1) "is" else "are", " no ",
      if (long) "exact number (2^53 or more)" else test$column$type$kind, ": ",
      listed(quoted(shown), 3), "."
    ),
    where_stored(relation$base),
    if (long) {
      paste0("Keep every digit as text", as_text)
    } else {
      c("Correct them in the database,", paste0("or say another kind", as_text))
    }
  )
}
