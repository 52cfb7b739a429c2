# Writes reasons of absent values with tables.

# The reasons of what is written, by column, as categories over the rows of the
# table.
reasons_to_write <- function(x) {
  if (inherits(x, "neatsieve_siftings")) {
    state <- siftings_parts(x, "rows")$state
    return(kept_reasons(state$frame, state$rows, state$visible))
  }
  if (inherits(x, "neatsieve_study")) {
    kept_reasons(study_facts(x)$frame)
  } else {
    list()
  }
}

# The table with its reasons as `how` says: "none", "beside" each column, as the
# "codes" that were read. Files of statistics programs have values for them.
with_reasons_written <- function(table, x, how, format, where) {
  check_reasons_asked(how)
  reasons <- reasons_to_write(x)
  reasons <- reasons[vapply(reasons, function(why) any(!is.na(why)), NA)]
  reasons <- reasons[intersect(names(reasons), names(table))]
  if (!length(reasons)) return(table)
  if (format %in% statistics_formats && how == "none") {
    return(with_missing_values(table, reasons, format, where))
  }
  switch(how,
    none = note_reasons_lost(reasons, where),
    beside = return(with_reasons_beside(table, reasons)),
    codes = return(with_codes(table, reasons, x))
  )
  table
}

check_reasons_asked <- function(how) {
  if (is_text(how) && how %in% c("none", "beside", "codes")) return()
  stop_neatly(
    "run",
    "`reasons` is \"none\", \"beside\" or \"codes\".",
    NULL,
    "Write `reasons = \"beside\"` for a column with the reasons behind each."
  )
}

note_reasons_lost <- function(reasons, where) {
  words <- paste0(
    "`", names(reasons), "` ",
    format_count(vapply(reasons, function(why) sum(!is.na(why)), 0L))
  )
  show_notes(list(list(
    problem = paste0(
      "Why values are absent is not in the file: ", listed(words, 6), "."
    ),
    where = where,
    instead = paste0(
      "Write `reasons = \"beside\"` for columns with the reasons, or ",
      "`\"codes\"` to have the codes back."
    )
  )))
}

with_reasons_beside <- function(table, reasons) {
  for (name in names(reasons)) {
    column <- paste0(name, "_absent_reason")
    if (column %in% names(table)) {
      stop_neatly(
        "run",
        paste0("The table has a column `", column, "` already."),
        NULL,
        "Give it another name before, or write `reasons = \"codes\"`."
      )
    }
    at <- match(name, names(table))
    why <- stats::setNames(list(as.character(reasons[[name]])), column)
    columns <- append(unclass(table), why, at)
    attributes(
      columns
    ) <- c(
      list(names = names(columns)), attributes(table)[c("row.names", "class")]
    )
    table <- columns
  }
  table
}

# The first code of each reason, in place of the absent value.
with_codes <- function(table, reasons, x) {
  study <- if (inherits(x, "neatsieve_siftings")) {
    siftings_parts(x)$state$study
  } else {
    study_facts(x)
  }
  for (name in names(reasons)) {
    codes <- if (!is.null(study$reading)) {
      codes_of_columns(study$reading, name)[[name]]
    }
    why <- as.character(reasons[[name]])
    code <- unname(codes)[match(why, code_reasons(codes))]
    if (anyNA(code[!is.na(why)])) {
      lost <- why[!is.na(why) & is.na(code)][1]
      stop_neatly(
        "run",
        paste0(
          "The code of ", quoted(lost), " of column `", name,
          "` is not known any more."
        ),
        NULL,
        "Write `reasons = \"beside\"`."
      )
    }
    values <- table[[name]]
    text <- if (is.numeric(values) && !is.object(values)) {
      number_texts(as.double(values))
    } else {
      as.character(values)
    }
    text[is.na(values)] <- NA
    table[[name]] <- ifelse(is.na(why), text, code)
  }
  table
}

# Numbers and categories with a missing value of its own for each reason; texts
# have none there.
with_missing_values <- function(table, reasons, format, where) {
  need_writer("haven", "a file of a statistics program")
  for (name in names(reasons)) {
    values <- table[[name]]
    is_plain <- is.numeric(values) && !is.object(values)
    may_be <- is_plain || (is.factor(values) && format != "xpt")
    if (!may_be || nlevels(reasons[[name]]) > 26) {
      note_reasons_lost(reasons[name], where)
    } else {
      if (format == "xpt") note_letters(name, levels(reasons[[name]]), where)
      table[[name]] <- with_missing_of_column(values, reasons[[name]], format)
    }
  }
  table
}

# The format has letters for missing values, and no labels.
note_letters <- function(name, labels, where) {
  show_notes(list(list(
    problem = paste0(
      "Column `", name, "`: reasons are letters there: ",
      listed(paste0(".", LETTERS[seq_along(labels)], " ", quoted(labels))), "."
    ),
    where = where,
    instead = "`.dta` and `.sav` keep their labels."
  )))
}

# A letter for each reason, or, where the format has none, a number below all
# values.
with_missing_of_column <- function(values, why, format) {
  numbers <- as.double(values)
  own <- if (is.factor(values)) {
    stats::setNames(as.double(seq_along(levels(values))), levels(values))
  }
  n <- nlevels(why)
  missing <- switch(format,
    dta = haven::tagged_na(letters[seq_len(n)]),
    xpt = haven::tagged_na(LETTERS[seq_len(n)]),
    floor(min(0, numbers[is.finite(numbers)])) - seq_len(n)
  )
  numbers[!is.na(why)] <- missing[as.integer(why)[!is.na(why)]]
  labels <- c(own, stats::setNames(missing, levels(why)))
  if (format != "sav") return(haven::labelled(numbers, labels))
  # Up to three missing values are named there, more are a range.
  if (n <= 3) {
    with_declared_missing(numbers, labels, na_values = missing)
  } else {
    with_declared_missing(numbers, labels, na_range = range(missing))
  }
}

# Labelled values of which some are declared missing: the second constructor of
# that package.
with_declared_missing <- function(...) {
  maker <- grep("^labelled_", getNamespaceExports("haven"), value = TRUE)
  getExportedValue("haven", maker[1])(...)
}
