# Parses options: unknown names, values that look like options, options that may
# be repeated.

# Unknown and repeated options; "" if there is no fault.
cli_flag_faults <- function(command, args) {
  flags <- vapply(cli_options(command), `[[`, "", "flag")
  steps <- if (command == "pour") names(cli_step_flags)
  given <- sub("=.*", "", args[grepl("^--[a-zA-Z]", args)])
  strange <- setdiff(given, c(flags, steps, "--help"))
  if (length(strange)) {
    word <- cli_words[strange[1]]
    hint <- if (word %in% c(flags, steps)) {
      paste0("Write `", word, "`.")
    } else {
      meant(strange[1], c(flags, steps))
    }
    return(paste0(
      "`neatsieve ", command, "` has no option `", strange[1], "`. ", hint
    ))
  }
  twice <- setdiff(
    given[duplicated(given)], c("--set", "--kinds", "--ordered", steps)
  )
  if (length(twice)) {
    paste0("`", twice[1], "` is given twice. Give it once.")
  } else {
    ""
  }
}

# Words of the trade for options and commands, and ours.
cli_words <- c(
  `--filter` = "--include", `--where` = "--include", `--keep` = "--include",
  `--drop` = "--exclude", `--remove` = "--exclude", `--select` = "--columns",
  `--group` = "--by", `--group-by` = "--by", `--sort` = "--order",
  `--order-by` = "--order", `--summary` = "--statistics",
  `--stats` = "--statistics", `--count` = "--counts",
  `--frequencies` = "--counts", `--plot` = "--chart", `--figure` = "--chart",
  `--na` = "--absent", `--missing` = "--absent", `--sep` = "--delimiter",
  `--output` = "--out", `--param` = "--set"
)
cli_command_words <- c(
  head = "look", summary = "look", describe = "look", show = "look",
  filter = "pour", run = "pour", count = "pour", plot = "pour", test = "check",
  validate = "check", help = "--help"
)

# A value that starts with a minus and a digit belongs to the option before it.
cli_joined_values <- function(args) {
  at <- which(grepl("^-[0-9.]", args))
  at <- at[at > 1]
  at <- at[grepl("^--[a-z-]+$", args[at - 1])]
  args[at - 1] <- paste0(args[at - 1], "=", args[at])
  if (length(at)) args[-at] else args
}

# Options that may be given several times count each time (--set a=1 --set b=2).
cli_repeated <- function(args) {
  for (name in c("--set", "--kinds", "--ordered")) {
    args <- unlist(lapply(args, function(a) {
      if (startsWith(a, paste0(name, "="))) {
        c(name, substring(a, nchar(name) + 2))
      } else {
        a
      }
    }))
    at <- which(args == name)
    at <- at[at < length(args)]
    if (length(at) < 2) next
    values <- args[at + 1]
    args <- c(args[-c(at, at + 1)], name, paste(values, collapse = "\n"))
  }
  args
}
