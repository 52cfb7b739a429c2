# Column dictionaries: Table Schema files (Frictionless Data, an open standard).

# What a dictionary says: for each field its kind, label, measure, categories,
# codes for absent and constraints; `codes` for all columns; `key`: the columns
# that name a row.
new_dictionary <- function(path, fields, codes, key) {
  new_record(
    "dictionary", list(path = path, fields = fields, codes = codes, key = key)
  )
}
new_dictionary_field <- function(
  name, kind, label, measure, description, categories, ordered, codes,
  constraints
) {
  new_record(
    "dictionary_field",
    list(
      name = name,
      kind = kind,
      label = label,
      measure = measure,
      description = description,
      categories = categories,
      ordered = ordered,
      codes = codes,
      constraints = constraints
    )
  )
}

read_dictionary <- function(path) {
  if (is.null(path)) return(NULL)
  where <- paste0("In dictionary ", quoted(path), ".")
  if (!is_text(path)) {
    stop_neatly(
      "study",
      "`dictionary` must be the path of a Table Schema file.",
      NULL,
      "Write a first draft with `write_dictionary(study, \"visits.schema.json\")`."
    )
  }
  check_path(path)
  spec <- tryCatch(
    jsonlite::fromJSON(path, simplifyVector = FALSE),
    error = function(e) {
      stop_neatly(
        "study",
        paste0(
          "The dictionary is no JSON: ", first_line(conditionMessage(e)), "."
        ),
        where,
        "Mend the file."
      )
    }
  )
  if (!is.null(spec[["resources"]])) spec <- spec[["resources"]][[1]]$schema
  if (!is.list(spec[["fields"]]) || !length(spec[["fields"]])) {
    stop_neatly(
      "study",
      "The dictionary has no list of `fields`.",
      where,
      "A Table Schema is `{\"fields\": [{\"name\": \"hive\", \"type\": \"string\"}]}`."
    )
  }
  fields <- lapply(spec[["fields"]], dictionary_field, where = where)
  names <- vapply(fields, `[[`, "", "name")
  if (anyDuplicated(names)) {
    stop_neatly(
      "study",
      paste0(
        "The dictionary describes `", names[anyDuplicated(names)], "` twice."
      ),
      where,
      "Leave one out."
    )
  }
  new_dictionary(
    path,
    stats::setNames(fields, names),
    missing_texts(spec[["missingValues"]]),
    unlist(spec[["primaryKey"]])
  )
}

# Missing values are texts, or since version 2 of the standard values with
# labels.
missing_texts <- function(values) {
  codes <- lapply(values, function(v) {
    if (!is.list(v)) return(as.character(v))
    stats::setNames(as.character(v$value), if (is_text(v$label)) v$label)
  })
  if (length(codes)) check_codes(unlist(unname(codes)))
}

dictionary_field <- function(spec, where) {
  if (!is_text(spec[["name"]])) {
    stop_neatly(
      "study",
      "A field of the dictionary has no name.",
      where,
      "For example `\"name\": \"hive\"`."
    )
  }
  limits <- if (is.list(spec[["constraints"]])) {
    spec[["constraints"]]
  } else {
    list()
  }
  given <- if (!is.null(spec[["categories"]])) {
    spec[["categories"]]
  } else {
    limits$enum
  }
  categories <- unlist(lapply(
    given, function(v) as.character(if (is.list(v)) v$value else v)
  ))
  text <- function(x) if (is_text(x)) x
  new_dictionary_field(
    spec[["name"]],
    kind_of_field(spec, categories),
    text(spec[["title"]]),
    text(spec[["measured_in"]]),
    text(spec[["description"]]),
    categories,
    isTRUE(spec[["categoriesOrdered"]]),
    if (!is.null(spec[["missingValues"]])) {
      missing_texts(spec[["missingValues"]])
    },
    limits
  )
}

kind_of_field <- function(spec, categories) {
  type <- if (is_text(spec[["type"]])) spec[["type"]] else "any"
  form <- spec[["format"]]
  form <- if (is_text(form) && grepl("%", form)) paste0(" ", form)
  switch(type,
    string = if (length(categories)) NULL else "text",
    number = "number",
    integer = "whole",
    boolean = "logical",
    date = paste0("date", form),
    datetime = paste0("date-time", form),
    NULL
  )
}

# What study() was told, with what the dictionary says where it was told
# nothing.
with_dictionary <- function(told, dictionary) {
  if (is.null(dictionary)) return(told)
  of <- function(what) compact(lapply(dictionary$fields, `[[`, what))
  under <- function(given, known) {
    c(given, known[setdiff(names(known), names(given))])
  }
  told$kinds <- under(told$kinds, of("kind"))
  told$labels <- under(told$labels, of("label"))
  told$measures <- under(told$measures, of("measure"))
  told$column_codes <- under(told$column_codes, of("codes"))
  if (!told$codes_given && length(dictionary$codes)) {
    codes <- codes_by_column(dictionary$codes)
    told$absent_codes <- codes$all
    told$reason_codes <- codes$reasons
    told$codes_given <- TRUE
  }
  told
}

# Only what a table has; what it lacks, and what the dictionary lacks, is said.
dictionary_for <- function(dictionary, names, notes) {
  if (is.null(dictionary)) return(NULL)
  where <- paste0("In dictionary ", quoted(dictionary$path), ".")
  missing <- setdiff(names(dictionary$fields), names)
  for (name in missing) {
    take_note(
      notes,
      paste0("The dictionary describes `", name, "`, which the table has not."),
      where,
      c(
        meant(name, setdiff(names, names(dictionary$fields))),
        "Mend the name, or take the field out."
      )
    )
  }
  extra <- setdiff(names, names(dictionary$fields))
  if (length(extra)) {
    take_note(
      notes,
      paste0("The dictionary says nothing of ", listed(ticked(extra), 6), "."),
      where,
      "`write_dictionary()` writes a draft with all columns."
    )
  }
  dictionary$fields <- dictionary$fields[intersect(
    names(dictionary$fields), names
  )]
  dictionary
}

# Columns whose dictionary lists their values become categories in that order;
# values it does not list stand behind them.
with_categories_of <- function(columns, dictionary, but) {
  for (field in dictionary$fields) {
    x <- columns[[field$name]]
    if (is.null(field$categories) ||
      field$name %in% but ||
      !(is.character(x) || is.factor(x))) {
      next
    }
    strange <- setdiff(unique(as.character(x[!is.na(x)])), field$categories)
    columns[[field$name]] <- factor(
      as.character(x),
      c(field$categories, strange),
      ordered = field$ordered && !length(strange)
    )
  }
  columns
}

# Values that break a constraint, each kind of breach with its count and first
# rows.
note_breaches <- function(columns, dictionary, notes) {
  where <- paste0("In dictionary ", quoted(dictionary$path), ".")
  for (field in dictionary$fields) {
    x <- columns[[field$name]]
    if (is.null(x) || !is.null(dim(x))) next
    breaches <- field_breaches(x, field)
    for (said in names(breaches)) {
      rows <- breaches[[said]]
      if (!length(rows)) next
      shown <- utils::head(rows, 4)
      values <- if (said != "is absent") {
        paste0(quoted(as.character(x[shown])), " ")
      }
      take_note(
        notes,
        paste0(
          "Column `", field$name, "`: ", counted(length(rows), "value"), " ",
          breach_words(said, field, length(rows)), ": ",
          listed(c(
            paste0(values, "on row ", format_count(shown)),
            if (length(rows) > 4) paste(length(rows) - 4, "more")
          )),
          "."
        ),
        where,
        c(
          if (said == "listed") {
            meant(as.character(x[rows[1]]), field$categories, quoted)
          },
          "Mend the data, or the dictionary where it is too strict."
        )
      )
    }
  }
}

breach_words <- function(said, field, n) {
  limits <- field$constraints
  verb <- function(one, many) if (n == 1) one else many
  switch(said,
    `is absent` = paste(
      verb("is", "are"), "absent, which the dictionary does not allow"
    ),
    repeats = paste(
      verb("repeats", "repeat"), "another, where each must be unique"
    ),
    below = paste(verb("is", "are"), "below the minimum", limits$minimum),
    above = paste(verb("is", "are"), "above the maximum", limits$maximum),
    pattern = paste0(
      verb("does", "do"), " not match the pattern ", quoted(limits$pattern)
    ),
    listed = paste(verb("is", "are"), "none of those listed")
  )
}

# Rows of each breach. An end is a number, or a date as text.
field_breaches <- function(x, field) {
  limits <- field$constraints
  end <- function(value) {
    if (is.null(value)) return(NULL)
    if (inherits(x, "Date")) {
      iso_days(value)
    } else if (inherits(x, "POSIXct")) {
      iso_seconds(value)
    } else {
      suppressWarnings(as.numeric(value))
    }
  }
  numbers <- if (is.numeric(x) || inherits(x, c("Date", "POSIXct"))) {
    as.numeric(x)
  }
  text <- as.character(x)
  there <- which(!is.na(x))
  list(
    `is absent` = if (isTRUE(limits$required)) which(is.na(x)),
    repeats = if (isTRUE(limits$unique)) there[duplicated(x[there])],
    below = if (length(numbers) && !is.null(end(limits$minimum))) {
      which(numbers < end(limits$minimum))
    },
    above = if (length(numbers) && !is.null(end(limits$maximum))) {
      which(numbers > end(limits$maximum))
    },
    pattern = if (is_text(limits$pattern)) {
      there[!grepl(
        paste0("^(?:", limits$pattern, ")$"),
        text[there],
        perl = TRUE
      )]
    },
    listed = if (length(field$categories) && !is.numeric(x)) {
      there[!text[there] %in% field$categories]
    }
  )
}
