#' What was wrong with a file, line by line
#'
#' Lists every value and line of a file that is not in the study as it was
#' written.
#'
#' @param study A [study()] read from a file, or the path of one.
#' @return A data frame with one row per problem, in the order of lines: `line`
#'   (number in the file), `column` (its name; absent for a whole line), `text`
#'   as written and `became`: `"absent"` for a value that is none of its
#'   column's kind, `"left out"` for a blank line, a comment and lines around
#'   the table, `"filled with absent values"` for a short line,
#'   `"taken as written, with its quotes"` for a value with text behind its
#'   closing quote, `"another name in the header"`. Of a study of several files
#'   `file`, its path, stands in front. At most 1,000 blank lines and 1,000
#'   values with text behind quotes are listed. No rows where nothing was wrong,
#'   and for a study that does not come from a delimited text.
#' @section Errors: Class `neatsieve_error_study` where `study` is neither. What
#'   cannot be read at all is an error of [study()] itself: lines with another
#'   number of values than the header, a quote that is never closed, bytes that
#'   are no text.
#' @seealso [study()], [look()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' head(reading_account(hives))
#' @export
reading_account <- function(study) {
  local_plain()
  account <- study_facts(study)$account
  if (is.null(account)) new_reading_account() else account
}
