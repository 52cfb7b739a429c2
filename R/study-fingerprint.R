#' Whether two tables are the same, by a short text
#'
#' Gives a short text that is the same for equal tables, whatever file they were
#' read from. It differs if a value, a kind, a column's name or the order of
#' rows differs.
#'
#' @param study A [study()], a data frame or the path of a file.
#' @return A text: `"ns2:"` and 32 hexadecimal digits, the published hash XXH3
#'   of 128 bits (xxHash) of all values in their order, with each column's name
#'   and kind, taken in pieces of 65,536 rows whose hashes are hashed once more
#'   (`src/core/digest.h` has the bytes). Texts that begin with `"ns1:"` are of
#'   an older form and are not compared with these. Numbers count by their bits,
#'   text by its bytes in UTF-8; a category counts as text, whole numbers as
#'   numbers. It does not depend on the file's format, line ends or quoting, on
#'   threads, locale, time zone or processor. It tells slips and changed data
#'   apart, and is no protection from forgery.
#' @section Errors: As [study()].
#' @seealso [write_table()], [study()], [seal()]
#' @examples
#' fingerprint(demo_file("apiaries.csv"))
#' fingerprint(study(demo_file("apiaries.csv")))
#' @export
fingerprint <- function(study) {
  local_plain()
  frame <- study_facts(study)$frame
  kinds <- vapply(frame$types, digest_kind, "")
  columns <- lapply(names(frame$types), function(name) {
    if (kinds[[name]] != "text") return(digest_column(frame$columns[[name]]))
    coded <- frame_codes(frame, name)
    list(as.integer(coded$codes), coded$values)
  })
  digest_text(columns, paste0(names(frame$types), ":", kinds), frame$n)
}

digest_kind <- function(type) {
  if (isTRUE(type$empty)) {
    "absent"
  } else {
    switch(type$kind,
      whole = "number",
      category = "text",
      type$kind
    )
  }
}

# A column as the core's digest takes it: numbers as they are, anything else by
# its texts.
digest_column <- function(x) {
  plain <- is.null(dim(x)) && !is.list(x) && !is.complex(x) && !is.factor(x)
  if (plain && !is.character(x) && !is.raw(x) && !inherits(x, "integer64")) {
    attributes(x) <- NULL
    return(x)
  }
  rows <- seq_len(NROW(x))
  text <- if (is.factor(x) || plain) {
    as.character(x)
  } else if (!is.null(dim(x))) {
    vapply(rows, function(i) paste(format(x[i, ]), collapse = " "), "")
  } else {
    vapply(rows, function(i) paste(format(x[[i]]), collapse = " "), "")
  }
  coded <- core_code_text(as_utf8(text))
  list(coded$codes, coded$values)
}

digest_text <- function(columns, heads, all, rounded = FALSE, rows = NULL) {
  paste0(
    "ns2:",
    core_digest(columns, as_utf8(heads), rows, all, rounded, thread_count())
  )
}

# SHA-256 of the bytes of files; "" where one cannot be read.
file_digests <- function(paths) {
  vapply(path.expand(paths), function(p) {
    if (!utils::file_test("-f", p)) return("")
    tryCatch(
      digest::digest(p, algo = "sha256", file = TRUE),
      error = function(e) ""
    )
  }, "", USE.NAMES = FALSE)
}
