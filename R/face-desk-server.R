# The server of the desk's page: answers requests and messages until the user
# leaves.

# How long after a page was left, or was lost, the desk ends, in seconds.
desk_grace <- c(left = 3, lost = 600)

# opened(address): is told where the page is, once it can be asked for.
serve_desk <- function(desk, port, opened) {
  need_package("httpuv", "The desk", "run", otherwise = "")
  port <- free_port(port)
  guard <- new_guard(port)
  server <- start_server(desk, guard, port)
  on.exit(httpuv::stopServer(server))
  on.exit(for (key in names(desk$jobs)) end_job(desk, key), add = TRUE)
  opened(first_address(guard))
  while (!is_desk_left(desk)) {
    httpuv::service(if (length(desk$jobs)) 10 else 50)
    look_after_jobs(desk)
  }
  # Gives the last message time to be sent.
  httpuv::service(50)
  sieve_of_desk(desk)
}

start_server <- function(desk, guard, port) {
  app <- list(
    onHeaders = function(request) guard_request(guard, request),
    call = function(request) answer_request(desk, guard, request),
    onWSOpen = function(socket) open_socket(desk, socket)
  )
  tryCatch(
    httpuv::startServer("127.0.0.1", port, app, quiet = TRUE),
    error = function(e) {
      stop_neatly(
        "run",
        paste0(
          "Port ", port, " cannot be used: ", first_line(conditionMessage(e)),
          "."
        ),
        NULL,
        "Give another with `port`, or none."
      )
    }
  )
}

free_port <- function(port) {
  if (is.null(port)) {
    return(httpuv::randomPort(min = 20000, max = 50000, host = "127.0.0.1"))
  }
  right <- is.numeric(port) && length(port) == 1 && port %in% 1024:65535
  if (!right) {
    stop_neatly(
      "run",
      "`port` must be a whole number from 1024 to 65535.",
      NULL,
      "Leave it out to have a free one found."
    )
  }
  as.integer(port)
}

# Whether Done was pressed or the last page was closed.
is_desk_left <- function(desk) {
  if (desk$ended || is_session_gone(desk)) return(TRUE)
  if (length(desk$sockets) || !desk$met_socket) return(FALSE)
  since <- proc.time()[["elapsed"]] - desk$leaving
  since > desk_grace[[if (desk$was_left) "left" else "lost"]]
}

# Whether the session that waits for this process has ended: another process is
# its parent then.
is_session_gone <- function(desk) {
  if (is.null(desk$session)) return(FALSE)
  about <- "/proc/self/stat"
  if (!file.exists(about)) return(!tools::pskill(desk$session, 0L))
  parent <- sub(
    "^.*\\) \\S (\\d+) .*$", "\\1", readLines(about, 1, warn = FALSE)
  )
  !identical(parent, as.character(desk$session))
}

# Opens a page's socket; changes of one page are sent to all.
open_socket <- function(desk, socket) {
  id <- secret_text()
  desk$sockets[[id]] <- socket
  desk$met_socket <- TRUE
  desk$was_left <- FALSE
  socket$onMessage(function(is_binary, message) {
    if (!is_binary) receive(desk, id, message)
  })
  socket$onClose(function() {
    desk$sockets[[id]] <- NULL
    desk$leaving <- proc.time()[["elapsed"]]
  })
}

# Reads a message only if it is a small JSON object.
receive <- function(desk, id, text) {
  if (nchar(text, "bytes") > 1e6) return(invisible())
  message <- tryCatch(
    jsonlite::fromJSON(text, simplifyVector = FALSE),
    error = function(e) NULL
  )
  if (!is.list(message) || is.null(names(message))) return(invisible())
  desk$speaker <- id
  views <- tryCatch(
    desk_answer(desk, message),
    error = function(e) {
      list(desk_view(
        "refused",
        act = "",
        finding = unclass(finding_of_error(e))
      ))
    }
  )
  send_views(desk, views, id)
}

send_views <- function(desk, views, id = desk$speaker) {
  for (view in views) {
    text <- as.character(jsonlite::toJSON(
      view$message,
      auto_unbox = TRUE, null = "null", na = "null", digits = NA
    ))
    to <- if (view$all) desk$sockets else desk$sockets[id]
    for (socket in Filter(Negate(is.null), to)) socket$send(text)
  }
}

# A request that the guard let through.
answer_request <- function(desk, guard, request) {
  path <- request$PATH_INFO
  if (!identical(request$REQUEST_METHOD, "GET")) {
    return(page_answer("Only GET.\n", "text/plain", 405L))
  }
  if (path == "/" && has_token(guard, request$QUERY_STRING)) {
    return(opened_request(guard))
  }
  file <- desk_files[path]
  if (!is.na(file)) return(page_answer(desk_file(path), unname(file)))
  if (startsWith(path, "/figure/")) {
    return(figure_answer(desk, sub("^/figure/", "", path)))
  }
  switch(path,
    `/report` = report_answer(desk),
    `/plan.yaml` = plan_answer(desk),
    page_answer("There is nothing here.\n", "text/plain", 404L)
  )
}

desk_scripts <- c(
  "basics", "line", "words", "rows", "columns", "steps", "outputs", "start"
)
desk_files <- c(
  `/` = "text/html; charset=utf-8", `/desk.css` = "text/css; charset=utf-8",
  stats::setNames(
    rep("text/javascript; charset=utf-8", length(desk_scripts)),
    paste0("/", desk_scripts, ".js")
  )
)
desk_file <- function(path) {
  name <- if (path == "/") "desk.html" else substring(path, 2)
  path <- system.file("desk", name, package = "neatsieve", mustWork = TRUE)
  readBin(path, "raw", file.size(path))
}

# A figure is known by its key, and drawn before its page asks for the picture.
figure_answer <- function(desk, key) {
  picture <- desk$figures[[key]]$picture
  if (is.null(picture)) {
    return(page_answer("This figure is not here.\n", "text/plain", 404L))
  }
  page_answer(picture, "image/png")
}

report_answer <- function(desk) {
  path <- tempfile(fileext = ".html")
  on.exit(unlink(path))
  quiet_run(report(siftings_at_end(desk), path))
  page_answer(
    readBin(path, "raw", file.size(path)),
    "text/html; charset=utf-8",
    policy = report_policy()
  )
}

plan_answer <- function(desk) {
  answer <- page_answer(exits_of_desk(desk)$plan, "text/yaml; charset=utf-8")
  answer$headers$`Content-Disposition` <- "attachment; filename=\"plan.yaml\""
  answer
}
