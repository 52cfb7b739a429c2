# Writes files whole or not at all.

is_link <- function(paths) {
  nzchar(Sys.readlink(paths)) %in% TRUE & !is.na(Sys.readlink(paths))
}

# Writes beside the target and moves it there when whole, so no partial file is
# left and an old one stays until then. A link keeps pointing where it points:
# the file behind it is the target.
write_whole <- function(path, write, ends = NULL) {
  target <- path
  if (is_link(path)) target <- normalizePath(path, mustWork = FALSE)
  folder <- dirname(target)
  if (!dir.exists(folder)) {
    stop_neatly(
      "run",
      paste0(
        "There is no folder ", quoted(folder), " to write ",
        quoted(basename(path)), " in."
      ),
      NULL,
      "Make it first, or give another path."
    )
  }
  file <- file.path(
    folder, paste0(".part-", Sys.getpid(), "-", basename(target))
  )
  on.exit(if (file.exists(file)) file.remove(file))
  tryCatch(
    {
      write(file)
      if (!file.exists(file)) stop("nothing was written")
      if (!is.null(ends) && !ends_with(file, ends)) {
        stop("only a part of it could be written; is the disk full?")
      }
    },
    error = function(e) {
      if (inherits(e, "neatsieve_error")) stop(e)
      stop_neatly(
        "run",
        paste0(
          "Could not write ", quoted(path), ": ",
          sub("([^?])$", "\\1.", sub("[.]$", "", conditionMessage(e)))
        ),
        NULL,
        "Nothing was changed there. Make room, or give another path."
      )
    }
  )
  if (!suppressWarnings(file.rename(file, target))) {
    stop_neatly(
      "run",
      paste0("Could not write ", quoted(path), "."),
      NULL,
      "Is it open elsewhere, or the folder read-only?"
    )
  }
}

# Whether the last bytes of a file are those every whole file of its kind ends
# with.
ends_with <- function(path, mark) {
  size <- file.size(path)
  if (is.na(size) || size < length(mark)) return(FALSE)
  con <- file(path, "rb")
  on.exit(close(con))
  seek(con, max(0, size - length(mark) - 8))
  tail <- readBin(con, "raw", length(mark) + 8)
  places <- seq_len(max(0, length(tail) - length(mark) + 1))
  any(vapply(
    places,
    function(i) identical(tail[i + seq_along(mark) - 1], mark),
    logical(1)
  ))
}

# Lines as UTF-8, every byte of which has to arrive.
write_text <- function(lines, path) {
  lines <- as_utf8(lines)
  con <- file(path, "wb")
  tryCatch(
    writeLines(lines, con, sep = "\n", useBytes = TRUE),
    finally = close(con)
  )
  wanted <- sum(nchar(lines, type = "bytes")) + length(lines)
  if (!identical(as.numeric(file.size(path)), as.numeric(wanted))) {
    stop(
      "only ",
      format_count(file.size(path)),
      " of ",
      format_count(wanted),
      " bytes could be written; is the disk full?"
    )
  }
}

relative_path <- function(path, folder) {
  # A pattern is no file; its folder is.
  full <- function(p) {
    whole <- if (file.exists(p)) {
      normalizePath(p, "/")
    } else {
      file.path(normalizePath(dirname(p), "/", mustWork = FALSE), basename(p))
    }
    strsplit(whole, "/", fixed = TRUE)[[1]]
  }
  to <- full(path)
  from <- full(folder)
  same <- 0
  while (same < min(length(to), length(from)) &&
    to[same + 1] == from[same + 1]) same <- same + 1
  paste(
    c(rep("..", length(from) - same), to[seq_along(to) > same]),
    collapse = "/"
  )
}

# The whole path of a file that need not be there, nor its folder.
full_path <- function(path) {
  if (!is_full_path(path)) path <- file.path(getwd(), path)
  folder <- dirname(path.expand(path))
  beyond <- basename(path)
  while (!dir.exists(folder) && dirname(folder) != folder) {
    beyond <- c(basename(folder), beyond)
    folder <- dirname(folder)
  }
  parts <- strsplit(normalizePath(folder, "/"), "/", fixed = TRUE)[[1]]
  for (part in beyond[beyond != "."]) {
    parts <- if (part == "..") {
      utils::head(parts, max(1, length(parts) - 1))
    } else {
      c(parts, part)
    }
  }
  paste(parts, collapse = "/")
}

is_full_path <- function(path) grepl("^(/|[A-Za-z]:|~)", path)

# A path below the working directory without that.
path_from_here <- function(path) {
  here <- paste0(normalizePath(getwd(), "/"), "/")
  if (startsWith(path, here)) substring(path, nchar(here) + 1) else path
}
