#' Path of a file of the demo study
#'
#' Gives the path of a file of the made-up study that the examples use: visits
#' to about 120 hives in eight apiaries over three years.
#'
#' @param name One of `"hive-visits.csv"`, `"apiaries.csv"`,
#'   `"monthly-weights.csv"`, `"hive-visits.schema.json"` (the column
#'   dictionary, a Table Schema), or a plan such as `"spring-mites.yaml"`.
#'   Without it: the names of all demo files.
#' @return A path, or a character vector of names.
#' @section Errors: Class `neatsieve_error_study` when there is no such demo
#'   file.
#' @seealso [study()]
#' @examples
#' demo_file()
#' read.csv(demo_file("apiaries.csv"))
#' @export
demo_file <- function(name = NULL) {
  folder <- system.file("demo-study", package = "neatsieve")
  files <- list.files(folder)
  if (is.null(name)) return(files)
  if (!is.character(name) || length(name) != 1 || !name %in% files) {
    stop_neatly(
      "study",
      paste0("There is no demo file ", quoted(name)[1], "."),
      instead = c(
        meant(name[1], files, quoted),
        paste0("There are ", listed(quoted(files), 10), ".")
      )
    )
  }
  file.path(folder, name)
}
