# The commands of the command line.

cli_look <- function(given, options) {
  seen <- look(suppressMessages(cli_study(given, options), classes = "neatsieve_note"))
  seen$notes <- vapply(seen$notes, in_shell, character(1), USE.NAMES = FALSE)
  print(seen,
        onward = paste0("Next: try a condition, e.g. neatsieve screening ", shell_quoted(given),
                        " '", next_condition(seen), "'"))
}

shell_quoted <- function(text) if (grepl("^[A-Za-z0-9_./-]+$", text)) text else shQuote(text, "sh")

# Conditions as given: `heavy = score > 10` has the name heavy.
cli_conditions <- function(texts) {
  read <- lapply(texts, expression_from_text, where = "On the command line.")
  named <- vapply(read, function(e) call_name(e$lang) == "=" && is.symbol(e$lang[[2]]), logical(1))
  names <- vapply(read,
                  function(e) {
                    if (call_name(e$lang) == "=" && is.symbol(e$lang[[2]]))
                      as.character(e$lang[[2]]) else ""
                  }, "")
  read[named] <- lapply(read[named], function(e) new_expression(e$lang[[3]]))
  name_conditions(stats::setNames(read, names))
}

cli_screening <- function(given, options) {
  seen <- screen_conditions(cli_study(given[1], options), cli_conditions(given[-1]),
                            pairs = options$pairs)
  print(seen,
        onward = paste0("Next: write them below `include:` or `exclude:` of a plan, and run ",
                        "neatsieve pour PLAN."))
}

cli_plan_study <- function(plan, sieve, options) {
  spec <- attr(sieve, "study")
  if (!is.null(options$out)) {
    refuse_input_folder(options$out,
                        c(plan, if (is.null(options$study)) spec$file else options$study,
                          unlist(lapply(tables_of_sieve(sieve), function(one) one$table$path))))
  }
  if (!is.null(options$study)) {
    if (is.null(spec)) spec <- list()
    spec$file <- options$study
  }
  if (is.null(spec)) {
    stop_neatly("plan", "The plan names no study.", paste0("In ", quoted(plan), "."),
                "Add `study:` with `file:` to it, or give `--study FILE`.")
  }
  study_from_plan(utils::modifyList(spec, cli_reading(options)))
}

cli_check <- function(given, options) {
  sieve <- read_sieve(given)
  state <- starting_state(cli_plan_study(given, sieve, options))
  checked <- check_all(sieve, state)
  show_notes(state$notes$notes)
  # Notes of reading were shown when the study was read.
  notes <- length(state$notes$notes) + length(state$study$notes)
  rest <- length(sieve) - length(checked)
  cat(counted(length(checked), "step"), " checked against ", study_headline(state$study), ". ",
      if (notes) counted(notes, "note") else "No problem found", ".",
      if (rest) paste0(" The ", if (rest == 1) "step" else paste(format_count(rest), "steps"),
                       " behind step ", length(checked), ", ", sieve[[length(checked)]]$kind,
                       "(), can be checked when that has run: its columns depend on the rows."),
      "\n", sep = "")
}

cli_pour <- function(given, options) {
  if (!is.null(options$threads)) {
    if (is.na(options$threads) || options$threads < 1) {
      stop_neatly("usage",
                  paste0("`--threads ", options$threads, "` must be a whole number from 1."), NULL,
                  "Write `--threads 2`, or leave it out for all cores.")
    }
    old <- options(neatsieve.threads = options$threads)
    on.exit(options(old))
  }
  sieve <- read_sieve(given)
  out <- pour(cli_plan_study(given, sieve, options), sieve, set = cli_settings(options$set))
  # Files first: they are there even when nobody reads what is printed.
  written <- character()
  if (!is.null(options$out)) {
    written <- write_siftings(out, options$out, report = options$report, format = options$format,
                              held = options$held)
  } else if (options$report) written <- report(out, "report.html")
  cat(siftings_headline(siftings_parts(out)$state), "\n\n", sep = "")
  cat(ledger_lines(ledger(out)), sep = "\n")
  for (name in names(out$tables)) {
    cat("\nTable ", name, "\n", sep = "")
    print(out$tables[[name]], rows = 24)
  }
  charts <- names(siftings_parts(out)$charts)
  if (length(charts)) {
    cat("\nFigure", if (length(charts) > 1) "s", " ", listed(charts, 12), "\n", sep = "")
  }
  if (length(written)) cat("\nWritten:\n", paste0("  ", written, "\n"), sep = "")
  else cat("\nNext: --out DIR writes rows, tables and figures, with --held the held rows;",
           "--report a page.\n")
}

# NAME=VALUE: a number, true or false, or text; several values with | between them.
cli_settings <- function(text) {
  lapply(cli_pairs(text, "--set", "min_weight=30"), function(value) {
    values <- strsplit(value, "|", fixed = TRUE)[[1]]
    numbers <- numbers_from_text(values)
    if (!anyNA(numbers)) numbers else if (all(values %in% c("true", "false"))) values == "true"
    else values
  })
}

cli_demo <- function(given, options) {
  plan <- demo_file("spring-mites.yaml")
  cat("The demo study is poured over the plan ", plan, "\n\n", sep = "")
  cat(paste0("    ", readLines(plan, encoding = "UTF-8")), sep = "\n")
  cat("\n")
  out <- suppressMessages(pour(study_from_plan(attr(sieve <- read_sieve(plan), "study")), sieve),
                          classes = "neatsieve_note")
  print(out)
  written <- write_siftings(out, options$out, held = TRUE)
  written <- c(written, run_examples(file.path(options$out, "examples")))
  written <- c(written,
               write_gallery(system.file("gallery", "figures.R", package = "neatsieve"),
                             file.path(options$out, "gallery.html"), "A gallery of figures"))
  cat("\nWritten:\n", paste0("  ", written, "\n"), sep = "")
  cat("Open ", normalizePath(file.path(options$out, "report.html")), "\n", sep = "")
}

# The worked examples with what each call gives back, one text file each.
run_examples <- function(folder) {
  dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  old <- options(width = 100, cli.width = 100, cli.num_colors = 1L)
  on.exit(options(old))
  scripts <- list.files(system.file("examples", package = "neatsieve"), pattern = "[.]R$",
                        full.names = TRUE)
  vapply(scripts, function(script) {
    path <- file.path(folder, sub("[.]R$", ".txt", basename(script)))
    said <-
      utils::capture.output(
        suppressMessages(
          source(script, local = new.env(parent = globalenv()), echo = TRUE,
                 max.deparse.length = Inf, keep.source = TRUE, spaced = TRUE),
                 classes = "neatsieve_note"))
    write_whole(path, function(to) write_text(said, to))
    path
  }, character(1), USE.NAMES = FALSE)
}
