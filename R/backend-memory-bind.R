# Binds a program to a frame and rows: makes its columns, constants and sets.

# The environment in which items are made: the frame, the current rows, the
# items so far, and the notebook.
bind_program <- function(program, frame, rows, notes = NULL, where = NULL) {
  r <- new.env(parent = emptyenv())
  r$frame <- frame
  r$rows <- rows
  r$notes <- notes
  r$where <- where
  r$ask <- answers_from_memory(r)
  r$code <- program$code
  r$inputs <- vector("list", program$places[["input"]])
  r$tables <- vector("list", program$places[["table"]])
  r$texts <- vector("list", program$places[["texts"]])
  r$made <- vector("list", program$places[["made"]])
  # How many instructions have been passed on already.
  r$upto <- 0L
  r$there <- c(input = 0L, table = 0L)
  for (item in program$items) resolve_item(item, r)
  r$upto <- program$registers
  r
}

resolve_item <- function(item, r) {
  r$upto <- item$upto
  value <- item$make(r)
  switch(item$kind,
    input = r$inputs[[item$place]] <- value,
    table = r$tables[[item$place]] <- value,
    texts = r$texts[[item$place]] <- value,
    made = r$made[[item$place]] <- value,
    patch = r$code[item$place[1], item$place[2]] <- value
  )
  if (item$kind %in% names(r$there)) r$there[[item$kind]] <- item$place
}

# The instructions made so far, as a handle of the core.
program_handle <- function(r) {
  code <- r$code[seq_len(r$upto), , drop = FALSE]
  whole <- function(i) as.integer(code[, i])
  core_program(list(
    op = whole(1),
    to = whole(2),
    a = whole(3),
    b = whole(4),
    c = whole(5),
    x = code[, 6],
    y = numeric(nrow(code)),
    columns = r$inputs[seq_len(r$there[["input"]])],
    tables = r$tables[seq_len(r$there[["table"]])],
    registers = r$upto
  ))
}

# Questions that items may ask about rows in memory.
answers_from_memory <- function(r) {
  list(
    column_vector = function(name) r$frame$columns[[name]],
    column_in_play = function(name) {
      plain <- plain_numbers(r$frame$columns[[name]])
      if (is.null(r$rows)) plain else plain[r$rows]
    },
    column_codes = function(name) frame_codes(r$frame, name),
    vector_of = function(value) evaluated(r, value),
    over_frame = function(vector) spread_over(vector, r$rows, r$frame$n, NULL),
    groups_in_play = function(by) row_groups(r, by),
    aggregate = function(node) aggregated_beside(r, node),
    running_along = function(node, x, keys) run_along(r, node, x, keys),
    rolled_along = function(node, x, kept, keys) {
      roll_along(r, node, x, kept, keys)
    },
    source_rows = function() source_numbers(r)
  )
}

# The value of each row in play, as an R vector.
evaluated <- function(r, value) {
  if (!is.null(value$made)) return(as.double(r$made[[value$made]]))
  type <- match(value$type, c("number", "code", "three")) - 1L
  core_evaluate(
    program_handle(r), r$rows, r$frame$n, value$reg, type, FALSE, thread_count()
  )[[1]]
}

# The group of each row in play, by some keys.
row_groups <- function(r, by) {
  if (!length(by)) {
    return(rep(1L, if (is.null(r$rows)) r$frame$n else length(r$rows)))
  }
  group <- numbers_of_groups(group_rows(by, r$frame, r$rows), r$frame$n)
  if (is.null(r$rows)) group else group[r$rows]
}

# The group of every row of the table. Where each code of the one key is a
# group, these are its codes.
numbers_of_groups <- function(grouping, n) {
  every_code <- length(grouping$codes) == 1 &&
    identical(grouping$group_of_cell, c(seq_len(grouping$levels) - 1L, -1L))
  if (every_code) {
    as.integer(grouping$codes[[1]])
  } else {
    core_groups_of_rows(grouping, n)
  }
}

# How columns are stored, where that matters to a program.
storage_of <- function(frame) {
  if (is.null(frame$stored)) {
    stored <- vapply(frame$columns, typeof, character(1))
    frame$stored <- stored[stored %in% c("integer", "double")]
  }
  frame$stored
}
