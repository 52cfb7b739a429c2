# Errors and notes in the three parts every message has: the problem, where,
# what to write.

# Families: study, expression, step, plan, run, usage. Text is shown as it is.
# The error carries no backtrace, so that a script that stops shows the three
# parts and nothing else.
stop_neatly <- function(family, problem, where = NULL, instead = NULL) {
  # The text is built only when the error is shown.
  stop(rlang::error_cnd(
    c(paste0("neatsieve_error_", family), "neatsieve_error"),
    message = problem,
    body = bullets(where, instead),
    call = NULL,
    use_cli_format = TRUE
  ))
}

bullets <- function(where = NULL, instead = NULL) {
  mark <- function(x, sign) {
    if (length(x)) stats::setNames(x, rep(sign, length(x)))
  }
  c(mark(where, "i"), mark(instead, ">"))
}

# A notebook gathers the notes of one run, each once, in the order they were
# met.
new_notebook <- function() {
  book <- new.env(parent = emptyenv())
  book$notes <- list()
  book$met <- new.env(parent = emptyenv())
  book
}

new_note <- function(problem, where, instead) {
  list(problem = problem, where = where, instead = instead)
}

take_note <- function(book, problem, where = NULL, instead = NULL) {
  if (is.null(book)) return(invisible())
  note <- new_note(problem, where, instead)
  key <- rlang::hash(note)
  if (is.null(book$met[[key]])) book$notes <- c(book$notes, list(note))
  book$met[[key]] <- TRUE
  invisible()
}

# Keeps only earlier notes, so that later ones are given again.
turn_back_notes <- function(book, notes) {
  book$notes <- notes
  book$met <- list2env(
    stats::setNames(
      rep(list(TRUE), length(notes)), vapply(notes, rlang::hash, "")
    ),
    parent = emptyenv()
  )
}

show_notes <- function(notes) {
  for (note in notes) {
    # The text ends in a line break because some tools join several messages.
    text <- paste0(worded_note(note), "\n")
    words <- structure(
      class = c("neatsieve_note", "message", "condition"),
      list(message = text, call = NULL, note = note, alone = text)
    )
    withRestarts(
      {
        signalCondition(words)
        cat(conditionMessage(words), "\n", sep = "", file = stderr())
      },
      muffleMessage = function() NULL
    )
  }
  invisible(notes)
}

#' @export
conditionMessage.neatsieve_note <- function(c) {
  if (identical(c$message, c$alone)) {
    worded_note(c$note)
  } else {
    sub("\n$", "", c$message)
  }
}
worded_note <- function(note) {
  paste(
    c(
      worded(note$problem, cli::col_yellow("!")),
      worded_parts(note$where, note$instead)
    ),
    collapse = "\n"
  )
}
#' @export
conditionMessage.neatsieve_error <- function(c) {
  # R puts "Error: " before the first line.
  problem <- worded(paste0("Error: ", c$message), exdent = 0)
  problem <- sub("^Error:( |$)", "", problem)
  body <- c$body
  of <- function(sign) unname(body[names(body) == sign])
  paste(c(problem, worded_parts(of("i"), of(">"))), collapse = "\n")
}

worded_parts <- function(where, instead) {
  c(
    unlist(lapply(where, worded, cli::col_cyan(cli::symbol$info))),
    unlist(lapply(instead, worded, cli::symbol$arrow_right))
  )
}

# A text behind a mark, in lines no wider than the console.
worded <- function(text, mark = NULL, exdent = 2) {
  text <- gsub("[ \t\r\n]+", " ", paste(c(mark, text), collapse = " "))
  width <- getOption("cli.condition_width", console_width())
  if (cli::ansi_nchar(text, "width") < width) return(text)
  as.character(cli::ansi_strwrap(text, width, exdent = exdent))
}

note_text <- function(note) {
  paste(c(note$problem, note$where, note$instead), collapse = " ")
}

# The first line of an error message.
first_line <- function(text) sub("[.]$", "", sub("\n.*", "", text))

quoted <- function(x) if (length(x)) paste0("\"", x, "\"") else character()
ticked <- function(x) if (length(x)) paste0("`", x, "`") else character()

# Cuts off a long text.
cut_off_text <- function(x, most = 100) {
  ifelse(nchar(x) > most, paste0(substr(x, 1, most - 3), "..."), x)
}

# "a, b and c", with at most `most` named.
listed <- function(x, most = 6, last = "and") {
  if (length(x) > most) {
    x <- c(x[seq_len(most - 1)], paste(length(x) - most + 1, "more"))
  }
  if (length(x) < 2) return(paste(x))
  paste(paste(x[-length(x)], collapse = ", "), last, x[length(x)])
}

counted <- function(n, one, many = paste0(one, "s")) {
  paste(format_count(n), if (n == 1) one else many)
}

format_count <- function(n) {
  formatC(
    as.numeric(n),
    decimal.mark = ".",
    format = "f",
    digits = 0,
    big.mark = ","
  )
}

# Memory that runs out, in the core or in R, is said as what it is.
within_memory <- function(code, problem, where, instead, family = "run") {
  ran_out <- function(e) stop_neatly(family, problem, where, instead)
  tryCatch(
    code,
    `std::bad_alloc` = ran_out,
    error = function(e) {
      if (!inherits(e, "neatsieve_error") &&
        tells_of_memory(conditionMessage(e))) {
        ran_out(e)
      }
      stop(e)
    }
  )
}
# Errors of this package go on as they are; `tell(e)` says what R's own mean. (A
# handler that raises an error anew is itself within those named behind it.)
with_r_errors <- function(code, tell) {
  tryCatch(
    code,
    error = function(e) if (inherits(e, "neatsieve_error")) stop(e) else tell(e)
  )
}

# Searches for fixed text, because a regular expression needs memory. If even
# that fails, gc() runs first; this is slow and rarely needed.
tells_of_memory <- function(text) {
  tells <- function() {
    for (words in c("cannot allocate", "bad_alloc", "memory exhausted")) {
      if (grepl(words, text, fixed = TRUE)) return(TRUE)
    }
    FALSE
  }
  tryCatch(
    tells(),
    error = function(e) {
      gc(verbose = FALSE)
      tells()
    }
  )
}

# 1, 2, 3, 5 as "1 to 3 and 5".
number_spans <- function(x) {
  spans <- split(x, cumsum(c(TRUE, diff(x) != 1)))
  listed(
    unlist(lapply(unname(spans), function(s) {
      if (length(s) > 2) paste(s[1], "to", s[length(s)]) else s
    })),
    12
  )
}
