# Values in plans.

# What a step's item may hold: checks its keys and gives it as a list.
plan_arguments <- function(spec, known, context) {
  if (is.null(spec)) return(list())
  if (!is.list(spec) || is.null(names(spec))) {
    stop_neatly(
      "plan",
      paste0("`", context$kind, "` needs keys with values."),
      context$where,
      paste0("Known keys: ", listed(ticked(known), 20), ".")
    )
  }
  check_keys_of(
    spec, known, context$plan, context$keys, paste0("step `", context$kind, "`")
  )
  spec
}

plan_items <- function(spec) {
  if (is.list(spec) && is.null(names(spec))) {
    spec
  } else if (is.null(spec)) {
    list()
  } else if (is.list(spec)) {
    list(spec)
  } else {
    as.list(spec)
  }
}

plan_picks <- function(spec, context) {
  lapply(plan_items(spec), function(text) {
    if (is.numeric(text)) return(text)
    if (!is_text(text)) {
      stop_neatly(
        "plan",
        "A column pick must be text or a position.",
        context$where,
        picks_usage()
      )
    }
    # A pattern or a name that is no R expression stands for itself.
    lang <- tryCatch(str2lang(text), error = function(e) text)
    if (grepl("^[^(\"`]*[*?][^(\"`]*$", text)) lang <- text
    lang
  })
}

# One or more names with their conditions below one dash.
add_named <- function(item, add, context) {
  if (is.null(names(item)) || any(names(item) == "")) {
    stop_neatly(
      "plan",
      "A condition must be one text, or a name with one.",
      context$where,
      "Write `- heavy: weight > 30`."
    )
  }
  for (n in names(item)) add(n, item[[n]])
}

plan_conditions <- function(spec, context) {
  conditions <- list()
  add <- function(name, text) {
    expression <- plan_expression(
      text, context$plan, c(context$keys, list(text))
    )
    conditions[[length(conditions) + 1]] <<- expression
    names(conditions)[length(conditions)] <<- name
  }
  if (is.list(spec) && !is.null(names(spec))) {
    for (n in names(spec)) add(n, spec[[n]])
  } else {
    for (item in plan_items(spec)) {
      if (is.list(item)) add_named(item, add, context) else add("", item)
    }
  }
  conditions
}

# A mapping of names to expressions.
plan_expressions <- function(spec, context, key) {
  if (is.null(spec)) return(NULL)
  if (!is.list(spec) || is.null(names(spec)) || any(names(spec) == "")) {
    stop_neatly(
      "plan",
      paste0(
        "`", context$kind, "` must give a name to each of its ", "expressions."
      ),
      context$where,
      "For example `honey_share: honey_kg / hive_weight_kg` below it."
    )
  }
  Map(
    function(n, text) {
      plan_expression(text, context$plan, c(context$keys, list(n)))
    },
    names(spec),
    spec
  )
}

show_from_plan <- function(show, context) {
  if (is.null(show)) return(NULL)
  show <- as.list(show)
  names <- if (is.null(names(show))) rep("", length(show)) else names(show)
  read <- lapply(seq_along(show), function(i) {
    if (names[i] == "" && grepl("^[a-z_0-9]+$", show[[i]])) {
      return(show_word(show[[i]]))
    }
    plan_expression(show[[i]], context$plan, context$keys)
  })
  stats::setNames(read, ifelse(names == "", unlist(show), names))
}

plan_setting <- function(name, value, plan) {
  # The line is searched only if something is wrong.
  delayedAssign("where", plan_where(plan, "settings", name))
  if (is.list(value)) {
    value <- lapply(
      value,
      function(v) {
        if (is_text(v) && grepl("^as_number\\(", v)) setting_value(v) else v
      }
    )
    kinds <- unique(vapply(value, function(v) {
      if (is.numeric(v)) {
        "numbers"
      } else if (is.logical(v)) {
        "true or false"
      } else if (is.character(v)) {
        "text"
      } else {
        "other"
      }
    }, ""))
    if (length(kinds) > 1) {
      stop_neatly(
        "plan",
        paste0("Setting `", name, "` lists ", listed(kinds), "."),
        where,
        "List values of one kind; put quotes around text."
      )
    }
    value <- unlist(value)
  }
  value <- setting_value(value)
  tryCatch(
    check_setting(name, value),
    neatsieve_error = function(e) {
      stop_neatly(
        "plan",
        paste0(
          "Setting `", name,
          "` must be a number, text, true or false, or a list of these."
        ),
        where
      )
    }
  )
}

# Dates, date-times and infinite numbers are written as the language writes
# them: as_date("2024-05-01"); a text that reads like one of these is written
# as_text("as_date(...)").
setting_value <- function(value) {
  if (!is.character(value) || !length(value)) return(value)
  inner <- function(word) {
    sub(
      paste0("^", word, "\\((['\"])(.*?)\\1.*\\)$"),
      "\\2",
      value,
      perl = TRUE
    )
  }
  every <- function(word) all(grepl(paste0("^", word, "\\(.*\\)$"), value))
  if (every("as_date")) {
    days <- iso_days(inner("as_date"))
    if (!anyNA(days)) return(structure(days, class = "Date"))
  }
  if (every("as_number")) {
    numbers <- c("Inf" = Inf, "-Inf" = -Inf)[inner("as_number")]
    if (!anyNA(numbers)) return(unname(numbers))
  }
  if (every("as_text")) {
    texts <- lapply(
      value, function(v) tryCatch(str2lang(v)[[2]], error = function(e) NULL)
    )
    if (all(vapply(texts, is_text, NA))) return(as_utf8(unlist(texts)))
  }
  if (every("as_date_time")) {
    seconds <- iso_seconds(inner("as_date_time"), "UTC")
    zone <- sub(
      "^as_date_time\\([^,]*(, ?['\"](.*)['\"])?\\)$", "\\2", value[1]
    )
    if (!anyNA(seconds)) return(.POSIXct(seconds, tz = zone))
  }
  value
}

with_functions <- function(expression, functions) {
  expression$functions <- functions
  expression
}

plan_expression <- function(text, plan, keys) {
  delayedAssign("where", do.call(plan_where, c(list(plan), as.list(keys))))
  if (is.logical(text) && length(text) == 1) {
    text <- if (text) "TRUE" else "FALSE"
  }
  if (is.numeric(text) && length(text) == 1) text <- number_code(text)
  if (!is_text(text)) {
    stop_neatly(
      "plan",
      "A condition must be one text.",
      where,
      "For example `name: honey_kg > 5`."
    )
  }
  tryCatch(
    with_functions(expression_from_text(text, where), plan$functions),
    neatsieve_error_expression = function(e) {
      stop_neatly(
        "plan",
        gsub("\\s*\n\\s*", " ", e$message),
        where,
        "Check quotes and parentheses."
      )
    }
  )
}

check_keys_of <- function(spec, known, plan, keys, what = "plan") {
  for (key in setdiff(names(spec), known)) {
    stop_neatly(
      "plan",
      paste0("Unknown key `", key, "` in the ", what, "."),
      do.call(plan_where, c(list(plan), as.list(keys), list(key))),
      c(
        meant(key, known),
        paste0("Known keys: ", listed(ticked(known), 20), ".")
      )
    )
  }
}

plan_value <- function(v) {
  # Texts that would be read as something else, and those beside them.
  taken <- is.character(v) &&
    any(grepl("^as_(date|date_time|number|text)\\(", v))
  one <- function(x) {
    if (inherits(x, "Date")) return(value_code(x))
    if (inherits(x, "POSIXct")) return(date_time_code(x))
    if (taken) return(paste0("as_text(", deparse1(x), ")"))
    x
  }
  if (length(v) == 1) one(v) else lapply(seq_along(v), function(i) one(v[i]))
}

check_setting <- function(name, value) {
  if (is.factor(value)) value <- as.character(value)
  kind <- if (is.null(value) || !is.atomic(value)) {
    "other"
  } else {
    kind_of_vector(value)
  }
  if (kind == "other" || !length(value) || anyNA(value)) {
    stop_neatly(
      "step",
      paste0(
        "Setting `", name,
        "` must be a number, text, logical or date, and present."
      ),
      NULL,
      "For example `settings(min_weight = 20)`."
    )
  }
  if (is.character(value)) as_utf8(value) else value
}

# A path in a plan, which is written relative to the plan's folder.
plan_path <- function(path) structure(path, class = "neatsieve_path")
relative_paths <- function(plan, folder) {
  rapply(
    plan,
    function(path) relative_path(path, folder),
    classes = "neatsieve_path",
    how = "replace"
  )
}
