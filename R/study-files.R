# Several files as the table of one study, matched by column names.

# What is known of the files of a study: short names, the rows up to the end of
# each, and what was asked for. broken: NULL, or those that are left out, as a
# table of file and why.
new_study_files <- function(names, ends, asked, broken = NULL) {
  new_record(
    "study_files",
    list(names = names, ends = ends, asked = asked, broken = broken)
  )
}

# reading: see new_study_request(); join, broken and source say how files are
# put together.
read_study_files <- function(files, reading) {
  notes <- new_notebook()
  note_left_out_files(notes, files)
  check_files_named(reading$by_file, files)
  may_be_one <- reading$broken == "stop" &&
    !length(reading$by_file) &&
    all_texts(files)
  chain <- if (may_be_one) chained_layout(files, reading)
  read <- if (is.null(chain)) {
    read_one_by_one(files, reading, notes)
  } else {
    read_chained(chain, files, reading)
  }
  read$name <- name_of_files(files)
  read$source <- files$paths
  read$notes <- c(notes$notes, read$notes)
  # Files that are read one by one each have their own decimal mark.
  if (!is.null(chain)) reading$decimal <- read$decimal
  reading$codes_given <- reading$row_names <- NULL
  read$reading <- reading
  read
}

all_texts <- function(files) {
  all(vapply(files$paths, format_of_path, "") == "text")
}

note_left_out_files <- function(notes, files) {
  if (!length(files$left_out)) return()
  take_note(
    notes,
    paste0(
      counted(length(files$left_out), "file"), " of the folder ",
      if (length(files$left_out) == 1) "is" else "are", " no table: ",
      listed(quoted(files$left_out), 4), "."
    ),
    NULL
  )
}

read_chained <- function(layout, files, reading) {
  read <- read_opened(opened_text(layout, reading), reading)
  read$files <- new_study_files(
    short_names(files$paths), whole_ends(read, length(files$paths)), files$asked
  )
  read
}

# Rows up to the end of each file; what ends with the text itself is not told by
# the reader.
whole_ends <- function(read, n) {
  c(read$rows, rep(nrow(read$data), n - length(read$rows)))
}

# What names of folders and `source` say, as columns over the rows of the files
# that were read.
columns_of_files <- function(files, reading, ends, kept) {
  rows <- diff(c(0, ends))
  texts <- lapply(texts_of_files(files, reading), `[`, kept)
  Map(
    function(text, name) {
      asked <- reading$kinds[[name]]
      values <- if (!is.null(asked)) {
        asked_values(text, name, asked, "In the names of files.")
      } else {
        judged_texts(text, rows)
      }
      values[rep(seq_along(text), rows)]
    },
    texts,
    names(texts)
  )
}

# Texts as what all of them are; absent ones say nothing.
judged_texts <- function(texts, counts) {
  there <- !is.na(texts)
  account <- told_of_texts(
    texts[there], counts[there], "", list(kinds = list()), plain_layout()
  )
  values <- account$values[NA_integer_][rep(1, length(texts))]
  values[there] <- account$values
  values
}
plain_layout <- function() list(form = list(mark = "."), thousands = NULL)

# Files of several forms or formats, each read by itself.
read_one_by_one <- function(files, reading, notes) {
  read <- lapply(files$paths, function(path) read_one_file(path, reading))
  kept <- which(!vapply(read, is.character, NA))
  if (!length(kept)) {
    stop_neatly(
      "study",
      "None of the files can be read.",
      NULL,
      "See what is wrong: leave `broken = \"skip\"` out."
    )
  }
  broken <- broken_files(short_names(files$paths), read, notes)
  read <- read[kept]
  shown <- short_names(files$paths)[kept]
  columns <- columns_joined(
    lapply(read, function(r) names(r$data)), shown, reading$join, notes
  )
  if (length(reading$by_file)) note_other_codes(read, shown, columns, notes)
  result <- names(texts_of_files(files, reading))
  check_known_columns(
    names(reading$kinds), c(columns, result), "kinds", "In these files."
  )
  check_known_columns(
    names(reading$column_codes), columns, "absent_codes", "In these files."
  )
  joined <- lapply(
    stats::setNames(nm = columns),
    joined_column,
    read = read,
    shown = shown,
    reading = reading,
    notes = notes
  )
  ends <- cumsum(vapply(read, function(r) nrow(r$data), 0L))
  n <- ends[length(ends)]
  extra <- columns_of_files(files, reading, ends, kept)
  refuse_clash(names(extra), names(joined))
  joined <- c(joined, extra)
  list(
    data = structure(
      joined,
      class = "data.frame",
      row.names = .set_row_names(n)
    ),
    notes = unlist(lapply(read, `[[`, "notes"), recursive = FALSE),
    reasons = joined_file_reasons(read, columns),
    labels = labels_of_files(read, columns),
    account = accounts_joined(read, files$paths[kept]),
    files = new_study_files(shown, as.numeric(ends), files$asked, broken)
  )
}

# The error as text, if the file is broken and may be left out.
read_one_file <- function(path, reading) {
  read <- function() {
    reading <- reading_of_file(reading, path)
    names <- names_in_file(path, reading)
    reading$kinds <- reading$kinds[intersect(names(reading$kinds), names)]
    reading$column_codes <- reading$column_codes[intersect(
      names(reading$column_codes), names
    )]
    read_study_data(path, NULL, reading)
  }
  if (reading$broken == "stop") return(read())
  tryCatch(
    read(),
    neatsieve_error_study = function(e) {
      gsub("\\s+", " ", sub("\n[^ ] .*$", "", conditionMessage(e)))
    }
  )
}

# The files that are left out, which is said; NULL for none.
broken_files <- function(names, read, notes) {
  is_broken <- vapply(read, is.character, NA)
  if (!any(is_broken)) return(NULL)
  broken <- data.frame(file = names[is_broken], why = unlist(read[is_broken]))
  for (said in paste0("The file ", quoted(broken$file), " is left out: ", broken$why)) {
    take_note(notes, said, NULL, "Mend it and read the files again.")
  }
  broken
}

# Reading options for all files, combined with those of this file.
reading_of_file <- function(reading, path) {
  options <- reading$by_file[[basename(path)]]
  if (is.null(options)) return(reading)
  own <- do.call(
    new_study_request,
    c(list(data = path, codes_told = !is.null(options$absent_codes)), options)
  )$reading
  if (!is.null(options$absent_codes)) {
    codes <- c("absent_codes", "codes_given", "reason_codes")
    reading[codes] <- own[codes]
    reading$column_codes <- utils::modifyList(
      reading$column_codes, own$column_codes
    )
  }
  if (!is.null(options$kinds)) {
    reading$kinds <- utils::modifyList(reading$kinds, own$kinds)
  }
  plain <- setdiff(names(options), c("absent_codes", "kinds"))
  reading[plain] <- own[plain]
  if (!is.null(options$decimal)) reading$decimal_told <- TRUE
  reading
}

check_files_named <- function(by_file, files) {
  strange <- setdiff(names(by_file), basename(files$paths))
  if (!length(strange)) return()
  stop_neatly(
    "study",
    paste0(
      "`by_file` names ", quoted(strange[1]), ", which is none of the files."
    ),
    NULL,
    c(
      meant(strange[1], basename(files$paths), quoted),
      "Name a file without its folder, as `list(\"b.csv\" = list(decimal = \",\"))`."
    )
  )
}

# Only the header of a text is read for them.
names_in_file <- function(path, reading) {
  if (format_of_path(path) == "text") {
    return(
      text_layout(path, reading, paste0("In file ", quoted(path), "."))$names
    )
  }
  names(read_other_format(path, format_of_path(path), reading)$data)
}

# The label that the first file with one gives a column.
labels_of_files <- function(read, columns) {
  all <- unlist(lapply(read, `[[`, "labels"), recursive = FALSE)
  all[!duplicated(names(all)) & names(all) %in% columns]
}

accounts_joined <- function(read, paths) {
  accounts <- Map(function(r, path) {
    if (!is.null(r$account) && nrow(r$account)) cbind(file = path, r$account)
  }, read, paths)
  one_below_other(unname(compact(accounts)))
}

joined_file_reasons <- function(read, columns) {
  having <- Filter(function(column) {
    any(vapply(read, function(r) !is.null(r$reasons[[column]]), NA))
  }, columns)
  lapply(stats::setNames(nm = having), function(column) {
    labels <- unique(unlist(lapply(
      read, function(r) levels(r$reasons[[column]])
    )))
    texts <- lapply(read, function(r) {
      why <- r$reasons[[column]]
      if (is.null(why)) rep(NA_character_, nrow(r$data)) else as.character(why)
    })
    factor(unlist(texts), levels = labels)
  })
}
