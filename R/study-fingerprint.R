#' Whether two tables are the same, by a short text
#'
#' Gives a text that is the same for the same table, wherever it was read from, and another where a
#' value, a kind, a column's name or the order of rows differs.
#'
#' @param study A [study()], a data frame or the path of a file.
#' @return A text: `"md5:"` and the MD5 sum (RFC 1321) of the table written as [write_table()]
#'   writes CSV, below a header with each column's name and kind; a category counts as text, whole
#'   numbers as numbers. It does not depend on the file's format, line ends or quoting, on threads,
#'   locale or time zone. It is worked out when asked for, in the time that writing the table takes.
#' @section Errors: As [study()].
#' @seealso [write_table()], [study()]
#' @examples
#' fingerprint(demo_file("apiaries.csv"))
#' fingerprint(study(demo_file("apiaries.csv")))
#' @export
fingerprint <- function(study) {
  local_plain()
  facts <- study_facts(study)
  columns <- lapply(facts$frame$columns, function(x) {
    if (inherits(x, "POSIXct")) attr(x, "tzone") <- "UTC"
    if (is.factor(x)) as.character(x) else if (is.integer(x)) as.double(x) else x
  })
  kinds <- vapply(facts$frame$types, function(type) {
    if (isTRUE(type$empty)) "absent"
    else switch(type$kind, whole = "number", category = "text", type$kind)
  }, "")
  table <- structure(stats::setNames(columns, paste0(names(columns), ":", kinds)),
                     class = "data.frame", row.names = .set_row_names(facts$frame$n))
  file <- tempfile()
  on.exit(unlink(file))
  write_csv(table, file)
  paste0("md5:", unname(tools::md5sum(file)))
}
