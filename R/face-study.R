# Methods of studies: they answer what a data frame answers; assignment is an
# error.

#' @export
dim.neatsieve_study <- function(x) {
  frame <- unclass(x)$frame
  c(frame$n, length(frame$types))
}
#' @export
names.neatsieve_study <- function(x) names(unclass(x)$frame$types)
#' @export
length.neatsieve_study <- function(x) length(unclass(x)$frame$types)
#' @export
as.list.neatsieve_study <- function(x, ...) unclass(x)$frame$columns
#' @importFrom utils head
#' @export
head.neatsieve_study <- function(x, n = 6L, ...) {
  utils::head(as.data.frame(x), n, ...)
}
#' @importFrom utils tail
#' @export
tail.neatsieve_study <- function(x, n = 6L, ...) {
  utils::tail(as.data.frame(x), n, ...)
}
#' @export
summary.neatsieve_study <- function(object, ...) look(object)
#' @export
format.neatsieve_study <- function(x, ...) study_headline(unclass(x))
#' @importFrom utils str
#' @export
str.neatsieve_study <- function(object, ...) {
  cat("Study ", format(object), "\n", sep = "")
  utils::str(as.list(object), no.list = TRUE, give.attr = FALSE, ...)
}

#' @export
`$.neatsieve_study` <- function(x, name) study_column(x, name)
#' @export
`[[.neatsieve_study` <- function(x, i, ...) study_column(x, i)
#' @export
`[.neatsieve_study` <- function(x, ...) as.data.frame(x)[...]

study_column <- function(x, which) {
  columns <- unclass(x)$frame$columns
  known <- if (is.numeric(which)) {
    which %in% seq_along(columns)
  } else {
    which %in% names(columns)
  }
  if (length(which) == 1 && known) return(columns[[which]])
  stop_neatly(
    "study",
    paste0(
      "The study has no column ", paste(ticked(which), collapse = ", "), "."
    ),
    NULL,
    c(
      if (is.character(which)) meant(which[1], names(columns)),
      paste0("Columns: ", listed(ticked(names(columns)), 12), ".")
    )
  )
}

study_is_fixed <- function(x, ..., value) {
  stop_neatly(
    "study",
    "A study is not changed by assignment.",
    NULL,
    c(
      "For a new or changed column add `work_out(new = ...)` to the sieve.",
      "To change the table itself take `as.data.frame()` of it and make a new study."
    )
  )
}
#' @export
`$<-.neatsieve_study` <- study_is_fixed
#' @export
`[[<-.neatsieve_study` <- study_is_fixed
#' @export
`[<-.neatsieve_study` <- study_is_fixed
#' @export
`names<-.neatsieve_study` <- study_is_fixed

#' A first figure of a study
#'
#' Gives a figure that suits the columns named: one number or date as a
#' histogram, one key as bars, a number beside a key as box plots, two numbers
#' as a scatter plot; none: shares of absent values.
#'
#' @param x A [study()].
#' @param ... At most two columns, as bare names or texts.
#' @return A ggplot object. The chart functions (`?neatsieve_charts`) say more.
#' @section Errors: Class `neatsieve_error_step` for more than two columns.
#' @seealso [look()], [neatsieve_charts]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"))
#' plot(hives, honey_kg)
#' plot(hives, season, honey_kg)
#' @export
plot.neatsieve_study <- function(x, ...) {
  given <- capture_picks(eval(substitute(alist(...))), parent.frame())
  facts <- unclass(x)
  typing <- new_typing(
    starting_scope(facts),
    new_place("plot"),
    facts_of_relation(new_memory_relation(facts$frame))
  )
  picked <- unlist(lapply(
    given,
    picked_by,
    taken = character(),
    typing = typing
  ))
  if (length(picked) > 2) {
    stop_neatly(
      "step",
      "`plot()` of a study shows at most two columns.",
      NULL,
      "For more write `pour(study, chart_...)`; see `?neatsieve_charts`."
    )
  }
  kinds <- vapply(facts$frame$types[picked], `[[`, character(1), "kind")
  measured <- kinds %in% c(numeric_kinds, "date", "date-time")
  a <- if (length(picked)) as.name(picked[1])
  b <- if (length(picked) > 1) as.name(picked[2])
  if (length(picked) == 2 && measured[1] && !measured[2]) {
    a <- as.name(picked[2])
    b <- as.name(picked[1])
  }
  step <- if (!length(picked)) {
    quote(chart_absence())
  } else if (length(picked) == 1 && measured) {
    bquote(chart_histogram(x = .(a)))
  } else if (length(picked) == 1) {
    bquote(chart_bar(x = .(a)))
  } else if (all(measured)) {
    bquote(chart_scatter(x = .(a), y = .(b)))
  } else if (any(measured)) {
    bquote(chart_box(y = .(b), x = .(a)))
  } else {
    bquote(chart_heat(x = .(a), y = .(b)))
  }
  pour(x, eval(step))$figures[[1]]
}
