# Names in expressions: columns, criteria, settings.

unknown_name <- function(name, typing, what = "column, criterion or setting") {
  if (name %in% names(typing$scope$dropped)) {
    stop_neatly(
      "expression",
      paste0("Column `", name, "` is needed here but no longer there."),
      c(
        where_of(typing),
        paste0("It was dropped by ", typing$scope$dropped[[name]], ".")
      ),
      paste0("Pick `", name, "` there too, or move that step behind this one.")
    )
  }
  known <- c(
    names(typing$scope$columns), names(typing$scope$criteria),
    names(typing$scope$settings)
  )
  fn <- if (!is_operator(name)) language_function(name)
  hint <- c(
    value_hint(name, typing), if (!is.null(fn)) function_hint(name, fn),
    meant(name, known)
  )
  if (is.null(fn) && in_session(name)) {
    hint <- c(
      paste0(
        "For the value of `", name, "` in your session write `.(", name, ")`."
      ),
      hint
    )
  }
  if (is.null(hint)) {
    hint <- paste0("Known here: ", listed(ticked(known), 12), ".")
  }
  stop_neatly(
    "expression",
    paste0("There is no ", what, " `", name, "`."),
    where_of(typing),
    hint
  )
}

# A function's name without its parentheses.
function_hint <- function(name, fn) {
  needs <- any(vapply(fn$params, function(p) !p$has_default && !p$rest, NA))
  if (needs) {
    paste0("`", name, "` is a function, used as `", fn$usage, "`.")
  } else {
    paste0("As a function write `", name, "()`.")
  }
}

# A bare name that is a value of a text column wants quotes.
value_hint <- function(name, typing) {
  textual <- names(
    typing$scope$columns
  )[vapply(
    typing$scope$columns, function(t) t$kind %in% c("text", "category"), NA
  )]
  holds <- Filter(
    function(column) name %in% distinct_texts(typing, column), textual
  )
  if (length(holds)) {
    paste0(
      quoted(name), " is a value of `", holds[1], "` and wants quotes: `",
      lang_text(as.name(holds[1])), " == ", value_code(name), "`."
    )
  }
}

unknown_function <- function(name, lang, typing) {
  if (name == "each") {
    stop_neatly(
      "expression",
      "`each()` makes columns, and stands in `work_out()` and `condense()` only.",
      where_of(typing),
      paste0(
        "For a condition on several columns write `row_all(\"mass_*\", it > ",
        "5)`, ",
        "or `row_any()`."
      )
    )
  }
  code <- habit_code(lang)
  if (!is.null(code)) {
    called <- if (is_operator(name)) name else paste0(name, "()")
    stop_neatly(
      "expression",
      paste0("`", called, "` is not a word of the expression language."),
      where_of(typing),
      paste0("Write `", code, "`.")
    )
  }
  hint <- c(
    meant(
      name,
      language_names()[!is_operator(language_names())],
      function(x) ticked(paste0(x, "()"))
    ),
    paste0(
      "See `?neatsieve_functions` for all of them; an R function of your own ",
      "goes ",
      "in `custom()`."
    )
  )
  stop_neatly(
    "expression",
    paste0("There is no function `", name, "()` in the expression language."),
    where_of(typing),
    hint
  )
}
