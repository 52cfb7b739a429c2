# Shows results in notebooks as HTML, without knitr.

#' Results in notebooks
#'
#' Where a notebook asks for HTML by the generics of the package repr, results
#' are shown as the tables that documents have, each with what it says of
#' itself.
#'
#' @param obj A result.
#' @param ... Not used.
#' @return One text of HTML. Texts from data are escaped.
#' @section Errors: None of their own.
#' @seealso [documents], [as_table()]
#' @examples
#' out <- pour(demo_file("hive-visits.csv"), statistics(honey_kg, by = apiary))
#' if (requireNamespace("repr", quietly = TRUE)) cat(repr::repr_html(out$tables$statistics))
#' @name notebooks
NULL

notebook_html <- function(obj, rows = 60) {
  shown <- shown_table(obj)
  paste(
    html_of_table(document_cells(shown, rows), shown$caption),
    collapse = "\n"
  )
}

# Their generic is repr's.
# nolint start: object_name_linter.
#' @rdname notebooks
#' @exportS3Method repr::repr_html
repr_html.neatsieve_table <- function(obj, ...) notebook_html(obj)
#' @rdname notebooks
#' @exportS3Method repr::repr_html
repr_html.neatsieve_ledger <- function(obj, ...) notebook_html(obj)
#' @rdname notebooks
#' @exportS3Method repr::repr_html
repr_html.neatsieve_screening <- function(obj, ...) notebook_html(obj)
#' @rdname notebooks
#' @exportS3Method repr::repr_html
repr_html.neatsieve_held <- function(obj, ...) notebook_html(obj, 20)
#' @rdname notebooks
#' @exportS3Method repr::repr_html
repr_html.neatsieve_look <- function(obj, ...) {
  paste(
    c(notebook_html(obj), notes_as_html(obj$notes, "Worth a look")),
    collapse = "\n"
  )
}
#' @rdname notebooks
#' @exportS3Method repr::repr_html
repr_html.neatsieve_study <- function(obj, ...) notebook_html(obj)
#' @rdname notebooks
#' @exportS3Method repr::repr_html
repr_html.neatsieve_siftings <- function(obj, ...) {
  notes <- vapply(siftings_parts(obj)$inside$notes, note_text, "")
  paste(c(notebook_html(obj), notes_as_html(notes, "Notes")), collapse = "\n")
}
# nolint end

notes_as_html <- function(notes, title) {
  if (!length(notes)) return(NULL)
  t <- htmltools::tags
  as.character(htmltools::tagList(
    t$p(t$strong(title)),
    t$ul(lapply(visible_text(notes), function(note) t$li(note)))
  ))
}
