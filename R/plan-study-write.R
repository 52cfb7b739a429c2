# Writes a study into a plan. path_of: a function that gives the path as the
# plan writes it.

# Where a study in a database is, without anything secret.
database_plan <- function(study, path_of) {
  relation <- study$database$relation
  base <- relation$base
  place <- live_dialect(relation$dialect)$place()
  if (is.null(base$table) || is.null(place)) {
    stop_neatly(
      "plan",
      paste0(
        "The study ", quoted(study$name), " is ",
        if (is.null(base$table)) {
          "a query"
        } else {
          "a table in a database in memory"
        },
        ", which a plan cannot name."
      ),
      NULL,
      "Leave `study` out of the plan, and pour it over the study in R."
    )
  }
  if (!is.null(place$file)) place$file <- path_of(place$file)
  types <- base$columns[setdiff(names(base$columns), base$hidden)]
  labels_of <- function(ordered) {
    of <- Filter(
      function(c) {
        c$type$kind == "category" && isTRUE(c$type$ordered) == ordered
      },
      types
    )
    lapply(of, function(c) as.list(c$type$labels))
  }
  some <- function(x) if (length(x)) x
  table <- if (length(base$table) == 1) base$table else as.list(base$table)
  spec <- compact(list(
    key = some(base$told_key),
    time_limit = relation$dialect$now$time_limit
  ))
  codes <- base$told_codes
  compact(list(
    database = c(place, list(table = table), spec),
    unit = study$unit,
    absent_codes = some(codes_to_plan(codes$all)),
    codes_of_columns = some(lapply(codes$columns, codes_to_plan)),
    kinds = some(base$told_kinds),
    ordered = some(labels_of(TRUE)),
    categories = some(labels_of(FALSE)),
    labels = some(study$labels),
    measures = some(study$measures),
    design = some(study$design)
  ))
}

# Whether a plan can name it.
is_nameable_study <- function(study) {
  study <- unclass(study)
  database <- if (is.null(study$database)) study$loaded_from else study$database
  if (is.null(database)) return(!is.null(study$source))
  relation <- database$relation
  !is.null(relation$base$table) &&
    !is.null(live_dialect(relation$dialect)$place())
}

study_plan <- function(study, path_of) {
  study <- unclass(study)
  if (is.null(study$database)) study$database <- study$loaded_from
  if (!is.null(study$database)) return(database_plan(study, path_of))
  if (is.null(study$source)) {
    stop_neatly(
      "plan",
      paste0(
        "The study ", quoted(study$name),
        " was not read from a file, so the plan cannot name it."
      ),
      NULL,
      "Save its table to a CSV file and read that with `study()`, or leave `study` out."
    )
  }
  compact(c(
    files_to_plan(study, path_of),
    columns_to_plan(study),
    reading_to_plan(study$reading, path_of)
  ))
}

some_to_plan <- function(x) if (length(x)) x
other_to_plan <- function(x, usual) if (!identical(x, usual)) x

files_to_plan <- function(study, path_of) {
  reading <- study$reading
  is_one <- is.null(study$files)
  asked <- if (is_one) study$source else study$files$asked
  beside <- lapply(unname(asked), path_of)
  usual <- if (is_one) basename(study$source) else name_of_files(study$files)
  list(
    file = if (length(beside) == 1) beside[[1]],
    files = if (length(beside) > 1) beside,
    name = other_to_plan(study$name, usual),
    join = other_to_plan(reading$join, "all"),
    source = source_to_plan(reading$source),
    broken = other_to_plan(reading$broken, "stop")
  )
}

columns_to_plan <- function(study) {
  reading <- study$reading
  types <- study$frame$types
  labels <- function(types) some_to_plan(lapply(types, function(type) {
    as.list(type$labels)
  }))
  codes <- codes_to_plan(c(reading$absent_codes, reading$reason_codes))
  list(
    unit = study$unit,
    design = some_to_plan(study$design),
    absent_codes = some_to_plan(codes),
    codes_of_columns = some_to_plan(lapply(reading$column_codes, codes_to_plan)),
    kinds = some_to_plan(reading$kinds),
    ordered = labels(Filter(function(type) isTRUE(type$ordered), types)),
    categories = labels(types[reading$categories]),
    labels = some_to_plan(study$labels),
    measures = some_to_plan(study$measures)
  )
}

reading_to_plan <- function(reading, path_of) {
  header <- if (isFALSE(reading$header)) {
    FALSE
  } else if (length(reading$header) == 2) {
    list(1L, 2L)
  }
  usual <- if (!isTRUE(reading$decimal_told)) "."
  list(
    decimal = other_to_plan(reading$decimal, usual),
    thousands = reading$thousands,
    encoding = other_to_plan(reading$encoding, "UTF-8"),
    delimiter = reading$delimiter,
    header = header,
    skip = reading$skip,
    comment = other_to_plan(reading$comment, ""),
    footer = reading$footer,
    ragged = other_to_plan(reading$ragged, "stop"),
    by_file = some_to_plan(lapply(reading$by_file, options_to_plan)),
    sheet = reading$sheet,
    range = reading$range,
    table = reading$table,
    dictionary = if (is_text(reading$dictionary)) path_of(reading$dictionary)
  )
}

source_to_plan <- function(source) {
  if (is.null(names(source))) source else as.list(source)
}

options_to_plan <- function(told) {
  if (!is.null(told$absent_codes)) {
    codes <- codes_by_column(told$absent_codes)
    told$absent_codes <- if (codes$given) {
      codes_to_plan(c(codes$all, codes$reasons))
    }
    if (length(codes$columns)) {
      told$codes_of_columns <- lapply(codes$columns, codes_to_plan)
    }
  }
  if (length(told$header) == 2) told$header <- list(1L, 2L)
  told
}
