#' Everything of a run in one folder
#'
#' Writes the rows, the rows held back, the ledger and each table as CSV, each figure as PNG,
#' the sieve as a plan file and the report.
#'
#' @param out Siftings from [pour()].
#' @param folder The folder; made if it is not there. Files of an earlier run of the same
#'   names are replaced, other files are left alone.
#' @param report Whether to write `report.html` too.
#' @return The paths written, invisibly: `rows.csv`, `held.csv`, `ledger.csv`, `table-<name>.csv`,
#'   `figure-<name>.png`, `figures.csv` (titles and text alternatives), `sieve.yaml`,
#'   `other-<name>.csv` (data frames that its steps look up), `report.html`. CSV files are UTF-8
#'   after RFC 4180, an absent value being empty and the texts `NA` and `""` in quotes, so that
#'   [study()] reads back what was there; dates are ISO 8601, date-times with their fraction and
#'   offset; a matrix column `m` is written as `m.1`, `m.2`, ... and row names as `row_name`.
#' @section Errors: Class `neatsieve_error_run` when the folder cannot be made or written, or holds
#'   the study that was read; no partial file is left, and an old one stays until the new one is
#'   whole.
#' @examples
#' out <- pour(demo_file("hive-visits.csv"), include(present(honey_kg)),
#'             statistics(honey_kg, by = apiary))
#' folder <- file.path(tempdir(), "siftings")
#' basename(write_siftings(out, folder))
#' @export
write_siftings <- function(out, folder, report = TRUE) {
  local_plain()
  state <- siftings_parts(out)$state
  if (!is_text(folder)) {
    stop_neatly("run", "`write_siftings()` needs a folder.", NULL,
                "Write `write_siftings(out, \"results\")`.")
  }
  if (file.exists(folder) && !dir.exists(folder)) {
    stop_neatly("run", paste0(quoted(folder), " is a file, not a folder."), NULL,
                "Give another path.")
  }
  if (!dir.exists(folder) && !dir.create(folder, recursive = TRUE, showWarnings = FALSE)) {
    stop_neatly("run", paste0("The folder ", quoted(folder), " could not be made."), NULL,
                "Check the path and who may write there.")
  }
  paths <- character()
  put <- function(name, write, ends = NULL) {
    path <- file.path(folder, name)
    write_whole(path, write, ends)
    paths <<- c(paths, path)
  }
  if (!is_flag(report)) {
    stop_neatly("run", "`report` of `write_siftings()` must be TRUE or FALSE.", NULL,
                "Write `report = FALSE` for no page.")
  }
  others <- tables_of_sieve(out$sieve)
  refuse_input_folder(folder, c(state$study$source,
                                unlist(lapply(others, function(one) one$table$path))))
  put("rows.csv", function(to) write_csv(out$rows, to))
  put("held.csv", function(to) write_csv(as.data.frame(out$held), to))
  put("ledger.csv", function(to) write_csv(out$ledger, to))
  tables <- stats::setNames(unique_file_names(names(state$tables)), names(state$tables))
  for (name in names(tables)) put(paste0("table-", tables[[name]], ".csv"),
                                  function(to) write_csv(state$tables[[name]], to))
  figures <- figures_by_file(out$figures)
  for (file in names(figures)) put(file, function(to) draw_png(figures[[file]], to),
                                   figure_ends$.png)
  if (length(figures)) {
    put("figures.csv",
        function(to) {
          write_csv(
            data.frame(file = names(figures),
                       title = vapply(figures, function(f) gsub("\n", " ", f$labels$title), ""),
                       text_alternative = vapply(figures, figure_alt, "")), to)
        })
  }
  plan <- file.path(folder, "sieve.yaml")
  sieve <- out$sieve
  for (one in session_tables(sieve)) {
    file <- paste0("other-", unique_file_names(one$table$called), ".csv")
    put(file, function(to) write_csv(as.data.frame(one$table$value), to))
    step <- sieve[[one$step]]
    step[[one$field]] <- new_other_table(path = full_path(file.path(folder, file)))
    sieve[[one$step]] <- step
  }
  write_sieve(sieve, plan, study = if (!is.null(state$study$source)) out$study)
  paths <- c(paths, plan)
  if (report) paths <- c(paths, report(out, file.path(folder, "report.html")))
  invisible(paths)
}

# Figures by the name of their file: figure-<name>.png, or figure-<name>-<subset>.png.
figures_by_file <- function(figures) {
  flat <- list()
  for (name in names(figures)) {
    one <- figures[[name]]
    made <- if (is_figure(one)) stats::setNames(list(one), name)
      else stats::setNames(one, paste0(name, "-", names(one)))
    flat <- c(flat, made)
  }
  stats::setNames(flat, if (length(flat)) paste0("figure-", unique_file_names(names(flat)), ".png"))
}

# A folder that holds the study or the plan is not written into: what is there would be replaced.
refuse_input_folder <- function(folder, inputs) {
  for (input in inputs) {
    if (!dir.exists(folder) || !file.exists(input)) next
    if (normalizePath(folder) != normalizePath(dirname(input))) next
    stop_neatly("run",
                paste0("The folder ", quoted(folder), " holds ", quoted(basename(input)),
                       ", which this run reads."), NULL,
                paste0("Give a folder for results alone, such as ",
                       quoted(file.path(folder, "results")), "."))
  }
}

# Absent is empty; text that is empty or NA is quoted, so that they stay apart. A column of several
# columns is written as these; lists as text.
write_csv <- function(table, path) {
  names <- row_name_column(table)
  flat <- c(names, flat_columns(as.list(table)))
  cells <- lapply(flat, csv_cells)
  header <- names(flat)
  needs <- grepl("[\",\r\n]", header)
  header[needs] <- csv_quoted(header[needs])
  lines <- if (nrow(table) && length(cells)) do.call(paste, c(unname(cells), sep = ","))
  write_text(c(paste(header, collapse = ","), lines), path)
}

row_name_column <- function(table) {
  names <- attr(table, "row.names")
  if (is.character(names) && !"row_name" %in% names(table)) list(row_name = names)
}

flat_columns <- function(columns) {
  out <- list()
  for (name in names(columns)) {
    x <- columns[[name]]
    if (is.null(dim(x))) {
      out[[name]] <- x
      next
    }
    inner <- if (is.null(colnames(x))) seq_len(ncol(x)) else colnames(x)
    for (k in seq_len(ncol(x))) out[[paste0(name, ".", inner[k])]] <- x[, k, drop = TRUE]
  }
  out
}

csv_quoted <- function(text) paste0("\"", gsub("\"", "\"\"", text, fixed = TRUE), "\"")

csv_cells <- function(x) {
  if (is.list(x)) x <- vapply(x, function(v) paste(format(v), collapse = " "), character(1))
  text <- if (inherits(x, "POSIXct")) csv_times(x)
    else if (is.double(x) && !is.object(x)) number_texts(x)
    else if (is.numeric(x) && !is.object(x)) formatC(x, format = "d", width = 1, decimal.mark = ".")
    else as.character(x)
  needs <- !is.na(text) & (text %in% c("", "NA") | grepl("[\",\r\n]|^\\s|\\s$", text)) & !is.na(x)
  text[needs] <- csv_quoted(text[needs])
  text[is.na(x)] <- ""
  as_utf8(text)
}

# ISO 8601 with the zone's offset, and fractions of a second where there are any.
csv_times <- function(x) {
  seconds <- as.numeric(x)
  fraction <- seconds - floor(seconds)
  whole <- x - fraction
  text <- format(whole, "%Y-%m-%dT%H:%M:%S")
  more <- ifelse(!is.na(fraction) & fraction > 0,
                 sub("^0", "",
                     sub("0+$", "",
                         formatC(fraction, digits = 6, format = "f", decimal.mark = "."))), "")
  ifelse(is.na(x), NA, paste0(text, ifelse(more == ".", "", more), format(whole, "%z")))
}
