# The command `neatsieve`. It parses words, calls the exported functions and
# prints; results go to stdout or files, messages to stderr.

cli_usage <- function() {
  lines <- c(
    "Usage: neatsieve COMMAND ...", "", "Commands:",
    paste0(
      "  ",
      formatC(
        paste(names(cli_commands), vapply(cli_commands, `[[`, "", "usage")),
        width = -30
      ),
      vapply(cli_commands, `[[`, "", "does")
    ),
    "", "`neatsieve COMMAND --help` tells more.", "", cli_exit_lines()
  )
  paste(lines, collapse = "\n")
}

cli_exit_lines <- function() {
  c(
    "Exit codes:",
    paste0("  ", formatC(names(cli_exit_codes), width = -4), cli_exit_codes)
  )
}

# What --help says of a command.
cli_help <- function(command, parser) {
  options <- utils::capture.output(optparse::print_help(parser))
  while (length(options) &&
    !nzchar(options[length(options)])) options <- utils::head(options, -1)
  c(
    options, "", "Examples:", paste0("  ", cli_commands[[command]]$examples),
    "", cli_exit_lines()
  )
}

# Runs the command and returns the exit code.
cli_main <- function(args = commandArgs(trailingOnly = TRUE)) {
  local_plain()
  cli_ended(cli_sent(cli_answered(args)))
}

cli_answered <- function(args) {
  if (!length(args)) return(cli_wrong(cli_usage()))
  if (args[1] %in% c("--help", "-h", "help")) return(cli_says(cli_usage()))
  if (args[1] == "--version") {
    return(cli_says(
      "neatsieve ", as.character(utils::packageVersion("neatsieve"))
    ))
  }
  command <- args[1]
  if (!command %in% names(cli_commands)) {
    word <- cli_command_words[command]
    hint <- if (!is.na(word)) {
      paste0("Write `neatsieve ", word, "`.")
    } else {
      meant(command, names(cli_commands), quoted)
    }
    return(cli_wrong(
      "There is no command \"", command, "\". ", hint, "\n\n", cli_usage()
    ))
  }
  if (any(cli_before_literal(args[-1]) %in% c("--help", "-h"))) {
    parser <- cli_parser(command, cli_options(command))
    return(cli_says(paste(cli_help(command, parser), collapse = "\n")))
  }
  args <- c(command, cli_joined_values(args[-1]))
  steps <- if (command == "pour") {
    cli_split_steps(args[-1])
  } else {
    list(rest = args[-1])
  }
  see <- paste0("\nSee `neatsieve ", command, " --help`.")
  fault <- cli_flag_faults(command, cli_before_literal(steps$rest))
  if (nzchar(fault)) return(cli_wrong(fault, see))
  parsed <- cli_parsed(command, steps$rest)
  if (inherits(parsed, "condition")) {
    return(cli_wrong(sub("^Error in .*: ", "", conditionMessage(parsed)), see))
  }
  parsed$args <- with_database_named(command, parsed)
  n <- length(parsed$args)
  if (n < cli_commands[[command]]$n[1] || n > cli_commands[[command]]$n[2]) {
    return(cli_wrong(
      "Usage: neatsieve ",
      command,
      " ",
      cli_commands[[command]]$usage,
      " [options]",
      see
    ))
  }
  parsed$options$steps <- steps$given
  cli_run(command, parsed$args, parsed$options)
}

# --database replaces the file.
with_database_named <- function(command, parsed) {
  args <- parsed$args
  takes_file <- command %in% c("look", "screening", "pour", "desk")
  if (is.null(parsed$options$database) || !takes_file) return(args)
  if (length(args) && is_plan_file(args[1])) args else c("a database", args)
}

cli_wrong <- function(...) {
  message(...)
  2L
}
cli_says <- function(...) {
  cat(..., "\n", sep = "")
  0L
}

cli_parser <- function(command, options) {
  about <- cli_commands[[command]]
  words <- paste0(
    "\n", toupper(substr(about$does, 1, 1)), substr(about$does, 2, 200), "."
  )
  optparse::OptionParser(
    usage = paste("neatsieve", command, about$usage, "[options]"),
    option_list = lapply(options, function(o) {
      do.call(optparse::make_option, unname_first(o))
    }),
    add_help_option = FALSE,
    description = words
  )
}

# The arguments before `--`; later ones are not options.
cli_before_literal <- function(args) {
  args[seq_len(match("--", args, nomatch = length(args) + 1) - 1)]
}

unname_first <- function(x) stats::setNames(x, c("", names(x)[-1]))

# The options that the arguments name; all of them where a name is none of
# theirs.
cli_options_named <- function(command, args) {
  options <- cli_options(command)
  given <- sub("=.*", "", args[startsWith(args, "-") & args != "-"])
  flags <- vapply(options, `[[`, "", "flag")
  if (all(given %in% flags)) options[flags %in% given] else options
}

cli_parsed <- function(command, args) {
  before <- cli_before_literal(args)
  parser <- cli_parser(command, cli_options_named(command, before))
  literal <- args[seq_along(args) > length(before) + 1]
  parsed <- tryCatch(
    optparse::parse_args(
      parser,
      cli_repeated(before),
      positional_arguments = TRUE
    ),
    error = function(e) e,
    warning = function(e) e
  )
  if (inherits(parsed, "condition")) return(parsed)
  known <- cli_options(command)
  names(known) <- sub("^--", "", vapply(known, `[[`, "", "flag"))
  usual <- compact(lapply(known, `[[`, "default"))
  parsed$args <- c(parsed$args, literal)
  parsed$options <- utils::modifyList(usual, parsed$options)
  parsed
}

# Carries a command out, its notes in the words of the command line.
cli_run <- function(command, given, options) {
  withCallingHandlers(
    {
      code <- do.call(paste0("cli_", command), list(given, options))
      if (is.integer(code)) code else 0L
    },
    neatsieve_note = function(n) {
      if (!isTRUE(options$quiet)) message(in_shell(conditionMessage(n)))
      invokeRestart("muffleMessage")
    }
  )
}

# Prints what went wrong, and returns the exit code.
cli_ended <- function(answer) {
  facts <- function(e, code) {
    message("Error: ", in_shell(conditionMessage(e)))
    code
  }
  tryCatch(
    answer,
    neatsieve_error_usage = function(e) facts(e, 2L),
    neatsieve_output_closed = function(e) cli_exit_closed,
    error = function(e) facts(e, 1L),
    interrupt = function(e) {
      message("Stopped; nothing was written.")
      1L
    }
  )
}

# NAME=VALUE pairs of an option, several with commas between them or on lines.
cli_pairs <- function(text, option, example) {
  if (is.null(text)) return(list())
  pairs <- unlist(strsplit(text, "\n|,(?=[^,=\n]+=)", perl = TRUE))
  bad <- pairs[!grepl("^[^=]+=.+", pairs)]
  if (length(bad)) {
    stop_neatly(
      "usage",
      paste0("`", option, " ", bad[1], "` is not NAME=VALUE."),
      NULL,
      paste0("Write `", option, " ", example, "`.")
    )
  }
  stats::setNames(as.list(sub("^[^=]+=", "", pairs)), sub("=.*", "", pairs))
}

# What the reading options say, as a plan's study holds it.
cli_reading <- function(options) {
  split <- function(text) trimws(strsplit(text, ",", fixed = TRUE)[[1]])
  compact(list(
    unit = options$unit,
    design = if (!is.null(options$design)) {
      cli_pairs(options$design, "--design", "cluster=hive")
    },
    absent_codes = if (!is.null(options$absent)) {
      cli_codes(split(options$absent))
    },
    kinds = if (!is.null(options$kinds)) {
      cli_pairs(options$kinds, "--kinds", "hive=text")
    },
    ordered = if (!is.null(options$ordered)) {
      lapply(
        cli_pairs(options$ordered, "--ordered", "temper=calm,lively,hot"), split
      )
    },
    decimal = options$decimal,
    thousands = options$thousands,
    encoding = options$encoding,
    delimiter = if (identical(options$delimiter, "\\t")) {
      "\t"
    } else {
      options$delimiter
    },
    sheet = options$sheet,
    range = options$range,
    table = if (is.null(options$database)) options$table,
    join = options$join,
    source = if (!is.null(options$source)) cli_source(options$source),
    broken = options$broken,
    skip = cli_number_or_text(options$skip),
    comment = options$comment,
    footer = cli_number_or_text(options$footer),
    ragged = options$ragged,
    header = cli_header(options$header),
    dictionary = options$dictionary,
    keep = options$keep,
    database = cli_database(options)
  ))
}

# Codes for absent beside the empty text, as a plan's study holds them;
# `refused=-8` says why.
cli_codes <- function(codes) {
  has_reason <- grepl("^[^=]+=.", codes)
  options <- stats::setNames(
    sub("^[^=]+=", "", codes), ifelse(has_reason, sub("=.*", "", codes), "")
  )
  options[!has_reason] <- codes[!has_reason]
  codes_to_plan(c("", options[!duplicated(options) & options != ""]))
}

cli_number_or_text <- function(text) {
  if (is.null(text) || !grepl("^[0-9]+$", text)) text else as.numeric(text)
}
# The number of header lines.
cli_header <- function(text) {
  if (is.null(text)) return(NULL)
  known <- list(`0` = FALSE, `1` = TRUE, `2` = c(1, 2))
  if (text %in% names(known)) return(known[[text]])
  stop_neatly(
    "usage",
    paste0("`--header ", text, "` must be 0, 1 or 2."),
    NULL,
    "It is how many lines name the columns."
  )
}

# A column's name, or a pattern under one.
cli_source <- function(text) {
  if (!grepl("^[^=(]+=", text)) return(text)
  stats::setNames(list(sub("^[^=]+=", "", text)), sub("=.*", "", text))
}

# `--database service=hives --table visits` as a plan's study holds it.
cli_database <- function(options) {
  if (is.null(options$database)) return(NULL)
  pairs <- strsplit(trimws(options$database), "[ ,]+")[[1]]
  values <- cli_pairs(pairs, "--database", "service=hives")
  c(
    values, list(table = options$table),
    if (!is.null(options$key)) {
      list(key = strsplit(options$key, ",", fixed = TRUE)[[1]])
    }
  )
}

cli_study <- function(file, options) {
  study_from_plan(cli_checked_reading(c(
    list(file = file), cli_reading(options)
  )))
}

# Options that the format of the file knows nothing of are wrong.
cli_checked_reading <- function(spec) {
  if (!is.null(spec$database) || is.null(spec$file)) return(spec)
  format <- if (is_stream(spec$file[1])) {
    "text"
  } else {
    format_of_path(spec$file[1])
  }
  takes <- list(
    sheet = "xlsx",
    range = "xlsx",
    table = "sqlite",
    delimiter = "text",
    skip = "text",
    comment = "text",
    footer = "text",
    ragged = "text",
    thousands = c("text", "xlsx", "json", "jsonl", "parquet", "sqlite")
  )
  known <- c(
    xlsx = "a workbook", sqlite = "an SQLite file", text = "delimited text"
  )
  for (name in names(takes)) {
    if (is.null(spec[[name]]) || format %in% takes[[name]]) next
    stop_neatly(
      "usage",
      paste0(
        "`--", name, "` is for ", known[[takes[[name]][1]]], ", and ",
        quoted(basename(spec$file[1])), " is none."
      ),
      NULL,
      paste0("Leave `--", name, "` out.")
    )
  }
  spec
}
