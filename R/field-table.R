# Fields of steps that read another table: the table, and the key.

# Another table: the path of a file, in full, or a value of the session and how
# that was called; or one in a database that a plan can name, by the keys of
# `database`; or files that are read in another than the usual way, by the keys
# of a plan's study, with paths in full.
new_other_table <- function(
  path = NULL, value = NULL, called = NULL, database = NULL, study = NULL
) {
  new_record(
    "other_table",
    list(
      path = path,
      value = value,
      called = called,
      database = database,
      study = study
    )
  )
}

checked_table <- function(value, argument, kind) {
  if (inherits(value, "neatsieve_other_table")) return(value)
  usage <-
    "Give a data frame, a study, siftings, or the path of a file: `\"apiaries.csv\"`."
  if (is.null(value)) {
    stop_neatly("step", paste0("`", kind, "()` needs a table."), NULL, usage)
  }
  stop_neatly(
    "step",
    paste0(
      "`", kind, "()` takes no value of class ", class(value)[1],
      " as its table."
    ),
    NULL,
    usage
  )
}

# The table of a call: `value` is what its argument held.
capture_table <- function(value, called) {
  if (is_text(value)) return(new_other_table(path = full_path(value)))
  if (is.character(value) && length(value) > 1) value <- study(value)
  if (inherits(value, "neatsieve_database")) value <- study(value)
  if (inherits(value, "neatsieve_siftings")) value <- as_study(value)
  if (is.data.frame(value) || inherits(value, "neatsieve_study")) {
    return(new_other_table(
      value = value,
      called = paste(deparse(called), collapse = " "),
      database = named_place(value),
      study = named_files(value)
    ))
  }
  value
}

# Where a table of a database is, as a plan tells it; NULL for one that a plan
# cannot name, or of which more is told than that.
named_place <- function(value) {
  relation <- if (inherits(value, "neatsieve_study")) {
    unclass(value)$database$relation
  }
  if (is.null(relation)) return(NULL)
  base <- relation$base
  place <- live_dialect(relation$dialect)$place()
  is_plain <- !is.null(base$table) &&
    !length(base$told_kinds) &&
    !length(unlist(base$told_codes)) &&
    !any(vapply(
      base$columns, function(column) column$type$kind == "category", NA
    ))
  if (is.null(place) || !is_plain) return(NULL)
  if (!is.null(place$file)) place$file <- normalizePath(place$file, "/")
  table <- if (length(base$table) == 1) base$table else as.list(base$table)
  c(
    place, list(table = table),
    if (length(base$told_key)) list(key = base$told_key)
  )
}

# How the files of a study are read, as a plan tells it; NULL for a table that
# is none.
named_files <- function(value) {
  study <- if (inherits(value, "neatsieve_study")) unclass(value)
  if (is.null(study$source) ||
    !is.null(study$database) ||
    !is.null(study$loaded_from)) {
    return(NULL)
  }
  with_full_paths(study_plan(value, identity))
}

# The keys of a plan's study with paths in full, several files as `file`, too.
with_full_paths <- function(spec) {
  spec$file <- vapply(
    c(spec[["file"]], unlist(spec$files)),
    full_path,
    "",
    USE.NAMES = FALSE
  )
  spec$files <- NULL
  if (!is.null(spec$dictionary)) spec$dictionary <- full_path(spec$dictionary)
  spec
}
# The same paths relative to the plan.
with_plan_paths <- function(spec) {
  if (length(spec$file) > 1) spec$files <- lapply(spec$file, plan_path)
  spec$file <- if (length(spec$file) == 1) plan_path(spec$file)
  if (!is.null(spec$dictionary)) spec$dictionary <- plan_path(spec$dictionary)
  spec[order(!names(spec) %in% c("file", "files"))]
}

table_name <- function(table) {
  if (!is.null(table$path)) return(basename(table$path))
  if (!is.null(table$study) && is.null(table$value)) {
    return(name_of_spec(table$study))
  }
  if (!is.null(table$database)) {
    return(paste(unlist(table$database$table), collapse = "."))
  }
  if (grepl("^[A-Za-z0-9._$]+$", table$called)) {
    table$called
  } else {
    "a table of the session"
  }
}

name_of_spec <- function(spec) {
  if (!is.null(spec$name)) return(spec$name)
  if (length(spec$file) == 1) {
    basename(spec$file)
  } else {
    name_of_files(new_files(spec$file, spec$file))
  }
}

field_table <- function() {
  new_field(
    key = "table",
    is_needed = TRUE,
    schema = schema_ref("other_table"),
    check = checked_table,
    to_plan = table_to_plan,
    from_plan = table_from_plan,
    to_code = table_to_code
  )
}

table_to_plan <- function(value) {
  if (!is.null(value$study)) return(with_plan_paths(value$study))
  if (!is.null(value$database)) {
    database <- value$database
    if (!is.null(database$file)) database$file <- plan_path(database$file)
    return(list(database = database))
  }
  if (!is.null(value$path)) return(plan_path(value$path))
  file <- gsub("[^A-Za-z0-9]+", "-", value$called)
  stop_neatly(
    "plan",
    paste0(
      "The table `", value$called,
      "` is a value of the session, which a plan cannot name."
    ),
    NULL,
    paste0("Save it to a file and give the step its path: `\"", file, ".csv\"`.")
  )
}

table_from_plan <- function(spec, context, key) {
  beside <- function(path) {
    folder <- dirname(context$plan$path)
    full_path(if (is_full_path(path)) path else file.path(folder, path))
  }
  if (is.list(spec) && identical(names(spec), "database") &&
    is.list(spec$database)) {
    database <- spec$database
    check_database_keys(database, context$where)
    if (is_text(database$file)) database$file <- beside(database$file)
    return(new_other_table(called = database$table, database = database))
  }
  if (is.list(spec) && any(c("file", "files") %in% names(spec))) {
    keys <- c(as.list(context$keys), key)
    study <- plan_study(spec, context$plan, keys, "table")
    return(new_other_table(study = with_full_paths(study)))
  }
  if (is_text(spec)) return(new_other_table(path = beside(spec)))
  stop_neatly(
    "plan",
    "`table` must be the path of a file, or name a database.",
    context$where,
    c(
      "Write `table: apiaries.csv`; paths are relative to the plan.",
      "Or `table: {file: apiaries.csv, decimal: \",\"}`, as of `study`.",
      paste0(
        "Or `table: {database: {driver: sqlite, file: hives.sqlite, ",
        "table: apiaries}}`."
      )
    )
  )
}

table_to_code <- function(value) {
  if (!is.null(value$database) && is.null(value$value)) {
    table <- deparse1(unlist(value$database$table))
    return(paste0("database(con, ", table, ")"))
  }
  if (!is.null(value$study) && is.null(value$value)) {
    return(arguments_in_r("study", study_arguments_in_r(value$study)))
  }
  if (is.null(value$path)) return(value$called)
  deparse1(path_from_here(value$path))
}

# Columns here by which rows belong to rows of a table, and what they are called
# there.
capture_match <- function(lang, env, kind) {
  usage <-
    "For example `key = hive`, `key = c(apiary, hive)`, or `key = list(hive = \"hive_id\")`."
  if (is.null(lang)) {
    stop_neatly("step", paste0("`", kind, "()` needs a key."), NULL, usage)
  }
  lang <- splice(lang, env)
  if (is.character(lang)) {
    return(checked_match(stats::setNames(lang, lang), kind))
  }
  items <- if (call_name(lang) %in% c("c", "list")) {
    given_arguments(lang)
  } else {
    list(lang)
  }
  there <- vapply(items, function(item) {
    if (is.symbol(item)) return(as.character(item))
    if (is_text(item)) return(item)
    stop_neatly(
      "step",
      paste0(
        "`", lang_text(item), "` in the key of `", kind,
        "()` is not the name of a column."
      ),
      NULL,
      usage
    )
  }, "")
  here <- if (is.null(names(items))) rep("", length(items)) else names(items)
  checked_match(stats::setNames(there, ifelse(here == "", there, here)), kind)
}

checked_match <- function(key, kind) {
  if (!length(key) || anyDuplicated(names(key))) {
    stop_neatly(
      "step",
      paste0(
        "The key of `", kind, "()` ",
        if (length(key)) {
          paste0("names `", names(key)[anyDuplicated(names(key))], "` twice.")
        } else {
          "is empty."
        }
      ),
      NULL,
      "Name each column once."
    )
  }
  key
}

field_match <- function() {
  new_field(
    key = "key",
    is_needed = TRUE,
    schema = schema_ref("match"),
    to_plan = function(value) {
      if (identical(unname(value), names(value))) {
        as.list(names(value))
      } else {
        as.list(value)
      }
    },
    from_plan = function(spec, context, key) {
      parts <- unlist(plan_items(spec))
      if (is.list(spec) && !is.null(names(spec))) parts <- unlist(spec)
      if (!is.character(parts)) {
        stop_neatly(
          "plan",
          "`key` names columns.",
          context$where,
          "For example `key: hive`, `key: [apiary, hive]` or `key: {hive: hive_id}`."
        )
      }
      if (is.null(names(parts))) names(parts) <- parts
      checked_match(parts, context$kind)
    },
    to_code = function(value) {
      same <- unname(value) == names(value)
      here <- vapply(names(value), function(n) lang_text(as.name(n)), "")
      if (length(value) == 1 && same) return(here)
      if (all(same)) return(arguments_in_r("c", unname(here)))
      arguments_in_r(
        "list", stats::setNames(vapply(value, deparse1, ""), names(value))
      )
    }
  )
}

match_words <- function(key) {
  listed(
    ifelse(key == names(key), key, paste0(names(key), " (there ", key, ")")), 8
  )
}
