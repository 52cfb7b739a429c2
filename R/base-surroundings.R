# Keeps options and settings of the session from changing results.

# Sets options that change how numbers become text, and a locale that knows all
# letters, until the calling function returns. Warnings that a user made errors
# stay warnings inside.
local_plain <- function(frame = parent.frame()) {
  wanted <- list(
    OutDec = ".",
    scipen = 0L,
    digits = 7L,
    warn = min(1L, getOption("warn"))
  )
  old <- options(
    wanted[!vapply(
      names(wanted), function(n) identical(getOption(n), wanted[[n]]), NA
    )]
  )
  if (length(old)) when_left(frame, bquote(options(.(old))))
  if (!isTRUE(l10n_info()[["UTF-8"]])) local_utf8(frame)
  invisible()
}

local_utf8 <- function(frame) {
  old <- Sys.getlocale("LC_CTYPE")
  for (locale in c("C.UTF-8", "C.utf8", "en_US.UTF-8", "UTF-8")) {
    set <- suppressWarnings(Sys.setlocale("LC_CTYPE", locale))
    if (nzchar(set)) break
  }
  when_left(frame, bquote(Sys.setlocale("LC_CTYPE", .(old))))
  # What is printed goes to a console that may know no other letters than those
  # of ASCII.
  if (is.null(getOption("cli.unicode"))) {
    options(cli.unicode = FALSE)
    when_left(frame, quote(options(cli.unicode = NULL)))
  }
}
when_left <- function(frame, code) {
  do.call(on.exit, list(code, TRUE), envir = frame)
}

# Text as UTF-8. A text without a mark that is UTF-8 is taken as that whatever
# the locale: a script read in the C locale keeps its letters as bytes.
as_utf8 <- function(x) {
  if (!is.character(x)) return(x)
  bare <- which(Encoding(x) == "unknown")
  if (length(bare) && !isTRUE(l10n_info()[["UTF-8"]])) {
    letters <- bare[validUTF8(x[bare])]
    Encoding(x[letters]) <- "UTF-8"
  }
  enc2utf8(x)
}
