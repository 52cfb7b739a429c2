#' A study: a table and what is known about it
#'
#' Gives the table with each column's kind, and keeps the unit studied, the order of
#' categories, labels and measures beside it. A study is poured over a [sieve()], looked at
#' with [look()], and never changed.
#'
#' @param data A data frame, or the path of a CSV or TSV file (RFC 4180; `.gz` too). The first
#'   line of a file names the columns. A study is taken again, with what is given here in place of
#'   what it had.
#' @param unit The column that names the thing studied (one hive, visited many times), as a
#'   bare name or text. The account then counts units beside rows.
#' @param absent_codes Texts (or numbers) that mean that a value is absent: in a file `""` and
#'   `"NA"` unless said otherwise, in a data frame none. In a data frame a number is met by its
#'   size, a category loses the level, and a note counts the values.
#' @param kinds A named list of kinds that are not to be guessed, such as `list(hive = "text")`.
#'   Kinds are `"number"`, `"whole"`, `"text"`, `"category"`, `"logical"`, `"date"` and
#'   `"date-time"`. A date in a form other than ISO 8601 says its form, in the letters of POSIX:
#'   `list(day = "date %d/%m/%Y")` (`%d %m %Y %y %b %B`, and `%H %M %S` for a date-time; names of
#'   months are English).
#' @param ordered A named list of the categories of a column in their order, such as
#'   `list(temper = c("calm", "lively", "hot"))`. The column becomes an ordered category.
#' @param labels,measures Named lists of texts: what a column is called in figures and
#'   tables, and what it is measured in (`list(hive_weight_kg = "kg")`).
#' @param encoding For files: the encoding of the text, `"UTF-8"` unless said otherwise.
#' @param decimal The mark before the decimals of numbers in a file, and of columns that `kinds`
#'   makes numbers: `"."` or `","`.
#' @param row_names For data frames: the name of a new first column that holds the row names.
#'   Without it row names stay what they are, on `$rows` and [held_back()].
#' @param name What reports and captions call the study; else the name of the file or data frame.
#'
#' @details In a file a code stands for absent unless it is in quotes: `"NA"` is the text, and `""`
#'   the empty text in a column that has empty fields without quotes too. Text of a file stays text
#'   until said otherwise. A column is a number when its present values are; when at most 1 in 50 is
#'   not, these become absent and a note names them and their rows. Whole numbers with leading zeros
#'   stay text. Dates are ISO 8601 (`2024-05-31`), date-times too, and are in UTC unless they say
#'   otherwise. Notes of reading stay with the study: they stand in `$notes` of every run and in its
#'   report.
#'
#'   `nrow()`, `dim()`, `names()`, `head()` and `summary()` work on a study as on a data frame, and
#'   `hives$temper` gives a column. A study is not changed by assignment.
#'
#' @return An object of class `neatsieve_study`. `as.data.frame()` gives the table.
#' @section Errors: Class `neatsieve_error_study`: a file that is missing, empty or ragged
#'   (with the line), text that is not in the encoding, column names that are missing or
#'   repeated, a unit or ordered column that is not there, a value outside `ordered`, a kind or date
#'   pattern that is none.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive,
#'                ordered = list(temper = c("calm", "lively", "hot")))
#' hives
#' study(mtcars, row_names = "car")
#' @export
study <- function(data, unit = NULL, absent_codes = c("", "NA"), kinds = list(), ordered = list(),
                  labels = list(), measures = list(), encoding = "UTF-8", decimal = ".",
                  row_names = NULL, name = NULL) {
  local_plain()
  unit <- bare_name(substitute(unit), parent.frame(), "unit")
  called <- name_of_data(substitute(data))
  reading <- list(absent_codes = check_codes(absent_codes), codes_given = !missing(absent_codes),
                  kinds = check_named(kinds, "kinds"), encoding = encoding,
                  decimal = check_decimal(decimal),
                  row_names = check_name_text(row_names, "row_names"))
  read <- read_study_data(data, called, reading)
  given <- function(value, known) if (length(value)) value else known
  made <- new_study(
    read$data, unit = given(unit, read$unit),
    name = given(check_name_text(name, "name"), read$name), source = read$source,
    ordered = check_named(ordered, "ordered"),
    labels = given(check_named(labels, "labels"), read$labels),
    measures = given(check_named(measures, "measures"), read$measures))
  made <- unclass(made)
  fresh <- c(read$notes, made$notes)
  made$notes <- c(read$old_notes, fresh)
  made["reading"] <- list(read$reading)
  show_notes(fresh)
  as_study_object(made)
}

# A study is handed out with its class; inside the package its parts are read from the bare list.
as_study_object <- function(facts) structure(facts, class = "neatsieve_study")
study_facts <- function(data) unclass(as_study(data))

# What is written where data goes in, when that is a plain name.
name_of_data <- function(lang) {
  if (is.call(lang) && as.character(lang[[1]])[1] %in% c("::", ":::")) lang <- lang[[3]]
  if (is.symbol(lang) && !as.character(lang) %in% c(".", "data", "x", "")) as.character(lang)
  else "the data"
}

check_codes <- function(codes) {
  if (is.numeric(codes) && !is.object(codes)) codes <- vapply(codes, number_code, character(1))
  if (!is.character(codes) || anyNA(codes)) {
    stop_neatly("study", "`absent_codes` must be text or numbers.", NULL,
                "Write `absent_codes = c(\"\", \"NA\", \"-9\")`.")
  }
  as_utf8(codes)
}

check_named <- function(value, argument) {
  value <- as.list(value)
  if (argument %in% c("labels", "measures") && length(value) && !all(vapply(value, is_text, NA))) {
    stop_neatly("study", paste0("`", argument, "` must give one text for each column."), NULL,
                paste0("Write `", argument, " = list(honey_kg = \"",
                if (argument == "labels") "Honey" else "kg", "\")`."))
  }
  if (length(value) && (is.null(names(value)) || any(is.na(names(value)) | names(value) == ""))) {
    example <- switch(argument, kinds = "hive = \"text\"",
                      ordered = "temper = c(\"calm\", \"hot\")",
                      measures = "honey_kg = \"kg\"", "honey_kg = \"Honey\"")
    stop_neatly("study", paste0("`", argument, "` needs the name of a column for each value."),
                NULL,
                paste0("Write `", argument, " = list(", example, ")`."))
  }
  value
}

check_decimal <- function(decimal) {
  if (is_text(decimal) && decimal %in% c(".", ",")) return(decimal)
  stop_neatly("study", "`decimal` is the mark before the decimals: \".\" or \",\".", NULL,
              "Write `decimal = \",\"` for numbers such as 31,5.")
}

check_name_text <- function(value, argument) {
  if (is.null(value) || is_text(value)) return(value)
  stop_neatly("study", paste0("`", argument, "` must be one text."), NULL,
              if (argument == "name") "Write `name = \"Hives 2024\"`."
              else "Write `row_names = \"car\"`.")
}

# The table and what comes with it, from a study, a data frame or a file.
read_study_data <- function(data, called, reading) {
  if (inherits(data, "neatsieve_study")) return(read_from_study(unclass(data), reading))
  if (is.data.frame(data)) return(read_from_frame(data, called, reading))
  if (is.character(data) && length(data) == 1 && !is.na(data)) {
    if (!is.null(reading$row_names)) {
      stop_neatly("study", "`row_names` is for data frames; a file has columns only.", NULL,
                  "Leave `row_names` out.")
    }
    read <- read_delimited(data, reading)
    reading$codes_given <- reading$row_names <- NULL
    return(list(data = read$data, name = basename(data), source = data, notes = read$notes,
                reading = reading))
  }
  stop_neatly("study",
              paste0("`study()` takes a data frame or the path of a file, not a value of class ",
                     class(data)[1], "."))
}

read_from_study <- function(facts, reading) {
  read <- read_from_frame(as.data.frame(as_study_object(facts)), facts$name, reading)
  kept <- facts$reading
  if (!is.null(kept)) {
    if (reading$codes_given) kept$absent_codes <- union(kept$absent_codes, reading$absent_codes)
    kept$kinds <- utils::modifyList(kept$kinds, reading$kinds)
  }
  list(data = read$data, name = facts$name, source = facts$source, unit = facts$unit,
       labels = facts$labels, measures = facts$measures, notes = read$notes,
       old_notes = facts$notes, reading = kept)
}

# A data frame with its codes taken as absent and columns turned as `kinds` asks.
read_from_frame <- function(data, called, reading) {
  where <- paste0("In ", called, ".")
  data <- with_row_names(data, reading$row_names, where)
  check_known_columns(names(reading$kinds), names(data), "kinds", where)
  notes <- new_notebook()
  if (reading$codes_given) {
    cleaned <- lapply(data, without_codes, codes = reading$absent_codes)
    data[] <- lapply(cleaned, `[[`, "values")
    note_codes(notes, vapply(cleaned, `[[`, integer(1), "count"), where)
  }
  for (column in names(reading$kinds)) {
    told <- turned_column(data[[column]], column, reading, where)
    data[[column]] <- told$values
    if (length(told$unread)) note_unread(notes, column, told, where, reading$kinds[[column]])
  }
  list(data = data, name = called, notes = notes$notes)
}

# A column of a data frame as the kind that is asked for, by way of its texts.
turned_column <- function(x, column, reading, where) {
  asked <- asked_kind(reading$kinds[[column]], column, where)
  if (kind_of_vector(x) == asked$kind) return(list(values = x))
  text <- if (is.double(x) && !is.object(x)) number_texts(x) else as.character(x)
  text[is.na(x)] <- NA
  as_asked_kind(text, column, reading$kinds[[column]], where,
                if (is.numeric(x)) "." else reading$decimal)
}

with_row_names <- function(data, row_names, where) {
  if (is.null(row_names)) return(data)
  if (is.null(own_row_names(data))) {
    stop_neatly("study", "The data frame has no row names of its own.", where,
                "Leave `row_names` out.")
  }
  if (row_names %in% names(data)) {
    stop_neatly("study", paste0("`row_names` names `", row_names, "`, which is a column already."),
                where,
                "Give the new column another name.")
  }
  names <- stats::setNames(list(as.character(attr(data, "row.names"))), row_names)
  attr(data, "row.names") <- .set_row_names(nrow(data))
  structure(c(names, unclass(data)), class = "data.frame", row.names = .set_row_names(nrow(data)))
}

note_codes <- function(notes, counts, where) {
  counts <- counts[counts > 0]
  if (!length(counts)) return()
  said <- paste0("`", names(counts), "` ", format_count(counts))
  take_note(notes, paste0("`absent_codes` made ", counted(sum(counts), "value"), " absent: ",
                          listed(said, 8), "."), where)
}

new_study <- function(data, unit = NULL, name = "the data", source = NULL, ordered = list(),
                      labels = list(), measures = list()) {
  where <- paste0("In ", name, ".")
  if (nrow(data) > .Machine$integer.max) {
    stop_neatly("study", "A study has at most 2,147,483,647 rows.", where)
  }
  check_column_names(names(data), where)
  check_columns(data, where)
  columns <- lapply(data, function(x) {
    if (inherits(x, "POSIXlt")) x <- as.POSIXct(x)
    if (is.factor(x) && anyNA(levels(x))) x <- factor(x, levels = levels(x)[!is.na(levels(x))])
    x
  })
  notes <- new_notebook()
  columns <- Map(function(x, column) whole_days(x, column, notes, where), columns, names(columns))
  for (what in c("unit", "ordered", "labels", "measures")) {
    asked <- if (what == "unit") unit else names(get(what))
    check_known_columns(asked, names(columns), what, where)
  }
  for (column in names(ordered)) {
    columns[[column]] <- as_ordered(columns[[column]], column, ordered[[column]], where)
  }
  frame <- new_frame(columns, lapply(columns, type_with_emptiness), nrow(data), own_row_names(data))
  as_study_object(list(frame = frame, unit = unit, name = name, source = source,
                       labels = as.list(labels), measures = as.list(measures), notes = notes$notes,
                       reading = NULL, origin = NULL))
}

# A column without one present value is logical or text for want of a better kind: it stands for
# any.
type_with_emptiness <- function(x) {
  type <- type_of_vector(x)
  if (type$kind %in% c("logical", "text") && length(x) && is.na(x[1]) && all(is.na(x))) {
    type$empty <- TRUE
  }
  type
}

# A date is a day. R's dates may hold a fraction of one that no print shows, and that makes two
# equal days differ; it is dropped, and said.
whole_days <- function(x, column, notes, where) {
  if (!inherits(x, "Date") || !is.double(x)) return(x)
  days <- floor(unclass(x))
  odd <- sum(days != unclass(x), na.rm = TRUE)
  if (odd == 0) return(x)
  take_note(notes,
            paste0("Column `", column, "`: ", counted(odd, "date"),
                   " held a fraction of a day, which was dropped."),
            where,
            paste0("A date is a day; for the time of day make the column a date-time, with ",
                   "`as.POSIXct()`."))
  structure(days, class = class(x))
}

# What would lead the core astray: columns of another height than the table, and categories whose
# codes stand for no level.
check_columns <- function(data, where) {
  heights <- vapply(data, NROW, numeric(1))
  wrong <- which(heights != nrow(data))
  if (length(wrong)) {
    stop_neatly("study",
                paste0("Column `", names(data)[wrong[1]], "` has ",
                       counted(heights[wrong[1]], "value"), ", and the table ",
                       counted(nrow(data), "row"), "."), where,
                "Make the data frame anew, with columns of one length.")
  }
  columns <- unclass(data)
  for (name in names(columns)[vapply(columns, is.factor, NA)]) {
    x <- columns[[name]]
    if (!is.factor(x) || !length(x)) next
    codes <- if (typeof(x) == "integer") suppressWarnings(range(unclass(x), na.rm = TRUE)) else NA
    if (anyNA(codes) || (is.finite(codes[1]) && (codes[1] < 1 || codes[2] > nlevels(x)))) {
      stop_neatly("study",
                  paste0("Column `", name, "` is a broken category: its codes stand for no level."),
                  where,
                  paste0("Make it anew, as with `factor(as.character(x))`, or leave it out."))
    }
  }
}

as_ordered <- function(x, name, levels, where) {
  if (!is.character(levels) || anyDuplicated(levels)) {
    stop_neatly("study",
                paste0("`ordered` must list the categories of `", name,
                       "`, each once, lowest first."), where)
  }
  strange <- setdiff(unique(as.character(x[!is.na(x)])), levels)
  if (length(strange)) {
    stop_neatly("study",
                paste0("Column `", name, "` has ", listed(quoted(strange)),
                       ", which `ordered` does not list."), where,
                c(if (length(near <- nearest(strange[1], levels)))
                  paste0(quoted(strange[1]), " is near to ", listed(quoted(near), last = "or"),
                         "."), "List every category, or list the code in `absent_codes`."))
  }
  factor(as.character(x), levels = levels, ordered = TRUE)
}

# An argument that is a bare column name or a text.
bare_name <- function(lang, env, argument) {
  if (is.null(lang)) return(NULL)
  if (is.symbol(lang)) return(as.character(lang))
  if (is.call(lang) && identical(lang[[1]], quote(.))) lang <- eval(lang[[2]], env)
  if (is.null(lang)) return(NULL)
  if (is.character(lang) && length(lang) == 1) return(lang)
  stop_neatly("study", paste0("`", argument, "` must be the name of one column."),
              instead = paste0("Write `", argument, " = hive`."))
}

#' The rows of a run, or of a subset, as a study
#'
#' Gives a study made from the rows that went all the way, which remembers where it came from.
#'
#' @param data Siftings from [pour()]; a study, a data frame or a path are taken as [pour()] takes
#'   them.
#' @param subset For siftings with [subsets()]: the name of one; none: all rows.
#' @return A [study()] with the same unit, labels and measures; its name says the source and subset.
#' @section Errors: Class `neatsieve_error_run` when there is no such subset.
#' @examples
#' out <- pour(demo_file("hive-visits.csv"), subsets(strong = brood_frames > 8))
#' as_study(out, subset = "strong")
#' @export
as_study <- function(data, subset = NULL) {
  local_plain()
  if (inherits(data, "neatsieve_study")) return(data)
  if (inherits(data, "neatsieve_siftings")) return(study_of(data, subset))
  if (is.character(data)) return(study(data))
  if (is.data.frame(data)) return(new_study(data, name = name_of_data(substitute(data))))
  stop_neatly("study", paste0("A value of class ", class(data)[1], " is no study."), NULL,
              "Give a study, a data frame or the path of a file.")
}

study_label <- function(study, column) {
  label <- study$labels[[column]]
  if (is.null(label)) column else label
}
study_axis <- function(study, column) {
  measure <- study$measures[[column]]
  paste0(study_label(study, column), if (!is.null(measure)) paste0(" (", measure, ")"))
}

#' @export
as.data.frame.neatsieve_study <- function(x, ...) {
  frame <- unclass(x)$frame
  frame_rows(frame, NULL, names(frame$columns))
}

# Rows of a frame as a plain data frame, under the row names of the data.
frame_rows <- function(frame, rows, columns) {
  take <- function(x) if (is.null(dim(x))) x[rows] else x[rows, , drop = FALSE]
  picked <- if (is.null(rows)) frame$columns[columns] else lapply(frame$columns[columns], take)
  n <- if (is.null(rows)) frame$n else length(rows)
  names <- frame$row_names
  if (!is.null(names) && !is.null(rows)) names <- names[rows]
  if (is.null(names) || anyDuplicated(names)) names <- .set_row_names(n)
  structure(picked, class = "data.frame", row.names = names)
}

#' @export
print.neatsieve_study <- function(x, ...) {
  local_plain()
  facts <- unclass(x)
  cat(study_headline(facts), "\n", sep = "")
  kinds <- vapply(facts$frame$types, `[[`, character(1), "kind")
  for (kind in unique(kinds)) {
    said <- paste0(kind, ": ", paste(names(kinds)[kinds == kind], collapse = ", "))
    cat(strwrap(said, indent = 2, exdent = 6, width = cli::console_width()), sep = "\n")
  }
  cat("Next: look() at it, try screening(), or pour() it over a sieve.\n")
  invisible(x)
}

# These take the parts of a study, not the object.
study_headline <- function(facts) {
  units <- if (!is.null(facts$unit)) {
    paste0(", ", counted(count_units(facts, NULL), "unit"), " (", facts$unit, ")")
  }
  paste0(facts$name, ": ", counted(facts$frame$n, "row"), units, ", ",
         counted(length(facts$frame$columns), "column"))
}

# Codes of the unit column, worked out once per study.
unit_codes <- function(study) {
  if (is.null(study$unit)) return(NULL)
  kept_in(study$frame$units, study$unit, {
    vector <- study$frame$columns[[study$unit]]
    coded <- if (kind_of_vector(vector) %in% c("text", "category"))
      frame_codes(study$frame, study$unit) else {
      distinct <- unique(vector[!is.na(vector)])
      list(codes = match(vector, distinct, incomparables = NA), values = distinct)
    }
    list(codes = as.integer(coded$codes), levels = length(coded$values))
  })
}

count_units <- function(study, rows) {
  coded <- unit_codes(study)
  if (is.null(coded)) return(NA_real_)
  core_count_different(coded$codes, coded$levels, rows)
}

# What came out of a run as a study: a method of its own, behind the run.
study_of <- function(data, subset) UseMethod("study_of")
