# Errors and notes in the three parts every message has: the problem, where, what to write.

# Families: study, expression, step, plan, run, usage. Text is shown as it is. The error carries no
# backtrace, so that a script that stops shows the three parts and nothing else.
stop_neatly <- function(family, problem, where = NULL, instead = NULL) {
  error <- tryCatch(
    cli::cli_abort(
      bullets(problem, where, instead),
      class = c(paste0("neatsieve_error_", family), "neatsieve_error"),
      call = NULL
    ),
    error = identity
  )
  error["trace"] <- list(NULL)
  stop(error)
}

bullets <- function(problem, where = NULL, instead = NULL) {
  literal <- function(x) gsub("}", "}}", gsub("{", "{{", x, fixed = TRUE), fixed = TRUE)
  mark <- function(x, sign) stats::setNames(literal(x), rep(sign, length(x)))
  c(literal(problem), mark(where, "i"), mark(instead, ">"))
}

# A notebook gathers the notes of one run, each once, in the order they were met.
new_notebook <- function() {
  book <- new.env(parent = emptyenv())
  book$notes <- list()
  book
}

take_note <- function(book, problem, where = NULL, instead = NULL) {
  if (is.null(book)) return(invisible())
  note <- list(problem = problem, where = where, instead = instead)
  known <- vapply(book$notes, identical, logical(1), note)
  if (!any(known)) book$notes <- c(book$notes, list(note))
  invisible()
}

show_notes <- function(notes) {
  for (note in notes) {
    cli::cli_inform(
      stats::setNames(bullets(note$problem, note$where, note$instead),
                      c("!", rep("i", length(note$where)), rep(">", length(note$instead)))),
      class = "neatsieve_note"
    )
  }
  invisible(notes)
}

note_text <- function(note) paste(c(note$problem, note$where, note$instead), collapse = " ")

quoted <- function(x) if (length(x)) paste0("\"", x, "\"") else character()
ticked <- function(x) if (length(x)) paste0("`", x, "`") else character()

# A long text by its beginning.
cut_off_text <- function(x, most = 100) {
  ifelse(nchar(x) > most, paste0(substr(x, 1, most - 3), "..."), x)
}

# "a, b and c", with at most `most` named.
listed <- function(x, most = 6, last = "and") {
  if (length(x) > most) x <- c(x[seq_len(most - 1)], paste(length(x) - most + 1, "more"))
  if (length(x) < 2) return(paste(x))
  paste(paste(x[-length(x)], collapse = ", "), last, x[length(x)])
}

counted <- function(n, one, many = paste0(one, "s")) {
  paste(format_count(n), if (n == 1) one else many)
}

format_count <- function(n) formatC(n, decimal.mark = ".", format = "d", big.mark = ",")
