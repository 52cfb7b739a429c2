# Where a column may hold values of any type, that its values are what its declaration says is
# asked before they are used; once for each column of a study.

check_stored <- function(relation, columns) {
  base <- relation$base
  checks <- lapply(base$columns[columns], `[[`, "check")
  waiting <- setdiff(names(Filter(Negate(is.null), checks)), names(base$known$checked))
  if (!length(waiting)) return(invisible())
  dialect <- relation$dialect
  if (!is.null(dialect$now$of_no_rows)) return(invisible())
  raw <- vapply(waiting, quote_name, "", dialect = dialect)
  tests <- mapply(function(name, sql) checks[[name]](sql), waiting, raw)
  counts <- ask_database(dialect, paste0("SELECT ", paste0(
    "count(CASE WHEN ", tests, " THEN 1 END) AS c", seq_along(tests), collapse = ", "), " FROM ",
    base$from))
  wrong <- which(unlist(counts) > 0)
  if (length(wrong)) stop_on_stored(waiting[wrong[1]], tests[wrong[1]], raw[wrong[1]],
                                    counts[[wrong[1]]], relation)
  base$known$checked <- c(base$known$checked, stats::setNames(rep(TRUE, length(waiting)), waiting))
}

# Whole numbers that a double does not hold exactly.
beyond_doubles <- function(x) {
  paste0("(", x, " >= 9007199254740992 OR ", x, " <= -9007199254740992)")
}

stop_on_stored <- function(name, test, raw, count, relation) {
  base <- relation$base
  shown <- ask_database(relation$dialect, paste0("SELECT CAST(", raw, " AS TEXT) AS v FROM ",
                                                 base$from, " WHERE ", test, " LIMIT 3"))$v
  kind <- base$columns[[name]]$type$kind
  # A long whole number is no number that a double holds exactly.
  long <- all(grepl("^-?[0-9]{16,}$", shown))
  as_text <- paste0(": `kinds = list(", lang_text(as.name(name)), " = \"text\")`.")
  stop_neatly("study", paste0("Column `", name, "` holds ", counted(count, "value"), " that ",
                              if (count == 1) "is" else "are", " no ",
                              if (long) "exact number (2^53 or more)" else kind, ": ",
                              listed(quoted(shown), 3), "."),
              paste0("In table ", quoted(paste(base$table, collapse = ".")), "."),
              if (long) paste0("Keep every digit as text", as_text)
              else c("Mend them in the database,", paste0("or say another kind", as_text)))
}
