#' One table in a file
#'
#' Writes a table in the format that the file's ending says, so that [study()] reads back what was
#' there.
#'
#' @param x A data frame, such as `out$tables$statistics` or [held_back()]; siftings, whose rows
#'   that went all the way are written; or a [study()].
#' @param path The file: `.csv` or `.tsv` (RFC 4180), `.jsonl` (JSON Lines: one record a line),
#'   `.json`, `.parquet` or `.xlsx`. Text may be packed: `.csv.gz`.
#' @return The path, invisibly. In text an absent value is empty, and the texts `NA` and `""` stand
#'   in quotes; numbers have the fewest digits that read back the same; dates are ISO 8601,
#'   date-times with their fraction and offset. Parquet keeps kinds and the order of categories,
#'   text and XLSX do not. A matrix column `m` is written as `m.1`, `m.2`, ..., row names as
#'   `row_name`.
#' @section Errors: Class `neatsieve_error_run` for an ending that is no format, a folder that is
#'   not there, a file that a run reads, and where the disk is full; no partial file is left.
#'   Parquet needs the package nanoparquet, XLSX the package writexl: the message says how to
#'   install them.
#' @seealso [write_siftings()] for everything of a run, [study()] to read it again.
#' @examples
#' out <- pour(demo_file("hive-visits.csv"), statistics(honey_kg, by = apiary))
#' file <- file.path(tempdir(), "honey.csv")
#' write_table(out$tables$statistics, file)
#' readLines(file, 3)
#' @export
write_table <- function(x, path) {
  local_plain()
  if (!is_text(path)) {
    stop_neatly("run", "`write_table()` needs the path of a file.", NULL,
                "Write `write_table(out$tables$statistics, \"small.csv\")`.")
  }
  table_writer(ending_of(path))
  source <- if (inherits(x, "neatsieve_siftings")) siftings_parts(x)$state$study$source
    else if (inherits(x, "neatsieve_study")) study_facts(x)$source
  full <- function(p) normalizePath(p, mustWork = FALSE)
  if (!is.null(source) && file.exists(path) && full(path) == full(source)) {
    stop_neatly("run", paste0(quoted(path), " is the file that the study was read from."), NULL,
                "Give another path.")
  }
  table <- if (is.data.frame(x)) x
    else if (inherits(x, c("neatsieve_siftings", "neatsieve_study", "neatsieve_look"))) {
      as.data.frame(x)
    } else {
      stop_neatly("run", paste0("A value of class ", class(x)[1], " is no table."), NULL,
                  "Give a data frame, siftings or a study.")
    }
  write_whole(path, function(to) write_table_to(table, path, to))
  invisible(path)
}
