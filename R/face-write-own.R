# Refuses to write over tables that the rows were read from.

# The study's own table, or one that a step reads, is no place for what came of
# it: in the same database under the same name, or named in the query.
refuse_own_table <- function(x, to, called) {
  state <- if (inherits(x, "neatsieve_siftings")) siftings_parts(x)$state
  study <- if (!is.null(state)) {
    state$study
  } else if (inherits(x, "neatsieve_study")) {
    study_facts(x)
  }
  read <- if (!is.null(state)) {
    lapply(tables_of_sieve(x$sieve), function(one) one$table$value)
  }
  studies <- c(
    list(study),
    lapply(
      Filter(function(v) inherits(v, "neatsieve_study"), read), study_facts
    )
  )
  for (one in Filter(Negate(is.null), studies)) {
    from <- one$read_from
    is_own <- if (is.null(from)) {
      is_own_file(one, to)
    } else {
      is_same_database(from$con, to$con) && reads_table(from, to$table)
    }
    if (!is_own) next
    stop_neatly(
      "run",
      paste0("The table ", called, " is one that these rows were read from."),
      NULL,
      "Write them under another name."
    )
  }
}

# A study that was read from the SQLite file of a connection.
is_own_file <- function(study, to) {
  file <- tryCatch(dialect_of(to$con)$place()$file, error = function(e) NULL)
  if (is.null(file)) return(FALSE)
  table <- study$reading$table
  normalizePath(file) %in%
    normalizePath(as.character(study$source), mustWork = FALSE) &&
    (is.null(table) || tolower(table) == tolower(utils::tail(to$table, 1)))
}

# A name without a schema may refer to any schema.
reads_table <- function(from, table) {
  name <- utils::tail(table, 1)
  if (is.null(from$table)) {
    word <- paste0(
      "(^|[^A-Za-z0-9_])", gsub("([^A-Za-z0-9_])", "\\\\\\1", name),
      "($|[^A-Za-z0-9_])"
    )
    return(grepl(word, from$query, ignore.case = TRUE))
  }
  both <- min(length(from$table), length(table))
  identical(
    tolower(utils::tail(from$table, both)), tolower(utils::tail(table, both))
  )
}
