# Tables of a run print with rounded numbers, no wider than the terminal.

#' @export
print.neatsieve_table <- function(x, ..., rows = 60) {
  called <- attr(x, "called")
  if ("column" %in% names(x) && length(called)) {
    at <- match(x[["column"]], names(called))
    x[["column"]] <- ifelse(is.na(at), x[["column"]], called[at])
  }
  cat(table_lines(as.data.frame(x), rows = rows, digits = if (is.null(attr(x, "digits"))) 4 else attr(x, "digits")), sep = "\n")
  invisible(x)
}
#' @export
as.data.frame.neatsieve_table <- function(x, ...) {
  attr(x, "digits") <- attr(x, "called") <- NULL
  structure(x, class = "data.frame")
}
