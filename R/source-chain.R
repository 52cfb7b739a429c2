# Reads several delimited texts as one: files of one form with the same columns
# in the same order.

# sources: the byte sources of the files. It stands where that of one file does.
new_byte_chain <- function(sources) {
  new_record(
    "byte_chain",
    list(
      shown = vapply(sources, `[[`, "", "shown"),
      sources = sources,
      start = sources[[1]]$start,
      bytes = sum(vapply(sources, `[[`, 0, "bytes")),
      path = "",
      opener = NULL,
      more_marks = sum(vapply(sources, `[[`, 0, "more_marks"))
    )
  )
}
is_chain <- function(source) inherits(source, "neatsieve_byte_chain")

# Each packed file is opened when its turn comes.
open_chain <- function(source) {
  lapply(source$sources, function(one) {
    if (is.null(one$opener)) return(one$path)
    more <- NULL
    function(stop = FALSE) {
      if (is.null(more)) {
        if (stop) return(raw())
        more <<- one$opener()
      }
      more(stop = stop)
    }
  })
}

# The layout of all, or NULL where the files are not of one form.
chained_layout <- function(files, reading) {
  layout_of <- function(path) {
    text_layout(path, reading, paste0("In file ", quoted(path), "."))
  }
  first <- layout_of(files$paths[1])
  # If nothing is searched for around the table, comparing the first bytes is
  # enough.
  is_plain <- is.null(first$source$opener) && is.null(reading$footer)
  begins <- if (is_plain) first_bytes(first$source, first$skip)
  layouts <- c(
    list(first),
    lapply(files$paths[-1], function(path) {
      alike <- layout_beginning_so(first, begins, path)
      if (is.null(alike)) layout_of(path) else alike
    })
  )
  form <- function(layout) layout[c("form", "names")]
  if (!all(vapply(layouts, function(l) identical(form(l), form(layouts[[1]])), NA))) {
    return(NULL)
  }
  of <- function(what) unname(vapply(layouts, `[[`, 0, what))
  layout <- layouts[[1]]
  layout$source <- new_byte_chain(lapply(layouts, `[[`, "source"))
  layout$part_columns <- texts_of_files(files, reading)
  refuse_clash(names(layout$part_columns), layout$names)
  layout$names <- c(layout$names, names(layout$part_columns))
  layout$skip <- of("skip")
  layout$first_line <- of("first_line")
  of_around <- function(what) {
    unlist(lapply(layouts, function(l) l$around[[what]]), FALSE)
  }
  layout$around <- new_text_around(
    reading, of_around("ends"), of_around("above"), of_around("below")
  )
  if (length(layouts) > 1) {
    layout$where <- paste0(
      "In ", format_count(length(layouts)), " files: ",
      listed(quoted(files$asked), 3), "."
    )
  }
  layout
}

# The layout of a file that begins with the very bytes of another's header; NULL
# where it does not.
layout_beginning_so <- function(layout, begins, path) {
  is_plain <- length(begins) > 0 &&
    utils::file_test("-f", path) &&
    file.access(path, 4) == 0
  if (!is_plain || !identical(readBin(path, "raw", length(begins)), begins)) {
    return(NULL)
  }
  layout$source <- new_byte_source(
    path, path.expand(path), NULL, file.size(path), layout$source$start
  )
  layout
}

# What was met in a text, with the rows and lines up to the end of each of
# several files.
facts_of_text <- function(reader) {
  c(core_text_facts(reader), list(parts = core_text_parts(reader)))
}

# A line counted over all files, in its own: the file's number, and the line
# there.
place_of_line <- function(line, layout, parts) {
  if (!is_chain(layout$source)) {
    return(list(file = rep(NA_integer_, length(line)), line = line))
  }
  ends <- parts$lines
  file <- pmin(findInterval(line - 1, ends) + 1L, length(layout$first_line))
  before <- c(0, ends)[file]
  list(
    file = file,
    line = line - before + ifelse(file > 1, layout$first_line[file], 0)
  )
}

# "Line 7", or "Line 7 of "b.csv"".
line_words <- function(line, layout, parts, first = "line ") {
  place <- place_of_line(line, layout, parts)
  of <- if (is_chain(layout$source)) {
    paste0(" of ", quoted(layout$source$shown[place$file]))
  } else {
    ""
  }
  paste0(first, format_count(place$line), of)
}
