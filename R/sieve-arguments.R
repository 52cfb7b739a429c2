# Finds names that were meant as arguments of a step and would otherwise become
# columns, statistics or conditions.

# The arguments of a step's function.
arguments_of_kind <- function(kind) {
  setdiff(names(formals(get(kind, envir = topenv(), mode = "function"))), "...")
}

# Arguments of similar steps: tables, row steps, or column steps.
sister_arguments <- function(kind) {
  family <- function(k) if (k == "condense") "records" else step_effects[[k]]
  kinds <- Filter(function(k) !startsWith(k, "chart_"), step_kinds())
  sisters <- Filter(
    function(k) family(k) == family(kind) && !is_declaration_kind(k), kinds
  )
  unlist(lapply(stats::setNames(nm = sisters), arguments_of_kind))
}
is_declaration_kind <- function(kind) {
  identical(step_effects[[kind]], "declares")
}

# What words of the trade, and of R, are called here, as code of an argument.
argument_words <- c(
  facet = "panels", facets = "panels", panel = "panels", group = "by",
  groups = "by", grouping = "by", sort = "order", wide = "shape",
  long = "shape", rename = "renamed", color = "colour", colors = "colour",
  weight = "weights", condition = "where", missing = "absent"
)

# Whether something is written as arguments are: a fixed value, a list, or bare
# names.
is_fixed_value <- function(lang) {
  if (call_name(lang) %in% c("c", "list")) {
    return(all(vapply(given_arguments(lang), is_fixed_value, NA)))
  }
  if (call_name(lang) == "-" && length(lang) == 2) lang <- lang[[2]]
  !is.call(lang) && !is.symbol(lang)
}
is_bare_names <- function(lang) {
  is.symbol(lang) ||
    call_name(lang) == "list" ||
    (call_name(lang) == "c" &&
      all(vapply(given_arguments(lang), is_bare_names, NA)))
}
is_written_condition <- function(lang) {
  call_name(lang) %in%
    c(
      comparisons, "&", "|", "!", "%in%", "absent", "present", "between",
      "contains", "matches"
    )
}

# An error where a name of a step's `...` is an argument of this or a sister
# step, or nearly.
guard_argument_names <- function(kind, values) {
  names <- names(values)
  for (i in which(nzchar(names))) {
    lang <- if (inherits(values[[i]], "neatsieve_expression")) {
      values[[i]]$lang
    } else {
      values[[i]]
    }
    if (is.list(lang)) {
      lang <- if (length(lang) == 1) lang[[1]] else as.call(c(quote(c), lang))
    }
    if (names[i] != lang_text(lang)) guard_argument_name(kind, names[i], lang)
  }
}

guard_argument_name <- function(kind, name, lang) {
  own <- arguments_of_kind(kind)
  if (name == "na.rm") stop_for_argument(kind, name, left_out_already(kind))
  if (name %in% own) return(stop_for_own_argument(kind, name))
  guard_argument_of_groups(kind, name, lang)
  fixed <- is_fixed_value(lang)
  if (!fixed && !is_bare_names(lang)) return(invisible())
  word <- argument_words[name]
  if (!is.na(word) && word %in% c(own, "panels", "colour")) {
    stop_for_argument(kind, name, instead_of_word(kind, name, word, lang))
  }
  tabular <- kind == "condense" || identical(step_effects[[kind]], "records")
  near <- near_argument(name, c(own, if (tabular) c("weights", "where")))
  if (length(near) && !near %in% own) {
    return(guard_argument_name(kind, near, lang))
  }
  if (length(near)) {
    stop_for_argument(
      kind, name, paste0("Did you mean `", near, " = ", lang_text(lang), "`?")
    )
  }
  guard_sister_argument(kind, name, lang)
}

# `by`, `where` and `weights` where a step has none.
guard_argument_of_groups <- function(kind, name, lang) {
  fixed <- is_fixed_value(lang)
  if (name == "by" && (fixed || is_bare_names(lang))) {
    stop_for_argument(kind, name, without_by(kind, lang))
  }
  is_plain <- fixed || is.symbol(lang)
  if (name == "where" && (is_plain || is_written_condition(lang))) {
    stop_for_argument(kind, name, without_where(kind, lang))
  }
  if (name == "weights" && is_plain) {
    stop_for_argument(kind, name, without_weights(lang))
  }
}

# An argument that a sister of the step has.
guard_sister_argument <- function(kind, name, lang) {
  sisters <- sister_arguments(kind)
  if (!name %in% sisters) return(invisible())
  if (!is_fixed_value(lang) && call_name(lang) != "list") return(invisible())
  has <- sub("[.][^.]*$", "", names(sisters)[match(name, sisters)])
  instead <- if (kind == "counts" && name == "total") {
    "A wide table has its sums already: leave it out."
  } else {
    paste0("Leave it out, or choose another name than `", name, "`.")
  }
  stop_for_argument(
    kind, name, c(paste0("`", sub("[0-9]+$", "", has), "()` has one."), instead)
  )
}

# The argument that a name is one letter off, or two letters turned round.
near_argument <- function(name, own) {
  own <- own[nchar(own) > 3]
  if (nchar(name) < 3 || !length(own)) return(character())
  apart <- core_text_distance(list(utf8ToInt(name)), lapply(own, utf8ToInt))
  turned <- vapply(own, function(o) {
    nchar(o) == nchar(name) &&
      sum(utf8ToInt(o) != utf8ToInt(name)) == 2 &&
      identical(sort(utf8ToInt(o)), sort(utf8ToInt(name)))
  }, NA)
  utils::head(own[apart == 1 | turned], 1)
}

stop_for_argument <- function(kind, name, instead) {
  stop_neatly(
    "step",
    paste0("`", kind, "()` has no argument `", name, "`."),
    NULL,
    instead
  )
}
stop_for_own_argument <- function(kind, name) {
  stop_neatly(
    "step",
    paste0(
      "`", name, "` is an argument of `", kind, "()`, so nothing can be ",
      "called that here."
    ),
    NULL,
    "Choose another name."
  )
}

left_out_already <- function(kind) {
  c(
    "Absent values are left out already, and counted: leave `na.rm` out.",
    if ("absent" %in% arguments_of_kind(kind)) {
      "To make a result absent instead write `absent = \"carry\"`."
    }
  )
}

without_by <- function(kind, lang) {
  if (kind %in% c("include", "exclude", "subsets", "criteria")) {
    return(paste0(
      "Groups stand in the aggregate of a condition, as in `honey_kg > ",
      "mean(honey_kg, ",
      "by = ", lang_text(lang), ")`."
    ))
  }
  "Leave it out."
}

without_where <- function(kind, lang) {
  if (is_fixed_value(lang)) return("`where` is a condition; leave it out.")
  words <- if (is.symbol(lang)) {
    lang_text(lang)
  } else {
    paste0("(", lang_text(lang), ")")
  }
  switch(if (kind %in% c("include", "exclude", "subsets", "criteria")) {
    "condition"
  } else {
    kind
  },
  condition = paste0(
    "Write the condition itself: `", kind, "(", lang_text(lang), ")`."
  ),
  condense = ,
  absences = paste0(
    "Keep those rows before with `include(", lang_text(lang), ")`."
  ),
  paste0(
    "For such rows alone write `first_true(", lang_text(lang),
    ", value)`, or keep them before with `include(", lang_text(lang), ")`."
  )
  )
}

without_weights <- function(lang) {
  paste0(
    "Weights stand in the aggregate, as in `mean(honey_kg, weights = ",
    lang_text(lang), ")`."
  )
}

instead_of_word <- function(kind, name, word, lang) {
  if (!word %in% arguments_of_kind(kind)) {
    return(paste0("Charts have it: `", word, "`."))
  }
  value <- if (word == "shape") paste0("\"", name, "\"") else lang_text(lang)
  paste0("Write `", word, " = ", value, "`.")
}

# Refuses arguments that a function does not have.
refuse_arguments <- function(kind, dots) {
  if (!length(dots)) return(invisible())
  names <- if (is.null(names(dots))) rep("", length(dots)) else names(dots)
  named <- which(nzchar(names))
  own <- arguments_of_kind(kind)
  if (length(named)) {
    lang <- dots[[named[1]]]
    guard_argument_name(kind, names[named[1]], lang)
    stop_for_argument(
      kind,
      names[named[1]],
      c(
        meant(names[named[1]], own),
        paste0("Arguments: ", listed(ticked(own), 20), ".")
      )
    )
  }
  stop_neatly(
    "step",
    paste0(
      "`", kind, "()` was given ", lang_text(dots[[1]]),
      ", which is one value more than it takes."
    ),
    NULL,
    paste0(
      "Its arguments are ", listed(ticked(own), 20),
      "; several columns stand in ", "`c()`."
    )
  )
}

# Picks of a step's `...`, of which none has a name. Only pick_columns()
# renames.
capture_step_picks <- function(kind, dots, env) {
  guard_argument_names(kind, as.list(dots))
  named <- names(dots)[nzchar(names(dots))]
  own <- arguments_of_kind(kind)
  if (length(named) && !"renamed" %in% own) {
    stop_for_argument(
      kind, named[1], paste0("Arguments: ", listed(ticked(own), 20), ".")
    )
  }
  capture_picks(dots, env)
}
