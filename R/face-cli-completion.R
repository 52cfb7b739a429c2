# Completion for shells, made from the commands and options.

cli_completion <- function(given, options) {
  if (!given %in% c("bash", "zsh")) {
    stop_neatly(
      "usage",
      paste0("There is no completion for ", quoted(given), "."),
      NULL,
      "Write `neatsieve completion bash` or `neatsieve completion zsh`."
    )
  }
  writeLines(completion_script(given))
}

flags_of <- function(command) {
  vapply(cli_options(command), `[[`, "", "flag")
}

# Completes a word by the words before it: formats, settings of the plan,
# columns in the file's first line, files.
completion_script <- function(shell) {
  commands <- paste(names(cli_commands), collapse = " ")
  cases <- vapply(names(cli_commands), function(command) {
    flags <- paste(c(flags_of(command), "--help"), collapse = " ")
    paste0("    ", command, ") flags=\"", flags, "\" ;;")
  }, "")
  c(
    if (shell == "zsh") {
      c("#compdef neatsieve", "autoload -U +X bashcompinit && bashcompinit")
    },
    completion_helpers, "_neatsieve() {",
    "  local word=\"${COMP_WORDS[COMP_CWORD]}\" flags=\"\" before=\"${COMP_WORDS[COMP_CWORD-1]}\"",
    "  if [ \"$COMP_CWORD\" -eq 1 ]; then",
    paste0(
      "    COMPREPLY=($(compgen -W \"", commands,
      " --help --version\" -- \"$word\"))"
    ),
    "    return", "  fi", "  case \"${COMP_WORDS[1]}\" in", cases, "  esac",
    "  case \"$before\" in",
    paste0(
      "    --format) COMPREPLY=($(compgen -W \"csv tsv jsonl json parquet ",
      "xlsx\" ",
      "-- \"$word\")); return ;;"
    ),
    "    --decimal) COMPREPLY=($(compgen -W \". ,\" -- \"$word\")); return ;;",
    "    --set) COMPREPLY=($(compgen -W \"$(_neatsieve_settings)\" -- \"$word\")); return ;;",
    paste0(
      "    ",
      "--unit|--by|--columns|--statistics|--counts|--absences|--characteristics|",
      "--order|--key|--include|", "--exclude)"
    ),
    "      COMPREPLY=($(compgen -W \"$(_neatsieve_columns)\" -- \"$word\")); return ;;",
    "  esac", "  case \"$word\" in",
    "    -*) COMPREPLY=($(compgen -W \"$flags\" -- \"$word\")) ;;",
    "    *) COMPREPLY=($(compgen -f -- \"$word\")) ;;", "  esac", "}",
    "complete -o filenames -F _neatsieve neatsieve"
  )
}

completion_helpers <- c(
  "# The file that the words name: a plan or a table.", "_neatsieve_file() {",
  "  local w",
  "  for w in \"${COMP_WORDS[@]:2}\"; do [ -f \"$w\" ] && { echo \"$w\"; return; }; done",
  "}", "# The names in the first line of a delimited text.",
  "_neatsieve_columns() {", "  local f=\"$(_neatsieve_file)\"",
  "  case \"$f\" in *.csv|*.tsv|*.txt)",
  "    head -n 1 \"$f\" | tr -d '\"\\r' | tr ',;\\t|' '\\n' |",
  "      grep -E '^[A-Za-z0-9_.]+$' ;; esac", "}",
  "# The names below `settings:` of a plan, each with `=`.",
  "_neatsieve_settings() {", "  local f=\"$(_neatsieve_file)\"",
  "  case \"$f\" in *.yaml|*.yml)",
  "    sed -n '/^settings:/,/^[^ ]/s/^  \\([A-Za-z0-9_.]*\\):.*/\\1=/p' \"$f\" ;; esac",
  "}"
)
