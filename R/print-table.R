# Tables of a run print with rounded numbers, no wider than the terminal.

#' @export
print.neatsieve_table <- function(x, ..., rows = 60) {
  cat(table_lines(as.data.frame(x), rows = rows, digits = if (is.null(attr(x, "digits"))) 4 else attr(x, "digits")), sep = "\n")
  invisible(x)
}
#' @export
as.data.frame.neatsieve_table <- function(x, ...) {
  attr(x, "digits") <- NULL
  structure(x, class = "data.frame")
}
