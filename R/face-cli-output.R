# Writes the output of the command. R does not tell whether printed text
# arrived, so a full disk would leave half an output with exit code 0. The text
# is collected and written here instead.

# The exit code of a process that a closed pipe ended.
cli_exit_closed <- 141L

# Evaluates `answer`. What it prints is sent before each message, in order, and
# at the end. Output to a console, or collected by the caller, is not touched.
cli_sent <- function(answer) {
  if (sink.number() > 0 || isatty(stdout())) return(answer)
  collected <- NULL
  collect <- function() {
    collected <<- rawConnection(raw(), "w")
    sink(collected)
  }
  send <- function() {
    sink()
    bytes <- rawConnectionValue(collected)
    close(collected)
    collected <<- NULL
    cli_send(bytes)
  }
  collect()
  on.exit(if (!is.null(collected)) try(send(), silent = TRUE))
  code <- withCallingHandlers(
    answer,
    message = function(m) {
      if (sink.number() == 1) {
        send()
        collect()
      }
    }
  )
  send()
  code
}

# Writes bytes to the standard output.
cli_send <- function(bytes) {
  arrived <- core_send_output(bytes)
  if (arrived == "all") return(invisible())
  if (arrived == "closed") {
    stop(errorCondition(
      "The output was closed.",
      class = "neatsieve_output_closed"
    ))
  }
  stop_neatly(
    "run",
    "What was printed could not be written.",
    NULL,
    "Is the disk full, or the output closed?"
  )
}
