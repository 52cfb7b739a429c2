# A program bound to a frame and the rows in play: its items are made, one after the other.

thread_count <- function() {
  asked <- getOption("neatsieve.threads")
  if (is.null(asked)) {
    asked <- language_cache$cores
    if (is.null(asked)) {
      asked <- language_cache$cores <- max(1L, parallel::detectCores(), na.rm = TRUE)
    }
  }
  if (nzchar(limit <- Sys.getenv("_R_CHECK_LIMIT_CORES_")) && !limit %in% c("false", "FALSE")) {
    asked <- min(asked, 2L)
  }
  max(1L, as.integer(asked))
}


# The binding that items are made with: the frame, the rows in play, what was made so far, and where
# notes go.
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
  # How much of it is there already.
  r$upto <- 0L
  r$there <- c(input = 0L, table = 0L)
  for (item in program$items) resolve_item(item, r)
  r$upto <- program$registers
  r
}

resolve_item <- function(item, r) {
  r$upto <- item$upto
  made <- item$make(r)
  switch(item$kind,
         input = r$inputs[[item$place]] <- made,
         table = r$tables[[item$place]] <- made,
         texts = r$texts[[item$place]] <- made,
         made = r$made[[item$place]] <- made,
         patch = r$code[item$place[1], item$place[2]] <- made)
  if (item$kind %in% names(r$there)) r$there[[item$kind]] <- item$place
}

# The instructions of a bound program that are there, as a handle of the core.
program_handle <- function(r) {
  code <- r$code[seq_len(r$upto), , drop = FALSE]
  whole <- function(i) as.integer(code[, i])
  core_program(list(op = whole(1), to = whole(2), a = whole(3), b = whole(4), c = whole(5),
                    x = code[, 6], y = numeric(nrow(code)),
                    columns = r$inputs[seq_len(r$there[["input"]])],
                    tables = r$tables[seq_len(r$there[["table"]])], registers = r$upto))
}

# What items may ask of rows in memory.
answers_from_memory <- function(r) {
  list(column_vector = function(name) r$frame$columns[[name]],
       column_codes = function(name) frame_codes(r$frame, name),
       vector_of = function(value) evaluated(r, value),
       over_frame = function(vector) spread_over(vector, r$rows, r$frame$n, NULL),
       groups_in_play = function(by) row_groups(r, by),
       aggregate = function(node) aggregated_beside(r, node))
}

# What a value is, row by row, as an R vector over the rows in play.
evaluated <- function(r, value) {
  type <- match(value$type, c("number", "code", "three")) - 1L
  core_evaluate(program_handle(r), r$rows, r$frame$n, value$reg, type, FALSE, thread_count())[[1]]
}

# The group of each row in play, by some keys.
row_groups <- function(r, by) {
  if (!length(by)) return(rep(1L, if (is.null(r$rows)) r$frame$n else length(r$rows)))
  group <- core_groups_of_rows(group_rows(by, r$frame, r$rows), r$frame$n)
  if (is.null(r$rows)) group else group[r$rows]
}

# How columns are stored, where that matters to a program.
storage_of <- function(frame) {
  if (is.null(frame$stored)) {
    stored <- vapply(frame$columns, typeof, character(1))
    frame$stored <- stored[stored %in% c("integer", "double")]
  }
  frame$stored
}

# Typed trees run over a frame: a bound program.
bound_to <- function(nodes, frame, rows, notes = NULL, where = NULL) {
  program <- compile(nodes, storage_of(frame))
  r <- bind_program(program, frame, rows, notes, where)
  r$values <- program$values
  r
}

# Fates of the rows in play under some conditions: see core_screen().
screen_rows <- function(nodes, frame, rows, negated = FALSE, pass_unknown = FALSE, notes = NULL,
                        where = NULL) {
  r <- bound_to(nodes, frame, rows, notes, where)
  registers <- vapply(r$values, `[[`, integer(1), "reg")
  for (node in nodes) note_different_rows(node, frame, rows, notes, where)
  screened <- core_screen(program_handle(r), rows, frame$n, registers, negated, pass_unknown,
                          thread_count())
  rownames(screened$counts) <- names(nodes)
  screened
}

# Outcomes of conditions row by row, as bytes: 0 no, 1 unknown, 2 yes.
outcomes_of <- function(nodes, frame, rows) {
  r <- bound_to(nodes, frame, rows)
  registers <- vapply(r$values, `[[`, integer(1), "reg")
  core_evaluate(program_handle(r), rows, frame$n, registers, rep(2L, length(registers)), TRUE,
                thread_count())
}

# One expression over the rows in play as an R vector of the kind the node says.
evaluate_node <- function(node, frame, rows, notes = NULL, where = NULL) {
  r <- bound_to(list(node), frame, rows, notes, where)
  value <- r$values[[1]]
  note_different_rows(node, frame, rows, notes, where)
  vector <- vector_of(r, value)
  switch(node$kind,
    text = if (value$type == "code") texts_in(r, value)[vector]
      else rep(NA_character_, length(vector)),
    category = category_of(vector, texts_in(r, value), node),
    whole = whole_where_it_fits(vector),
    date = structure(vector, class = "Date"),
    `date-time` = .POSIXct(vector, tz = zone_of(node)),
    absent = rep(NA, length(vector)),
    vector)
}

category_of <- function(codes, texts, node) {
  labels <- if (is.null(node$labels)) texts else node$labels
  if (!identical(labels, texts)) codes <- match(texts[codes], labels)
  structure(codes, levels = labels, class = c(if (isTRUE(node$ordered)) "ordered", "factor"))
}

whole_where_it_fits <- function(x) {
  fits <- is.na(x) | (abs(x) <= .Machine$integer.max & x == floor(x))
  if (all(fits)) as.integer(x) else as.numeric(x)
}
