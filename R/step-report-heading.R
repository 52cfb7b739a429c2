#' What stands at the head of a report
#'
#' Sets the title, the authors and an opening text of a run's report.
#'
#' @param title One text.
#' @param authors Names, as `c("A. Reed", "B. Marsh")`.
#' @param opening A text that stands before everything else; an empty line
#'   begins a paragraph.
#' @param name A name for the step.
#' @return A step for a [sieve()]. Where it stands makes no difference; the last
#'   one counts.
#' @section Errors: Class `neatsieve_error_step` for what is no text.
#' @seealso [report()]
#' @examples
#' plan <- sieve(
#'   report_heading(
#'     title = "Mites in spring", authors = "A. Reed",
#'     opening = "First look at the visits of 2023 to 2025."
#'   ),
#'   include(season == "spring"), statistics(mites_per_100, by = apiary)
#' )
#' report(pour(demo_file("hive-visits.csv"), plan), file.path(tempdir(), "mites.html"))
#' @export
report_heading <- function(
  title = NULL, authors = NULL, opening = NULL, name = NULL
) {
  make_step(
    "report_heading",
    title = title,
    authors = authors,
    opening = opening,
    name = name
  )
}

define_step(
  "report_heading",
  "marks",
  list(
    title = field_text(),
    authors = field_authors(),
    opening = field_text(),
    name = field_name()
  ),
  bind = function(step, typing) new_bound(step, typing),
  run = function(bound, state) {
    state$heading <- unclass(bound$step)[c("title", "authors", "opening")]
    state
  },
  by_row = function(bound) TRUE,
  words = function(step) {
    given <- c(
      step$title, if (length(step$authors)) paste("by", listed(step$authors))
    )
    paste0(
      "heading of the report",
      if (length(given)) paste0(": ", paste(given, collapse = ", "))
    )
  }
)

field_authors <- function() {
  field <- field_plain(
    NULL,
    function(x) is.character(x) && length(x) && !anyNA(x) && all(nzchar(x)),
    "one or more names",
    list(
      anyOf = list(
        schema_text, list(type = "array", items = schema_text, minItems = 1)
      )
    ),
    from_plan = function(spec, context, key) unlist(spec)
  )
  field$to_plan <- function(value) {
    if (length(value) == 1) value else as.list(value)
  }
  field
}
