#' Everything of a run in one folder
#'
#' Writes the rows, the ledger and each table, each figure as PNG, the sieve as a plan file and the
#' report; the rows held back when asked for.
#'
#' @param out Siftings from [pour()].
#' @param folder The folder; made if it is not there. Files of an earlier run of the same
#'   names are replaced, other files are left alone.
#' @param report Whether to write `report.html` too.
#' @param format The format of tables: `"csv"`, `"tsv"`, `"jsonl"`, `"json"`, `"parquet"` or
#'   `"xlsx"`, as [write_table()] writes them.
#' @param held Whether to write the rows held back too, as `held.csv`.
#' @return The paths written, invisibly: `rows.csv`, `held.csv`, `ledger.csv`, `table-<name>.csv`
#'   (or of another `format`), `figure-<name>.png`, `figures.csv` (titles and text alternatives),
#'   `sieve.yaml`, `other-<name>.csv` (data frames that its steps look up), `report.html`. See
#'   [write_table()] for how values are written.
#' @section Errors: Class `neatsieve_error_run` when the folder cannot be made or written, or holds
#'   the study that was read; no partial file is left, and an old one stays until the new one is
#'   whole.
#' @examples
#' out <- pour(demo_file("hive-visits.csv"), include(present(honey_kg)),
#'             statistics(honey_kg, by = apiary))
#' folder <- file.path(tempdir(), "siftings")
#' basename(write_siftings(out, folder))
#' @export
write_siftings <- function(out, folder, report = TRUE, format = "csv", held = FALSE) {
  local_plain()
  if (!is_text(format)) {
    stop_neatly("run", "`format` must be one text.", NULL, "Write `format = \"parquet\"`.")
  }
  write <- table_writer(format)
  state <- siftings_parts(out)$state
  make_folder(folder)
  paths <- character()
  put <- function(name, write, ends = NULL) {
    path <- file.path(folder, name)
    write_whole(path, write, ends)
    paths <<- c(paths, path)
  }
  put_table <- function(name, table) {
    put(paste0(name, ".", format), function(to) write(table(), to))
  }
  check_write_flags(report, held)
  others <- tables_of_sieve(out$sieve)
  refuse_input_folder(folder, c(state$study$source,
                                unlist(lapply(others, function(one) one$table$path))))
  put_table("rows", function() out$rows)
  if (held) put_table("held", function() as.data.frame(out$held))
  put_table("ledger", function() as.data.frame(out$ledger))
  tables <- stats::setNames(unique_file_names(names(state$tables)), names(state$tables))
  for (name in names(tables)) {
    put_table(paste0("table-", tables[[name]]), function() state$tables[[name]])
  }
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

make_folder <- function(folder) {
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
}

check_write_flags <- function(report, held) {
  if (!is_flag(report)) {
    stop_neatly("run", "`report` of `write_siftings()` must be TRUE or FALSE.", NULL,
                "Write `report = FALSE` for no page.")
  }
  if (!is_flag(held)) {
    stop_neatly("run", "`held` of `write_siftings()` must be TRUE or FALSE.", NULL,
                "Write `held = TRUE` for the rows held back, too.")
  }
}
