# Reading a delimited text file: everything as text first, then kinds.

read_delimited <- function(path, reading) {
  encoding <- reading$encoding
  kinds <- reading$kinds
  where <- paste0("In file ", quoted(path), ".")
  if (!file.exists(path)) {
    folder <- dirname(path)
    near <- if (dir.exists(folder)) nearest(basename(path), list.files(folder))
    stop_neatly("study", paste0("There is no file ", quoted(path), "."),
                paste0("Looked for it from folder ", quoted(getwd()), "."),
                if (length(near))
                  paste0("In that folder there is ", listed(quoted(near), last = "or"), "."))
  }
  if (dir.exists(path)) {
    stop_neatly("study", paste0(quoted(path), " is a folder."),
                instead = "Give the path of a CSV or TSV file.")
  }
  read_as <- encoding
  path <- readable_file(path, encoding, where)
  if (grepl("^UTF-?(16|32)", encoding, ignore.case = TRUE)) read_as <- "UTF-8"
  lines <- readLines(path, n = 1, warn = FALSE)
  if (!length(lines) || !nzchar(trimws(gsub("[,;\t]", "", lines[1], useBytes = TRUE)))) {
    stop_neatly("study", "The file has no header line.", where,
                "The first line must name the columns.")
  }
  delimiter <- guess_delimiter(path, lines[1])
  table <- suppressWarnings(vroom::vroom(
    path, delim = delimiter, col_types = vroom::cols(.default = vroom::col_character()),
    na = character(), trim_ws = FALSE, locale = vroom::locale(encoding = read_as),
    .name_repair = "minimal",
    progress = FALSE, show_col_types = FALSE, altrep = FALSE, comment = "", skip_empty_rows = TRUE
  ))
  problems <- vroom::problems(table)
  if (nrow(problems)) {
    first <- problems[1, ]
    stop_neatly("study",
                paste0("Line ", first$row, " has another number of values than the header: ",
                       first$actual, " where there should be ", first$expected, "."),
                c(where,
                  if (nrow(problems) > 1)
                    paste0(counted(nrow(problems) - 1, "more line"), " like it.")),
                "A value that holds the separator must stand in double quotes.")
  }
  table <- as.data.frame(table, stringsAsFactors = FALSE)
  check_column_names(names(table), where)
  for (name in names(table)) check_encoding(table[[name]], name, encoding, where)
  notes <- new_notebook()
  check_known_columns(names(kinds), names(table), "kinds", where)
  is_quoted_text <- quoted_texts(path, delimiter, names(table), nrow(table), reading$absent_codes)
  for (name in names(table)) {
    text <- table[[name]]
    coded <- text %in% reading$absent_codes
    if (any(coded)) coded <- coded & !is_quoted_text(name, text)
    text[coded] <- NA
    told <- tell_kind(text, name, kinds[[name]], where, reading$decimal)
    table[[name]] <- told$values
    if (length(told$unread)) note_unread(notes, name, told, where, kinds[[name]])
  }
  list(data = table, notes = notes$notes)
}

# The file as it can be read: one in UTF-16 or UTF-32 is written anew in UTF-8 beside the session's
# files. An encoding that is none, and one that is plainly another, are errors.
readable_file <- function(path, encoding, where) {
  if (!is_text(encoding) || !tolower(encoding) %in% tolower(c(iconvlist(), "UTF-8", "latin1"))) {
    shown <- if (is_text(encoding)) quoted(encoding) else "like that"
    stop_neatly("study", paste0("There is no encoding ", shown, "."), where,
                c(if (is_text(encoding))
                  meant(encoding, c("UTF-8", "latin1", "windows-1252", "UTF-16LE", "UTF-16BE"),
                        quoted),
                  "Write `encoding = \"latin1\"`, or another name of `iconvlist()`."))
  }
  wide <- grepl("^UTF-?(16|32)", encoding, ignore.case = TRUE)
  con <- gzfile(path, "rb")
  on.exit(close(con))
  first <- as.integer(readBin(con, "raw", 400))
  if (!wide &&
      (any(first == 0) || identical(first[1:2], c(255L, 254L)) ||
       identical(first[1:2], c(254L, 255L)))) {
    guess <- if (identical(first[1:2], c(254L, 255L)) || isTRUE(first[1] == 0)) "UTF-16BE"
      else "UTF-16LE"
    stop_neatly("study", "The file is not text in UTF-8: it holds zero bytes, as UTF-16 does.",
                where, paste0("Write `encoding = \"", guess, "\"`."))
  }
  if (!wide) return(path)
  bytes <- readBin(path, "raw", file.size(path))
  if (length(bytes) > 1 &&
      (identical(as.integer(bytes[1:2]), c(255L, 254L)) ||
       identical(as.integer(bytes[1:2]), c(254L, 255L)))) bytes <- bytes[-(1:2)]
  text <- iconv(list(bytes), encoding, "UTF-8")
  if (is.na(text)) {
    stop_neatly("study", paste0("The file is not text in ", encoding, "."), where,
                "Check the encoding.")
  }
  copy <- tempfile(fileext = paste0("-", basename(path)))
  con_out <- file(copy, "wb")
  writeLines(text, con_out, sep = "", useBytes = TRUE)
  close(con_out)
  copy
}

# A code in quotes is text: who writes NA for absent writes "NA" for the text. An empty text in
# quotes is told from an absent value where a column has both. Looked up in the bytes of the file
# when a code is first met.
quoted_texts <- function(path, delimiter, names, n, codes) {
  found <- NULL
  look_up <- function() {
    con <- gzfile(path, "rb")
    on.exit(close(con))
    bytes <- list()
    repeat {
      part <- readBin(con, "raw", 2^24)
      if (!length(part)) break
      bytes[[length(bytes) + 1]] <- part
    }
    bytes <- do.call(c, bytes)
    if (length(bytes) > 2 && identical(as.integer(bytes[1:3]), c(239L, 187L, 191L))) {
      bytes <- bytes[-(1:3)]
    }
    if (any(bytes == as.raw(34))) core_find_quoted(bytes, delimiter, codes)
    else list(row = numeric())
  }
  function(name, text) {
    marked <- rep(FALSE, n)
    if (is.null(found)) found <<- look_up()
    if (!length(found$row)) return(marked)
    column <- match(name, names)
    mine <- found$column == column & found$row <= n &
      (codes[found$code] != "" | column %in% found$plain_empty)
    marked[found$row[mine]] <- TRUE
    marked & text %in% codes
  }
}

note_unread <- function(notes, name, told, where, asked) {
  kind <- switch(kind_of_vector(told$values), number = "a number", whole = "a whole number",
                 paste("a", kind_of_vector(told$values)))
  shown <- utils::head(told$unread, 4)
  examples <- paste0(quoted(told$text[shown]), " on row ", format_count(shown))
  more <- if (length(told$unread) > 4) paste(length(told$unread) - 4, "more")
  form <- text_form(unique(told$text[told$unread]))
  many <- length(told$unread) >= sum(!is.na(told$text)) / 10
  way <- if (many && !is.null(form) && form$form %in% c("decimal commas", "dates")) {
    paste0("These are ", form_words(form), ": give `", form_reading(form, name), "`.")
  } else {
    paste0(
      "Mend the file, list a code for absent in `absent_codes`, or keep the text with `kinds = ",
      "list(",
           lang_text(as.name(name)), " = \"text\")`.")
  }
  take_note(notes, paste0("Column `", name, "`: ", counted(length(told$unread), "value"),
                          " could not be read as ", kind, " and became absent: ",
                          listed(c(examples, more)), "."), where, way)
}

guess_delimiter <- function(path, header) {
  if (grepl("\\.(tsv|tab)(\\.gz)?$", path, ignore.case = TRUE)) return("\t")
  counts <- vapply(c(",", ";", "\t"),
                   function(d) {
                     lengths(regmatches(header, gregexpr(d, header, fixed = TRUE, useBytes = TRUE)))
                   }, integer(1))
  if (max(counts) == 0) "," else names(counts)[which.max(counts)]
}

check_encoding <- function(x, name, encoding, where) {
  bad <- which(!validUTF8(x))
  if (length(bad)) {
    stop_neatly("study",
                paste0("Column `", name, "` holds text that is not UTF-8, first on row ",
                       format_count(bad[1]), "."), where,
                "If the file is in an older encoding say so: `study(file, encoding = \"latin1\")`.")
  }
}

check_column_names <- function(names, where) {
  empty <- which(is.na(names) | !nzchar(names))
  if (length(empty)) {
    stop_neatly("study", paste0("Column ", empty[1], " has no name."), where,
                "Give every column a name in the header.")
  }
  twice <- names[duplicated(names)]
  if (length(twice)) {
    stop_neatly("study", paste0("Two columns are named `", twice[1], "`."), where,
                "Give every column a name of its own.")
  }
}
