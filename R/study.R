#' A study: a table and what is known about it
#'
#' Gives the table with each column's kind, and keeps the unit studied, the order of
#' categories, labels and measures beside it. A study is poured over a [sieve()], looked at
#' with [look()], and never changed.
#'
#' @param data A data frame, or the path of a CSV or TSV file (RFC 4180; `.gz` too). The first
#'   line of a file names the columns.
#' @param unit The column that names the thing studied (one hive, visited many times), as a
#'   bare name or text. The account then counts units beside rows.
#' @param absent_codes For files: texts that mean that a value is absent. A data frame's
#'   values are taken as they come.
#' @param kinds For files: a named list of kinds that are not to be guessed, such as
#'   `list(hive = "text")`. Kinds are `"number"`, `"whole"`, `"text"`, `"category"`,
#'   `"logical"`, `"date"` and `"date-time"`.
#' @param ordered A named list of the categories of a column in their order, such as
#'   `list(temper = c("calm", "lively", "hot"))`. The column becomes an ordered category.
#' @param labels,measures Named lists of texts: what a column is called in figures and
#'   tables, and what it is measured in (`list(hive_weight_kg = "kg")`).
#' @param encoding For files: the encoding of the text, `"UTF-8"` unless said otherwise.
#'
#' @details Text of a file stays text until said otherwise. A column is a number when its
#'   present values are; when at most 1 in 50 is not, these become absent and a note names
#'   them and their rows. Whole numbers with leading zeros stay text. Dates are ISO 8601
#'   (`2024-05-31`), date-times too, and are in UTC unless they say otherwise.
#'
#' @return An object of class `neatsieve_study`. `as.data.frame()` gives the table.
#' @section Errors: Class `neatsieve_error_study`: a file that is missing, empty or ragged
#'   (with the line), text that is not in the encoding, column names that are missing or
#'   repeated, a unit or ordered column that is not there, a value outside `ordered`.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive,
#'                ordered = list(temper = c("calm", "lively", "hot")))
#' hives
#' @export
study <- function(data, unit = NULL, absent_codes = c("", "NA"), kinds = list(), ordered = list(),
                  labels = list(), measures = list(), encoding = "UTF-8") {
  unit <- bare_name(substitute(unit), parent.frame(), "unit")
  source <- NULL
  notes <- list()
  if (inherits(data, "neatsieve_study")) {
    source <- data$source
    name <- data$name
    if (missing(absent_codes)) absent_codes <- data$absent_codes
    data <- as.data.frame(data)
  } else if (is.data.frame(data)) {
    name <- "the data frame"
    written <- substitute(data)
    if (is.symbol(written)) name <- as.character(written)
  } else if (is.character(data) && length(data) == 1 && !is.na(data)) {
    if (!is.character(absent_codes)) stop_neatly("study", "`absent_codes` must be text.", instead = "Write `absent_codes = c(\"\", \"NA\", \"-9\")`.")
    read <- read_delimited(data, enc2utf8(absent_codes), encoding, as.list(kinds))
    source <- data
    name <- basename(data)
    data <- read$data
    notes <- read$notes
  } else {
    stop_neatly("study", paste0("`study()` takes a data frame or the path of a file, not a value of class ", class(data)[1], "."))
  }
  made <- new_study(data, unit, name, source, ordered, labels, measures)
  made$notes <- notes
  if (!is.null(source)) made[c("absent_codes", "kinds")] <- list(absent_codes, as.list(kinds))
  show_notes(notes)
  made
}

new_study <- function(data, unit = NULL, name = "the data frame", source = NULL, ordered = list(), labels = list(), measures = list()) {
  where <- paste0("In ", name, ".")
  if (nrow(data) > .Machine$integer.max) stop_neatly("study", "A study has at most 2,147,483,647 rows.", where)
  check_column_names(names(data), where)
  columns <- lapply(data, function(x) {
    if (inherits(x, "POSIXlt")) x <- as.POSIXct(x)
    if (is.factor(x) && anyNA(levels(x))) x <- factor(x, levels = levels(x)[!is.na(levels(x))])
    x
  })
  for (what in list(list("unit", unit), list("ordered", names(ordered)), list("labels", names(labels)), list("measures", names(measures)))) {
    strange <- setdiff(what[[2]], names(columns))
    if (length(strange)) {
      stop_neatly("study", paste0("`", what[[1]], "` names column `", strange[1], "`, which is not there."), where,
                  c(meant(strange[1], names(columns)), paste0("Columns: ", listed(ticked(names(columns)), 12), ".")))
    }
  }
  for (column in names(ordered)) columns[[column]] <- as_ordered(columns[[column]], column, ordered[[column]], where)
  frame <- new_frame(columns, lapply(columns, type_of_vector), nrow(data))
  structure(list(frame = frame, unit = unit, name = name, source = source, labels = as.list(labels), measures = as.list(measures), notes = list()),
            class = "neatsieve_study")
}

as_ordered <- function(x, name, levels, where) {
  if (!is.character(levels) || anyDuplicated(levels)) {
    stop_neatly("study", paste0("`ordered` must list the categories of `", name, "`, each once, lowest first."), where)
  }
  strange <- setdiff(unique(as.character(x[!is.na(x)])), levels)
  if (length(strange)) {
    stop_neatly("study", paste0("Column `", name, "` has ", listed(quoted(strange)), ", which `ordered` does not list."), where,
                c(if (length(near <- nearest(strange[1], levels))) paste0(quoted(strange[1]), " is near to ", listed(quoted(near), last = "or"), "."), "List every category, or list the code in `absent_codes`."))
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
  stop_neatly("study", paste0("`", argument, "` must be the name of one column."), instead = paste0("Write `", argument, " = hive`."))
}

#' The rows of a run, or of a subset, as a study
#'
#' Gives a study made from the rows that went all the way, which remembers where it came from.
#'
#' @param data Siftings from [pour()]; a study, a data frame or a path are taken as [pour()] takes them.
#' @param subset For siftings with [subsets()]: the name of one; none: all rows.
#' @return A [study()] with the same unit, labels and measures; its name says the source and subset.
#' @section Errors: Class `neatsieve_error_run` when there is no such subset.
#' @examples
#' out <- pour(demo_file("hive-visits.csv"), subsets(strong = brood_frames > 8))
#' as_study(out, subset = "strong")
#' @export
as_study <- function(data, subset = NULL) {
  if (inherits(data, "neatsieve_study")) return(data)
  if (inherits(data, "neatsieve_siftings")) {
    state <- siftings_parts(data)$state
    rows <- state$rows
    if (!is.null(subset)) {
      known <- colnames(state$subsets$sets)
      if (!subset %in% known) stop_neatly("run", paste0("There is no subset ", quoted(subset), "."), NULL, c(meant(subset, known, quoted), if (length(known)) paste0("Subsets: ", listed(quoted(known), 10), ".") else "Add `subsets()` to the sieve."))
      rows <- subset_rows(state, subset)
    }
    unit <- if (!is.null(state$study$unit) && state$study$unit %in% state$visible) state$study$unit
    keep <- function(facts) facts[names(facts) %in% state$visible]
    made <- new_study(frame_rows(state$frame, rows, state$visible), unit, paste0(state$study$name, if (!is.null(subset)) paste0(", subset ", subset) else ", as sifted"), NULL, list(), keep(state$labels), keep(state$measures))
    made$origin <- list(study = state$study$name, source = state$study$source, sieve = structure(state$steps, class = "neatsieve_sieve"), subset = subset)
    return(made)
  }
  if (is.character(data)) return(study(data))
  if (is.data.frame(data)) return(new_study(data))
  stop_neatly("study", paste0("A value of class ", class(data)[1], " is no study."), instead = "Give a study, a data frame or the path of a file.")
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
as.data.frame.neatsieve_study <- function(x, ...) frame_rows(x$frame, NULL, names(x$frame$columns))

# Rows of a frame as a plain data frame.
frame_rows <- function(frame, rows, columns) {
  picked <- lapply(frame$columns[columns], function(x) if (is.null(rows)) x else if (is.null(dim(x))) x[rows] else x[rows, , drop = FALSE])
  structure(picked, class = "data.frame", row.names = .set_row_names(if (is.null(rows)) frame$n else length(rows)))
}

#' @export
print.neatsieve_study <- function(x, ...) {
  cat(study_headline(x), "\n", sep = "")
  kinds <- vapply(x$frame$types, `[[`, character(1), "kind")
  for (kind in unique(kinds)) cat(strwrap(paste0(kind, ": ", paste(names(kinds)[kinds == kind], collapse = ", ")), indent = 2, exdent = 6, width = cli::console_width()), sep = "\n")
  cat("Next: look() at it, try screening(), or pour() it over a sieve.\n")
  invisible(x)
}

study_headline <- function(x) {
  units <- if (!is.null(x$unit)) paste0(", ", counted(count_units(x, NULL), "unit"), " (", x$unit, ")")
  paste0(x$name, ": ", counted(x$frame$n, "row"), units, ", ", counted(length(x$frame$columns), "column"))
}

# Codes of the unit column, worked out once per study.
unit_codes <- function(study) {
  if (is.null(study$unit)) return(NULL)
  known <- study$frame$codes[["(unit)"]]
  if (is.null(known)) {
    vector <- study$frame$columns[[study$unit]]
    coded <- if (kind_of_vector(vector) %in% c("text", "category")) frame_codes(study$frame, study$unit) else {
      distinct <- unique(vector[!is.na(vector)])
      list(codes = match(vector, distinct, incomparables = NA), values = distinct)
    }
    known <- study$frame$codes[["(unit)"]] <- list(codes = as.integer(coded$codes), levels = length(coded$values))
  }
  known
}

count_units <- function(study, rows) {
  coded <- unit_codes(study)
  if (is.null(coded)) return(NA_real_)
  core_count_different(coded$codes, coded$levels, rows)
}
