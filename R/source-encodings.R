# Encodings of texts: checked by name, and turned into UTF-8 while they are
# read.

check_encoding_name <- function(encoding, where) {
  # The usual ones are known without the list of all.
  if (is_text(encoding) &&
    (tolower(encoding) %in% c("utf-8", "latin1") ||
      tolower(encoding) %in% tolower(iconvlist()))) {
    return()
  }
  shown <- if (is_text(encoding)) quoted(encoding) else "like that"
  stop_neatly(
    "study",
    paste0("There is no encoding ", shown, "."),
    where,
    c(
      if (is_text(encoding)) {
        meant(
          encoding,
          c("UTF-8", "latin1", "windows-1252", "UTF-16LE", "UTF-16BE"),
          quoted
        )
      },
      "Write `encoding = \"latin1\"`, or another name of `iconvlist()`."
    )
  )
}

refuse_wide_text <- function(first, where) {
  first <- as.integer(utils::head(first, 400))
  marked <- list(c(255L, 254L), c(254L, 255L))
  if (!any(first == 0) && !list(first[1:2]) %in% marked) return()
  if (sum(first == 0) < length(first) / 4 && !list(first[1:2]) %in% marked) {
    return()
  }
  guess <- if (identical(first[1:2], c(254L, 255L)) || isTRUE(first[1] == 0)) {
    "UTF-16BE"
  } else {
    "UTF-16LE"
  }
  stop_neatly(
    "study",
    "The file is not text in UTF-8: it holds zero bytes, as UTF-16 does.",
    where,
    paste0("Write `encoding = \"", guess, "\"`.")
  )
}

# The bytes in UTF-8. They are turned part by part, each up to a line end, which
# in every encoding that is no UTF-16 or UTF-32 is a byte of its own.
recoding <- function(opener, encoding, where) {
  force(opener)
  is_wide <- grepl("^UTF-?(16|32)|^UCS", encoding, ignore.case = TRUE)
  function() {
    more <- opener()
    left <- raw()
    is_end <- FALSE
    function(stop = FALSE) {
      if (stop) return(close_bytes(more))
      while (!is_end) {
        part <- more()
        is_end <<- !length(part)
        bytes <- c(left, part)
        whole <- if (is_end) {
          length(bytes)
        } else if (is_wide) {
          0
        } else {
          max(c(0, which(bytes == as.raw(10))))
        }
        left <<- bytes[seq_along(bytes) > whole]
        if (whole > 0) return(recoded(bytes[seq_len(whole)], encoding, where))
      }
      raw()
    }
  }
}

recoded <- function(bytes, encoding, where) {
  marks <- list(c(255L, 254L), c(254L, 255L))
  if (list(as.integer(utils::head(bytes, 2))) %in% marks) bytes <- bytes[-(1:2)]
  text <- iconv(list(bytes), encoding, "UTF-8", toRaw = TRUE)[[1]]
  # What cannot be turned comes back as it was.
  is_wide <- grepl("16|32|^UCS", encoding)
  if (is.null(text) || (is_wide && any(text == as.raw(0)))) {
    stop_neatly(
      "study",
      paste0(
        "The file is not text in ", encoding,
        if (is_wide) ", or is cut in the middle of a letter", "."
      ),
      where,
      "Check the encoding, and that the file is whole."
    )
  }
  text
}
