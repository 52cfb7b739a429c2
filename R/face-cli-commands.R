# The commands of the command line.

cli_look <- function(given, options) {
  seen <- look(suppressMessages(
    cli_study(given, options),
    classes = "neatsieve_note"
  ))
  seen$notes <- vapply(seen$notes, in_shell, character(1), USE.NAMES = FALSE)
  if (options$json) {
    return(cli_json(
      study = seen$headline,
      columns = look_json(as.data.frame(seen)),
      notes = I(as.character(seen$notes))
    ))
  }
  print(
    seen,
    onward = paste0(
      "Next: try a condition, e.g. neatsieve screening ", shell_quoted(given),
      " '", next_condition(seen), "'"
    )
  )
}

# One object per column; ends of dates as dates.
look_json <- function(table) {
  lapply(seq_len(nrow(table)), function(i) {
    line <- lapply(table, function(x) x[[i]])
    ends <- intersect(c("min", "q1", "median", "q3", "max"), names(line))
    as_written <- switch(line$kind,
      date = function(x) format(structure(floor(x), class = "Date")),
      `date-time` = function(x) {
        format(.POSIXct(x, "UTC"), "%Y-%m-%dT%H:%M:%SZ")
      },
      identity
    )
    line[ends] <- lapply(line[ends], as_written)
    line
  })
}

shell_quoted <- function(text) {
  if (grepl("^[A-Za-z0-9_./-]+$", text)) text else shQuote(text, "sh")
}

# Conditions as given: `heavy = score > 10` has the name heavy.
cli_conditions <- function(texts) {
  read <- lapply(texts, expression_from_text, where = "On the command line.")
  named <- vapply(
    read,
    function(e) call_name(e$lang) == "=" && is.symbol(e$lang[[2]]),
    logical(1)
  )
  names <- vapply(read, function(e) {
    if (call_name(e$lang) == "=" && is.symbol(e$lang[[2]])) {
      as.character(e$lang[[2]])
    } else {
      ""
    }
  }, "")
  read[named] <- lapply(read[named], function(e) new_expression(e$lang[[3]]))
  name_conditions(stats::setNames(read, names))
}

cli_screening <- function(given, options) {
  seen <- screen_conditions(
    cli_study(given[1], options),
    cli_conditions(given[-1]),
    pairs = options$pairs
  )
  if (options$json) {
    return(cli_json(
      study = seen$headline,
      conditions = json_table(seen$table),
      examples = json_table(seen$examples)
    ))
  }
  print(
    seen,
    onward = paste0(
      "Next: write them below `include:` or `exclude:` of a plan, and run ",
      "neatsieve pour PLAN."
    )
  )
}

# The study of a plan, another one in its place, or one beside a plan that names
# none.
cli_plan_request <- function(plan, sieve, options) {
  spec <- attr(sieve, "study")
  if (!is.null(options$out)) {
    refuse_input_folder(
      options$out,
      c(
        plan, if (is.null(options$study)) spec$file else options$study,
        unlist(lapply(tables_of_sieve(sieve), function(one) one$table$path))
      )
    )
  }
  if (!is.null(options$study)) {
    if (is.null(spec)) spec <- list()
    spec$file <- options$study
  }
  if (!is.null(options$database)) spec$file <- spec$database <- NULL
  if (is.null(spec)) {
    stop_neatly(
      "plan",
      "The plan names no study.",
      paste0("In ", quoted(plan), "."),
      "Add `study:` with `file:` to it, or give `--study FILE`."
    )
  }
  request_from_plan(cli_checked_reading(utils::modifyList(
    spec, cli_reading(options)
  )))
}

# The desk is served by the command itself; what is on it when it is left is
# printed.
cli_desk <- function(given, options) {
  asked <- if (length(given)) cli_asked(given, c(options, list(steps = list())))
  study <- if (is.null(asked)) {
    desk_study(NULL)
  } else {
    study_facts(study_of_request(asked$study))
  }
  desk <- new_desk(
    study,
    if (is.null(asked)) as_sieve(list()) else asked$sieve,
    options[["save-plan"]],
    kept_path(study)
  )
  desk$offered <- offered_desk(desk)
  sieve <- tryCatch(
    serve_desk(desk, options$port, function(address) {
      message(
        "The desk is at ",
        address,
        "\nPress Done there, or Ctrl-C here, to end it."
      )
      if (!options[["no-open"]]) open_page(address)
    }),
    interrupt = function(e) sieve_of_desk(desk)
  )
  print(sieve)
  saved <- options[["save-plan"]]
  hint(
    if (is.null(saved)) {
      "Next: `neatsieve desk` offers these steps again."
    } else {
      paste0("Next: neatsieve pour ", shell_quoted(saved))
    }
  )
}

cli_check <- function(given, options) {
  sieve <- read_sieve(given)
  # Notes from reading the study are findings, too.
  seen <- check_sieve(sieve, cli_plan_request(given, sieve, options))
  for (part in c("problem", "where", "instead")) {
    seen[[part]] <- vapply(seen[[part]], in_shell, "", USE.NAMES = FALSE)
  }
  if (options$json) {
    cli_json(
      steps = attr(seen, "steps"),
      checked = attr(seen, "checked"),
      errors = sum(seen$severity == "error"),
      warnings = sum(seen$severity == "warning"),
      found = json_table(seen)
    )
  } else {
    print(seen)
  }
  bad <- seen$severity == "error" |
    (options$strict & seen$severity == "warning")
  if (any(bad)) 1L else 0L
}

# The study and the sieve that are to be poured: of a plan file with what is
# given behind it, or of a file and what is given alone.
cli_asked <- function(given, options) {
  steps <- cli_steps(options$steps, options$by)
  check_cli_files(given)
  if (length(given) == 1 && given != "-" && is_plan_file(given)) {
    sieve <- read_sieve(given)
    return(list(
      sieve = c(sieve, steps),
      study = cli_plan_request(given, sieve, options)
    ))
  }
  if (!is.null(options$out)) refuse_input_folder(options$out, given)
  reading <- cli_checked_reading(c(list(file = given), cli_reading(options)))
  list(sieve = steps, study = request_from_plan(reading))
}

# Several files are one study; a plan stands alone.
check_cli_files <- function(given) {
  if (length(given) == 1) return()
  plans <- given[vapply(given, is_plan_file, NA)]
  if (length(plans)) {
    stop_neatly(
      "usage",
      paste0(quoted(plans[1]), " is a plan, and stands beside other files."),
      NULL,
      "Pour a plan alone, over another study with `--study FILE`."
    )
  }
}

cli_pour <- function(given, options) {
  if (!is.null(options$threads)) {
    if (!is_thread_count(options$threads)) {
      stop_neatly(
        "usage",
        paste0(
          "`--threads ", options$threads,
          "` must be a whole number from 1 to ", most_threads, "."
        ),
        NULL,
        "Write `--threads 2`, or leave it out for all cores."
      )
    }
    old <- options(neatsieve.threads = options$threads)
    on.exit(options(old))
  }
  rows_to <- options[["rows-to"]]
  asked <- cli_asked(given, options)
  # A folder's seal rests on every value of the study: it is read whole at once.
  data <- if (is.null(options$out)) {
    asked$study
  } else {
    study_of_request(asked$study)
  }
  out <- pour(data, asked$sieve, set = cli_settings(options$set))
  # Writes files first, so that they exist even if the output is not read.
  written <- cli_written(out, options)
  if (identical(rows_to, "-")) return(rows_to_output(out))
  if (!is.null(rows_to)) written <- c(written, write_table(out, rows_to))
  if (options$json) return(pour_json(out, written))
  if (!options$quiet) cli_account(out, written)
}

cli_written <- function(out, options) {
  written <- character()
  if (!is.null(options$out)) {
    written <- write_siftings(
      out,
      options$out,
      report = options$report,
      format = options$format,
      held = options$held,
      force = options$force
    )
  } else if (options$report) {
    written <- report(out, "report.html")
  }
  plan <- options[["save-plan"]]
  if (is.null(plan)) return(written)
  study <- as_study_object(siftings_parts(out)$state$study)
  source <- unclass(study)$source
  if (is.null(source) || identical(source, "-")) {
    message("The plan names no study: it came from the standard input.")
    study <- NULL
  }
  c(written, write_sieve(out$sieve, plan, study = study))
}

# The rows as CSV on the standard output, byte by byte as they would stand in a
# file.
rows_to_output <- function(out) {
  file <- tempfile(fileext = ".csv")
  on.exit(unlink(file))
  write_table(out, file)
  con <- file(file, "rb")
  on.exit(close(con), add = TRUE)
  while (length(bytes <- readBin(con, "raw", 2^20))) cli_send(bytes)
}

cli_account <- function(out, written) {
  cat(siftings_headline(siftings_parts(out)$state), "\n\n", sep = "")
  cat(ledger_lines(ledger(out)), sep = "\n")
  for (name in names(tables_to_read(out$tables))) {
    cat("\nTable ", name, "\n", sep = "")
    print(out$tables[[name]], rows = 24)
  }
  charts <- names(siftings_parts(out)$charts)
  if (length(charts)) {
    cat(
      "\nFigure", if (length(charts) > 1) "s", " ", listed(charts, 12), "\n",
      sep = ""
    )
  }
  if (length(written)) {
    cat("\nWritten:\n", paste0("  ", written, "\n"), sep = "")
  } else {
    hint(paste(
      "Next: --out DIR writes rows, tables and figures, with --held the held rows;",
      "--report a page."
    ))
  }
}

cli_verify <- function(given, options) {
  seen <- suppressMessages(
    verify(given, data = options$study),
    classes = "neatsieve_note"
  )
  if (options$json) {
    cli_json(agrees = attr(seen, "agrees"), found = json_table(seen))
  } else {
    print(seen)
  }
  if (attr(seen, "agrees")) 0L else 1L
}

# NAME=VALUE: a number, true or false, or text; several values with | between
# them.
cli_settings <- function(text) {
  lapply(cli_pairs(text, "--set", "min_weight=30"), function(value) {
    values <- strsplit(value, "|", fixed = TRUE)[[1]]
    numbers <- numbers_from_text(values)
    if (!anyNA(numbers)) {
      numbers
    } else if (all(values %in% c("true", "false"))) {
      values == "true"
    } else {
      values
    }
  })
}

cli_demo <- function(given, options) {
  if (isTRUE(options$list)) return(list_examples())
  if (length(given)) return(show_example(given))
  # The examples are scripts as people run them.
  for (package in c("methods", "datasets", "utils", "grDevices", "graphics", "stats")) {
    suppressPackageStartupMessages(require(
      package,
      character.only = TRUE, quietly = TRUE
    ))
  }
  plan <- demo_file("spring-mites.yaml")
  cat("The demo study is poured over the plan ", plan, "\n\n", sep = "")
  cat(paste0("    ", readLines(plan, encoding = "UTF-8")), sep = "\n")
  cat("\n")
  out <- suppressMessages(
    pour(study_from_plan(attr(sieve <- read_sieve(plan), "study")), sieve),
    classes = "neatsieve_note"
  )
  print(out)
  written <- write_siftings(out, options$out, held = TRUE)
  written <- c(written, run_examples(file.path(options$out, "examples")))
  written <- c(
    written,
    write_gallery(
      system.file("gallery", "figures.R", package = "neatsieve"),
      file.path(options$out, "gallery.html"),
      "A gallery of figures"
    )
  )
  cat("\nWritten:\n", paste0("  ", written, "\n"), sep = "")
  cat(
    "Open ", normalizePath(file.path(options$out, "report.html")), "\n",
    sep = ""
  )
}
