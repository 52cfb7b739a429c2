#' Everything of a run in one folder
#'
#' Writes the rows, the rows held back, the ledger and each table as CSV, each figure as PNG,
#' the sieve as a plan file and the report.
#'
#' @param out Siftings from [pour()].
#' @param folder The folder; made if it is not there. Files of an earlier run of the same
#'   names are replaced, other files are left alone.
#' @param report Whether to write `report.html` too.
#' @return The paths written, invisibly: `rows.csv`, `held.csv`, `ledger.csv`,
#'   `table-<name>.csv`, `figure-<name>.png`, `figures.csv` (titles and text alternatives), `sieve.yaml`, `report.html`. CSV files are UTF-8
#'   after RFC 4180, an absent value being empty; dates are ISO 8601.
#' @section Errors: Class `neatsieve_error_run` when the folder cannot be made or written; no
#'   partial file is left.
#' @examples
#' out <- pour(demo_file("hive-visits.csv"), include(present(honey_kg)), statistics(honey_kg, by = apiary))
#' folder <- file.path(tempdir(), "siftings")
#' basename(write_siftings(out, folder))
#' @export
write_siftings <- function(out, folder, report = TRUE) {
  state <- siftings_parts(out)$state
  if (!is_text(folder)) stop_neatly("run", "`write_siftings()` needs a folder.", NULL, "Write `write_siftings(out, \"results\")`.")
  if (file.exists(folder) && !dir.exists(folder)) stop_neatly("run", paste0(quoted(folder), " is a file, not a folder."), NULL, "Give another path.")
  if (!dir.exists(folder) && !dir.create(folder, recursive = TRUE, showWarnings = FALSE)) stop_neatly("run", paste0("The folder ", quoted(folder), " could not be made."), NULL, "Check the path and who may write there.")
  paths <- character()
  put <- function(name, write) {
    path <- file.path(folder, name)
    write_whole(path, write)
    paths <<- c(paths, path)
  }
  put("rows.csv", function(to) write_csv(out$rows, to))
  put("held.csv", function(to) write_csv(as.data.frame(out$held), to))
  put("ledger.csv", function(to) write_csv(out$ledger, to))
  for (name in names(state$tables)) put(paste0("table-", file_name(name), ".csv"), function(to) write_csv(state$tables[[name]], to))
  figures <- figures_by_file(out$figures)
  for (file in names(figures)) put(file, function(to) draw_png(figures[[file]], to))
  if (length(figures)) put("figures.csv", function(to) write_csv(data.frame(file = names(figures), title = vapply(figures, function(f) gsub("\n", " ", f$labels$title), ""), text_alternative = vapply(figures, figure_alt, "")), to))
  plan <- file.path(folder, "sieve.yaml")
  write_sieve(out$sieve, plan, study = if (!is.null(state$study$source)) out$study)
  paths <- c(paths, plan)
  if (report) paths <- c(paths, report(out, file.path(folder, "report.html")))
  invisible(paths)
}

# Figures by the name of their file: figure-<name>.png, or figure-<name>-<subset>.png.
figures_by_file <- function(figures) {
  flat <- list()
  for (name in names(figures)) {
    one <- figures[[name]]
    made <- if (is_figure(one)) stats::setNames(list(one), name) else stats::setNames(one, paste0(name, "-", names(one)))
    flat <- c(flat, made)
  }
  stats::setNames(flat, if (length(flat)) paste0("figure-", unique_file_names(names(flat)), ".png"))
}

# Absent is empty; text that is empty is quoted, so that the two stay apart.
write_csv <- function(table, path) {
  cells <- lapply(as.list(table), function(x) {
    if (is.list(x)) x <- vapply(x, function(v) paste(format(v), collapse = " "), character(1))
    text <- if (inherits(x, "POSIXct")) format(x, "%Y-%m-%dT%H:%M:%S%z") else if (is.double(x) && !is.object(x)) number_texts(x) else as.character(x)
    needs <- !is.na(text) & (text == "" | grepl("[\",\r\n]|^\\s|\\s$", text))
    text[needs] <- paste0("\"", gsub("\"", "\"\"", text[needs], fixed = TRUE), "\"")
    text[is.na(x)] <- ""
    enc2utf8(text)
  })
  header <- names(table)
  needs <- grepl("[\",\r\n]", header)
  header[needs] <- paste0("\"", gsub("\"", "\"\"", header[needs], fixed = TRUE), "\"")
  con <- file(path, "wb")
  on.exit(close(con))
  lines <- if (nrow(table)) do.call(paste, c(unname(cells), sep = ","))
  writeLines(c(paste(header, collapse = ","), lines), con, sep = "\n", useBytes = TRUE)
}

# As many digits as it takes to read the same number back.
number_texts <- function(x) {
  text <- formatC(x, digits = 15, format = "g", width = 1)
  wrong <- is.finite(x) & suppressWarnings(as.numeric(text)) != x
  text[wrong] <- formatC(x[wrong], digits = 17, format = "g", width = 1)
  text
}
