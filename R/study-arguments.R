# Checks the arguments of study().

# Codes for all columns, and further ones for some: a list whose values without
# a name are for all. Those of `all` that say why, by their names, are the
# `reasons`.
codes_by_column <- function(codes) {
  if (!is.list(codes)) codes <- list(codes)
  named <- if (is.null(names(codes))) {
    rep(FALSE, length(codes))
  } else {
    names(codes) != ""
  }
  all <- if (any(!named)) {
    unlist(lapply(unname(codes[!named]), check_codes))
  } else {
    c("", "NA")
  }
  has_reason <- code_reasons(all) != ""
  list(
    all = unname(all[!has_reason]),
    reasons = all[has_reason],
    columns = lapply(codes[named], check_codes),
    given = any(!named)
  )
}

check_codes <- function(codes) {
  if (is.list(codes)) codes <- unlist(codes)
  if (is.numeric(codes) && !is.object(codes)) {
    codes <- vapply(codes, number_code, character(1))
  }
  if (!is.character(codes) || anyNA(codes)) {
    stop_neatly(
      "study",
      "`absent_codes` must be text or numbers.",
      NULL,
      "Write `absent_codes = c(\"\", \"NA\", \"-9\")`."
    )
  }
  if (anyDuplicated(codes)) {
    twice <- codes[duplicated(codes)][1]
    why <- unique(code_reasons(codes)[codes == twice])
    if (length(why) > 1) {
      stop_neatly(
        "study",
        paste0(
          "`absent_codes` gives the code ", quoted(twice), " two reasons: ",
          listed(quoted(why), last = "and"), "."
        ),
        NULL,
        "Give each code one reason."
      )
    }
    codes <- codes[!duplicated(codes)]
  }
  stats::setNames(
    as_utf8(unname(codes)), if (!is.null(names(codes))) as_utf8(names(codes))
  )
}

check_named <- function(value, argument) {
  value <- as.list(value)
  if (argument %in% c("labels", "measures") &&
    length(value) &&
    !all(vapply(value, is_text, NA))) {
    stop_neatly(
      "study",
      paste0("`", argument, "` must give one text for each column."),
      NULL,
      paste0(
        "For example `", argument, " = list(honey_kg = \"",
        if (argument == "labels") "Honey" else "kg", "\")`."
      )
    )
  }
  if (length(value) &&
    (is.null(names(value)) || any(is.na(names(value)) | names(value) == ""))) {
    example <- switch(argument,
      kinds = "hive = \"text\"",
      ordered = "temper = c(\"calm\", \"hot\")",
      measures = "honey_kg = \"kg\"",
      "honey_kg = \"Honey\""
    )
    stop_neatly(
      "study",
      paste0("`", argument, "` needs the name of a column for each value."),
      NULL,
      paste0("Write `", argument, " = list(", example, ")`.")
    )
  }
  value
}

check_design <- function(design) {
  is_right <- is.list(design) &&
    all(vapply(design, is_text, NA)) &&
    (!length(design) ||
      (!is.null(names(design)) &&
        !anyDuplicated(names(design)) &&
        all(names(design) %in% c("cluster", "strata"))))
  if (is_right) return(design)
  stop_neatly(
    "study",
    "`design` names the columns of clusters and strata.",
    NULL,
    "Write `design = list(cluster = \"hive\", strata = \"apiary\")`, or one of both."
  )
}

# A design whose columns are all there.
design_among <- function(design, columns) {
  if (all(unlist(design) %in% columns)) design else list()
}

check_decimal <- function(decimal) {
  if (is.null(decimal) || is_text(decimal) && decimal %in% c(".", ",")) {
    return(decimal)
  }
  stop_neatly(
    "study",
    "`decimal` is the mark before the decimals: \".\" or \",\".",
    NULL,
    "Write `decimal = \",\"` for numbers such as 31,5."
  )
}

# The mark between thousands, which is not the one before decimals.
check_marks <- function(thousands, decimal) {
  if (is.null(thousands)) return(NULL)
  if (is.null(decimal)) decimal <- if (identical(thousands, ".")) "," else "."
  check_thousands(thousands, decimal, "`thousands`", NULL, "study")
}

check_delimiter <- function(delimiter) {
  is_one <- is_text(delimiter) &&
    nchar(delimiter, "bytes") == 1 &&
    !delimiter %in% c("\"", "\n", "\r")
  if (is.null(delimiter) || is_one) return(delimiter)
  stop_neatly(
    "study",
    "`delimiter` is one character that parts the values of a file.",
    NULL,
    "Write `delimiter = \";\"`, or leave it out to have it found."
  )
}

check_header <- function(header) {
  if (is_flag(header) || identical(as.numeric(header), c(1, 2))) return(header)
  stop_neatly(
    "study",
    "`header` must be TRUE, FALSE or 1:2.",
    NULL,
    c(
      "Write `header = FALSE` for a file whose first line holds values,",
      "or `header = 1:2` where two lines name the columns together."
    )
  )
}

check_skip <- function(skip) {
  if (is.null(skip) || identical(skip, "until header")) return(skip)
  if (is_count_of_lines(skip)) return(as.integer(skip))
  stop_neatly(
    "study",
    "`skip` is how many lines stand above the header.",
    NULL,
    "Write `skip = 2`, or `skip = \"until header\"` to have it found."
  )
}

check_footer <- function(footer) {
  if (is.null(footer)) return(NULL)
  if (is_count_of_lines(footer) && footer > 0) return(as.integer(footer))
  usable <- is_text(footer) &&
    nzchar(footer) &&
    !is.na(suppressWarnings(tryCatch(
      grepl(footer, "", perl = TRUE),
      error = function(e) NA
    )))
  if (usable) return(footer)
  stop_neatly(
    "study",
    "`footer` is how many lines stand below the table.",
    NULL,
    "Write `footer = 2`, or a regular expression of the first of them: `\"^Total\"`."
  )
}
is_count_of_lines <- function(x) {
  is.numeric(x) &&
    length(x) == 1 &&
    is.finite(x) &&
    x >= 0 &&
    x == floor(x) &&
    x < 1e9
}

check_comment <- function(comment) {
  if (is.null(comment)) return("")
  if (is_text(comment) && nzchar(comment) && !grepl("[\"\r\n]", comment)) {
    return(comment)
  }
  stop_neatly(
    "study",
    "`comment` is the text with which lines begin that are left out.",
    NULL,
    "Write `comment = \"#\"`."
  )
}

check_name_text <- function(value, argument) {
  if (is.null(value) || is_text(value)) return(value)
  stop_neatly(
    "study",
    paste0("`", argument, "` must be one text."),
    NULL,
    switch(argument,
      name = "Write `name = \"Hives 2024\"`.",
      range = "Write `range = \"B2:F200\"`.",
      table = "Write `table = \"visits\"`.",
      "Write `row_names = \"car\"`."
    )
  )
}

check_one_of <- function(value, choices, argument) {
  if (is_text(value) && value %in% choices) return(value)
  stop_neatly(
    "study",
    paste0(
      "`", argument, "` must be ", listed(quoted(choices), last = "or"), "."
    ),
    NULL,
    paste0("Write `", argument, " = \"", choices[1], "\"`.")
  )
}

# The name of a column, or a pattern under the name of one.
check_source <- function(source) {
  if (is.null(source) || is_text(source) && nzchar(source)) return(source)
  stop_neatly(
    "study",
    "`source` must be the name of a column, or one pattern with a name.",
    NULL,
    c(
      "Write `source = \"file\"` for the names of the files,",
      "or `source = c(month = \"visits-(.*)[.]csv\")` for a part of them."
    )
  )
}

# Reading options of single files.
options_of_files <- c(
  "absent_codes", "kinds", "encoding", "decimal", "thousands", "delimiter",
  "header", "sheet", "range", "table", "skip", "comment", "footer", "ragged"
)
check_by_file <- function(by_file) {
  usage <- "Write `by_file = list(\"b.csv\" = list(decimal = \",\"))`."
  by_file <- as.list(by_file)
  if (!length(by_file)) return(by_file)
  is_named <- function(x) {
    length(x) > 0 && !is.null(names(x)) && all(nzchar(names(x)))
  }
  if (!is_named(by_file) ||
    !all(vapply(by_file, function(o) is.list(o) && is_named(o), NA))) {
    stop_neatly(
      "study",
      "`by_file` must be a list of options by the names of files.",
      NULL,
      usage
    )
  }
  strange <- setdiff(unlist(lapply(by_file, names)), options_of_files)
  if (length(strange)) {
    stop_neatly(
      "study",
      paste0(
        "`by_file` has the option `", strange[1], "`, which is none of a ",
        "single file."
      ),
      NULL,
      c(meant(strange[1], options_of_files), usage)
    )
  }
  by_file
}
