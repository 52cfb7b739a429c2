#' A study: a table and what is known about it
#'
#' Reads a table, or takes one, finds the kind of each column, and keeps what
#' else is known: the *unit* (the thing studied, such as a hive that is visited
#' many times), the order of categories, labels and measures. [look()] describes
#' a study, [pour()] runs a [sieve()] over it. A study never changes.
#'
#' @param data A data frame, or the path of a file: delimited text (RFC 4180;
#'   `.gz`, `.bz2`, `.xz` too), a workbook (`.xlsx`, `.xls`, `.ods`), JSON or
#'   JSON Lines (`.json`, `.jsonl`), Parquet (`.parquet`), Arrow (`.arrow`,
#'   `.arrows`, `.feather`), a file of a statistics program (`.sav`, `.dta`,
#'   `.xpt`) or SQLite (`.sqlite`); a [database()] table or query; `"-"` is the
#'   standard input. The first line of a text names the columns. Several paths,
#'   a pattern (`"visits-*.csv"`) or a folder are one study (see Many files).
#'   Given a study, the result is a copy with the arguments given here replaced.
#' @param unit The column that names the thing studied (one hive, visited many
#'   times), as a bare name or text. The account then counts units beside rows.
#' @param design How the rows were sampled:
#'   `list(cluster = "hive", strata = "apiary")`, or one of both, each the name
#'   of a column. Every `se()`, `ci_low()` and `ci_high()` that names no cluster
#'   and no strata of its own then allows for them, as [chart_interval()] of
#'   means does; see [neatsieve_functions].
#' @param absent_codes Texts (or numbers) that mean that a value is absent: in a
#'   file `""` and `"NA"` unless said otherwise, in a data frame none. In a data
#'   frame a number is met by its size, a category loses the level, and a note
#'   counts the values. A list may give further codes for single columns:
#'   `list(c("", "NA"), mites_per_100 = c("n/a", "-9"))`. A code with a name
#'   says why the value is absent: `list("", mites_per_100 = c(refused = "-8",
#'   "not counted" = "-9"))`. The value is absent in all that is computed, and
#'   its reason is kept beside the column (see Reasons).
#' @param kinds A named list of kinds that are not to be guessed, such as
#'   `list(hive = "text")`. Kinds are `"number"`, `"whole"`, `"text"`,
#'   `"category"`, `"logical"`, `"date"` and `"date-time"`. A date in a form
#'   other than ISO 8601 says its form, in the letters of POSIX:
#'   `list(day = "date %d/%m/%Y")`. A number may say the sign beside it, which
#'   is taken off and kept as the measure (`"number kg"`, `"number $"`,
#'   `"number %"`), or that limits stand among them: with `"number <"` the text
#'   `"<0.5"` is absent for the reason `"below 0.5"` (`"number >"`,
#'   `"number <>"`). Patterns of dates have the letters `%d %m %Y %y %b %B`, and
#'   `%H %M %S` for a date-time; names of months are English.
#' @param ordered A named list of the categories of a column in their order,
#'   such as `list(temper = c("calm", "lively", "hot"))`. The column becomes an
#'   ordered category.
#' @param categories The same for categories that have an order to be shown in,
#'   and no more: `list(season = c("spring", "summer", "autumn"))`.
#' @param dictionary The path of a Table Schema file (Frictionless Data, an open
#'   standard) that says what is not said here: types, titles (labels),
#'   `measured_in` (measures), missing values, the order of values (`enum`, or
#'   `categories` with `categoriesOrdered`), and constraints (`required`,
#'   `unique`, `minimum`, `maximum`, `pattern`), whose breaches a note lists.
#'   See [write_dictionary()].
#' @param labels,measures Named lists of texts: what a column is called in
#'   figures and tables, and what it is measured in
#'   (`list(hive_weight_kg = "kg")`).
#' @param encoding For files: the encoding of the text, `"UTF-8"` unless said
#'   otherwise.
#' @param decimal The mark before the decimals of numbers in a file, and of
#'   columns that `kinds` makes numbers: `"."` or `","`. Without it a point, and
#'   in a file whose values are not parted by commas the comma, where its first
#'   thousand rows have numbers with one and none with a point: a note says so.
#' @param thousands The mark that parts groups of exactly three digits: `","`,
#'   `"."`, `" "` or `"'"`. Without it a number with such a mark is text, as it
#'   may be a decimal mark too: a note and [look()] name both readings, unless
#'   other values of the column decide. With `"."` the decimal mark is a comma.
#' @param keep For delimited text larger than memory: the path of a Parquet
#'   file. The rows are written there once, while they are read; [pour()] then
#'   reads of it the columns and parts that each step needs. Where the text
#'   changed since, it is written anew, with a note; what was noted on reading
#'   stands beside it (`.notes.json`). Needs the package nanoparquet.
#' @param row_names For data frames: the name of a new first column that holds
#'   the row names. Without it row names stay what they are, on `$rows` and
#'   [held_back()].
#' @param delimiter,header For files: the character between the values, found
#'   among comma, semicolon, tab and `|` unless it is told; `header = FALSE` for
#'   a file whose first line holds values, whose columns are then called
#'   `column_1`, `column_2`, ...; `header = 1:2` for one whose first two lines
#'   name the columns together (an empty cell above takes the one to its left).
#' @param skip,footer For delimited text: how many lines stand above the header
#'   (or `"until header"`: those before the first line of as many values as most
#'   have) and below the table (or a regular expression that the first of them
#'   fits).
#' @param comment For delimited text: the text with which lines begin that are
#'   left out, as `"#"`.
#' @param ragged For delimited text: what is done about lines with fewer values
#'   than the header, `"stop"`, or `"fill"` them with absent ones.
#' @param sheet,range,table For a workbook the sheet (name or number; else the
#'   first) and the cells (`"B2:F200"`); for an SQLite file the table, where it
#'   holds several.
#' @param join For several files the columns that the study has: `"all"` of
#'   them, absent in the rows of files that lack one; those that are `"common"`
#'   to all files; or the `"same"` in each, else an error.
#' @param by_file Options of single files that differ from those of all, by
#'   their names without folders: `list("b.csv" = list(decimal = ",",
#'   absent_codes = "-1"))`.
#' @param source For files: the name of a column with the name of each row's
#'   file, or a part of it by a regular expression,
#'   `c(month = "visits-(.*)[.]csv")`.
#' @param broken What is done about a file among several that cannot be read:
#'   `"stop"`, or `"skip"`, which leaves it out with a note.
#' @param name What reports and captions call the study; else the name of the
#'   file or data frame.
#'
#' @details In a file the default codes stand for absent unless they are in
#'   quotes: `"NA"` is the text, and `""` the empty text in a column of texts
#'   that has a field without quotes; codes that are given hold in quotes, too.
#'   In JSON, which says null, the texts `""` and `"NA"` are texts unless codes
#'   are given: a note counts them. Text of a file stays text until said
#'   otherwise. A column is a number, date, date-time or logical when its
#'   present values are; when at most 1 in 50 is not, these become absent and a
#'   note names them and their rows. Kinds are told of all values of the file.
#'   What a number would change stays text, and a note says so: whole numbers of
#'   2^53 and more, with a leading plus, `1e5` without a decimal mark or a sign
#'   (among values that all are so or whole), and, without a note, those with
#'   leading zeros. Dates are ISO 8601 (`2024-05-31`), date-times too, and are
#'   in UTC unless they give an offset (`+02`, `+0530`, `-00:44:30`). Notes of
#'   reading stay with the study: they stand in `$notes` of every run and in its
#'   report. Fields are split by RFC 4180. A blank line is left out and said; in
#'   a file of one column it is an absent value. A header with empty or repeated
#'   names is mended and said. A value with text behind its closing quote is
#'   taken as it was written. [reading_account()] lists all of these by line,
#'   and the lines that `skip`, `comment` and `footer` leave out and `ragged`
#'   fills. Where a text cannot be read because lines differ, the error looks
#'   for a table within, and gives the call that reads it.
#'
#'   `nrow()`, `dim()`, `names()`, `head()` and `summary()` work on a study as
#'   on a data frame, and `hives$temper` gives a column. A study is not changed
#'   by assignment.
#'
#'   Columns with labels for their values, of statistics programs or of a data
#'   frame, become categories in the order of the values where each value has a
#'   label; where some has none they stay as they are, and a note names the
#'   labels that are not kept. Values declared missing are absent for the reason
#'   that their label says (see Reasons), or the value or letter itself.
#'
#' @section Many files: Files are joined by the names of their columns, in the
#'   order given; those of a pattern or folder by the code points of their
#'   paths. Formats may be mixed, but not in a folder, whose folders within are
#'   read, too; names that begin with a point or `_`, and files that are no
#'   table, are left out. Names of folders of the form `year=2024` become
#'   columns. Notes tell which file lacks a column, has another order or another
#'   spelling. Kinds are judged over all values of all texts; where other
#'   formats disagree an error asks for `kinds`. Rows are numbered through;
#'   [held_back()] gives the file and the row in it, [reading_account()] the
#'   file and line. Delimited texts of one form are read like one file, and
#'   sieved while they are read, as Parquet files of the same columns are (see
#'   [pour()]). In a plan `files:` lists them, or `file:` holds a pattern or
#'   folder.
#' @section Reasons: What `absent_codes` or a dictionary say of why values are
#'   absent stays with the column through row steps, picks, new names,
#'   [look_up()], [append_rows()], [to_long()] and [to_wide()]; a column that
#'   [work_out()] makes has reasons where it is a plain copy or a
#'   `first_present()`. Conditions ask for them: `absent(x, "refused")`,
#'   `absent_reason(x)` (see [neatsieve_functions]). [look()], [absences()],
#'   [screening()], [held_back()] and [report()] tell how many values are absent
#'   for which reason. A file with reasons is read whole.
#' @return An object of class `neatsieve_study`. `as.data.frame()` gives the
#'   table.
#' @section Errors: Class `neatsieve_error_study`: a file that is missing, a
#'   folder, empty, cut short or no text; a line with another number of values
#'   than the header and a quote that is never closed (each with its line); text
#'   that is not in the encoding; a unit or ordered column that is not there, a
#'   value outside `ordered` or `categories`, a kind or date pattern that is
#'   none; a sheet or table that is not there, with the near ones; a package
#'   that a format needs and that is not installed; a pattern that no file
#'   matches, a folder without a table or with tables of several formats, a file
#'   named twice, files without a common column.
#' @seealso [look()], [reading_account()], [write_dictionary()],
#'   [write_table()], [fingerprint()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"),
#'   unit = hive,
#'   ordered = list(temper = c("calm", "lively", "hot"))
#' )
#' hives
#' study(mtcars, row_names = "car")
#' @export
study <- function(
  data, unit = NULL, absent_codes = c("", "NA"), kinds = list(),
  ordered = list(), labels = list(), measures = list(), encoding = "UTF-8",
  decimal = NULL, row_names = NULL, name = NULL, delimiter = NULL,
  header = TRUE, sheet = NULL, range = NULL, table = NULL, categories = list(),
  dictionary = NULL, thousands = NULL, join = "all", source = NULL,
  broken = "stop", skip = NULL, comment = NULL, footer = NULL, ragged = "stop",
  by_file = list(), design = list(), keep = NULL
) {
  local_plain()
  unit <- bare_name(substitute(unit), parent.frame(), "unit")
  called <- name_of_data(substitute(data))
  request <- new_study_request(
    data,
    called,
    unit,
    absent_codes,
    codes_told = !missing(absent_codes),
    kinds = kinds,
    ordered = ordered,
    labels = labels,
    measures = measures,
    encoding = encoding,
    decimal = decimal,
    row_names = row_names,
    name = name,
    delimiter = delimiter,
    header = header,
    sheet = sheet,
    range = range,
    table = table,
    categories = categories,
    dictionary = dictionary,
    thousands = thousands,
    join = join,
    source = source,
    broken = broken,
    skip = skip,
    comment = comment,
    footer = footer,
    ragged = ragged,
    by_file = by_file,
    design = design,
    keep = keep
  )
  if (is.null(keep)) study_of_request(request) else kept_request(request)
}

study_facts <- function(data) unclass(as_study(data))

new_study <- function(
  data, unit = NULL, name = "the data", source = NULL, ordered = list(),
  labels = list(), measures = list(), categories = list(), dictionary = NULL,
  reasons = list(), design = list()
) {
  where <- paste0("In ", name, ".")
  if (nrow(data) > .Machine$integer.max) {
    stop_neatly("study", "A study has at most 2,147,483,647 rows.", where)
  }
  check_column_names(names(data), where)
  check_columns(data, where)
  columns <- lapply(data, function(x) {
    if (inherits(x, "POSIXlt")) x <- as.POSIXct(x)
    if (is.factor(x) && anyNA(levels(x))) {
      x <- factor(x, levels = levels(x)[!is.na(levels(x))])
    }
    x
  })
  notes <- new_notebook()
  plain <- unlabelled_table(columns, where)
  columns <- plain$data
  reasons <- joined_reasons_of_columns(plain$reasons, reasons)
  own <- Filter(is_text, lapply(unclass(columns), attr, "label", exact = TRUE))
  own <- utils::modifyList(own, plain$labels)
  labels <- c(labels, own[setdiff(names(own), names(labels))])
  for (note in plain$notes) notes$notes <- c(notes$notes, list(note))
  columns <- with_exact_wholes(columns, notes, where)
  columns <- Map(
    function(x, column) whole_days(x, column, notes, where),
    columns,
    names(columns)
  )
  dictionary <- dictionary_for(dictionary, names(columns), notes)
  if (!is.null(dictionary)) {
    labels <- labels[intersect(names(labels), names(columns))]
    measures <- measures[intersect(names(measures), names(columns))]
  }
  for (what in c("unit", "design", "ordered", "categories", "labels", "measures")) {
    asked <- if (what %in% c("unit", "design")) {
      unlist(get(what))
    } else {
      names(get(what))
    }
    check_known_columns(asked, names(columns), what, where)
  }
  for (column in names(ordered)) {
    columns[[column]] <- as_ordered(columns[[column]], column, ordered[[column]], where)
  }
  for (column in names(categories)) {
    columns[[column]] <- as_ordered(
      columns[[column]], column, categories[[column]], where, "categories"
    )
  }
  if (!is.null(dictionary)) {
    columns <- with_categories_of(
      columns, dictionary, c(names(ordered), names(categories))
    )
    note_breaches(columns, dictionary, notes)
  }
  frame <- new_frame(
    columns,
    lapply(columns, type_with_emptiness),
    nrow(data),
    own_row_names(data)
  )
  add_reasons(frame, reasons)
  result <- new_study_facts(
    frame, unit, name, source, labels, measures, notes$notes,
    design = design
  )
  if (inherits(data, "tbl_df")) result$like <- class(data)
  as_study_object(result)
}
