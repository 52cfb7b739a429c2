#' Sort the rows
#'
#' Sorts the current rows. Later steps, functions along rows such as `lag()`,
#' and `$rows` use this order.
#'
#' @param ... Columns or expressions, the first counting most; each from low to
#'   high, or from high to low in [falling()].
#' @param locale How texts are compared: by code point (`NULL`), or as people of
#'   a place sort them, such as `"de"` or `"sv_SE"` (by the Unicode collation of
#'   ICU, on every platform alike).
#' @param name A name for the step.
#' @return A step for a [sieve()] or [pour()]. Categories go in their order,
#'   `no` before `yes`, absent values last whichever way the order goes; rows
#'   that are alike in all keys stay as they were.
#' @section Errors: Class `neatsieve_error_expression` for a column that is not
#'   there; class `neatsieve_error_step` without a key, or for a locale that is
#'   not known.
#' @seealso [falling()], [scoop()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, order_rows(apiary, falling(honey_kg)), pick_columns(apiary, hive, honey_kg))
#' @export
order_rows <- function(..., locale = NULL, name = NULL) {
  env <- parent.frame()
  dots <- lapply(eval(substitute(alist(...))), splice, env)
  make_step(
    "order_rows",
    order = capture_sort(dots, env),
    locale = locale,
    name = name
  )
}

define_step(
  "order_rows",
  "rows",
  list(
    order = field_sort("keys", in_dots = TRUE, is_needed = TRUE),
    locale = field_text(),
    name = field_name()
  ),
  short = "order",
  writes_short = TRUE,
  complete = function(values) order_rows_complete(values),
  bind = function(step, typing) {
    nodes <- typed_order(step$order, typing)
    typing$scope$sorted <- TRUE
    new_bound(step, typing, nodes = nodes)
  },
  run = function(bound, state) {
    state$rows <- sorted_by(
      relation_of(state), bound$nodes, bound$step$locale
    )$rows
    state
  },
  words = function(step) {
    paste0(
      "sort rows by ", sort_words(step$order),
      if (!is.null(step$locale)) paste0(", texts as in locale ", step$locale)
    )
  }
)

order_rows_complete <- function(values) {
  if (!length(values$order)) {
    stop_neatly(
      "step",
      "`order_rows()` has nothing to sort by.",
      NULL,
      "For example `order_rows(apiary, falling(honey_kg))`."
    )
  }
  known <- stringi::stri_locale_list()
  if (!is.null(values$locale) &&
    !gsub("-", "_", values$locale, fixed = TRUE) %in% known) {
    stop_neatly(
      "step",
      paste0(
        "`locale` of `order_rows()` knows no ", quoted(values$locale), "."
      ),
      NULL,
      c(
        meant(values$locale, known, quoted),
        "Write a language, as \"de\", or a language and a country, as \"sv_SE\"."
      )
    )
  }
  values
}
