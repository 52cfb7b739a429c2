# The same expectations, sooner where they hold: testthat compares values in
# full and captures a trace of every error before it knows whether anybody will
# want to see them.
held <- function() invisible(testthat::succeed())
expect_true <- function(object, info = NULL, label = NULL) {
  if (isTRUE(as.vector(object))) return(held())
  if (is.null(label)) label <- deparse1(substitute(object))
  testthat::expect_true(object, info = info, label = label)
}
expect_false <- function(object, info = NULL, label = NULL) {
  if (isFALSE(as.vector(object))) return(held())
  if (is.null(label)) label <- deparse1(substitute(object))
  testthat::expect_false(object, info = info, label = label)
}
expect_error <- function(
  object, regexp = NULL, class = NULL, ..., info = NULL
) {
  met <- tryCatch(
    {
      force(object)
      NULL
    },
    error = identity
  )
  as_asked <- !is.null(met) &&
    (is.null(class) || inherits(met, class)) &&
    (is.null(regexp) || isTRUE(grepl(regexp, conditionMessage(met), ...)))
  if (as_asked) {
    held()
    return(invisible(met))
  }
  testthat::expect_error(
    if (!is.null(met)) stop(met),
    regexp,
    class = class,
    ...,
    info = info
  )
}
expect_identical <- function(object, expected, info = NULL, label = NULL, ...) {
  if (identical(object, expected)) return(held())
  if (is.null(label)) label <- deparse1(substitute(object))
  testthat::expect_identical(object, expected, info = info, label = label, ...)
}
expect_equal <- function(object, expected, ..., info = NULL, label = NULL) {
  if (identical(object, expected)) return(held())
  if (is.null(label)) label <- deparse1(substitute(object))
  testthat::expect_equal(object, expected, ..., info = info, label = label)
}
