# Typed expressions run over a frame: as vectors, or as the fates of rows.

# A frame is the table a step sees: n rows, columns (full length, never copied by a step), their
# types, and what was worked out of them once, kept apart by what it is: codes of texts, keys,
# groups, spread, units.
frame_caches <- c("texts", "keys", "groups", "spread", "units")
new_frame <- function(columns, types, n, row_names = NULL) {
  frame <- new.env(parent = emptyenv())
  frame$row_names <- row_names
  frame$columns <- columns
  frame$types <- types
  frame$n <- n
  frame$play <- NULL
  for (cache in frame_caches) frame[[cache]] <- new.env(parent = emptyenv())
  frame
}

# What a cache keeps under a name, or what `make` gives, from then on.
kept_in <- function(cache, name, make, keep = function(made) TRUE) {
  found <- cache[[name]]
  if (!is.null(found)) return(found)
  made <- make
  if (keep(made)) cache[[name]] <- made
  made
}

frame_codes <- function(frame, name) {
  kept_in(frame$texts, name, {
    vector <- frame$columns[[name]]
    if (is.factor(vector)) list(codes = vector, values = as_utf8(levels(vector)))
    else core_code_text(vector)
  })
}

frame_with <- function(frame, name, vector, type) {
  changed <- new_frame(frame$columns, frame$types, frame$n, frame$row_names)
  changed$play <- frame$play
  changed$columns[[name]] <- vector
  changed$types[[name]] <- type
  for (cache in setdiff(frame_caches, "groups")) {
    for (kept in setdiff(ls(frame[[cache]], all.names = TRUE), name)) changed[[cache]][[kept]] <-
      frame[[cache]][[kept]]
  }
  changed
}

# Columns under new names; a hidden column of such a name gives way.
frame_renamed <- function(frame, from, to) {
  hidden <- setdiff(names(frame$columns), c(from, to))
  changed <- new_frame(stats::setNames(frame$columns[c(from, hidden)], c(to, hidden)),
                       stats::setNames(frame$types[c(from, hidden)], c(to, hidden)), frame$n,
                       frame$row_names)
  for (cache in setdiff(frame_caches, "groups")) {
    for (kept in ls(frame[[cache]], all.names = TRUE)) {
      name <- if (kept %in% from) to[match(kept, from)] else kept
      if (kept %in% c(from, hidden)) changed[[cache]][[name]] <- frame[[cache]][[kept]]
    }
  }
  changed
}

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

# Fates of the rows in play under some conditions: see core_screen().
screen_rows <- function(nodes, frame, rows, negated = FALSE, pass_unknown = FALSE, notes = NULL,
                        where = NULL) {
  b <- new_builder(frame, rows)
  b$notes <- notes
  b$where <- where
  registers <- vapply(nodes, function(node) emit_node(node, b)$reg, integer(1))
  for (node in nodes) note_different_rows(node, frame, rows, notes, where)
  screened <- core_screen(program_of(b), rows, frame$n, registers, negated, pass_unknown,
                          thread_count())
  rownames(screened$counts) <- names(nodes)
  screened
}

# Outcomes of conditions row by row, as bytes: 0 no, 1 unknown, 2 yes.
outcomes_of <- function(nodes, frame, rows) {
  b <- new_builder(frame, rows)
  registers <- vapply(nodes, function(node) emit_node(node, b)$reg, integer(1))
  core_evaluate(program_of(b), rows, frame$n, registers, rep(2L, length(registers)), TRUE,
                thread_count())
}

# One expression over the rows in play as an R vector of the kind the node says.
evaluate_node <- function(node, frame, rows, notes = NULL, where = NULL) {
  b <- new_builder(frame, rows)
  b$notes <- notes
  b$where <- where
  value <- emit_node(node, b)
  note_different_rows(node, frame, rows, notes, where)
  vector <- materialise(value, b)
  switch(node$kind,
    text = if (value$type == "code") value$dict[vector] else rep(NA_character_, length(vector)),
    category = {
      labels <- if (is.null(node$labels)) value$dict else node$labels
      codes <- if (identical(labels, value$dict)) vector else match(value$dict[vector], labels)
      structure(codes, levels = labels, class = c(if (isTRUE(node$ordered)) "ordered", "factor"))
    },
    whole = if (
      all(is.na(vector) | (abs(vector) <= .Machine$integer.max & vector == floor(vector))))
      as.integer(vector) else vector,
    date = structure(vector, class = "Date"),
    `date-time` = .POSIXct(vector, tz = if (is.null(node$tz) || is.na(node$tz)) "" else node$tz),
    absent = rep(NA, length(vector)),
    vector)
}
