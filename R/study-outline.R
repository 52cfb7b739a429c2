# A study of which not everything is in memory: facts of its columns, and its
# number of rows.

# Stands where the values of a column were not kept; `column`: its name in the
# file.
unread_column <- function(column) {
  structure(list(), class = "neatsieve_unread", column = column)
}
is_unread <- function(x) inherits(x, "neatsieve_unread")

no_unit_codes <- list(codes = integer(), levels = 0L, all = 0)

# columns: of each a vector without values, or with one that is absent where
# some are. texts: the distinct texts of those that are text. unit_codes: see
# unit_codes().
outline_study <- function(
  columns, types, rows, texts, name, source, unit = NULL, labels = list(),
  measures = list(), notes = list(), reading = NULL, account = NULL,
  unit_codes = NULL, design = list()
) {
  frame <- new_frame(columns, types, rows)
  for (column in names(texts)) {
    frame$texts[[column]] <- list(codes = integer(), values = texts[[column]])
  }
  if (!is.null(unit)) frame$units[[unit]] <- unit_codes
  new_study_facts(
    frame,
    unit,
    name,
    source,
    labels,
    measures,
    notes,
    reading,
    account,
    design = design
  )
}
