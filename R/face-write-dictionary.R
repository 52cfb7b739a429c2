#' A first draft of a column dictionary
#'
#' Writes a description of a study's columns as a Table Schema file
#' (Frictionless Data, an open standard). Edit it and give it to [study()] as
#' `dictionary`.
#'
#' @param study A [study()], a data frame or the path of a file.
#' @param path The file to write, such as `"visits.schema.json"`.
#' @return The path, invisibly. Each field has `name`, `type` (`number`,
#'   `integer`, `string`, `boolean`, `date` or `datetime`), `title` (the label),
#'   `measured_in` where known, the order of categories (`enum`, and
#'   `categoriesOrdered` for ordered ones), and the constraints that hold now:
#'   `required` where no value is absent, `unique` where none repeats and the
#'   column is text or whole numbers. `missingValues` are the codes for absent,
#'   `primaryKey` the first column that is required and unique.
#' @section Errors: Class `neatsieve_error_run` where the file cannot be
#'   written.
#' @seealso [study()], [look()]
#' @examples
#' file <- file.path(tempdir(), "visits.schema.json")
#' write_dictionary(study(demo_file("apiaries.csv")), file)
#' cat(readLines(file, 12), sep = "\n")
#' @export
write_dictionary <- function(study, path) {
  local_plain()
  facts <- study_facts(study)
  if (!is_text(path)) {
    stop_neatly(
      "run",
      "`write_dictionary()` needs the path of a file.",
      NULL,
      "Write `write_dictionary(study, \"visits.schema.json\")`."
    )
  }
  columns <- names(facts$frame$types)
  fields <- lapply(columns, drafted_field, facts = facts)
  is_key <- vapply(fields, function(f) {
    isTRUE(f$constraints$required) && isTRUE(f$constraints$unique)
  }, NA)
  reading <- facts$reading
  codes <- c(
    if (is.null(reading$absent_codes)) "" else reading$absent_codes,
    reading$reason_codes
  )
  schema <- compact(list(
    missingValues = missing_values(codes),
    primaryKey = if (any(is_key)) columns[is_key][1],
    fields = fields
  ))
  text <- jsonlite::toJSON(schema, auto_unbox = TRUE, pretty = 2, digits = NA)
  write_whole(path, function(to) write_text(as.character(text), to))
  invisible(path)
}

# Codes of one column; by the standard they replace those of all columns.
codes_drafted <- function(column, reading) {
  own <- reading$column_codes[[column]]
  if (!length(own)) return(NULL)
  but_own <- function(codes) codes[!codes %in% own]
  missing_values(c(
    but_own(reading$absent_codes), own, but_own(reading$reason_codes)
  ))
}

# Codes for absent as the standard has them: texts, or values with labels where
# some say why.
missing_values <- function(codes) {
  why <- code_reasons(codes)
  if (all(why == "")) return(as.list(unname(codes)))
  lapply(seq_along(codes), function(i) {
    compact(list(value = unname(codes[i]), label = if (why[i] != "") why[i]))
  })
}

drafted_field <- function(column, facts) {
  x <- facts$frame$columns[[column]]
  type <- facts$frame$types[[column]]
  kind <- switch(type$kind,
    number = "number",
    whole = "integer",
    logical = "boolean",
    date = "date",
    `date-time` = "datetime",
    other = "any",
    "string"
  )
  plain <- is.null(dim(x)) && !is.list(x)
  unique <- plain &&
    type$kind %in% c("text", "whole") &&
    length(x) > 1 &&
    !anyDuplicated(x[!is.na(x)])
  limits <- compact(list(
    required = if (plain && length(x) && !anyNA(x)) TRUE,
    unique = if (unique) TRUE,
    enum = if (type$kind == "category") as.list(type$labels)
  ))
  compact(list(
    name = column,
    type = kind,
    title = facts$labels[[column]],
    measured_in = facts$measures[[column]],
    categoriesOrdered = if (isTRUE(type$ordered)) TRUE,
    missingValues = codes_drafted(column, facts$reading),
    constraints = if (length(limits)) limits
  ))
}
