# Methods of siftings: as a list of results, and as a table of the rows that
# went all the way.

#' @export
dim.neatsieve_siftings <- function(x) {
  state <- siftings_parts(x)$state
  c(state_row_count(state), length(state$visible))
}
#' @export
length.neatsieve_siftings <- function(x) length(siftings_fields)
#' @export
names.neatsieve_siftings <- function(x) siftings_fields
#' @export
as.list.neatsieve_siftings <- function(x, ...) {
  lapply(stats::setNames(nm = siftings_fields), siftings_field, x = x)
}
#' @export
as.data.frame.neatsieve_siftings <- function(x, ...) siftings_field(x, "rows")
#' @export
head.neatsieve_siftings <- function(x, n = 6L, ...) {
  utils::head(siftings_field(x, "rows"), n, ...)
}
#' @export
tail.neatsieve_siftings <- function(x, n = 6L, ...) {
  utils::tail(siftings_field(x, "rows"), n, ...)
}
#' @export
format.neatsieve_siftings <- function(x, ...) {
  siftings_headline(siftings_parts(x)$state)
}

#' @export
str.neatsieve_siftings <- function(object, ...) {
  state <- siftings_parts(object)$state
  words <- c(
    rows = paste(paste(dim(object), collapse = " by "), "data frame"),
    held = counted(sum(vapply(state$records, `[[`, numeric(1), "held")), "row"),
    subsets = paste(colnames(state$subsets$sets), collapse = ", "),
    tables = paste(names(state$tables), collapse = ", "),
    figures = paste(names(state$charts), collapse = ", "),
    ledger = counted(length(state$records), "step"),
    notes = as.character(length(siftings_field(object, "notes"))),
    sieve = counted(length(state$steps), "step"),
    study = study_headline(state$study)
  )
  words[words == ""] <- "none"
  cat(
    "Siftings of ", state$study$name, "\n",
    paste0(" $ ", formatC(names(words), width = -8), ": ", words, "\n"),
    sep = ""
  )
}

#' @export
summary.neatsieve_siftings <- function(object, ...) {
  structure(
    list(
      headline = format(object),
      ledger = ledger(object),
      rows = look(study_of(object, NULL))
    ),
    class = "neatsieve_summary"
  )
}
#' @export
print.neatsieve_summary <- function(x, ...) {
  cat(strwrap(x$headline, console_width(), exdent = 2), "", sep = "\n")
  print(x$ledger)
  cat("\nThe rows that went all the way\n")
  print(x$rows)
  invisible(x)
}

#' The rows' way through a run, drawn
#'
#' Draws how many rows (and units) went on from step to step, and what held the
#' others back, like [chart_flow()]. The run's own figures are in `$figures`.
#'
#' @param x Siftings from [pour()].
#' @param ... Not used.
#' @return A ggplot object.
#' @section Errors: None of its own.
#' @seealso [chart_flow()], [report()]
#' @examples
#' plot(pour(demo_file("hive-visits.csv"), include(season == "spring")))
#' @export
plot.neatsieve_siftings <- function(x, ...) {
  chart_flow(x)
}

#' @export
`$.neatsieve_siftings` <- function(x, name) siftings_field(x, name)
#' @export
`[[.neatsieve_siftings` <- function(x, i, ...) siftings_field(x, i)
#' @export
`[.neatsieve_siftings` <- function(x, ...) {
  if (nargs() > 2) siftings_field(x, "rows")[...] else as.list(x)[...]
}

siftings_are_fixed <- function(x, ..., value) {
  stop_neatly(
    "run",
    "Siftings are not changed by assignment: they are what came out of a run.",
    NULL,
    c(
      "For a new or changed column pour them on: `pour(out, work_out(new = ...))`.",
      "To change the rows yourself take `as.data.frame(out)`."
    )
  )
}
#' @export
`$<-.neatsieve_siftings` <- siftings_are_fixed
#' @export
`[[<-.neatsieve_siftings` <- siftings_are_fixed
#' @export
`[<-.neatsieve_siftings` <- siftings_are_fixed
#' @export
`names<-.neatsieve_siftings` <- siftings_are_fixed
