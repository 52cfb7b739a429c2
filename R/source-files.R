# Several files that make one study: given one by one, by a pattern, or by their
# folder.

# paths: of each file; asked: what was written; folders: what names of folders
# say (`key=value`), a text for each file by key; left_out: files of a folder
# that are no table.
new_files <- function(paths, asked, folders = list(), left_out = character()) {
  new_record(
    "files",
    list(paths = paths, asked = asked, folders = folders, left_out = left_out)
  )
}
is_files <- function(data) inherits(data, "neatsieve_files")

# The paths of files; NULL for data that is none.
paths_of <- function(data) {
  if (is_files(data)) data$paths else if (is_text(data)) data
}

# The files that are asked for; one path, and what is no path, as it is.
files_asked <- function(data, source = NULL) {
  if (!is.character(data) || !length(data) || anyNA(data)) {
    if (!is.null(source)) {
      stop_neatly(
        "study",
        "`source` is for files: it makes a column of their names.",
        NULL,
        "Leave it out."
      )
    }
    return(data)
  }
  is_one <- length(data) == 1 && !is_pattern(data) && !is_folder(data)
  if (is_one && is.null(source)) return(data)
  matches <- lapply(data, files_of)
  paths <- unlist(lapply(matches, `[[`, "paths"))
  refuse_twice(paths)
  if (any(vapply(paths, is_stream, NA))) {
    stop_neatly(
      "study",
      "A stream has no name, and cannot be one of several files.",
      NULL,
      "Write it to a file first."
    )
  }
  new_files(
    paths, data, folder_keys(paths), unlist(lapply(matches, `[[`, "left_out"))
  )
}

is_pattern <- function(path) grepl("[*?[]", path) && !file.exists(path)
is_folder <- function(path) !is_stream(path) && dir.exists(path)

files_of <- function(one) {
  if (is_pattern(one)) {
    list(paths = files_of_pattern(one), left_out = character())
  } else if (is_folder(one)) {
    files_of_folder(one)
  } else {
    list(paths = one, left_out = character())
  }
}

files_of_pattern <- function(pattern) {
  matches <- Sys.glob(path.expand(pattern))
  matches <- sort(matches[!dir.exists(matches)], method = "radix")
  if (length(matches)) return(matches)
  folder <- dirname(pattern)
  there <- if (dir.exists(folder)) {
    setdiff(list.files(folder), list.dirs(folder, FALSE, FALSE))
  }
  stop_neatly(
    "study",
    paste0("No file matches ", quoted(pattern), "."),
    paste0("Looked for it from folder ", quoted(getwd()), "."),
    if (length(there)) {
      paste0(
        "In that folder there is ", listed(quoted(there), 6, last = "and"), "."
      )
    }
  )
}

endings_of_tables <- function() {
  paste0(
    "[.](",
    paste(
      c("csv", "tsv", "tab", "txt", names(format_endings())),
      collapse = "|"
    ),
    ")([.](gz|bz2|xz|zst))?$"
  )
}

# Tables of a folder and of those within it; names that begin with a point or
# `_` are none.
files_of_folder <- function(folder) {
  all <- sort(list.files(folder, recursive = TRUE), method = "radix")
  all <- all[!grepl("(^|/)[._]", all)]
  is_table <- grepl(endings_of_tables(), all, ignore.case = TRUE) &
    !grepl("[.]schema[.]json$", all)
  paths <- file.path(sub("/+$", "", folder), all)
  is_table <- is_table & !vapply(paths, is_stream, NA)
  paths <- paths[is_table]
  if (!length(paths)) {
    stop_neatly(
      "study",
      paste0(quoted(folder), " is a folder without a table."),
      NULL,
      c(
        if (length(all)) paste0("It holds ", listed(quoted(all), 6), "."),
        "Give the path of a file, or of a folder with tables of one format."
      )
    )
  }
  formats <- vapply(paths, format_of_path, "", USE.NAMES = FALSE)
  if (length(unique(formats)) > 1) {
    example <- sub("^.*([.][^./]+)$", "\\1", paths[1])
    stop_neatly(
      "study",
      paste0(
        "The folder ", quoted(folder), " holds tables of several formats: ",
        listed(paste0(
          format_count(table(formats)), " ", names(table(formats))
        )),
        "."
      ),
      NULL,
      paste0(
        "Name those that are one study by a pattern, as `",
        value_code(paste0(sub("/+$", "", folder), "/*", example)), "`."
      )
    )
  }
  list(paths = paths, left_out = all[!is_table])
}

refuse_twice <- function(paths) {
  whole <- normalizePath(paths, mustWork = FALSE)
  twice <- paths[duplicated(whole)]
  if (!length(twice)) return()
  stop_neatly(
    "study",
    paste0("The file ", quoted(twice[1]), " is named twice."),
    NULL,
    "Name each file once; its rows would count twice."
  )
}

# What the names of folders say: `year=2024/site=fen/visits.csv`.
folder_keys <- function(paths) {
  parts <- strsplit(dirname(paths), "/+")
  parts <- lapply(parts, grep, pattern = "^[^=]+=", value = TRUE)
  keys <- unique(unlist(lapply(parts, sub, pattern = "=.*", replacement = "")))
  lapply(stats::setNames(nm = keys), function(key) {
    vapply(parts, function(part) {
      value <- sub("^[^=]+=", "", part[sub("=.*", "", part) == key])
      if (length(value) && nzchar(value[length(value)])) {
        utils::URLdecode(value[length(value)])
      } else {
        NA_character_
      }
    }, "")
  })
}

# What a study of several files is called.
name_of_files <- function(files) {
  if (length(files$asked) == 1) return(sub("/+$", "", files$asked))
  paste0(
    basename(files$asked[1]), " and ", format_count(length(files$asked) - 1),
    " more"
  )
}

# Short names that tell the files apart: those of the files, with their folders
# where needed.
short_names <- function(paths) {
  names <- basename(paths)
  if (!anyDuplicated(names)) return(names)
  parts <- strsplit(paths, "/+")
  least <- min(lengths(parts))
  same <- 0
  while (same < least - 1 &&
    length(unique(vapply(parts, `[`, "", same + 1))) == 1) same <- same + 1
  vapply(parts, function(p) paste(p[seq_along(p) > same], collapse = "/"), "")
}

# Columns that the names of files and folders make: a text for each file.
texts_of_files <- function(files, reading) {
  texts <- files$folders
  if (is.null(reading$source)) return(texts)
  name <- names(reading$source)
  if (is.null(name) || name == "") name <- reading$source
  refuse_clash(name, names(texts))
  texts[[name]] <- source_texts(reading$source, files$paths)
  texts
}

refuse_clash <- function(made, there) {
  clash <- intersect(made, there)
  if (!length(clash)) return()
  stop_neatly(
    "study",
    paste0(
      "Column `", clash[1], "` is made of the names of files or folders, ",
      "and there is one already."
    ),
    NULL,
    paste0(
      "Give `source` another name, as `source = c(from = \"(.*)\")`, or ",
      "rename the ",
      "folders."
    )
  )
}

# What a column `source = ` says of each file: its name, or the part of it that
# a pattern in ( ) is.
source_texts <- function(source, paths) {
  names <- short_names(paths)
  if (is.null(names(source)) || names(source) == "") return(names)
  result <- tryCatch(
    regmatches(names, regexec(source, names, perl = TRUE)),
    error = function(e) NULL,
    warning = function(w) NULL
  )
  if (is.null(result) || any(lengths(result) > 2)) {
    stop_neatly(
      "study",
      paste0(
        "`source` is no pattern with one part in ( ): ", quoted(source), "."
      ),
      NULL,
      "Write `source = c(month = \"visits-(.*)[.]csv\")`."
    )
  }
  if (any(lengths(result) == 0)) {
    stop_neatly(
      "study",
      paste0(
        "The pattern of `source` does not fit ",
        quoted(names[lengths(result) == 0][1]), "."
      ),
      NULL,
      "It has to fit the name of every file."
    )
  }
  vapply(result, function(f) f[length(f)], "")
}
