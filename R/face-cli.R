# The command `neatsieve`. It parses words, calls the exported functions and prints; results go
# to stdout or files, messages to stderr. Exit codes: 0 done, 1 the run failed, 2 wrong usage.

cli_commands <- list(
  look = list(usage = "FILE",
              does = "what is in a file: kinds, absent values, spread, what is worth a look"),
  screening = list(usage = "FILE CONDITION ...", does = "how conditions split the rows"),
  check = list(usage = "PLAN", does = "check a plan against its study, without running it"),
  pour = list(usage = "PLAN", does = "run a plan file; print the account"),
  demo = list(usage = "",
              does = paste0("run the demo study: account, tables, figures, report and a gallery ",
                            "of all charts in a folder"))
)

# How a file is read: the arguments of study() in the shell's words.
cli_reading_options <- function() {
  option <- function(flags, ...) optparse::make_option(flags, ...)
  list(
    option("--unit", metavar = "COLUMN", help = "the column that names the thing studied"),
    option("--absent", metavar = "CODES",
           help = "codes that mean absent, with commas between them [\"\" and NA]"),
    option("--kinds", metavar = "COLUMN=KIND",
           help = paste0("the kind of a column, as hive=text or 'day=date %d/%m/%Y'; more with ",
                         "commas between them, or given again")),
    option("--ordered", metavar = "COLUMN=VALUES",
           help = paste0("categories of a column in their order, as temper=calm,lively,hot; may ",
                         "be given again")),
    option("--decimal", metavar = "MARK", help = "the mark before decimals, . or , [.]"),
    option("--encoding", metavar = "NAME", help = "the encoding of the file, as latin1 [UTF-8]"))
}

cli_options <- function(command) {
  option <- function(flags, ...) optparse::make_option(flags, ...)
  other <- option("--study", metavar = "FILE", help = "another file than the plan's")
  switch(command,
    look = cli_reading_options(),
    screening = c(cli_reading_options(),
                  list(
                    option("--pairs", action = "store_true", default = FALSE,
                           help = "also how each pair of conditions goes together"))),
    check = c(list(other), cli_reading_options()),
    pour = c(list(
      other,
      option("--set", metavar = "NAME=VALUE", type = "character",
             help = paste0("change a setting, as min_weight=30; may be given again, and several ",
                           "values of one setting have | between them")),
      option("--out", metavar = "DIR",
             help = "write rows, held rows, ledger, tables, figures and the plan there"),
      option("--report", action = "store_true", default = FALSE,
             help = "write report.html (in --out, else here)"),
      option("--threads", metavar = "N", type = "integer",
             help = "how many threads may be used [all cores]")),
      cli_reading_options()),
    demo = list(
      option("--out", metavar = "DIR", default = "neatsieve-demo",
             help = "the folder for the results [%default]")))
}

cli_usage <- function() {
  lines <- c("Usage: neatsieve COMMAND ...", "", "Commands:",
             paste0("  ",
                    formatC(paste(names(cli_commands), vapply(cli_commands, `[[`, "", "usage")),
                            width = -30), vapply(cli_commands, `[[`, "", "does")),
             "", paste0("`neatsieve COMMAND --help` tells more. Exit code: 0 done, 1 the run ",
                        "failed, 2 wrong usage."))
  paste(lines, collapse = "\n")
}

# Runs the command and returns the exit code.
cli_main <- function(args = commandArgs(trailingOnly = TRUE)) {
  local_plain()
  wrong <- function(...) {
    message(paste0(...))
    2L
  }
  if (!length(args)) return(wrong(cli_usage()))
  if (args[1] %in% c("--help", "-h", "help")) {
    cat(cli_usage(), "\n", sep = "")
    return(0L)
  }
  if (args[1] == "--version") {
    cat("neatsieve", as.character(utils::packageVersion("neatsieve")), "\n")
    return(0L)
  }
  command <- args[1]
  if (!command %in% names(cli_commands)) {
    return(
      wrong("There is no command \"", command, "\". ", meant(command, names(cli_commands), quoted),
            "\n\n", cli_usage()))
  }
  rest <- args[-1]
  literal <- character()
  if ("--" %in% rest) {
    literal <- rest[seq_along(rest) > match("--", rest)]
    rest <- rest[seq_len(match("--", rest) - 1)]
  }
  rest <- cli_repeated(rest)
  about <- cli_commands[[command]]
  parser <- optparse::OptionParser(usage = paste("neatsieve", command, about$usage, "[options]"),
                                   option_list = cli_options(command), add_help_option = FALSE,
                                   description = paste0("\n", toupper(substr(about$does, 1, 1)),
                                     substr(about$does, 2, 200), "."))
  if (any(rest %in% c("--help", "-h"))) {
    cat(utils::capture.output(optparse::print_help(parser)), sep = "\n")
    return(0L)
  }
  parsed <- tryCatch(optparse::parse_args(parser, rest, positional_arguments = TRUE),
                     error = function(e) e, warning = function(e) e)
  if (inherits(parsed, "condition")) {
    return(
      wrong(sub("^Error in .*: ", "", conditionMessage(parsed)), "\nSee `neatsieve ", command,
            " --help`."))
  }
  given <- c(parsed$args, literal)
  wanted <- switch(command, demo = 0, screening = NA, 1)
  if (if (is.na(wanted)) length(given) < 2 else length(given) != wanted) {
    return(
      wrong("Usage: neatsieve ", command, " ", about$usage, " [options]\nSee `neatsieve ", command,
            " --help`."))
  }
  tryCatch(
    withCallingHandlers({
      do.call(paste0("cli_", command), list(given, parsed$options))
      if (core_output_arrived()) 0L
      else stop_neatly("run", "What was printed could not be written.", NULL,
                       "Is the disk full, or the output closed?")
    }, neatsieve_note = function(n) {
      message(in_shell(conditionMessage(n)))
      invokeRestart("muffleMessage")
    }),
    neatsieve_error_usage = function(e) {
      message("Error: ", in_shell(conditionMessage(e)))
      2L
    },
    error = function(e) {
      # Whoever read the output closed it: the exit code is that of a process ended by SIGPIPE.
      if (grepl("SIGPIPE", conditionMessage(e), fixed = TRUE)) return(141L)
      message("Error: ", in_shell(conditionMessage(e)))
      1L
    },
    interrupt = function(e) {
      message("Stopped; nothing was written.")
      1L
    })
}

# Hints that name arguments of study() or calls of R, in the words of the command line.
shell_phrases <- c(
  "`absent_codes`" = "`--absent`",
  "`kinds = list\\(\\s*`?([^`=]+?)`?\\s*=\\s*\"([^\"]*)\"\\)`" = "`--kinds '\\1=\\2'`",
  "`decimal = \"([.,])\"`" = "`--decimal \\1`",
  "`study\\(file, encoding = \"([^\"]*)\"\\)`" = "`--encoding \\1`",
  "`study\\(data, unit = ([^)]*)\\)`" = "`--unit \\1`",
  "`study\\(data, ordered = list\\(([^ ]+) = c\\(\"([^\"]*)\", \\.\\.\\.\\)\\)\\)`" =
    "`--ordered \\1=\\2,...`",
  ", or give `study\\(\\)` `" = ", or give `",
  "`ordered`" = "`--ordered`", "`set = list\\(([^ ]+) = ([^)]*)\\)`" = "`--set \\1=\\2`",
  "`set`" = "`--set`",
  "`screening\\(\\.\\.\\., pairs = TRUE\\)`" = "`neatsieve screening ... --pairs`")
in_shell <- function(text) {
  # A line that was broken inside a phrase is looked at whole, and broken anew.
  lines <- strsplit(text, "\n", fixed = TRUE)[[1]]
  starts <- !grepl("^  +", lines) | seq_along(lines) == 1
  whole <- vapply(split(lines, cumsum(starts)),
                  function(l) paste(c(l[1], trimws(l[-1])), collapse = " "), "")
  said <- whole
  for (phrase in names(shell_phrases)) said <- gsub(phrase, shell_phrases[[phrase]], said,
    perl = TRUE)
  changed <- said != whole
  broken <- lapply(split(lines, cumsum(starts)), paste, collapse = "\n")
  broken[changed] <- lapply(said[changed],
                            function(l) {
                              paste(strwrap(l, cli::console_width(), exdent = 2), collapse = "\n")
                            })
  paste(unlist(broken), collapse = "\n")
}

# Options that may be given several times count each time (--set a=1 --set b=2).
cli_repeated <- function(args) {
  for (name in c("--set", "--kinds", "--ordered")) {
    args <- unlist(lapply(args, function(a) {
      if (startsWith(a, paste0(name, "="))) c(name, substring(a, nchar(name) + 2)) else a
    }))
    at <- which(args == name)
    at <- at[at < length(args)]
    if (length(at) < 2) next
    values <- args[at + 1]
    args <- c(args[-c(at, at + 1)], name, paste(values, collapse = "\n"))
  }
  args
}

# NAME=VALUE pairs of an option, several with commas between them or on lines.
cli_pairs <- function(text, option, example) {
  if (is.null(text)) return(list())
  pairs <- unlist(strsplit(text, "\n|,(?=[^,=\n]+=)", perl = TRUE))
  bad <- pairs[!grepl("^[^=]+=.+", pairs)]
  if (length(bad)) {
    stop_neatly("usage", paste0("`", option, " ", bad[1], "` is not NAME=VALUE."), NULL,
                paste0("Write `", option, " ", example, "`."))
  }
  stats::setNames(as.list(sub("^[^=]+=", "", pairs)), sub("=.*", "", pairs))
}

# What the reading options say, as a plan's study holds it.
cli_reading <- function(options) {
  split <- function(text) trimws(strsplit(text, ",", fixed = TRUE)[[1]])
  compact(list(
    unit = options$unit,
    absent_codes = if (!is.null(options$absent)) unique(c("", split(options$absent))),
    kinds = if (!is.null(options$kinds)) cli_pairs(options$kinds, "--kinds", "hive=text"),
    ordered = if (!is.null(options$ordered))
      lapply(cli_pairs(options$ordered, "--ordered", "temper=calm,lively,hot"), split),
    decimal = options$decimal, encoding = options$encoding))
}

cli_study <- function(file, options) study_from_plan(c(list(file = file), cli_reading(options)))

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
                        c(plan, if (is.null(options$study)) spec$file else options$study))
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
  check_all(sieve, state)
  show_notes(state$notes$notes)
  # Notes of reading were shown when the study was read.
  notes <- length(state$notes$notes) + length(state$study$notes)
  cat(counted(length(sieve), "step"), " checked against ", study_headline(state$study), ". ",
      if (notes) counted(notes, "note") else "No problem found", ".\n", sep = "")
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
  if (!is.null(options$out)) written <- write_siftings(out, options$out, report = options$report)
  else if (options$report) written <- report(out, "report.html")
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
  else cat("\nNext: --out DIR writes rows, held rows, tables and figures; --report a page.\n")
}

# NAME=VALUE: a number, true or false, or text; several values with | between them.
cli_settings <- function(text) {
  lapply(cli_pairs(text, "--set", "min_weight=30"), function(value) {
    values <- strsplit(value, "|", fixed = TRUE)[[1]]
    numbers <- core_numbers_from_text(values)
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
  written <- write_siftings(out, options$out)
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
