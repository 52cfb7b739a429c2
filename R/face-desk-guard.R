# Access to the desk: only this machine, this address, and requests with its
# token.

# A secret token of 160 random bits from the system.
secret_text <- function() {
  if (file.exists("/dev/urandom")) {
    from <- file("/dev/urandom", "rb", raw = TRUE)
    on.exit(close(from))
    return(paste(readBin(from, "raw", 20), collapse = ""))
  }
  digest::digest(
    list(
      Sys.time(),
      Sys.getpid(),
      proc.time(),
      tempfile(),
      environment(),
      sys.frames(),
      gc()
    ),
    algo = "sha256"
  )
}

# port: where it listens. token: in the first address; cookie: what the page has
# from then on.
new_guard <- function(port) {
  hosts <- paste0(c("127.0.0.1", "localhost"), ":", port)
  new_record(
    "guard",
    list(
      port = port,
      token = secret_text(),
      cookie = secret_text(),
      hosts = hosts,
      cookie_name = paste0("neatsieve_desk_", port)
    )
  )
}

first_address <- function(guard) {
  paste0("http://", guard$hosts[1], "/?token=", guard$token)
}

# Before anything else is done with a request, also one for a web socket: NULL
# to go on, or what is answered.
guard_request <- function(guard, request) {
  host <- request$HTTP_HOST
  origin <- request$HTTP_ORIGIN
  is_here <- is_text(host) && host %in% guard$hosts
  is_own <- is.null(origin) || identical(origin, paste0("http://", host))
  if (!is_here || !is_own) return(refused_request())
  is_first <- identical(request$PATH_INFO, "/") &&
    has_token(guard, request$QUERY_STRING)
  if (is_first && is.null(request$HTTP_UPGRADE)) return(NULL)
  if (has_cookie(guard, request$HTTP_COOKIE)) NULL else refused_request()
}
has_token <- function(guard, query) {
  identical(query, paste0("?token=", guard$token))
}
has_cookie <- function(guard, cookies) {
  if (!is_text(cookies)) return(FALSE)
  paste0(guard$cookie_name, "=", guard$cookie) %in%
    trimws(strsplit(cookies, ";", TRUE)[[1]])
}

refused_request <- function() {
  page_answer("This desk is another reader's.\n", "text/plain", 403L)
}

# Redirects the first address to one without the token, so that the token is not
# in the browser's history.
opened_request <- function(guard) {
  answer <- page_answer("", "text/plain", 303L)
  answer$headers <- c(
    answer$headers,
    list(
      Location = "/",
      `Set-Cookie` = paste0(
        guard$cookie_name, "=", guard$cookie,
        "; Path=/; HttpOnly; SameSite=Strict"
      )
    )
  )
  answer
}

# policy: what the page may load; nothing of another place, no script within the
# page.
page_answer <- function(body, type, status = 200L, policy = desk_policy()) {
  list(
    status = status,
    headers = list(
      `Content-Type` = type,
      `Content-Security-Policy` = policy,
      `X-Content-Type-Options` = "nosniff",
      `Referrer-Policy` = "no-referrer",
      `Cross-Origin-Resource-Policy` = "same-origin",
      `Cross-Origin-Opener-Policy` = "same-origin",
      `X-Frame-Options` = "DENY",
      `Cache-Control` = "no-store"
    ),
    body = body
  )
}
desk_policy <- function() {
  paste(
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:;",
    "connect-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
  )
}
# A report has its own style and script within it, and nothing of the desk's.
report_policy <- function() {
  paste(
    "sandbox allow-scripts allow-downloads; default-src 'none'; style-src 'unsafe-inline';",
    "script-src 'unsafe-inline'; img-src data:; base-uri 'none'; form-action 'none'"
  )
}
