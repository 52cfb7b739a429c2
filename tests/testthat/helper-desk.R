# The desk as its users meet it: a process that serves it, and a browser that is
# told what to do.

# A desk in a process of its own, with its address; it is ended with the test.
start_desk <- function(code, env = parent.frame(), folder = tempfile("desk-")) {
  dir.create(folder, showWarnings = FALSE)
  script <- file.path(folder, "desk.R")
  said <- file.path(folder, "said.txt")
  unlink(said)
  writeLines(c("library(neatsieve)", code), script, useBytes = TRUE)
  command <- paste0(
    "R_USER_DATA_DIR=", shQuote(folder), " exec ",
    shQuote(file.path(R.home("bin"), "Rscript")), " --vanilla ",
    shQuote(script), " > ", shQuote(said), " 2>&1 & echo $!"
  )
  pid <- as.integer(system(command, intern = TRUE))
  withr::defer(tools::pskill(pid, tools::SIGKILL), env)
  address <- wait_for(function() {
    if (!file.exists(said)) return(NULL)
    found <- regmatches(
      lines <- paste(readLines(said, warn = FALSE), collapse = "\n"),
      regexpr("http://127[^ \n]*", lines)
    )
    if (length(found)) found
  })
  port <- sub(".*:([0-9]+)/.*", "\\1", address)
  list(
    address = address,
    port = as.integer(port),
    pid = pid,
    folder = folder,
    said = said,
    token = sub(".*token=", "", address)
  )
}

wait_for <- function(code, seconds = 20, every = 0.02) {
  for (i in seq_len(seconds / every)) {
    value <- code()
    if (!is.null(value) && !isFALSE(value)) return(value)
    Sys.sleep(every)
  }
  stop("It did not come about within ", seconds, " seconds.")
}

# A browser that takes its orders through two pipes, one JSON object and a zero
# byte each.
start_browser <- function(env = parent.frame(), width = 1280, height = 800) {
  folder <- tempfile("browser-")
  dir.create(folder)
  to <- file.path(folder, "to")
  from <- file.path(folder, "from")
  system2("mkfifo", c(to, from))
  started <- file.path(folder, "start.sh")
  writeLines(
    c(
      paste0("echo $$ > ", folder, "/pid"),
      paste(
        "exec", shQuote(browser()),
        "--headless --no-sandbox --disable-gpu --no-first-run",
        "--disable-sync --disable-background-networking --disable-component-update",
        "--remote-debugging-pipe",
        paste0("--user-data-dir=", folder, "/profile"),
        paste0("--window-size=", width, ",", height), "about:blank 3<", to,
        "4>", from
      )
    ),
    started
  )
  system2("sh", started, wait = FALSE, stdout = FALSE, stderr = FALSE)
  b <- new.env()
  b$to <- file(to, "wb", raw = TRUE)
  b$from <- pipe(paste("stdbuf -o0 tr '\\0' '\\n' <", from), "r")
  b$id <- 0L
  withr::defer(
    {
      tools::pskill(
        as.integer(readLines(file.path(folder, "pid"))), tools::SIGKILL
      )
      close(b$to)
      close(b$from)
      unlink(folder, recursive = TRUE)
    },
    env
  )
  b
}

order_browser <- function(b, method, ..., session = b$session) {
  b$id <- b$id + 1L
  params <- list(...)
  if (!length(params)) params <- structure(list(), names = character())
  message <- c(
    list(id = b$id, method = method, params = params),
    if (!is.null(session)) list(sessionId = session)
  )
  text <- jsonlite::toJSON(
    message,
    auto_unbox = TRUE, null = "null", digits = NA
  )
  writeBin(c(charToRaw(enc2utf8(text)), as.raw(0)), b$to)
  flush(b$to)
  repeat {
    answer <- readLines(b$from, 1, encoding = "UTF-8", warn = FALSE)
    if (!length(answer)) stop("The browser has ended.")
    answer <- jsonlite::fromJSON(answer, simplifyVector = FALSE)
    if (identical(answer$id, b$id)) break
  }
  if (!is.null(answer$error)) stop(answer$error$message)
  answer$result
}

# A tab at an address; the browser's orders go there from then on.
open_tab <- function(b, address) {
  made <- order_browser(
    b, "Target.createTarget",
    url = "about:blank", session = NULL
  )
  b$session <- order_browser(
    b,
    "Target.attachToTarget",
    targetId = made$targetId,
    flatten = TRUE,
    session = NULL
  )$sessionId
  b$target <- made$targetId
  order_browser(b, "Page.enable")
  order_browser(b, "Page.navigate", url = address)
  wait_for(function() in_tab(b, "document.readyState === 'complete'"))
  invisible(b$session)
}

# The value of a script in the tab.
in_tab <- function(b, script) {
  met <- order_browser(
    b,
    "Runtime.evaluate",
    expression = script,
    returnByValue = TRUE,
    awaitPromise = TRUE
  )
  if (!is.null(met$exceptionDetails)) {
    stop(met$exceptionDetails$exception$description)
  }
  met$result$value
}
wait_in_tab <- function(b, script, seconds = 10) {
  wait_for(function() isTRUE(in_tab(b, paste0("!!(", script, ")"))), seconds)
}

type_text <- function(b, text) order_browser(b, "Input.insertText", text = text)
# A key with what is held down: "Alt+z", "Control+Enter".
press <- function(b, keys) {
  parts <- strsplit(keys, "+", fixed = TRUE)[[1]]
  key <- parts[length(parts)]
  held <- sum(c(Alt = 1, Control = 2, Shift = 8)[parts[-length(parts)]])
  codes <- c(
    Enter = 13, Tab = 9, Escape = 27, ArrowDown = 40, ArrowUp = 38,
    ArrowRight = 39, ArrowLeft = 37, ` ` = 32
  )
  code <- if (key %in% names(codes)) codes[[key]] else utf8ToInt(toupper(key))
  text <- if (key == "Enter") {
    "\r"
  } else if (nchar(key) == 1 && held %in% c(0, 8)) {
    key
  } else {
    ""
  }
  event <- function(type, ...) {
    order_browser(
      b,
      "Input.dispatchKeyEvent",
      type = type,
      key = key,
      code = if (nchar(key) == 1) paste0("Key", toupper(key)) else key,
      windowsVirtualKeyCode = code,
      modifiers = held,
      ...
    )
  }
  event(if (nzchar(text)) "keyDown" else "rawKeyDown", text = text)
  event("keyUp")
}
picture_of_tab <- function(b, path) {
  shot <- order_browser(b, "Page.captureScreenshot", format = "png")
  writeBin(jsonlite::base64_dec(shot$data), path)
}

# What the server answers to a request of one's own making: status, headers,
# body.
ask_server <- function(
  port, path, headers = character(), method = "GET", host = NULL
) {
  if (is.null(host)) host <- paste0("127.0.0.1:", port)
  con <- socketConnection(
    "127.0.0.1", port,
    open = "r+b", blocking = TRUE, timeout = 5
  )
  on.exit(close(con))
  writeLines(
    c(
      paste(method, path, "HTTP/1.1"),
      if (nzchar(host)) paste0("Host: ", host), headers, "Connection: close", ""
    ),
    con,
    sep = "\r\n"
  )
  answer <- raw()
  repeat {
    more <- tryCatch(readBin(con, "raw", 65536), warning = function(w) raw())
    answer <- c(answer, more)
    if (!length(more) ||
      (grepl("^HTTP/1.1 101", rawToChar(utils::head(answer, 12))))) {
      break
    }
  }
  text <- rawToChar(answer[answer != 0])
  parts <- strsplit(text, "\r\n\r\n", fixed = TRUE)[[1]]
  list(
    status = as.integer(substr(text, 10, 12)),
    head = parts[1],
    body = paste(parts[-1], collapse = "\n\n")
  )
}
ask_socket <- function(port, headers = character(), ...) {
  ask_server(
    port,
    "/",
    c(
      headers, "Upgrade: websocket", "Sec-WebSocket-Version: 13",
      "Sec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ=="
    ),
    ...
  )
}
