# Prints tables of a run: rounded numbers, no wider than the terminal.

#' @export
print.neatsieve_table <- function(x, ..., rows = 60, blocks = 6) {
  local_plain()
  digits <- attr(x, "digits")
  keys <- attr(x, "keys")
  x <- by_label(x)
  cat(
    table_lines(
      as.data.frame(x),
      rows = rows,
      digits = if (is.null(digits)) 4 else digits,
      keys = keys,
      lead = unique(c("subset", keys, "column", "value")),
      blocks = blocks
    ),
    sep = "\n"
  )
  invisible(x)
}
# Tables that people read; the numbers behind cells are in `$tables` and in the
# files of a run.
tables_to_read <- function(tables) {
  tables[!vapply(tables, inherits, NA, "neatsieve_numbers_behind")]
}

#' @export
as.data.frame.neatsieve_table <- function(x, ...) {
  attr(
    x, "digits"
  ) <- attr(x, "called") <- attr(x, "keys") <- attr(x, "cross") <- NULL
  structure(x, class = "data.frame")
}

# Columns of the study under their labels and measures.
by_label <- function(table) {
  called <- attr(table, "called")
  if ("column" %in% names(table) && length(called)) {
    at <- match(table[["column"]], names(called))
    table[["column"]] <- ifelse(is.na(at), table[["column"]], called[at])
  }
  table
}
