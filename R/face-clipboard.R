# A table for the clipboard, as spreadsheets take it: columns separated by tabs,
# numbers in full.

# Programs that put their standard input on the clipboard, with their arguments,
# by what they need.
clipboard_programs <- list(
  list(program = "pbcopy", arguments = character(), needs = NULL),
  list(program = "wl-copy", arguments = character(), needs = "WAYLAND_DISPLAY"),
  list(
    program = "xclip",
    arguments = c("-selection", "clipboard", "-in"),
    needs = "DISPLAY"
  ),
  list(
    program = "xsel",
    arguments = c("--clipboard", "--input"),
    needs = "DISPLAY"
  )
)

write_to_clipboard <- function(table, formulas) {
  where <- "On the clipboard."
  if (writes_as_text(formulas)) table <- without_formulas(table, where)
  held <- as_format_holds(table, "tsv", where)
  path <- tempfile(fileext = ".tsv")
  on.exit(unlink(path))
  write_csv(held$table, path, "\t")
  if (.Platform$OS.type == "windows") {
    utils::writeClipboard(readLines(path, encoding = "UTF-8"), format = 13L)
  } else {
    send_to_clipboard(path)
  }
  show_notes(held$notes)
}

send_to_clipboard <- function(path) {
  usable <- Filter(function(way) {
    nzchar(Sys.which(way$program)) &&
      (is.null(way$needs) || nzchar(Sys.getenv(way$needs)))
  }, clipboard_programs)
  if (!length(usable)) {
    stop_neatly(
      "run",
      "There is no clipboard that can be written to here.",
      NULL,
      c(
        "Install xclip, xsel or wl-clipboard where there is a screen.",
        "Or write a file: `write_table(out$tables$statistics, \"small.tsv\")`."
      )
    )
  }
  way <- usable[[1]]
  # The program may stay in the background to serve the clipboard, and must not
  # keep our output open.
  code <- system2(
    way$program, way$arguments,
    stdin = path, stdout = FALSE, stderr = FALSE
  )
  if (code != 0) {
    stop_neatly(
      "run",
      paste0("`", way$program, "` could not write to the clipboard."),
      NULL,
      "Write a file: `write_table(out$tables$statistics, \"small.tsv\")`."
    )
  }
}
