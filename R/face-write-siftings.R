#' Everything of a run in one folder
#'
#' Writes the rows, the ledger, each table, each figure as PNG, the sieve as a
#' plan file, and the report; if you ask for it, also the rows that were held
#' back.
#'
#' @param out Siftings from [pour()].
#' @param folder The folder; made if it is not there. It is written beside its
#'   place and moved there when it is whole, so that a full disk or a crash
#'   never leaves half of it: the old folder and the new one are exchanged in
#'   one step, or, where other things are in it, its files put there one by one.
#'   Files of an earlier run go if they are as it wrote them; one that was
#'   changed since is an error without `force`. Other files and folders are
#'   never touched. Two runs do not write into one folder at once.
#' @param report Whether to write `report.html` too.
#' @param format The format of tables: `"csv"`, `"tsv"`, `"jsonl"`, `"json"`,
#'   `"parquet"` or `"xlsx"`, as [write_table()] writes them.
#' @param held Whether to write the rows held back too, as `held.csv`.
#' @param force Whether to write into a folder that holds other things and no
#'   earlier run.
#' @return The paths written, invisibly: `rows.csv`, `held.csv`, `ledger.csv`,
#'   `table-<name>.csv` (or of another `format`), `figure-<name>.png`,
#'   `figures.csv` (titles and text alternatives), `sieve.yaml`,
#'   `other-<name>.csv` (data frames that its steps look up), `report.html`,
#'   `SHA256SUMS` (the SHA-256 of each file, which `sha256sum -c` checks) and
#'   `seal.json` (see [verify()]). See [write_table()] for how values are
#'   written.
#' @section Errors: Class `neatsieve_error_run` when the folder cannot be made
#'   or written, holds the study that was read, holds other things or files of
#'   an earlier run that were changed, is a link to nothing, or another run is
#'   writing there; what was there before is then as it was.
#' @seealso [report()], [write_table()], [verify()]
#' @examples
#' out <- pour(
#'   demo_file("hive-visits.csv"), include(present(honey_kg)),
#'   statistics(honey_kg, by = apiary)
#' )
#' folder <- file.path(tempdir(), "siftings")
#' basename(write_siftings(out, folder))
#' @export
write_siftings <- function(
  out, folder, report = TRUE, format = "csv", held = FALSE, force = FALSE
) {
  local_plain()
  if (!is_text(folder)) {
    stop_neatly(
      "run",
      "`write_siftings()` needs a folder.",
      NULL,
      "Write `write_siftings(out, \"results\")`."
    )
  }
  if (!is_text(format)) {
    stop_neatly(
      "run", "`format` must be one text.", NULL, "Write `format = \"parquet\"`."
    )
  }
  table_writer(format)
  state <- siftings_parts(out, "all")$state
  check_write_flags(report, held, force)
  refuse_input_folder(
    folder,
    c(
      state$study$source,
      unlist(lapply(tables_of_sieve(out$sieve), function(one) one$table$path))
    )
  )
  written <- character()
  write_folder(folder, function(part, place) {
    put <- function(name, write, ends = NULL) {
      write_whole(file.path(part, name), write, ends)
      written <<- union(written, name)
    }
    put_tables(out, state, put, format, held)
    put_figures(out, put)
    put_plan(out, state, put, place)
    if (report) {
      put("report.html", function(to) {
        write_text(
          as.character(report_page(out, state, heading_of(out), place)), to
        )
      })
    }
    sums <- file_digests(file.path(part, written))
    put("SHA256SUMS", function(to) write_text(paste0(sums, "  ", written), to))
    sums <- c(sums, file_digests(file.path(part, "SHA256SUMS")))
    files <- stats::setNames(
      as.list(sums), c(written[written != "SHA256SUMS"], "SHA256SUMS")
    )
    put("seal.json", function(to) write_text(seal_json(seal(out), files), to))
  }, force)
  invisible(file.path(folder, written))
}

put_tables <- function(out, state, put, format, held) {
  put_table <- function(name, table) {
    file <- paste0(name, ".", format)
    put(file, function(to) write_table_to(table(), file, to, format))
  }
  put_table("rows", function() out$rows)
  if (held) put_table("held", function() as.data.frame(out$held))
  put_table("ledger", function() as.data.frame(out$ledger))
  tables <- table_files(state)
  for (name in names(tables)) {
    put_table(paste0("table-", tables[[name]]), function() state$tables[[name]])
  }
}

put_figures <- function(out, put) {
  figures <- figures_by_file(out$figures)
  for (file in names(figures)) {
    put(file, function(to) draw_png(figures[[file]], to), figure_ends$.png)
  }
  if (!length(figures)) return()
  put("figures.csv", function(to) {
    write_csv(
      data.frame(
        file = names(figures),
        title = vapply(
          figures, function(f) gsub("\n", " ", f$labels$title), ""
        ),
        text_alternative = vapply(figures, figure_alt, "")
      ),
      to
    )
  })
}

# The plan, and beside it the data frames that its steps look up.
put_plan <- function(out, state, put, place) {
  sieve <- out$sieve
  for (one in session_tables(sieve)) {
    file <- paste0("other-", unique_file_names(one$table$called), ".csv")
    put(file, function(to) write_csv(as.data.frame(one$table$value), to))
    step <- sieve[[one$step]]
    step[[one$field]] <- new_other_table(path = file.path(place, file))
    sieve[[one$step]] <- step
  }
  put("sieve.yaml", function(to) {
    plan <- plan_of(sieve, if (is_nameable_study(state$study)) out$study, place)
    write_text(plan_text(plan), to)
  })
}

# Figures by the name of their file: figure-<name>.png, or
# figure-<name>-<subset>.png.
figures_by_file <- function(figures) {
  flat <- list()
  for (name in names(figures)) {
    one <- figures[[name]]
    column <- if (is_figure(one)) {
      stats::setNames(list(one), name)
    } else {
      stats::setNames(one, paste0(name, "-", names(one)))
    }
    flat <- c(flat, column)
  }
  stats::setNames(
    flat,
    if (length(flat)) paste0("figure-", unique_file_names(names(flat)), ".png")
  )
}

# A folder that holds the study or the plan is not written into: what is there
# would be replaced.
refuse_input_folder <- function(folder, inputs) {
  for (input in inputs) {
    if (!dir.exists(folder) || !file.exists(input)) next
    if (normalizePath(folder) != normalizePath(dirname(input))) next
    stop_neatly(
      "run",
      paste0(
        "The folder ", quoted(folder), " holds ", quoted(basename(input)),
        ", which this run reads."
      ),
      NULL,
      paste0(
        "Give a folder for results alone, such as ",
        quoted(file.path(folder, "results")), "."
      )
    )
  }
}

check_write_flags <- function(report, held, force) {
  if (!is_flag(report)) {
    stop_neatly(
      "run",
      "`report` of `write_siftings()` must be TRUE or FALSE.",
      NULL,
      "Write `report = FALSE` for no page."
    )
  }
  if (!is_flag(held)) {
    stop_neatly(
      "run",
      "`held` of `write_siftings()` must be TRUE or FALSE.",
      NULL,
      "Write `held = TRUE` for the rows held back, too."
    )
  }
  if (!is_flag(force)) {
    stop_neatly(
      "run",
      "`force` of `write_siftings()` must be TRUE or FALSE.",
      NULL,
      "Write `force = TRUE` to write into a folder that holds other things."
    )
  }
}
