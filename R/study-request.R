# The request for a study, as a value, and the study it makes.

# What study() is asked for, checked: the data, how it is to be read (`reading`)
# and what is told of it. called: what a data frame is called where the call
# stands. keep: where a text is kept; kept_of, kept_as: the texts that the data
# was kept of, and what told their state then.
new_study_request <- function(
  data, called = NULL, unit = NULL, absent_codes = c("", "NA"),
  codes_told = FALSE, kinds = list(), ordered = list(), labels = list(),
  measures = list(), encoding = "UTF-8", decimal = NULL, row_names = NULL,
  name = NULL, delimiter = NULL, header = TRUE, sheet = NULL, range = NULL,
  table = NULL, categories = list(), dictionary = NULL, thousands = NULL,
  join = "all", source = NULL, broken = "stop", skip = NULL, comment = NULL,
  footer = NULL, ragged = "stop", by_file = list(), design = list(), keep = NULL
) {
  codes <- codes_by_column(absent_codes)
  known <- read_dictionary(dictionary)
  signs <- signs_of_kinds(as.list(kinds))
  measures <- c(
    as.list(measures), signs[setdiff(names(signs), names(measures))]
  )
  reading <- list(
    absent_codes = codes$all,
    reason_codes = codes$reasons,
    column_codes = codes$columns,
    codes_given = codes_told && codes$given,
    dictionary = dictionary,
    kinds = check_named(kinds, "kinds"),
    labels = check_named(labels, "labels"),
    measures = check_named(measures, "measures"),
    encoding = encoding,
    decimal = check_decimal(decimal),
    thousands = check_marks(thousands, decimal),
    decimal_told = !is.null(decimal),
    delimiter = check_delimiter(delimiter),
    header = check_header(header),
    sheet = sheet,
    range = check_name_text(range, "range"),
    table = check_name_text(table, "table"),
    row_names = check_name_text(row_names, "row_names"),
    skip = check_skip(skip),
    comment = check_comment(comment),
    footer = check_footer(footer),
    ragged = check_one_of(ragged, c("stop", "fill"), "ragged"),
    by_file = check_by_file(by_file),
    design = check_design(design),
    join = check_one_of(join, c("all", "common", "same"), "join"),
    source = check_source(source),
    broken = check_one_of(broken, c("stop", "skip"), "broken")
  )
  new_record(
    "study_request",
    list(
      data = files_asked(data, source),
      called = called,
      unit = unit,
      reading = with_dictionary(reading, known),
      name = check_name_text(name, "name"),
      dictionary = known,
      ordered = check_named(ordered, "ordered"),
      categories = check_named(categories, "categories"),
      keep = keep,
      kept_of = NULL,
      kept_as = NULL
    )
  )
}

study_of_request <- function(request) {
  request <- kept_request(request)
  if (inherits(request$data, "neatsieve_database")) {
    result <- study_in_database(request)
    if (!is.null(result)) return(result)
    request$data$why <- why_read_whole(request)
  }
  from <- if (inherits(request$data, "neatsieve_database")) request$data
  reading <- request$reading
  categories <- request$categories
  read <- within_memory(
    read_study_data(request$data, request$called, reading),
    "There is not enough memory to read the table.",
    NULL,
    c(
      "A file that is poured by its path is read of the columns that steps need alone.",
      "Begin with `pick_columns()` of those that you need."
    ),
    "study"
  )
  given <- function(value, known) if (length(value)) value else known
  result <- new_study(
    read$data,
    unit = given(request$unit, read$unit),
    name = given(request$name, read$name),
    source = read$source,
    ordered = request$ordered,
    categories = categories,
    labels = given(reading$labels, read$labels),
    dictionary = request$dictionary,
    reasons = compact(read$reasons),
    measures = given(reading$measures, read$measures),
    design = given(reading$design, read$design)
  )
  result <- unclass(result)
  among <- new_notebook()
  note_codes_among_values(among, result$frame, reading)
  fresh <- c(read$notes, result$notes, among$notes)
  result$notes <- c(read$old_notes, fresh)
  if (!is.null(read$reading)) {
    read$reading$categories <- union(read$reading$categories, names(categories))
    read$reading$labels <- read$reading$measures <- read$reading$design <- NULL
  }
  result["reading"] <- list(read$reading)
  result["account"] <- list(read$account)
  result["read_from"] <- list(from)
  result["files"] <- list(read$files)
  texts <- Filter(Negate(is.null), read$texts)
  for (column in names(texts)) {
    if (is.character(result$frame$columns[[column]])) {
      result$frame$texts[[column]] <- texts[[column]]
    }
  }
  show_notes(fresh)
  as_study_object(result)
}
