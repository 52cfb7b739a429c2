# Runs work of the desk in another process, where the system can fork, so that
# typing goes on. A newer task of the same kind ends the older one.

# work(): what is computed; done(value): what is to be sent when it is there.
# session: a file in which the work says how a server calls the session that it
# asks in. patience: after how many seconds the work is done here after all, as
# where the other process hangs.
run_beside <- function(desk, key, work, done, session = NULL, patience = Inf) {
  end_job(desk, key)
  if (!works_beside(desk)) {
    send_views(desk, done(work()))
    return(invisible())
  }
  process <- parallel::mcparallel(work(), silent = TRUE)
  desk$jobs[[key]] <- new_desk_job(process, work, done, session, patience)
  invisible()
}

# Another process cannot use this connection: it needs one that a plan can name.
works_beside <- function(desk) {
  .Platform$OS.type == "unix" &&
    (is.null(desk$study$database) || !is.null(place_of_study(desk)))
}
# The study as a plan names it, where it is in a database that a plan can name.
place_of_study <- function(desk) {
  if (is.null(desk$place)) {
    answer <- tryCatch(
      study_plan(as_study_object(desk$study), identity),
      neatsieve_error = function(e) NULL
    )
    desk$place <- list(told = if (!is.null(answer$database)) answer)
  }
  desk$place$told
}

# The siftings before a place, in the process that works with them: over a
# connection of its own where they are in a database, whose session is written
# down first.
siftings_beside <- function(desk, place, out, session) {
  facts <- place_of_study(desk)
  if (is.null(facts)) return(out)
  rm(list = ls(opened_connections), envir = opened_connections)
  con <- connection_of(
    facts$database[intersect(connection_keys, names(facts$database))], NULL
  )
  writeLines(as.character(engine_of(con)$session(con)), session)
  steps <- lapply(
    utils::head(desk$chain, place - 1), function(link) link$item$step
  )
  quiet_run(pour(study_from_plan(facts), as_sieve(steps)))$value
}

# late: what is shown meanwhile where it takes long, once; NULL: nothing.
new_desk_job <- function(process, work, done, session, patience) {
  new_record(
    "desk_job",
    list(
      process = process,
      work = work,
      done = done,
      session = session,
      patience = patience,
      late = NULL,
      begun = proc.time()[["elapsed"]]
    )
  )
}

end_job <- function(desk, key) {
  job <- desk$jobs[[key]]
  if (is.null(job)) return(invisible())
  end_query(desk, job$session)
  tools::pskill(job$process$pid, tools::SIGKILL)
  suppressWarnings(parallel::mccollect(job$process, wait = TRUE))
  desk$jobs[[key]] <- NULL
  invisible()
}

# Ends the query of a process that is gone; the server would go on with it.
end_query <- function(desk, path) {
  relation <- desk$study$database$relation
  session <- if (!is.null(path) && file.exists(path)) {
    readLines(path, warn = FALSE)
  }
  if (is.null(relation) || !length(session)) return(invisible())
  con <- relation$dialect$con
  tryCatch(
    engine_of(con)$end_session(con, session[1]),
    error = function(e) NULL
  )
}

# Sends results of jobs that have ended.
look_after_jobs <- function(desk) {
  for (key in names(desk$jobs)) look_after_job(desk, key, desk$jobs[[key]])
  draw_next(desk)
}
look_after_job <- function(desk, key, job) {
  answer <- parallel::mccollect(job$process, wait = FALSE)
  if (!is.null(answer)) {
    desk$jobs[[key]] <- NULL
    suppressWarnings(parallel::mccollect(job$process, wait = TRUE))
    value <- answer[[1]]
    is_lost <- is.null(value) || inherits(value, "try-error")
    if (is_lost && is.finite(job$patience)) value <- job$work()
    if (!is_lost || is.finite(job$patience)) send_views(desk, job$done(value))
  } else if (proc.time()[["elapsed"]] - job$begun > job$patience) {
    end_job(desk, key)
    send_views(desk, job$done(job$work()))
  } else {
    send_late(desk, key)
  }
}

send_late <- function(desk, key) {
  late <- desk$jobs[[key]]$late
  waited <- proc.time()[["elapsed"]] - desk$jobs[[key]]$begun
  if (is.null(late) || waited < desk_patience) return(invisible())
  desk$jobs[[key]]$late <- NULL
  send_views(desk, late())
}

# Pictures are drawn two at a time, in the order they were asked for.
ask_picture <- function(desk, key) {
  known <- desk$figures[[key]]
  if (is.null(known)) return(invisible())
  if (!is.null(known$picture)) return(send_views(desk, picture_ready(key)))
  desk$to_draw <- unique(c(desk$to_draw, key))
  draw_next(desk)
}
picture_ready <- function(key) list(desk_view("picture", key = key))

draw_next <- function(desk) {
  while (length(desk$to_draw) && sum(grepl("^draw ", names(desk$jobs))) < 2) {
    key <- desk$to_draw[1]
    desk$to_draw <- desk$to_draw[-1]
    draw_beside(desk, key)
  }
}
draw_beside <- function(desk, key) {
  chart <- desk$figures[[key]]$chart
  run_beside(
    desk,
    paste("draw", key),
    function() drawn_picture(chart),
    function(picture) {
      desk$figures[[key]]$picture <- picture
      lapply(picture_ready(key), function(view) {
        view$all <- TRUE
        view
      })
    },
    patience = 8
  )
}
drawn_picture <- function(chart) {
  path <- tempfile(fileext = ".png")
  on.exit(unlink(path))
  # Half as wide as a page, so that its texts can be read beside the steps.
  quiet_run(save_figure(
    draw_chart(chart),
    path,
    width = 170,
    height = 106,
    per_inch = 190
  ))
  readBin(path, "raw", file.size(path))
}
