# Figures of one step by subset, as one value: printing draws all, `+` adds to
# each.

#' @importFrom methods setOldClass setMethod show
#' @rawNamespace exportMethods("+", show)
NULL

# R dispatches `+` on two classes of the older kind only where both have the
# same method, and ggplot2's parts have one of their own; methods of the newer
# kind come first.
new_figures <- function(figures) {
  asS4(structure(figures, class = c("neatsieve_figures", "list")))
}

methods::setOldClass(c("neatsieve_figures", "list"))

#' Figures by subset
#'
#' For a chart behind [subsets()], `$figures` has a list of figures by the name
#' of the subset. Printing draws each on a page; `+` adds to each;
#' [save_figure()] writes a file for each.
#'
#' @param x Figures by subset; `x + ` takes what a ggplot takes: a theme, a
#'   scale, labels.
#' @param i,... Names or places.
#' @return Figures by subset; printing gives them invisibly.
#' @section Errors: Those of the parts that are added.
#' @seealso [neatsieve_charts], [save_figure()], [subsets()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(
#'   hives, subsets(strong = brood_frames > 8, weak = brood_frames <= 8),
#'   chart_histogram(x = mites_per_100)
#' )
#' out$figures$histogram + ggplot2::theme(plot.title = ggplot2::element_text(size = 18))
#' @name figures_by_subset
#' @aliases +,neatsieve_figures,ANY-method show,neatsieve_figures-method
#' @export
print.neatsieve_figures <- function(x, ...) {
  for (figure in as.list(x)) print(figure, ...)
  invisible(x)
}
#' @rdname figures_by_subset
#' @export
plot.neatsieve_figures <- function(x, ...) print(x, ...)
#' @rdname figures_by_subset
#' @export
as.list.neatsieve_figures <- function(x, ...) unclass(asS3(x))
#' @rdname figures_by_subset
#' @export
`[.neatsieve_figures` <- function(x, i) new_figures(as.list(x)[i])

add_to_each <- function(e1, e2) {
  new_figures(lapply(as.list(e1), function(figure) figure + e2))
}

methods::setMethod(
  "+",
  methods::signature(e1 = "neatsieve_figures", e2 = "ANY"),
  function(e1, e2) add_to_each(e1, e2)
)
methods::setMethod("show", "neatsieve_figures", function(object) print(object))
