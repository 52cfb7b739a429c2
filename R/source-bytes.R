# The bytes of a text: from a plain file, a compressed one, one in another
# encoding, or a pipe.

# shown: the path as given. path: what the core reads itself, else NULL. opener:
# gives a function that gives raw vectors, call by call, none at the end. bytes:
# the size of the file. file, state: where the bytes lie, and what tells that
# they are still those of the beginning. more_marks: how many byte order marks
# stand at the beginning that should not.
new_byte_source <- function(
  shown, path = NULL, opener = NULL, bytes = NA_real_, start = 0, file = path
) {
  new_record(
    "byte_source",
    list(
      shown = shown,
      path = path,
      opener = opener,
      bytes = bytes,
      start = start,
      file = file,
      more_marks = 0,
      state = if (!is.null(file)) core_file_state(file)
    )
  )
}

# Reads the next part; a file that was removed is reported as changed.
next_part <- function(reader, layout) {
  tryCatch(
    core_text_next(reader),
    error = function(e) {
      check_unchanged(layout$source)
      stop(e)
    }
  )
}

# A file that is written while it is read gives a mixture of what it was and is.
check_unchanged <- function(source) {
  if (is_chain(source)) return(for (one in source$sources) check_unchanged(one))
  if (is.null(source$file) ||
    identical(core_file_state(source$file), source$state)) {
    return()
  }
  stop_for_change(source$shown)
}
stop_for_change <- function(path) {
  stop_neatly(
    "study",
    paste0(
      "The file ", quoted(path),
      if (file.exists(path)) " was written" else " was removed",
      " while it was read."
    ),
    NULL,
    c(
      "Nothing was computed, because the data would mix two files.",
      "Wait until it is whole, or read a copy of it."
    )
  )
}

open_bytes <- function(source) {
  if (is_chain(source)) {
    open_chain(source)
  } else if (is.null(source$opener)) {
    source$path
  } else {
    source$opener()
  }
}

# Closes what a function that gives bytes has open; a path is the core's to
# close.
close_bytes <- function(bytes) {
  if (is.list(bytes)) for (one in bytes) close_bytes(one)
  if (is.function(bytes)) bytes(stop = TRUE)
}

# The first bytes, as many as `n` where there are so many.
first_bytes <- function(source, n) {
  if (is.null(source$opener)) return(readBin(source$path, "raw", n))
  more <- source$opener()
  on.exit(close_bytes(more))
  out <- raw()
  while (length(out) < n && length(part <- more())) out <- c(out, part)
  utils::head(out, n)
}

byte_source <- function(path, encoding, where) {
  check_path(path)
  check_encoding_name(encoding, where)
  shown <- path
  path <- path.expand(path)
  if (is_stream(path)) path <- spooled(path, where)
  first <- readBin(path, "raw", 400)
  packed <- packed_as(first, where)
  opener <- if (!is.null(packed)) connection_opener(path, packed, where)
  if (!grepl("^utf-?8$", encoding, ignore.case = TRUE)) {
    plain <- if (is.null(opener)) connection_opener(path) else opener
    opener <- recoding(plain, encoding, where)
  } else {
    unpacked <- new_byte_source(shown, NULL, opener)
    refuse_wide_text(
      if (is.null(packed)) first else first_bytes(unpacked, 400), where
    )
  }
  source <- new_byte_source(
    shown,
    if (is.null(opener)) path,
    opener,
    file.size(path),
    file = path
  )
  marks <- 0
  is_mark <- function(n) {
    first <- utils::tail(first_bytes(source, 3 * n), 3)
    identical(as.integer(first), c(239L, 187L, 191L))
  }
  while (marks < 8 && is_mark(marks + 1)) marks <- marks + 1
  source$start <- 3 * marks
  # Of another encoding the first was taken out with it.
  source$more_marks <- marks -
    (marks > 0 && grepl("^utf-?8$", encoding, ignore.case = TRUE))
  source
}

check_path <- function(path) {
  if (is_stream(path)) return()
  if (is_link(path) && !file.exists(path)) {
    stop_neatly(
      "study",
      paste0(quoted(path), " is a link that leads to no file."),
      NULL,
      paste0("It names ", quoted(Sys.readlink(path)), ".")
    )
  }
  if (!file.exists(path)) {
    folder <- dirname(path)
    near <- if (dir.exists(folder)) nearest(basename(path), list.files(folder))
    stop_neatly(
      "study",
      paste0("There is no file ", quoted(path), "."),
      paste0("Looked for it from folder ", quoted(getwd()), "."),
      if (length(near)) {
        paste0(
          "In that folder there is ", listed(quoted(near), last = "or"), "."
        )
      }
    )
  }
  if (grepl("[.]ya?ml$", path, ignore.case = TRUE)) {
    stop_neatly(
      "study",
      paste0(quoted(path), " is a plan by its name, and no table."),
      NULL,
      c(
        paste0(
          "Pour a study over it: `pour(study, read_sieve(", quoted(path), "))`."
        ),
        paste0(
          "The command reads the study that it names: `neatsieve pour ",
          basename(path), "`."
        )
      )
    )
  }
  if (dir.exists(path)) {
    held <- utils::head(list.files(
      path,
      pattern = "[.](csv|tsv|txt|xlsx|parquet|jsonl?)(\\.gz)?$"
    ))
    stop_neatly(
      "study",
      paste0(quoted(path), " is a folder."),
      NULL,
      c(
        if (length(held)) paste0("It holds ", listed(quoted(held)), "."),
        "Give the path of a file."
      )
    )
  }
  if (file.access(path, 4) != 0) {
    stop_neatly(
      "study",
      paste0("You may not read ", quoted(path), "."),
      NULL,
      "Ask its owner for permission to read it."
    )
  }
}

# The standard input, and what gives its bytes once.
is_stream <- function(path) {
  path == "-" || grepl("^/(dev|proc)/", path) || core_is_pipe(path.expand(path))
}

# A stream is read more than once: its bytes are kept in a file of the session.
spooled <- function(path, where) {
  from <- if (path %in% c("-", "/dev/stdin")) {
    file("stdin", "rb")
  } else {
    file(path, "rb", raw = TRUE)
  }
  on.exit(close(from))
  copy <- tempfile("stream-")
  to <- file(copy, "wb")
  on.exit(close(to), add = TRUE)
  bytes <- 0
  while (length(part <- readBin(from, "raw", 2^20))) {
    writeBin(part, to)
    bytes <- bytes + length(part)
  }
  if (bytes == 0) {
    stop_neatly(
      "study",
      "Nothing came from the stream that was to be read.",
      where,
      "Check that the command before the pipe writes a table."
    )
  }
  copy
}

# How a file is packed, by its first bytes.
packed_as <- function(first, where) {
  begins <- function(...) {
    identical(as.integer(utils::head(first, ...length())), c(...))
  }
  if (begins(80L, 75L, 3L, 4L)) {
    stop_neatly(
      "study",
      "The file is a zip archive, not text.",
      where,
      "Unpack it; a workbook needs the ending .xlsx."
    )
  }
  if (begins(80L, 65L, 82L, 49L)) {
    stop_neatly(
      "study",
      "The file is Parquet, not text.",
      where,
      "Give it the ending .parquet."
    )
  }
  if (begins(31L, 139L)) return("gzip")
  if (begins(66L, 90L, 104L)) return("bzip2")
  if (begins(253L, 55L, 122L, 88L, 90L)) return("xz")
  if (begins(40L, 181L, 47L, 253L)) {
    if (getRversion() >= "4.5.0") return("zstd")
    stop_neatly(
      "study",
      "The file is compressed with zstd, which R reads from version 4.5 on.",
      where,
      "Unpack it, or compress it with gzip."
    )
  }
  NULL
}

connection_opener <- function(path, packed = NULL, where = NULL) {
  function() {
    con <- if (is.null(packed)) file(path, "rb") else gzfile(path, "rb")
    is_open <- TRUE
    unpacked <- new_unpacked()
    function(stop = FALSE) {
      if (!is_open) return(raw())
      part <- if (stop) {
        raw()
      } else {
        suppressWarnings(tryCatch(
          readBin(con, "raw", 2^22),
          error = function(e) raw()
        ))
      }
      if (identical(packed, "gzip")) {
        unpacked$crc <<- core_crc32(unpacked$crc, part)
      }
      unpacked$bytes <<- unpacked$bytes + length(part)
      if (!length(part)) {
        close(con)
        is_open <<- FALSE
        if (!stop && !is.null(packed)) {
          check_unpacked(path, packed, unpacked, where)
        }
      }
      part
    }
  }
}
