#' The rows of a run, or of a subset, as a study
#'
#' Makes a study from the rows that went all the way. Its name says where it
#' came from.
#'
#' @param data Siftings from [pour()]; a study, a data frame or a path are taken
#'   as [pour()] takes them.
#' @param subset For siftings with [subsets()]: the name of one; none: all rows.
#' @return A [study()] with the same unit, labels and measures; its name says
#'   the source and subset.
#' @section Errors: Class `neatsieve_error_run` when there is no such subset.
#' @seealso [pour()], [subsets()]
#' @examples
#' out <- pour(demo_file("hive-visits.csv"), subsets(strong = brood_frames > 8))
#' as_study(out, subset = "strong")
#' @export
as_study <- function(data, subset = NULL) {
  local_plain()
  if (inherits(data, "neatsieve_study")) return(data)
  if (inherits(data, "neatsieve_siftings")) return(study_of(data, subset))
  if (inherits(data, "neatsieve_study_request")) return(study_of_request(data))
  if (is.character(data) || inherits(data, "neatsieve_database")) {
    return(study(data))
  }
  if (is.data.frame(data)) {
    return(new_study(data, name = name_of_data(substitute(data))))
  }
  stop_neatly(
    "study",
    paste0("A value of class ", class(data)[1], " is no study."),
    NULL,
    "Give a study, a data frame or the path of a file."
  )
}

# What came out of a run as a study: a method of its own, behind the run.
study_of <- function(data, subset) UseMethod("study_of")
