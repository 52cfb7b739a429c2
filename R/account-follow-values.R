# The values that steps used of the followed rows, as lines of text.

# Sorts lines that were collected column by column into the order of the rows.
row_by_row <- function(each) {
  lines <- one_below_other(each)
  lines[order(rep(seq_len(nrow(each[[1]])), length(each))), , drop = FALSE]
}

# "hive_weight_kg = 31.5, mean(honey_kg) = 4.25" for each row.
values_seen <- function(node, state, at) {
  columns <- columns_read(node)
  seen <- lapply(
    stats::setNames(nm = columns), function(n) state$frame$columns[[n]][at]
  )
  for (one in unique_nodes(aggregates_in(
    node
  ))) seen[[one$text]] <- values_at(one, state, at)
  if (!length(seen)) return(rep("", length(at)))
  parts <- lapply(
    names(seen), function(n) paste0(n, " = ", value_texts(seen[[n]]))
  )
  do.call(paste, c(parts, sep = ", "))
}

# An expression's values in some rows of the table that are in play.
values_at <- function(node, state, at) {
  if (!is.null(state$seen[[node$text]])) return(state$seen[[node$text]][at])
  rows <- if (is.null(state$rows)) seq_len(state$frame$n) else state$rows
  worked_out(relation_of(state), node)[match(at, rows)]
}

value_texts <- function(x) {
  if (is.factor(x)) x <- as.character(x)
  text <- if (is.character(x)) {
    quoted(x)
  } else if (is.logical(x)) {
    ifelse(x, "yes", "no")
  } else if (is.numeric(x) && !is.object(x)) {
    vapply(x, function(v) if (is.na(v)) "" else number_code(v), "")
  } else {
    format(x)
  }
  text[is.na(x)] <- "absent"
  if (length(text)) text else character()
}
