#' Try conditions in a browser, with live counts
#'
#' Opens a page in your browser. Type a condition or a step: while you type, it
#' is checked, and the page counts the rows and units for which it is yes, no
#' and unknown. Make steps of conditions; edit, move and switch off steps; see
#' what each does. The result is a sieve.
#'
#' @param data A [study()], a data frame or the path of a file; none: the demo
#'   study.
#' @param sieve A [sieve()] to begin with, or the path of a plan. None: an empty
#'   one.
#' @param save The path of a plan file that is written after each change, or
#'   `NULL`.
#' @param port The port of the page, from 1024 to 65535; `NULL`: a free one is
#'   found.
#' @param open Whether to open the page in the browser. Its address is printed
#'   in any case.
#'
#' @details The page shows a sieve and nothing else: plan, R code and command
#'   line beside the steps are always those of the steps that run. Whoever
#'   closes the page loses nothing: the steps are kept in a file of the session,
#'   below `tools::R_user_dir("neatsieve", "data")`, and offered when the same
#'   study is opened again. What is typed is read as the expression language,
#'   never run as R code; steps that read another table ([look_up()],
#'   [append_rows()]) and `custom()` come with the sieve that is given.
#'
#'   The page is served to this machine alone. Its first address holds a random
#'   token; afterwards a cookie stands for it. Requests with another host, from
#'   another page or without the token are refused. Data are never changed.
#'   Several tabs show the same sieve.
#'
#'   On systems that can part a process in two the page has one of its own, so
#'   that a crash of it leaves the R session, and the steps, as they are; of a
#'   database it has not, because a connection cannot be shared. Counts that
#'   take long show a sample first, marked as such, and then all rows.
#' @return The [sieve()] of the steps that are switched on, when Done is
#'   pressed, the page is closed or the session is interrupted.
#' @section Errors: Class `neatsieve_error_run` where the package httpuv is
#'   missing or the port is taken; those of [study()] and [read_sieve()] for
#'   what is given.
#' @seealso [screening()], [pour()], [sieve()]; `neatsieve desk` for the command
#'   line
#' @examples
#' if (interactive()) {
#'   hives <- study(demo_file("hive-visits.csv"), unit = hive)
#'   spring <- desk(hives)
#'   pour(hives, spring)
#' }
#' @export
desk <- function(
  data = NULL, sieve = NULL, save = NULL, port = NULL, open = TRUE
) {
  local_plain()
  called <- name_of_data(substitute(data))
  need_package("httpuv", "The desk", "run", otherwise = "")
  study <- desk_study(data, called)
  start <- desk_sieve(sieve)
  if (!is.null(save) && !is_text(save)) {
    stop_neatly(
      "run",
      "`save` must be the path of a plan file.",
      NULL,
      "Write `save = \"plan.yaml\"`."
    )
  }
  desk <- new_desk(study, start, save, kept_path(study))
  desk$offered <- offered_desk(desk)
  opened <- function(address) {
    message(
      "The desk is at ",
      address,
      "\nPress Done there, or interrupt here, to go on."
    )
    if (isTRUE(open)) open_page(address)
  }
  desk_in_process(desk, port, opened)
}

desk_study <- function(data, called) {
  if (is.null(data)) {
    return(study_facts(suppressMessages(
      study(demo_file("hive-visits.csv"), unit = "hive"),
      classes = "neatsieve_note"
    )))
  }
  if (inherits(data, "neatsieve_siftings")) data <- as_study(data)
  starting_state(data, called)$study
}

desk_sieve <- function(sieve) {
  if (is.null(sieve)) return(as_sieve(list()))
  if (is_text(sieve)) return(read_sieve(sieve))
  as_sieve(list(sieve))
}

# No fork if a connection would be shared, or if a server ran before: its
# threads would be missing in the new process.
can_part <- function(desk) {
  .Platform$OS.type == "unix" &&
    is.null(desk$study$database) &&
    !any(c("httpuv", "later") %in% loadedNamespaces())
}

# If no browser can be opened, the printed address can be followed.
open_page <- function(address) {
  tryCatch(
    utils::browseURL(address),
    error = function(e) {
      message("No browser could be opened here: open the address yourself.")
    }
  )
}

# The page in a process of its own, while this one waits for what it gives.
desk_in_process <- function(desk, port, opened) {
  if (!can_part(desk)) {
    return(tryCatch(
      serve_desk(desk, port, opened),
      interrupt = function(e) sieve_of_desk(desk)
    ))
  }
  desk$copy <- tempfile("desk-", fileext = ".rds")
  on.exit(unlink(desk$copy))
  copy_desk(desk)
  desk$session <- Sys.getpid()
  process <- parallel::mcparallel(tryCatch(
    served_for_session(desk, port, opened),
    neatsieve_error = identity
  ))
  answer <- tryCatch(
    wait_for_desk(process),
    interrupt = function(e) {
      tools::pskill(process$pid, tools::SIGKILL)
      NULL
    }
  )
  if (inherits(answer, "neatsieve_error")) stop(answer)
  if (inherits(answer, "neatsieve_sieve")) return(answer)
  message(
    "The desk ended before Done was pressed; these are its steps as they were last.",
    if (inherits(answer, "try-error")) paste0("\n", trimws(answer))
  )
  readRDS(desk$copy)
}
# If the session has ended, the steps of the desk are kept in their file.
served_for_session <- function(desk, port, opened) {
  sieve <- serve_desk(desk, port, opened)
  if (is_session_gone(desk)) tools::pskill(Sys.getpid(), tools::SIGKILL)
  sieve
}
wait_for_desk <- function(process) {
  repeat {
    answer <- parallel::mccollect(process, wait = FALSE, timeout = 0.5)
    if (!is.null(answer)) return(answer[[1]])
  }
}

# The sieve as it is now, for the session that waits.
copy_desk <- function(desk) {
  if (!is.null(desk$copy)) {
    write_whole(desk$copy, function(to) saveRDS(sieve_of_desk(desk), to))
  }
}
