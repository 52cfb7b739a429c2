# Lines around the table in a delimited text: above the header, comments, below
# the table.

# Where the header of a text is. bytes: from there on; before, lines: how many
# bytes and lines stand above it; above: these lines, as they are.
new_text_top <- function(bytes, before = 0, lines = 0, above = character()) {
  new_record(
    "text_top",
    list(bytes = bytes, before = before, lines = lines, above = above)
  )
}

top_of_text <- function(source, reading, where) {
  if (is.null(reading$skip) && !nzchar(reading$comment)) {
    return(new_text_top(header_bytes(source, where)))
  }
  size <- 2^16
  repeat {
    bytes <- first_bytes(source, size)
    is_all <- length(bytes) < size
    if (source$start > 0) bytes <- bytes[-seq_len(source$start)]
    top <- text_top_in(bytes, reading, is_all, where)
    if (!is.null(top)) break
    size <- size * 8
  }
  check_header_bytes(top$bytes, where)
  top
}

# NULL where more bytes are needed.
text_top_in <- function(bytes, reading, is_all, where) {
  starts <- line_starts(bytes)
  lines <- length(starts) - (utils::tail(starts, 1) > length(bytes))
  n <- if (identical(reading$skip, "until header")) {
    lines_above_header(bytes, starts, reading, where)
  } else if (is.null(reading$skip)) {
    0
  } else {
    reading$skip
  }
  while (n < lines &&
    begins_with(bytes, starts[n + 1], reading$comment)) n <- n + 1
  if (n >= lines) {
    if (!is_all) return(NULL)
    stop_neatly(
      "study",
      paste0(
        "The file has ", counted(lines, "line"), ", so that none is left ",
        "for a header below ", format_count(n), "."
      ),
      where,
      "Give a smaller `skip`."
    )
  }
  from <- starts[n + 1]
  rest <- bytes[from:length(bytes)]
  if (!is_all && core_text_header(rest, ",")$bytes >= length(rest)) return(NULL)
  new_text_top(rest, from - 1, n, texts_of_lines(bytes, starts[seq_len(n + 1)]))
}

line_end_byte <- function(bytes) {
  charToRaw(core_text_header(bytes, ",")$line_end)
}
line_starts <- function(bytes) c(1, which(bytes == line_end_byte(bytes)) + 1)

begins_with <- function(bytes, at, prefix) {
  prefix <- charToRaw(prefix)
  length(prefix) > 0 && identical(bytes[at - 1 + seq_along(prefix)], prefix)
}

# The text of each line, without line ends.
texts_of_lines <- function(bytes, starts) {
  lines <- vapply(seq_len(max(length(starts) - 1, 0)), function(i) {
    part <- bytes[starts[i]:max(starts[i], starts[i + 1] - 1)]
    rawToChar(part[!part %in% as.raw(c(0, 10, 13))])
  }, "")
  lines <- iconv(lines, "UTF-8", "UTF-8", sub = "?")
  lines
}

# Lines before the first of as many fields as most have, which one of as many
# follows.
lines_above_header <- function(bytes, starts, reading, where) {
  seen <- fields_of_lines(bytes, starts, reading)
  if (is.null(seen)) {
    stop_neatly(
      "study",
      "No header is found: no number of values stands in most lines.",
      where,
      "Say how many lines stand above it: `skip = 2`."
    )
  }
  first_usual(seen) - 1
}

# The first line that may be the header; a title may have a comma, too, but no
# line of the table right below it.
first_usual <- function(seen) {
  is_fit <- seen$fields == seen$usual
  lines <- which(!is.na(is_fit))
  follows <- c(is_fit[lines][-1], TRUE)
  both <- lines[is_fit[lines] & follows]
  if (length(both)) both[1] else lines[is_fit[lines]][1]
}

# How many fields each of the first lines has by the delimiter that parts most
# of them alike, and the usual number; NULL where there is none. A blank line
# has 0, a comment NA.
fields_of_lines <- function(bytes, starts, reading, most = 200) {
  lines <- utils::head(
    texts_of_lines(bytes, utils::head(starts, most + 1)), most
  )
  is_comment <- nzchar(reading$comment) & startsWith(lines, reading$comment)
  known <- if (is.null(reading$delimiter)) {
    c(",", ";", "\t", "|")
  } else {
    reading$delimiter
  }
  counts <- lapply(known, function(d) {
    n <- vapply(lines, function(line) {
      if (nzchar(line)) {
        length(core_text_header(charToRaw(line), d)$fields)
      } else {
        0L
      }
    }, 0L, USE.NAMES = FALSE)
    replace(n, is_comment, NA)
  })
  usual <- vapply(counts, function(n) {
    several <- n[!is.na(n) & n > 1]
    if (length(several)) as.integer(names(which.max(table(several)))) else 0L
  }, 0L)
  agree <- mapply(
    function(n, u) if (u > 1) sum(n == u, na.rm = TRUE) else 0, counts, usual
  )
  best <- which.max(agree)
  written <- sum(nzchar(lines) & !is_comment)
  if (agree[best] < 2 || agree[best] < written / 2) return(NULL)
  list(
    delimiter = known[best],
    fields = counts[[best]],
    usual = usual[best],
    lines = lines
  )
}

# The last bytes of a text, and how many bytes stand before them.
last_bytes <- function(source, most = 2^20) {
  if (is.null(source$opener)) {
    size <- file.size(source$path)
    con <- file(source$path, "rb")
    on.exit(close(con))
    before <- max(0, size - most)
    seek(con, before)
    return(list(bytes = readBin(con, "raw", most), before = before))
  }
  more <- source$opener()
  on.exit(close_bytes(more))
  kept <- raw()
  all <- 0
  while (length(part <- more())) {
    all <- all + length(part)
    kept <- utils::tail(c(kept, part), most)
  }
  list(bytes = kept, before = all - length(kept))
}

# Where the lines below the table begin, as bytes before them, and these lines;
# none where no line fits a pattern.
bottom_of_text <- function(source, footer, where) {
  if (is.null(footer)) return(list(end = NA_real_, lines = character()))
  last <- last_bytes(source)
  starts <- line_starts(last$bytes)
  lines <- texts_of_lines(last$bytes, c(starts, length(last$bytes) + 1))
  there <- which(grepl("[^[:space:]]", lines))
  from <- if (is.numeric(footer)) {
    utils::tail(there, footer)[1]
  } else {
    there[grepl(footer, lines[there], perl = TRUE)][1]
  }
  if (is.numeric(footer) && length(there) <= footer) {
    stop_neatly(
      "study",
      paste0(
        "The file has no ", counted(footer, "line"), " below a table: it has ",
        format_count(length(there)), "."
      ),
      where,
      "Give a smaller `footer`."
    )
  }
  if (is.na(from)) return(list(end = NA_real_, lines = character()))
  list(end = last$before + starts[from] - 1, lines = lines[from:max(there)])
}

# Names of a header of two lines: an empty cell above takes the one to its left.
joined_header <- function(first, second) {
  above <- trimws(first)
  for (i in seq_along(above)[-1]) if (above[i] == "") above[i] <- above[i - 1]
  n <- max(length(above), length(second))
  above <- c(above, rep("", n - length(above)))
  below <- c(trimws(second), rep("", n - length(second)))
  ifelse(
    above == "",
    below,
    ifelse(below == "", above, paste(above, below, sep = "_"))
  )
}
