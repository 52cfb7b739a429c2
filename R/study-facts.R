# Facts of a study, as a record.

# like: the class of the data frame it was made of, where its rows come out as
# such again. read_from: the database() it was read from, or is in. files: see
# new_study_files(), of several. design: the columns that are its `cluster` and
# its `strata`.
new_study_facts <- function(
  frame, unit, name, source, labels, measures, notes, reading = NULL,
  account = NULL, origin = NULL, database = NULL, loaded_from = NULL,
  like = NULL, read_from = NULL, files = NULL, design = list()
) {
  list(
    frame = frame,
    unit = unit,
    name = name,
    source = source,
    labels = as.list(labels),
    measures = as.list(measures),
    notes = notes,
    reading = reading,
    account = account,
    origin = origin,
    database = database,
    loaded_from = loaded_from,
    like = like,
    read_from = read_from,
    files = files,
    design = design
  )
}

# A column without one present value is logical or text for want of a better
# kind: it stands for any.
type_with_emptiness <- function(x) {
  type <- type_of_vector(x)
  if (type$kind %in% c("logical", "text") &&
    length(x) &&
    is.na(x[1]) &&
    all(is.na(x))) {
    type$empty <- TRUE
  }
  type
}

# Whole numbers of 64 bits as numbers, or as texts where a number would change
# them.
with_exact_wholes <- function(columns, notes, where) {
  for (name in names(columns)[vapply(columns, inherits, NA, "integer64")]) {
    columns[[name]] <- x <- exact_wholes(columns[[name]])
    if (!is.character(x)) next
    long <- x[which(abs(as.double(x)) >= 2^53)]
    take_note(
      notes,
      paste0(
        "Column `", name, "` stays text, so that every digit stays: ",
        counted(length(long), "whole number"), " of 2^53 or more, such as ",
        quoted(long[1]), "."
      ),
      where,
      paste0(
        "For numbers that may be rounded write ", "`work_out(", name,
        " = as_number(", name, "))`."
      )
    )
  }
  columns
}

# An argument that is a bare column name or a text.
bare_name <- function(lang, env, argument) {
  if (is.null(lang)) return(NULL)
  if (is.symbol(lang)) return(as.character(lang))
  if (is.call(lang) && identical(lang[[1]], quote(.))) {
    lang <- eval(lang[[2]], env)
  }
  if (is.null(lang)) return(NULL)
  if (is.character(lang) && length(lang) == 1) return(lang)
  stop_neatly(
    "study",
    paste0("`", argument, "` must be the name of one column."),
    instead = paste0("For example `", argument, " = hive`.")
  )
}
