# Runs typed trees over rows in memory; results are fates, outcomes or vectors.

# Typed trees run over a frame: a bound program.
bound_to <- function(nodes, frame, rows, notes = NULL, where = NULL) {
  program <- compile(nodes, storage_of(frame))
  r <- bind_program(program, frame, rows, notes, where)
  r$values <- program$values
  r
}

# Fates of the rows in play under some conditions: see core_screen().
screen_rows <- function(
  nodes, frame, rows, negated = FALSE, pass_unknown = FALSE, notes = NULL,
  where = NULL
) {
  r <- bound_to(nodes, frame, rows, notes, where)
  registers <- vapply(r$values, `[[`, integer(1), "reg")
  for (node in nodes) note_different_rows(node, frame, rows, notes, where)
  screened <- core_screen(
    program_handle(r),
    rows,
    frame$n,
    registers,
    negated,
    pass_unknown,
    thread_count()
  )
  rownames(screened$counts) <- names(nodes)
  screened
}

# Outcomes of conditions row by row, as bytes: 0 no, 1 unknown, 2 yes.
outcomes_of <- function(nodes, frame, rows) {
  r <- bound_to(nodes, frame, rows)
  registers <- vapply(r$values, `[[`, integer(1), "reg")
  core_evaluate(
    program_handle(r),
    rows,
    frame$n,
    registers,
    rep(2L, length(registers)),
    TRUE,
    thread_count()
  )
}

# One expression over the rows in play as an R vector of the kind the node says.
evaluate_node <- function(node, frame, rows, notes = NULL, where = NULL) {
  r <- bound_to(list(node), frame, rows, notes, where)
  value <- r$values[[1]]
  note_different_rows(node, frame, rows, notes, where)
  vector <- vector_of(r, value)
  switch(node$kind,
    text = if (value$type == "code") {
      texts_in(r, value)[vector]
    } else {
      rep(NA_character_, length(vector))
    },
    category = category_of(vector, texts_in(r, value), node),
    whole = whole_where_it_fits(vector),
    date = structure(vector, class = "Date"),
    `date-time` = .POSIXct(vector, tz = zone_of(node)),
    absent = rep(NA, length(vector)),
    vector
  )
}

category_of <- function(codes, texts, node) {
  labels <- if (is.null(node$labels)) texts else node$labels
  if (!identical(labels, texts)) codes <- match(texts[codes], labels)
  structure(
    codes,
    levels = labels,
    class = c(if (isTRUE(node$ordered)) "ordered", "factor")
  )
}

whole_where_it_fits <- function(x) {
  fits <- is.na(x) | (abs(x) <= .Machine$integer.max & x == floor(x))
  if (all(fits)) as.integer(x) else as.numeric(x)
}

# How many rows have each fate from 1 to `n`, and the first four of each.
count_fates <- function(fates, n) core_count_fates(as.raw(fates), n)
places_of_fate <- function(fates, k) core_places_of_fate(as.raw(fates), k)
# How many of the rows with the k-th fate have an absent value. rows: whose
# fates they are (NULL: of all).
absent_of_fate <- function(fates, k, rows, values) {
  is_plain <- typeof(values) %in% c("double", "integer", "logical") &&
    (!is.object(values) || inherits(values, c("factor", "Date", "POSIXct")))
  if (is_plain) return(core_absent_of_fate(as.raw(fates), k, rows, values))
  at <- places_of_fate(fates, k)
  sum(is.na(values[if (is.null(rows)) at else rows[at]]))
}
