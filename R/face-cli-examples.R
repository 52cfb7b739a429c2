# The worked examples on the command line.

example_scripts <- function() {
  scripts <- list.files(
    system.file("examples", package = "neatsieve"),
    pattern = "[.]R$",
    full.names = TRUE
  )
  names(scripts) <- sub("^[0-9]+-(.*)[.]R$", "\\1", basename(scripts))
  scripts
}
list_examples <- function() {
  scripts <- example_scripts()
  # The description from the comment at the top.
  words <- vapply(scripts, function(script) {
    lines <- readLines(script, encoding = "UTF-8")
    head <- lines[seq_len(which(!startsWith(lines, "#"))[1] - 1)]
    sub(
      "^([^.?]*[.?])( .*|$)",
      "\\1",
      paste(sub("^# ?", "", head), collapse = " ")
    )
  }, "")
  width <- max(nchar(names(scripts))) + 2
  wrapped <- lapply(words, strwrap, width = cli::console_width() - width)
  lines <- Map(
    function(name, text) {
      paste0(format(c(name, rep("", length(text) - 1)), width = width), text)
    },
    names(scripts),
    wrapped
  )
  cat(unlist(lines), sep = "\n")
  cat("Run one with `neatsieve demo NAME`.\n")
}
show_example <- function(name) {
  scripts <- example_scripts()
  if (!name %in% names(scripts)) {
    stop_neatly(
      "usage",
      paste0("There is no example ", quoted(name), "."),
      NULL,
      c(
        meant(name, names(scripts)),
        "Write `neatsieve demo --list` for their names."
      )
    )
  }
  withCallingHandlers(
    echo_script(scripts[[name]]),
    # Prints the note between the calls, where it belongs.
    neatsieve_note = function(note) {
      cat(conditionMessage(note), "\n", sep = "")
      invokeRestart("muffleMessage")
    }
  )
  invisible()
}

# Runs a script and shows each call with what it gives back.
echo_script <- function(script) {
  figures_in_words(source(
    script,
    local = new.env(parent = globalenv()),
    echo = TRUE,
    max.deparse.length = Inf,
    keep.source = TRUE,
    spaced = TRUE
  ))
}

# The worked examples with what each call gives back, one text file each.
run_examples <- function(folder) {
  dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  old <- options(width = 100, cli.width = 100, cli.num_colors = 1L)
  on.exit(options(old))
  vapply(
    example_scripts(),
    function(script) {
      path <- file.path(folder, sub("[.]R$", ".txt", basename(script)))
      output <- utils::capture.output(suppressMessages(
        echo_script(script),
        classes = "neatsieve_note"
      ))
      write_whole(path, function(to) write_text(output, to))
      path
    },
    character(1),
    USE.NAMES = FALSE
  )
}
