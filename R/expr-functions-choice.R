# Choosing between values.

type_first_true <- function(lang, typing) {
  given <- given_arguments(lang)
  names <- if (is.null(names(given))) rep("", length(given)) else names(given)
  usage <-
    "It is used as `first_true(cond, value, cond, value, ..., if_none = , if_unknown = )`."
  strange <- setdiff(names, c("", "if_none", "if_unknown"))
  if (length(strange)) {
    stop_neatly(
      "expression",
      paste0("`first_true()` has no argument `", strange[1], "`."),
      where_of(typing),
      usage
    )
  }
  pairs <- given[names == ""]
  if (!length(pairs) || length(pairs) %% 2) {
    stop_neatly(
      "expression",
      "`first_true()` needs a value for each condition.",
      c(
        where_of(typing),
        paste0("It was given ", counted(length(pairs), "value"), ".")
      ),
      c(usage, "The value for all other rows is named: `if_none = `.")
    )
  }
  conditions <- lapply(pairs[c(TRUE, FALSE)], function(l) {
    node <- settled(type_language(l, typing), new_type("logical"), typing)
    if (node$kind != "logical") {
      wrong_kind("first_true", node, takes("logical"), typing)
    }
    node
  })
  values <- lapply(pairs[c(FALSE, TRUE)], type_one_value, typing = typing)
  other <- lapply(
    stats::setNames(nm = c("if_none", "if_unknown")),
    function(name) {
      if (name %in% names) {
        type_one_value(given[[name]], typing)
      } else {
        typed_constant(NA, typing)
      }
    }
  )
  type <- common_type(c(values, other), typing, "`first_true()`")
  pairs <- stats::setNames(
    c(rbind(conditions, values)), rep(c("cond", "value"), length(values))
  )
  call_node("first_true", c(pairs, other), type)
}

type_one_value <- function(lang, typing) {
  node <- type_language(lang, typing)
  if (length(node$value) > 1) {
    stop_neatly(
      "expression",
      paste0("`", node$text, "` is a list of values."),
      where_of(typing),
      "Give one value."
    )
  }
  node
}

# Values of one common kind, in registers of one type; codes in one dictionary.
emit_alike <- function(nodes, b, kind) {
  values <- lapply(nodes, function(n) {
    if (n$kind == "absent" || isTRUE(n$empty)) {
      emit_absent(kind, b)
    } else {
      emit_node(n, b)
    }
  })
  if (values[[1]]$type == "code") one_dictionary(values, b) else values
}

define_function(
  "first_true",
  "choosing",
  list(
    cond = takes("logical"),
    value = takes("any"),
    if_none = takes("any"),
    if_unknown = takes("any")
  ),
  "same",
  function(args, b, node) {
    conditions <- args[names(args) == "cond"]
    values <- emit_alike(
      c(args[names(args) == "value"], args[c("if_none", "if_unknown")]),
      b,
      node$kind
    )
    n <- length(conditions)
    op <- switch(values[[1]]$type,
      number = "choose_number",
      code = "choose_code",
      three = "choose_three"
    )
    result <- values[[n + 1]]
    # The first condition that is not no decides.
    for (i in rev(seq_len(n))) {
      condition <- emit_node(conditions[[i]], b)$reg
      either <- emit(b, op, condition, values[[i]]$reg, result$reg)
      open <- emit(b, "is_unknown", condition)
      result <- value_of(
        emit(b, op, open, values[[n + 2]]$reg, either),
        result$type,
        result$texts
      )
    }
    result
  },
  type = type_first_true,
  usage = "first_true(cond, value, cond, value, ..., if_none = NA, if_unknown = NA)",
  help = paste0(
    "The value beside the first condition that is not no: where it is yes its ",
    "value, ",
    "where it is unknown `if_unknown`; `if_none` where all are no."
  ),
  absent = "a condition that is unknown decides: absent, or `if_unknown`; a note counts such rows",
  example = paste0(
    "first_true(mites_per_100 > 5, \"high\", mites_per_100 > 2, \"some\", ",
    "if_none ",
    "= \"low\")"
  )
)

define_function(
  "first_present",
  "choosing",
  list(... = rest_of("any")),
  "same",
  function(args, b, node) {
    values <- emit_alike(rest_args(args), b, node$kind)
    result <- values[[length(values)]]
    op <- switch(result$type,
      number = "fill_number",
      code = "fill_code",
      three = "fill_three"
    )
    for (i in rev(seq_along(
      values
    ))[-1]) {
      result <- value_of(
        emit(b, op, values[[i]]$reg, result$reg), result$type, result$texts
      )
    }
    result
  },
  type = function(lang, typing) {
    nodes <- lapply(
      unname(given_arguments(lang)),
      type_one_value,
      typing = typing
    )
    if (!length(nodes)) {
      stop_neatly(
        "expression",
        "`first_present()` needs at least one value.",
        where_of(typing)
      )
    }
    call_node(
      "first_present",
      as_rest(nodes),
      common_type(nodes, typing, "`first_present()`")
    )
  },
  usage = "first_present(a, b, ...)",
  help = "The first of several values that is there.",
  absent = "absent when all are",
  example = "first_present(mites_per_100, 0)"
)

# The new labels of texts.
relabelled <- function(texts, labels) {
  at <- match(texts, unname(labels))
  ifelse(is.na(at), texts, names(labels)[at])
}

# relabel() of numbers: a choice with one condition per number.
type_relabel_numbers <- function(x, labels, typing) {
  if (is.null(names(labels)) ||
    any(names(labels) == "") ||
    anyDuplicated(labels)) {
    stop_neatly(
      "expression",
      "`relabel()` of numbers needs a new name for each of them, once.",
      where_of(typing),
      paste0("Write `relabel(", lang_text(x), ", c(\"no\" = 0, \"yes\" = 1))`.")
    )
  }
  parts <- unlist(lapply(seq_along(labels), function(i) {
    list(call("==", x, unname(labels[i])), names(labels)[i])
  }))
  type_language(
    as.call(c(quote(first_true), parts, list(if_none = call("as_text", x)))),
    typing
  )
}

type_relabel <- function(lang, typing) {
  parts <- match_call_parts(language_function("relabel"), lang, typing)
  labels <- type_language(parts$labels, typing)
  if (labels$node == "constant" &&
    labels$kind %in% numeric_kinds &&
    type_language(parts$x, typing)$kind %in% numeric_kinds) {
    return(type_relabel_numbers(parts$x, labels$value, typing))
  }
  args <- typed_arguments(language_function("relabel"), lang, typing)
  labels <- args$labels$value
  usage <- paste0("Write `relabel(", args$x$text, ", c(\"new\" = \"old\"))`.")
  if (is.null(names(labels)) || any(names(labels) == "")) {
    stop_neatly(
      "expression",
      "`relabel()` needs new and old values.",
      where_of(typing),
      usage
    )
  }
  if (anyDuplicated(labels)) {
    stop_neatly(
      "expression",
      paste0(
        "`relabel()` gives ", quoted(labels[duplicated(labels)][1]),
        " two new names."
      ),
      where_of(typing),
      "List each old value once."
    )
  }
  note_relabel(args$x, labels, typing)
  type <- type_part(args$x)
  if (type$kind == "category" && !is.null(type$labels)) {
    type$labels <- unique(relabelled(type$labels, labels))
  } else if (type$kind == "text") {
    type <- new_type("text")
  }
  call_node("relabel", args, type)
}

# Old values that never occur; where the new ones do, the two were probably
# turned round.
note_relabel <- function(x, labels, typing) {
  if (x$node != "column") return()
  strange <- setdiff(lacking_texts(typing, x$name, labels), NA)
  if (!length(strange)) return()
  occurring <- distinct_texts(typing, x$name)
  turned <- !any(labels %in% occurring) && all(names(labels) %in% occurring)
  for (value in strange) {
    hint <- if (turned) {
      paste0(
        "The new name comes first: `relabel(", x$text, ", ",
        value_code(stats::setNames(names(labels), unname(labels))), ")`."
      )
    } else {
      meant(value, occurring, quoted)
    }
    take_note(
      typing$notes,
      paste0(
        quoted(value), " never occurs in column `", x$name,
        "`, so `relabel()` changes nothing for it."
      ),
      where_of(typing),
      hint
    )
  }
}

define_function(
  "relabel",
  "choosing",
  list(x = takes("textual"), labels = constant("text", many = TRUE)),
  "same",
  function(args, b, node) {
    value <- emit_node(args$x, b)
    labels <- args$labels$value
    if (node$kind == "category" && !is.null(node$labels)) {
      return(recode(value, b, add_texts(b, node$labels), function(r) {
        match(relabelled(texts_in(r, value), labels), node$labels)
      }))
    }
    texts_by_code(value, b, function(texts, r) relabelled(texts, labels))
  },
  type = type_relabel,
  usage = "relabel(x, c(\"new\" = \"old\"))",
  help = paste0(
    "Texts or categories under new names, several old ones under one with ",
    "`c(\"new\" ",
    "= c(\"old\", \"other\"))`; what is not listed stays. Numbers become ",
    "texts: ",
    "`c(\"no\" = 0, \"yes\" = 1)`."
  ),
  absent = "absent stays absent",
  example = "relabel(season, c(\"early\" = \"spring\"))"
)
