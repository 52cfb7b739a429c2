# Makes studies from tables and files.

# The table and what comes with it, from a study, a data frame or a file. What a
# study was read from, in a few words; NULL where it says nothing beside the
# study's name.
source_words <- function(study) {
  source <- study$source
  if (is.null(source) || identical(source, "-")) return(NULL)
  if (length(source) > 1) {
    paste(format_count(length(source)), "files")
  } else {
    basename(source)
  }
}

read_study_data <- function(data, called, reading) {
  if (inherits(data, "neatsieve_study")) {
    return(read_from_study(unclass(data), reading))
  }
  if (is.data.frame(data)) return(read_from_frame(data, called, reading))
  if (inherits(data, "neatsieve_database")) {
    return(read_from_database(data, reading))
  }
  if (is_files(data)) return(read_study_files(data, reading))
  if (is.character(data) && length(data) == 1 && !is.na(data)) {
    if (!is.null(reading$row_names)) {
      stop_neatly(
        "study",
        "`row_names` is for data frames; a file has columns only.",
        NULL,
        "Leave `row_names` out."
      )
    }
    format <- if (is_stream(data)) "text" else format_of_path(data)
    if (format != "text") return(read_from_format(data, format, reading))
    read <- read_delimited(data, reading)
    reading$decimal <- read$decimal
    reading$codes_given <- reading$row_names <- NULL
    name <- if (is_stream(data)) "standard input" else basename(data)
    return(list(
      data = read$data,
      name = name,
      source = data,
      notes = read$notes,
      reading = reading,
      account = read$account,
      texts = read$texts,
      reasons = read$reasons
    ))
  }
  stop_neatly(
    "study",
    paste0(
      "`study()` takes a data frame, the path of a file or a `database()`, ",
      "not a ",
      "value of class ", class(data)[1], "."
    )
  )
}

# A file of another format is a table like a data frame. In a workbook codes
# stand for absent as in a text; JSON says null, so that the texts "" and "NA"
# are texts there, unless codes are given.
read_from_format <- function(path, format, reading) {
  refuse_around(reading, format)
  read <- read_other_format(path, format, reading)
  frame <- reading
  frame$codes_given <- format %in% c("xlsx", "ods") || reading$codes_given
  result <- read_from_frame(read$data, paste("file", quoted(path)), frame)
  notes <- new_notebook()
  note_header(
    notes,
    list(repaired = read$repaired, names = names(read$data), where = read$where)
  )
  if (format %in% c("xlsx", "ods")) note_last_row(notes, read$data, read$where)
  if (!frame$codes_given && format %in% c("json", "jsonl")) {
    note_codes_kept(notes, read$data, reading$absent_codes, read$where)
  }
  labels <- lapply(read$data, attr, "label", exact = TRUE)
  reading$codes_given <- reading$row_names <- NULL
  list(
    data = result$data,
    name = basename(path),
    source = path,
    notes = c(notes$notes, result$notes),
    reading = reading,
    labels = Filter(is_text, labels),
    account = NULL,
    reasons = result$reasons
  )
}

# Notes a last row that looks like a total.
note_last_row <- function(notes, data, where) {
  n <- nrow(data)
  if (n < 3 || !length(data)) return()
  at <- function(row) vapply(data, function(x) as.character(x[[row]])[1], "")
  ways <- "leave it out with `range`, or with `exclude()` of its name"
  say_totals(notes, list(total_row(at(n), at(n - 1))), "", where, ways)
}

# Only delimited text may have lines around its table.
refuse_around <- function(reading, format) {
  facts <- c(
    if (!is.null(reading$skip)) "skip", if (!is.null(reading$footer)) "footer",
    if (isTRUE(nzchar(reading$comment))) "comment",
    if (identical(reading$ragged, "fill")) "ragged",
    if (length(reading$header) == 2) "header = 1:2"
  )
  if (!length(facts)) return()
  stop_neatly(
    "study",
    paste0("`", facts[1], "` is for delimited text."),
    NULL,
    if (format == "xlsx") {
      "Give the cells of the table, as `range = \"B3:F200\"`."
    } else {
      paste0("Leave `", facts[1], "` out.")
    }
  )
}

# Rows of a database are handled like those of a data frame.
read_from_database <- function(data, reading) {
  read <- read_database(data, reading$kinds)
  result <- read_from_frame(
    read$data, sub("^In (.*)[.]$", "\\1", read$where), reading
  )
  notes <- new_notebook()
  note_header(
    notes,
    list(repaired = read$repaired, names = names(read$data), where = read$where)
  )
  note_left_out(notes, read$left_out, read$where)
  if (!is.null(read$why)) {
    note_read_whole(notes, read$data, read$why, read$where)
  }
  result$name <- read$called
  result$notes <- c(notes$notes, result$notes)
  result
}

read_from_study <- function(facts, reading) {
  read <- read_from_frame(
    as.data.frame(as_study_object(facts)), facts$name, reading
  )
  kept <- facts$reading
  reasons <- joined_reasons_of_columns(kept_reasons(facts$frame), read$reasons)
  if (!is.null(kept)) {
    if (reading$codes_given) {
      kept$absent_codes <- union(kept$absent_codes, reading$absent_codes)
    }
    kept$reason_codes <- c(kept$reason_codes, reading$reason_codes)
    kept$column_codes <- utils::modifyList(
      kept$column_codes, reading$column_codes
    )
    kept$kinds <- utils::modifyList(kept$kinds, reading$kinds)
  }
  list(
    data = read$data,
    name = facts$name,
    source = facts$source,
    unit = facts$unit,
    labels = facts$labels,
    measures = facts$measures,
    design = facts$design,
    notes = read$notes,
    reasons = reasons,
    old_notes = facts$notes,
    reading = kept,
    account = facts$account
  )
}

# A data frame with its codes taken as absent and columns turned as `kinds`
# asks.
read_from_frame <- function(data, called, reading) {
  where <- paste0("In ", called, ".")
  data <- with_row_names(data, reading$row_names, where)
  if (is.null(reading$dictionary)) {
    check_known_columns(names(reading$kinds), names(data), "kinds", where)
  } else {
    reading$kinds <- reading$kinds[intersect(names(reading$kinds), names(data))]
  }
  notes <- new_notebook()
  plain <- unlabelled_table(data, where)
  data <- plain$data
  long <- vapply(data, inherits, NA, "integer64")
  data[long] <- with_exact_wholes(unclass(data)[long], notes, where)
  of_columns <- codes_of_columns(reading, names(data))
  for (name in names(reading$kinds)) {
    limits <- limit_codes(
      unique(as.character(data[[name]])),
      reading$kinds[[name]],
      mark_of_reading(reading),
      reading$thousands
    )
    if (length(limits)) of_columns[[name]] <- c(of_columns[[name]], limits)
  }
  reasons <- joined_reasons_of_columns(
    plain$reasons,
    compact(Map(reasons_of_values, data, of_columns[names(data)]))
  )
  if (reading$codes_given || length(of_columns)) {
    cleaned <- Map(
      function(x, name) {
        codes <- c(
          if (reading$codes_given) reading$absent_codes, of_columns[[name]]
        )
        without_codes(x, codes)
      },
      data,
      names(data)
    )
    data[] <- lapply(cleaned, `[[`, "values")
    note_codes(notes, vapply(cleaned, `[[`, integer(1), "count"), where)
  }
  for (column in names(reading$kinds)) {
    account <- turned_column(data[[column]], column, reading, where)
    data[[column]] <- account$values
    if (length(account$rows)) note_unread(notes, account, where)
  }
  list(
    data = data,
    name = called,
    notes = c(plain$notes, notes$notes),
    reasons = reasons,
    labels = plain$labels
  )
}

# A column of a data frame as the kind that is asked for, by way of its texts.
turned_column <- function(x, column, reading, where) {
  asked <- asked_kind(reading$kinds[[column]], column, where)
  if (kind_of_vector(x) == asked$kind) return(new_told(column, x, asked))
  # A date becomes midnight of that day.
  if (inherits(x, "Date") &&
    asked$kind == "date-time" &&
    is.null(asked$pattern)) {
    return(new_told(column, .POSIXct(as.double(x) * 86400, tz = "UTC"), asked))
  }
  text <- if (is.double(x) && !is.object(x)) {
    number_texts(x)
  } else {
    as.character(x)
  }
  text[is.na(x)] <- NA
  as_asked_kind(
    text,
    column,
    reading$kinds[[column]],
    where,
    if (is.numeric(x)) "." else mark_of_reading(reading),
    if (!is.numeric(x)) reading$thousands
  )
}

with_row_names <- function(data, row_names, where) {
  if (is.null(row_names)) return(data)
  if (is.null(own_row_names(data))) {
    stop_neatly(
      "study",
      "The data frame has no row names of its own.",
      where,
      "Leave `row_names` out."
    )
  }
  if (row_names %in% names(data)) {
    stop_neatly(
      "study",
      paste0("`row_names` names `", row_names, "`, which is a column already."),
      where,
      "Give the new column another name."
    )
  }
  names <- stats::setNames(
    list(as.character(attr(data, "row.names"))), row_names
  )
  attr(data, "row.names") <- .set_row_names(nrow(data))
  structure(
    c(names, unclass(data)),
    class = "data.frame",
    row.names = .set_row_names(nrow(data))
  )
}

as_ordered <- function(x, name, levels, where, told = "ordered") {
  if (!is.character(levels) || anyDuplicated(levels)) {
    stop_neatly(
      "study",
      paste0(
        "`", told, "` must list the categories of `", name, "`, each once",
        if (told == "ordered") ", lowest first", "."
      ),
      where
    )
  }
  strange <- setdiff(unique(as.character(x[!is.na(x)])), levels)
  if (length(strange)) {
    stop_neatly(
      "study",
      paste0(
        "Column `", name, "` has ", listed(quoted(strange)), ", which `", told,
        "` does not list."
      ),
      where,
      c(
        if (length(near <- nearest(strange[1], levels))) {
          paste0(
            quoted(strange[1]), " is near to ",
            listed(quoted(near), last = "or"), "."
          )
        },
        "List every category, or list the code in `absent_codes`."
      )
    )
  }
  factor(as.character(x), levels = levels, ordered = told == "ordered")
}

# What is written where data goes in, when that is a plain name.
name_of_data <- function(lang) {
  if (is.call(lang) &&
    is.symbol(lang[[1]]) &&
    as.character(lang[[1]]) %in% c("::", ":::")) {
    lang <- lang[[3]]
  }
  if (is.symbol(lang) && !as.character(lang) %in% c(".", "data", "x", "")) {
    as.character(lang)
  } else {
    "the data"
  }
}

check_column_names <- function(names, where) {
  empty <- which(is.na(names) | !nzchar(names))
  if (length(empty)) {
    stop_neatly(
      "study",
      paste0("Column ", empty[1], " has no name."),
      where,
      "Give every column a name in the header."
    )
  }
  twice <- names[duplicated(names)]
  if (length(twice)) {
    stop_neatly(
      "study",
      paste0("Two columns are named `", twice[1], "`."),
      where,
      "Give every column a name of its own."
    )
  }
}
