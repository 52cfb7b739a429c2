# The manual page of the command, made from its own tables of commands and
# options.
of <- function(name) getFromNamespace(name, "neatsieve")
escaped <- function(text) {
  text <- gsub("\\", "\\\\", text, fixed = TRUE)
  text <- gsub("-", "\\-", text, fixed = TRUE)
  sub("^([.'])", "\\\\&\\1", text)
}
option_lines <- function(option) {
  value <- if (!is.null(option$action)) {
    ""
  } else {
    paste0(" \\fI", escaped(option$metavar), "\\fR")
  }
  usual <- if (is.null(option$default)) "" else as.character(option$default)
  c(
    ".TP", paste0("\\fB", escaped(option$flag), "\\fR", value),
    escaped(sub("%default", usual, option$help, fixed = TRUE))
  )
}
commands <- of("cli_commands")
sections <- unlist(lapply(names(commands), function(name) {
  about <- commands[[name]]
  c(
    paste0(".SS \"neatsieve ", escaped(trimws(paste(name, about$usage))), "\""),
    paste0(
      toupper(substr(about$does, 1, 1)), escaped(substring(about$does, 2)), "."
    ),
    unlist(lapply(of("cli_options")(name), option_lines)), ".PP", "Examples:",
    ".nf", paste0("    ", escaped(about$examples)), ".fi"
  )
}))
codes <- of("cli_exit_codes")
page <- c(
  ".TH NEATSIEVE 1 \"\" \"Neat Sieve\" \"User Commands\"", ".SH NAME",
  "neatsieve \\- filter, group, summarise and draw a study data set, and account for every row",
  ".SH SYNOPSIS", ".B neatsieve",
  "\\fICOMMAND\\fR [\\fIARGUMENTS\\fR] [\\fIOPTIONS\\fR]", ".SH COMMANDS",
  sections, ".SH EXIT STATUS",
  unlist(lapply(
    names(codes),
    function(code) {
      c(".TP", paste0("\\fB", code, "\\fR"), escaped(codes[[code]]))
    }
  )),
  ".SH FILES",
  "Plan files are YAML or JSON; see the schema plan.schema.json of the R package.",
  ".SH SEE ALSO", "help(package = \\(dqneatsieve\\(dq) in R"
)
writeLines(page, "inst/neatsieve.1")
# What `neatsieve --help` says, so that it needs no package to be loaded.
writeLines(of("cli_usage")(), "inst/help.txt")
