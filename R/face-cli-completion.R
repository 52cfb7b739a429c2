# Completion for shells, made from the commands and their options.

cli_completion <- function(given, options) {
  if (!given %in% c("bash", "zsh")) {
    stop_neatly("usage", paste0("There is no completion for ", quoted(given), "."), NULL,
                "Write `neatsieve completion bash` or `neatsieve completion zsh`.")
  }
  writeLines(completion_script(given))
}

flags_of <- function(command) {
  vapply(cli_options(command), `[[`, "", "flag")
}

completion_script <- function(shell) {
  commands <- paste(names(cli_commands), collapse = " ")
  cases <- vapply(names(cli_commands), function(command) {
    flags <- paste(c(flags_of(command), "--help"), collapse = " ")
    paste0("    ", command, ") flags=\"", flags, "\" ;;")
  }, "")
  c(if (shell == "zsh") c("#compdef neatsieve", "autoload -U +X bashcompinit && bashcompinit"),
    "_neatsieve() {", "  local word=\"${COMP_WORDS[COMP_CWORD]}\" flags=\"\"",
    "  if [ \"$COMP_CWORD\" -eq 1 ]; then",
    paste0("    COMPREPLY=($(compgen -W \"", commands, " --help --version\" -- \"$word\"))"),
    "    return", "  fi", "  case \"${COMP_WORDS[1]}\" in", cases, "  esac",
    "  case \"$word\" in",
    "    -*) COMPREPLY=($(compgen -W \"$flags\" -- \"$word\")) ;;",
    "    *) COMPREPLY=($(compgen -f -- \"$word\")) ;;", "  esac", "}",
    "complete -o filenames -F _neatsieve neatsieve")
}
