# Reads the text of a plan file. Refuses bytes of another encoding, keys that
# occur twice, and tags.

text_of_plan <- function(path, json) {
  bytes <- readBin(path, "raw", file.size(path))
  where <- paste0("In ", quoted(path), ".")
  starts <- as.integer(utils::head(bytes, 3))
  if (identical(starts, c(239L, 187L, 191L))) bytes <- bytes[-(1:3)]
  wide <- list(starts[1:2]) %in% list(c(255L, 254L), c(254L, 255L))
  zero <- which(bytes == as.raw(0))
  if (wide || length(zero)) {
    line <- sum(bytes[seq_len(min(zero, length(bytes)))] == as.raw(10)) + 1
    stop_neatly(
      "plan",
      if (wide || length(zero) > length(bytes) / 4) {
        "The plan is no text in UTF-8: it looks like UTF-16."
      } else {
        paste0("The plan is no text: it holds a zero byte, on line ", line, ".")
      },
      where,
      "Save it as UTF-8."
    )
  }
  text <- rawToChar(bytes)
  Encoding(text) <- "UTF-8"
  if (!validUTF8(text)) {
    lines <- strsplit(text, "\n", fixed = TRUE, useBytes = TRUE)[[1]]
    stop_neatly(
      "plan",
      paste0(
        "The plan is no text in UTF-8: line ", which(!validUTF8(lines))[1],
        " is in another encoding."
      ),
      where,
      "Save it as UTF-8."
    )
  }
  text <- sub("\n$", "", gsub("\r\n?", "\n", text))
  if (json) refuse_repeated_keys(text, where) else refuse_tags(text, where)
  text
}

# The package that reads JSON takes the first of two keys of one name, or the
# last. Strings are taken out, so that braces and colons are those of the text.
refuse_repeated_keys <- function(text, where) {
  at <- gregexpr("\"(?:[^\"\\\\]|\\\\.)*+\"|[{}\\[\\]:,]", text, perl = TRUE)
  signs <- regmatches(text, at)[[1]]
  is_key <- startsWith(signs, "\"") & c(signs[-1], "") == ":"
  # Keys belong to the object that begins last before them.
  opened <- integer()
  object <- integer(length(signs))
  for (i in seq_along(signs)) {
    if (signs[i] %in% c("{", "[")) opened <- c(opened, i)
    object[i] <- if (length(opened)) opened[length(opened)] else 0L
    if (signs[i] %in% c("}", "]")) opened <- opened[-length(opened)]
  }
  keys <- which(is_key)
  again <- keys[duplicated(data.frame(object[keys], signs[keys]))]
  if (!length(again)) return(invisible())
  before <- substr(text, 1, at[[1]][again[1]])
  line <- nchar(gsub("[^\n]", "", before)) + 1
  stop_neatly(
    "plan",
    paste0(
      "The key ", signs[again[1]], " stands twice in one place, again on ",
      "line ", line, "."
    ),
    where,
    "Leave one out."
  )
}

# `key: !absent(x)` is a tag to YAML, which would leave nothing of it.
refuse_tags <- function(text, where) {
  lines <- strsplit(text, "\n", fixed = TRUE)[[1]]
  tagged <- grep("^\\s*(- +)*([A-Za-z_][A-Za-z0-9_. ]*: +)?!\\S", lines)
  tagged <- tagged[grepl("(: +|- +)!\\S", lines[tagged])]
  if (!length(tagged)) return(invisible())
  value <- cut_off_text(
    sub("\\s+$", "", sub("^[^!]*", "", lines[tagged[1]])), 80
  )
  stop_neatly(
    "plan",
    paste0(
      "Line ", tagged[1], " has a value that begins with `!`, which YAML ",
      "takes for a tag."
    ),
    where,
    paste0(
      "Put it in quotes: `",
      if (grepl("'", value)) {
        paste0("\"", value, "\"")
      } else {
        paste0("'", value, "'")
      },
      "`."
    )
  )
}
