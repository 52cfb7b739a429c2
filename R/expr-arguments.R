# Arguments of a call of the language: by name, by place, typed and checked
# against the table.

# Arguments by name, then by place, typed and checked against the table.
typed_arguments <- function(fn, lang, typing) {
  given <- given_arguments(lang)
  names <- if (is.null(names(given))) rep("", length(given)) else names(given)
  params <- fn$params
  rest <- vapply(params, function(p) p$rest, logical(1))
  usage <- paste0("It is used as `", fn$usage, "`.")
  strange <- setdiff(names[names != ""], names(params)[!rest])
  if (length(strange)) {
    stop_neatly(
      "expression",
      paste0("`", fn$name, "()` has no argument `", strange[1], "`."),
      where_of(typing),
      strange_argument_hint(strange[1], fn, lang, usage)
    )
  }
  check_named_once(fn$name, names, usage, typing)
  slots <- stats::setNames(vector("list", length(params)), names(params))
  for (n in names[names != ""]) slots[[n]] <- given[[match(n, names)]]
  open <- names(params)[!rest & !names(params) %in% names]
  if (any(rest)) open <- open[match(open, names(params)) < which(rest)]
  loose <- given[names == ""]
  take <- min(length(open), length(loose))
  for (i in seq_len(take)) slots[[open[i]]] <- loose[[i]]
  loose <- loose[seq_along(loose) > take]
  if (length(loose) && !any(rest)) {
    stop_neatly(
      "expression",
      paste0(
        "`", fn$name, "()` was given ", counted(length(given), "value"), "."
      ),
      where_of(typing),
      usage
    )
  }
  out <- list()
  for (p in names(params)) {
    spec <- params[[p]]
    if (spec$rest) {
      out <- c(
        out,
        as_rest(lapply(
          loose, function(l) typed_argument(fn, p, spec, l, typing)
        ))
      )
    } else if (is.null(slots[[p]])) {
      if (!spec$has_default) {
        stop_neatly(
          "expression",
          paste0("`", fn$name, "()` needs `", p, "`."),
          where_of(typing),
          usage
        )
      }
      if (!is.null(spec$default)) {
        out[[p]] <- typed_constant(spec$default, typing)
      }
    } else {
      out[[p]] <- typed_argument(fn, p, spec, slots[[p]], typing)
    }
  }
  out
}

# Absent values are left out by default.
strange_argument_hint <- function(name, fn, lang, usage) {
  if (name == "na.rm") {
    lang[["na.rm"]] <- NULL
    return(paste0(
      "Absent values are left out already: write `", lang_text(lang), "`."
    ))
  }
  c(
    meant(name, c(names(fn$params), if (fn$aggregate) aggregate_controls)),
    usage
  )
}

# Arguments in any number, all stored under the name "...".
as_rest <- function(nodes) stats::setNames(nodes, rep("...", length(nodes)))
rest_args <- function(args) unname(args[names(args) == "..."])

check_named_once <- function(fn, names, usage, typing) {
  twice <- names[names != "" & duplicated(names)]
  if (length(twice)) {
    stop_neatly(
      "expression",
      paste0("`", fn, "()` is given `", twice[1], "` twice."),
      where_of(typing),
      usage
    )
  }
}

typed_argument <- function(fn, param, spec, lang, typing) {
  node <- type_language(lang, typing)
  if (spec$constant) {
    if (node$node != "constant" || (!spec$many && length(node$value) != 1)) {
      stop_neatly(
        "expression",
        paste0(
          "`", param, "` of `", fn$name, "()` must be ",
          if (spec$many) "fixed values" else "one fixed value", ", not `",
          node$text, "`."
        ),
        where_of(typing),
        paste0("It is used as `", fn$usage, "`.")
      )
    }
    if (length(node$value) > 1 && anyNA(node$value)) {
      stop_neatly(
        "expression",
        paste0(
          "`", param, "` of `", fn$name, "()` lists an absent value: `",
          node$text, "`."
        ),
        where_of(typing),
        "Leave it out."
      )
    }
  } else if (node$node == "constant" && length(node$value) > 1) {
    stop_neatly(
      "expression",
      paste0(
        "`", fn$name, "()` takes one value here, and `", node$text,
        "` is a list."
      ),
      where_of(typing),
      "To ask whether a value is in a list write `x %in% c(...)`."
    )
  }
  if (node$kind == "absent" && "absent" %in% spec$kinds) return(node)
  node <- settled(node, new_type(spec$kinds[1]), typing, spec$kinds)
  if (!node$kind %in% spec$kinds) wrong_kind(fn$name, node, spec, typing)
  node
}

wrong_kind <- function(name, node, spec, typing) {
  call <- if (is_operator(name)) {
    paste0("`", name, "`")
  } else {
    paste0("`", name, "()`")
  }
  plural <- c(
    number = "numbers", whole = "numbers", text = "text",
    category = "categories", logical = "conditions", date = "dates",
    `date-time` = "date-times"
  )
  wanted <- listed(unique(unname(plural[spec$kinds])), 8)
  hint <- if (node$kind == "absent") {
    "To ask whether a value is absent write `absent(x)`."
  } else if (name %in% c("sum", "mean") && node$kind == "logical") {
    paste0(
      "Write `count_true(", node$text,
      ")` for how many rows are yes, or `share(", node$text,
      ")` for their share of those that are known."
    )
  } else if ("number" %in% spec$kinds && node$kind == "logical") {
    paste0("Turn it into 1 and 0 with `as_number(", node$text, ")`.")
  } else if ("number" %in% spec$kinds && node$kind %in% c("text", "category")) {
    text_for_number_hint(name, node, typing)
  } else if ("text" %in% spec$kinds && node$kind %in% c("number", "whole")) {
    paste0("Turn it into text with `as_text(", node$text, ")`.")
  } else if ("date" %in% spec$kinds && node$kind == "text") {
    paste0("Turn it into dates with `as_date(", node$text, ")`.")
  } else if ("logical" %in% spec$kinds && spec$constant) {
    "Write `TRUE` or `FALSE`."
  } else if ("logical" %in% spec$kinds) {
    paste0(
      "Give a condition, as in `", node$text, condition_hint(node, typing), "`."
    )
  }
  stop_neatly(
    "expression",
    paste0(
      call, " works on ", wanted, ", and `", node$text, "` is ",
      kind_words(node), "."
    ),
    where_of(typing),
    hint
  )
}

# Text where a number is wanted: how it is read where it holds numbers, else
# what it holds.
text_for_number_hint <- function(name, node, typing) {
  texts <- if (node$node == "column") distinct_texts(typing, node$name)
  form <- text_form(texts, least = 0.5)
  if (!is.null(form) && is.null(form$pattern)) {
    wording <- ways_words(form, node$name)
    return(paste0("It holds ", form$words, ": ", wording, "."))
  }
  if (is.null(texts)) {
    return(paste0("Turn it into numbers with `as_number(", node$text, ")`."))
  }
  c(
    it_has(texts),
    if (isTRUE(language_function(name)$aggregate)) {
      paste0(
        "For the value met most often write `most_frequent(", node$text,
        ")`, for how many ", "differ `count_different(", node$text, ")`."
      )
    }
  )
}

# The common type of several values, for choice functions.
common_type <- function(nodes, typing, what) {
  filled <- Filter(function(n) !isTRUE(n$empty), nodes)
  if (length(filled)) nodes <- filled
  kinds <- setdiff(unique(vapply(nodes, `[[`, character(1), "kind")), "absent")
  if (!length(kinds)) return(new_type("number"))
  if (setequal(kinds, c("number", "whole"))) return(new_type("number"))
  if (all(kinds %in% c("text", "category"))) {
    if (identical(kinds, "category")) {
      sets <- unique(lapply(
        nodes[vapply(nodes, function(n) n$kind == "category", logical(1))],
        type_part
      ))
      if (length(sets) == 1) return(sets[[1]])
    }
    return(new_type("text"))
  }
  if (length(kinds) > 1) {
    stop_neatly(
      "expression",
      paste0(what, " gives ", listed(kinds), " in different places."),
      where_of(typing),
      "Let all its values be of one kind, as with `as_text()` or `as_number()`."
    )
  }
  first <- Filter(function(n) n$kind == kinds, nodes)[[1]]
  type_part(first)
}
