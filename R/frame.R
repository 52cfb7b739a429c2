# A frame is the table that a step sees: n rows, columns (full length, never
# copied by a step), their types, and caches by kind: codes of texts, keys,
# groups, spread, units.

frame_caches <- c("texts", "keys", "groups", "spread", "units")
#
# source: the number of each row in the study, where that is not its own (NULL).
# held: how many rows of the table were held back before and are not in it. ids:
# what columns are called in a database that they come from, by name.
new_frame <- function(
  columns, types, n, row_names = NULL, source = NULL, held = 0, ids = NULL
) {
  frame <- new.env(parent = emptyenv())
  frame$ids <- ids
  frame$held <- held
  frame$source <- source
  frame$row_names <- row_names
  frame$columns <- columns
  frame$types <- types
  frame$n <- n
  frame$play <- frame$shared <- NULL
  for (cache in frame_caches) frame[[cache]] <- new.env(parent = emptyenv())
  frame
}

# The same table for a run to write into what it says of itself. What was worked
# out of the columns, in the caches, is that of both; what several steps ask of
# the same rows is kept in `shared`.
frame_of_run <- function(frame) {
  own <- list2env(as.list(frame, all.names = TRUE), parent = emptyenv())
  own$shared <- new.env(parent = emptyenv())
  own
}

# What was made of these rows before, under a name, or what `make` gives: of the
# last rows alone, and of few things, as each may be as long as the table.
kept_of_rows <- function(frame, rows, name, make) {
  shared <- frame$shared
  if (is.null(shared)) return(make)
  if (!rlang::is_reference(shared$rows, rows)) {
    shared$rows <- rows
    shared$made <- list()
  }
  if (!is.null(shared$made[[name]])) return(shared$made[[name]])
  result <- make
  # `make` may itself have asked for results of other rows.
  if (rlang::is_reference(shared$rows, rows)) {
    shared$made <- c(
      utils::tail(shared$made, most_kept_of_rows - 1),
      stats::setNames(list(result), name)
    )
  }
  result
}
most_kept_of_rows <- 8

# What a cache keeps under a name, or what `make` gives, from then on.
kept_in <- function(cache, name, make, keep = function(made) TRUE) {
  matches <- cache[[name]]
  if (!is.null(matches)) return(matches)
  made <- make
  if (keep(made)) cache[[name]] <- made
  made
}

frame_codes <- function(frame, name) {
  kept_in(frame$texts, name, {
    vector <- frame$columns[[name]]
    if (is.factor(vector)) {
      list(codes = vector, values = as_utf8(levels(vector)))
    } else {
      core_code_text(vector)
    }
  })
}

frame_with <- function(frame, name, vector, type) {
  changed <- new_frame(
    frame$columns,
    frame$types,
    frame$n,
    frame$row_names,
    frame$source,
    frame$held,
    frame$ids
  )
  changed$play <- frame$play
  if (!is.null(frame$shared)) changed$shared <- new.env(parent = emptyenv())
  changed$columns[[name]] <- vector
  changed$types[[name]] <- type
  for (cache in setdiff(frame_caches, "groups")) {
    for (kept in setdiff(ls(frame[[cache]], all.names = TRUE), name)) {
      changed[[cache]][[kept]] <- frame[[cache]][[kept]]
    }
  }
  changed
}

# Columns that a user sees; the reasons of absent values stand beside them
# without a type.
shown_columns <- function(frame) frame$columns[names(frame$types)]

# Puts reasons beside columns, categories by the columns' names.
add_reasons <- function(frame, reasons) {
  for (column in names(reasons)) {
    hidden <- reason_column(column, names(frame$columns))
    frame$columns[[hidden]] <- reasons[[column]]
    frame$types[[column]]$reasons <- new_reasons(hidden, levels(reasons[[column]]))
  }
  invisible(frame)
}

# The reasons of a frame's columns, by name, of some rows (NULL: all).
kept_reasons <- function(frame, rows = NULL, columns = names(frame$types)) {
  having <- Filter(
    function(column) !is.null(frame$types[[column]]$reasons), columns
  )
  # Where columns were fetched the reasons of some may not have been.
  compact(lapply(stats::setNames(nm = having), function(column) {
    reasons <- frame$columns[[frame$types[[column]]$reasons$column]]
    if (is.null(rows)) reasons else reasons[rows]
  }))
}

# Reasons of the same rows from two tellings: the second where it has any.
joined_reasons_of_columns <- function(first, second) {
  for (column in names(second)) {
    old <- first[[column]]
    new <- second[[column]]
    if (!is.null(old)) {
      labels <- union(levels(old), levels(new))
      new <- factor(
        ifelse(is.na(new), as.character(old), as.character(new)),
        levels = labels
      )
    }
    first[[column]] <- new
  }
  first
}

# Columns under new names; a hidden column of such a name gives way.
frame_renamed <- function(frame, from, to) {
  hidden <- setdiff(names(frame$columns), c(from, to))
  typed <- intersect(hidden, names(frame$types))
  changed <- new_frame(
    stats::setNames(frame$columns[c(from, hidden)], c(to, hidden)),
    stats::setNames(frame$types[c(from, typed)], c(to, typed)),
    frame$n,
    frame$row_names,
    frame$source,
    frame$held
  )
  if (length(frame$ids)) {
    at <- match(names(frame$ids), from)
    changed$ids <- stats::setNames(
      frame$ids, ifelse(is.na(at), names(frame$ids), to[at])
    )
  }
  for (cache in setdiff(frame_caches, "groups")) {
    for (kept in ls(frame[[cache]], all.names = TRUE)) {
      name <- if (kept %in% from) to[match(kept, from)] else kept
      if (kept %in% c(from, hidden)) {
        changed[[cache]][[name]] <- frame[[cache]][[kept]]
      }
    }
  }
  changed
}

# Makes a node for a column of a frame.
column_of_frame <- function(frame, name) column_node(name, frame$types[[name]])

# A vector over the rows in play at the length of the frame; rows held back
# before keep what they had, where that is of the same kind.
spread_over <- function(vector, rows, n, old) {
  if (is.null(rows)) return(vector)
  full <- if (!is.null(old) && same_kind(old, vector)) {
    old
  } else {
    rep(vector[NA_integer_], n)
  }
  full[rows] <- vector
  full
}

same_kind <- function(old, vector) {
  identical(class(old), class(vector)) && identical(levels(old), levels(vector))
}

# Rows of the table, those held back before it was made among them.
rows_in_table <- function(frame) frame$n + frame$held

# Rows of a frame as a plain data frame, under the row names of the data.
frame_rows <- function(frame, rows, columns) {
  take <- function(x) if (is.null(dim(x))) x[rows] else x[rows, , drop = FALSE]
  picked <- if (is.null(rows)) {
    frame$columns[columns]
  } else {
    lapply(frame$columns[columns], take)
  }
  n <- if (is.null(rows)) frame$n else length(rows)
  names <- frame$row_names
  if (!is.null(names) && !is.null(rows)) names <- names[rows]
  if (is.null(names) || anyDuplicated(names)) names <- .set_row_names(n)
  structure(picked, class = "data.frame", row.names = names)
}

# Numbers in the study of some rows of a frame (NULL: all).
source_row_of <- function(frame, rows) {
  if (is.null(frame$source)) {
    return(if (is.null(rows)) seq_len(frame$n) else rows)
  }
  if (is.null(rows)) frame$source else frame$source[rows]
}
