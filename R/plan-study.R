# Reads the study of a plan, or the table of a step.

study_keys <- c(
  "file", "name", "unit", "absent_codes", "kinds", "decimal", "thousands",
  "ordered", "labels", "measures", "encoding", "categories", "delimiter",
  "header", "sheet", "range", "table", "dictionary", "codes_of_columns",
  "database", "files", "join", "source", "broken", "skip", "comment", "footer",
  "ragged", "by_file", "design", "keep"
)

# keys: where it stands in the plan, and what = it is there.
plan_study <- function(spec, plan, keys = list("study"), what = "study") {
  where <- function(...) do.call(plan_where, c(list(plan), keys, list(...)))
  if (is_text(spec)) spec <- list(file = spec)
  if (!is.list(spec)) {
    stop_neatly(
      "plan",
      paste0("`", what, "` must name a file."),
      where(),
      paste0("Write `file: visits.csv` below `", what, ":`.")
    )
  }
  check_keys_of(spec, study_keys, plan, keys, what)
  if (!is.null(spec$database)) return(plan_database(spec, plan, where, what))
  if (!is.null(spec$files)) return(plan_files(spec, plan, where, what))
  if (!is_text(spec[["file"]])) {
    stop_neatly(
      "plan",
      paste0("`", what, "` needs `file`, `files` or `database`."),
      where(),
      paste0("Write `file: visits.csv` below `", what, ":`.")
    )
  }
  check_study_keys(spec, where, what)
  spec$file <- beside_plan(spec$file, plan)
  for (key in c("dictionary", "keep")) {
    if (!is.null(spec[[key]])) spec[[key]] <- beside_plan(spec[[key]], plan)
  }
  if (!file.exists(spec$file) && !is_pattern(spec$file)) {
    near <- if (dir.exists(dirname(spec$file))) {
      nearest(basename(spec$file), list.files(dirname(spec$file)))
    }
    stop_neatly(
      "plan",
      paste0("The ", what, "'s file ", quoted(spec$file), " is not there."),
      where("file"),
      if (length(near)) {
        paste0(
          "In that folder there is ", listed(quoted(near), last = "or"), "."
        )
      } else {
        "Paths are relative to the plan."
      }
    )
  }
  spec
}

# Several files; what they are is known when they are read.
plan_files <- function(spec, plan, where, what) {
  if (!is.null(spec[["file"]])) {
    stop_neatly(
      "plan",
      paste0("The ", what, " has both `file` and `files`."),
      where("files"),
      "Leave one out."
    )
  }
  files <- plan_items(spec$files)
  if (!length(files) || !all(vapply(files, is_text, NA))) {
    stop_neatly(
      "plan",
      paste0("`files` of the ", what, " must be a list of paths."),
      where("files"),
      "Write `files: [visits-2023.csv, visits-2024.csv]`, or `file: \"visits-*.csv\"`."
    )
  }
  check_study_keys(spec, where, what)
  spec$file <- vapply(files, beside_plan, "", plan = plan)
  spec$files <- NULL
  for (key in c("dictionary", "keep")) {
    if (!is.null(spec[[key]])) spec[[key]] <- beside_plan(spec[[key]], plan)
  }
  spec
}

beside_plan <- function(path, plan) {
  if (grepl("^(/|[A-Za-z]:|~)", path)) {
    path
  } else {
    file.path(dirname(plan$path), path)
  }
}

# A study in a database: where it is, and nothing that is secret.
plan_database <- function(spec, plan, where, what) {
  if (!is.list(spec$database)) {
    stop_neatly(
      "plan",
      paste0("`database` of the ", what, " needs keys below it."),
      where("database"),
      "For example `{driver: postgresql, service: hives, table: visits}`."
    )
  }
  check_database_keys(spec$database, where("database"))
  if (!is.null(spec$file)) {
    stop_neatly(
      "plan",
      paste0("The ", what, " names both a file and a database."),
      where("database"),
      "Leave one out."
    )
  }
  check_study_keys(spec, where, what)
  if (is_text(spec$database$file)) {
    spec$database$file <- beside_plan(spec$database$file, plan)
  }
  spec
}

# Each key of a plan's study holds what study() takes.
check_study_keys <- function(spec, where, what) {
  forms <- c(study_text_forms(), study_file_forms(), study_column_forms())
  for (key in intersect(names(forms), names(spec))) {
    form <- forms[[key]]
    if (is.null(spec[[key]]) || form$is(spec[[key]])) next
    stop_neatly(
      "plan",
      paste0("`", key, "` of the ", what, " must be ", form$wanted, "."),
      where(key),
      paste0("Write `", key, ": ", form$write, "`.")
    )
  }
}

# What a key holds: a predicate, the same in words, and an example.
new_key_form <- function(is, wanted, write) {
  list(is = is, wanted = wanted, write = write)
}

is_named_list_of <- function(x, is_each) {
  is.list(x) && !is.null(names(x)) && all(vapply(x, is_each, NA))
}

# Codes, or reasons with their codes. How a number with a point was written is
# not known any more, and codes are compared as text.
is_code_in_plan <- function(x) {
  one_code <- function(x) length(x) == 1 && (is.integer(x) || is.character(x))
  if (is.list(x)) all(vapply(x, one_code, NA)) else one_code(x)
}

study_text_forms <- function() {
  one_text <- new_key_form(is_text, "one text", "hive")
  keys <- c(
    "name", "unit", "decimal", "thousands", "encoding", "delimiter", "range",
    "table", "dictionary", "keep"
  )
  stats::setNames(rep(list(one_text), length(keys)), keys)
}

study_file_forms <- function() {
  list(
    sheet = new_key_form(
      function(x) is_text(x) || (is.numeric(x) && length(x) == 1),
      "the name or number of a sheet", "visits"
    ),
    header = new_key_form(
      function(x) is_flag(x) || identical(as.numeric(unlist(x)), c(1, 2)),
      "true, false or [1, 2]", "false"
    ),
    skip = new_key_form(
      function(x) is_count_of_lines(x) || identical(x, "until header"),
      "a number of lines, or \"until header\"", "2"
    ),
    footer = new_key_form(
      function(x) is_count_of_lines(x) || is_text(x),
      "a number of lines, or a pattern of the first", "1"
    ),
    comment = new_key_form(
      is_text, "the text with which lines begin", "\"#\""
    ),
    by_file = new_key_form(
      function(x) is_named_list_of(x, is.list),
      "options by the names of files", "{b.csv: {decimal: \",\"}}"
    ),
    ragged = new_key_form(is_text, "stop or fill", "fill"),
    join = new_key_form(is_text, "all, common or same", "common"),
    broken = new_key_form(is_text, "stop or skip", "skip"),
    source = new_key_form(
      function(x) is_text(x) || is.list(x) && length(x) == 1 && is_text(x[[1]]),
      "the name of a column, or one pattern under a name",
      "{month: \"visits-(.*)[.]csv\"}"
    )
  )
}

study_column_forms <- function() {
  are_texts <- function(x) is.list(x) && all(vapply(x, is_text, NA))
  are_codes <- function(x) all(vapply(plan_items(x), is_code_in_plan, NA))
  column_texts <- new_key_form(
    function(x) is_named_list_of(x, is_text),
    "names of columns with one text each", "{honey_kg: \"kg\"}"
  )
  column_values <- function(write) {
    new_key_form(
      function(x) is_named_list_of(x, are_texts),
      "names of columns with a list of texts each", write
    )
  }
  list(
    labels = column_texts,
    measures = column_texts,
    kinds = column_texts,
    categories = column_values("{season: [spring, summer]}"),
    ordered = column_values("{temper: [calm, hot]}"),
    codes_of_columns = new_key_form(
      function(x) is_named_list_of(x, are_codes),
      "names of columns with a list of codes each",
      "{mites_per_100: [\"n/a\", {refused: \"-8\"}]}"
    ),
    absent_codes = new_key_form(
      are_codes,
      "texts, as they stand in the file, or reasons with their codes",
      "[\"\", \"-9.0\", {refused: \"-8\"}]"
    ),
    design = new_key_form(
      function(x) {
        is_named_list_of(x, is_text) &&
          all(names(x) %in% c("cluster", "strata"))
      },
      "the columns of clusters and strata", "{cluster: hive, strata: apiary}"
    )
  )
}

# The study a plan names, read; and what is asked of it, for a run that reads
# only what it needs.
study_from_plan <- function(spec) study_of_request(request_from_plan(spec))

# told: arguments of study() that go before what the plan says.
request_from_plan <- function(spec, told = list()) {
  given <- arguments_from_plan(spec)
  given[names(told)] <- told
  if (!is.null(told$absent_codes)) given$codes_told <- TRUE
  do.call(new_study_request, given)
}

# Codes for absent as study() takes them: of all columns, and of single ones.
codes_from_plan <- function(spec) {
  flat <- function(x) {
    codes <- unlist(x)
    stats::setNames(as.character(codes), names(codes))
  }
  c(
    if (!is.null(spec$absent_codes)) list(flat(spec$absent_codes)),
    lapply(spec$codes_of_columns, flat)
  )
}

# The same as a plan holds them: a code with a reason is a key of its own.
codes_to_plan <- function(codes) {
  why <- code_reasons(codes)
  lapply(seq_along(codes), function(i) {
    code <- unname(codes[i])
    if (why[i] == "") code else stats::setNames(list(code), why[i])
  })
}

arguments_from_plan <- function(spec) {
  or <- function(value, usual) if (is.null(value)) usual else value
  texts <- function(x) as.character(unlist(x))
  codes <- codes_from_plan(spec)
  data <- if (is.null(spec$database)) {
    spec$file
  } else {
    named_database(spec$database, "In `database` of the study.")
  }
  list(
    data = data,
    unit = spec$unit,
    absent_codes = if (length(codes)) codes else c("", "NA"),
    codes_told = length(codes) > 0,
    kinds = as.list(spec$kinds),
    ordered = lapply(spec$ordered, texts),
    labels = as.list(spec$labels),
    measures = as.list(spec$measures),
    encoding = or(spec$encoding, "UTF-8"),
    decimal = spec$decimal,
    name = spec$name,
    delimiter = spec$delimiter,
    header = unlist(or(spec$header, TRUE)),
    sheet = spec$sheet,
    range = spec$range,
    table = if (is.null(spec$database)) spec$table,
    categories = lapply(spec$categories, texts),
    dictionary = spec$dictionary,
    thousands = spec$thousands,
    join = or(spec$join, "all"),
    source = if (is.list(spec$source)) unlist(spec$source) else spec$source,
    broken = or(spec$broken, "stop"),
    skip = spec$skip,
    comment = spec$comment,
    footer = spec$footer,
    ragged = or(spec$ragged, "stop"),
    by_file = lapply(spec$by_file, options_from_plan),
    design = as.list(spec$design),
    keep = spec$keep
  )
}

# Those of one file, as study() takes them.
options_from_plan <- function(spec) {
  codes <- codes_from_plan(spec)
  spec$codes_of_columns <- NULL
  if (length(codes)) spec$absent_codes <- codes
  if (!is.null(spec$header)) spec$header <- unlist(spec$header)
  spec
}
