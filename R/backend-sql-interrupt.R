# Ctrl-C while a driver waits for its server without listening, as RPostgres
# does by default. The first Ctrl-C starts a second connection that asks the
# server to end the query. If none can be made (the password is not stored), the
# next Ctrl-C shuts the first connection.

# id: of the session, as the server knows it. from, to: the ports at both ends
# of the connection; from: 0 where it has none. ends: lines of R that connect
# again by `place`, a list, and end the query of session `id`.
new_sql_session <- function(id, from, to, ends, place) {
  new_record(
    "sql_session",
    list(id = id, from = from, to = to, ends = ends, place = place)
  )
}

# Runs `ask` and watches for Ctrl-C. The watch ends before anything is rolled
# back, so that it cannot end another query.
while_watched <- function(dialect, ask) {
  session <- if (!is.null(dialect$session) && .Platform$OS.type != "windows") {
    tryCatch(dialect$session(), error = function(e) NULL)
  }
  if (is.null(session)) return(ask())
  begun <- core_begin_interrupt_watch(
    program_that_ends(session), session$from, session$to
  )
  if (begun) on.exit(if (core_end_interrupt_watch() > 0) Sys.sleep(0.01))
  ask()
}

program_that_ends <- function(session) {
  lines <- c(
    paste0(".libPaths(", deparsed(.libPaths()), ")"),
    paste0("id <- ", session$id), paste0("place <- ", deparsed(session$place)),
    paste0("try({ ", paste(session$ends, collapse = "; "), " }, silent = TRUE)")
  )
  c(file.path(R.home("bin"), "Rscript"), "--vanilla", rbind("-e", lines))
}
deparsed <- function(x) paste(deparse(x, width.cutoff = 500L), collapse = " ")

# A query that Ctrl-C ended is not an error: R handles the interrupt at its next
# check.
give_way_to_interrupt <- function() {
  if (core_interrupts_met() > 0) Sys.sleep(0.01)
}
