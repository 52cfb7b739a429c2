# Delimited texts whose values are not read: the name of their folder, or what
# `source` takes from that of the file, decides the first step for all of their
# rows. These are counted, for a text does not say how many it has.
#
# What a column is shows in all of its values. So this is done only where the
# kinds of the columns that steps read are told; and what would be said of
# values that cannot be read is not known there.

# parts: whether each file is one; none: all are read. columns: those that are
# read there all the same. step: the number of the step that leaves them out.
# rows: how many they have, when that is known.
new_counted_files <- function(
  parts = logical(), columns = character(), step = NULL, rows = 0
) {
  new_record(
    "counted_files",
    list(parts = parts, columns = columns, step = step, rows = rows)
  )
}

# Units are counted, and texts that conditions name are looked for among all, so
# these are read.
counted_files <- function(layout, supposed, plan, reading) {
  texts <- layout$part_columns
  files <- length(layout$source$sources)
  if (!length(texts) || files < 2) return(new_counted_files())
  inside <- setdiff(layout$names, names(texts))
  values <- Map(
    function(text, one) {
      value <- if (is.null(one$turn)) text else one$turn(text)
      replace(value, text %in% layout$column_codes[[one$name]], NA)
    },
    texts,
    supposed[names(texts)]
  )
  groups <- new_row_groups(
    seq_len(files),
    rep(NA, files),
    rep(1, files),
    intersect(plan$columns, inside),
    lapply(supposed, `[[`, "like"),
    values,
    ends = list()
  )
  read <- intersect(inside, c(plan$unit, texts_compared(groups, plan)))
  if (!all(setdiff(groups$columns, read) %in% names(reading$kinds))) {
    return(new_counted_files())
  }
  groups <- with_groups_left_out(groups, plan)
  # Where no file is read nothing shows what its columns hold.
  if (is.null(groups$step) || all(groups$left_out)) return(new_counted_files())
  new_counted_files(groups$left_out, read, groups$step)
}

# Notes, at the step that decided it, how many rows were only counted.
note_counted_files <- function(pass, counted) {
  pass$counted <- counted
  if (is.null(counted$step)) return()
  ends <- pass$facts$parts$rows
  ends <- c(ends, rep(pass$rows, length(counted$parts) - length(ends)))
  pass$counted$rows <- sum(diff(c(0, ends))[counted$parts])
  pass$records[[counted$step]]$unread <- new_unread_groups(
    "file",
    sum(counted$parts),
    length(counted$parts),
    pass$counted$rows,
    "only counted"
  )
}
