# Output of the command for programs.

cli_json <- function(...) {
  cat(
    as.character(jsonlite::toJSON(
      list(...),
      auto_unbox = TRUE,
      digits = NA,
      na = "null",
      null = "null",
      Date = "ISO8601",
      POSIXt = "ISO8601",
      UTC = TRUE,
      dataframe = "rows",
      pretty = 2
    )),
    "\n",
    sep = ""
  )
}

json_table <- function(table) {
  table <- as.data.frame(table)
  rownames(table) <- NULL
  table[] <- lapply(table, function(x) if (is.factor(x)) as.character(x) else x)
  table
}

# A list that is a JSON object even if it is empty.
json_object <- function(x) {
  if (length(x)) x else structure(list(), names = character())
}

pour_json <- function(out, written) {
  state <- siftings_parts(out)$state
  cli_json(
    study = state$study$name,
    rows_in = state$study$frame$n,
    rows_out = state_row_count(state),
    held = sum(vapply(state$records, `[[`, 0, "held")),
    units = if (is.na(state$units)) NULL else state$units,
    ledger = json_table(ledger(out)),
    tables = json_object(lapply(state$tables, json_table)),
    figures = I(as.character(names(state$charts))),
    notes = I(out$notes),
    written = I(as.character(written))
  )
}
