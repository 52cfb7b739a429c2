# Messages for slips. guard_call() looks at what was written, guard_typed() at
# what it means.

guard_call <- function(lang, typing) {
  head <- lang[[1]]
  if (!is.symbol(head)) {
    stop_neatly(
      "expression",
      paste0(
        "`", lang_text(lang),
        "` calls something that is not a plain function name."
      ),
      where_of(typing),
      "Use the functions of `?neatsieve_functions`, without `::`."
    )
  }
  name <- as.character(head)
  if (name %in% c("=", "<-", "<<-", ":=")) {
    if (length(lang) == 3 && name == "=") {
      one_equals(lang_text(lang[[2]]), lang[[3]], typing)
    }
    if (length(lang) == 3) stop_assigned(lang, typing)
    stop_neatly(
      "expression",
      paste0("`", lang_text(lang), "` assigns; a condition compares."),
      where_of(typing)
    )
  }
  if (name %in% c("&&", "||")) {
    single <- substr(name, 1, 1)
    stop_neatly(
      "expression",
      paste0(
        "`", name, "` looks at one value only; conditions look at every row."
      ),
      where_of(typing),
      paste0(
        "Write `", lang_text(lang[[2]]), " ", single, " ",
        lang_text(lang[[3]]), "`."
      )
    )
  }
  if (name %in% c("&", "|") && length(lang) == 3) {
    guard_half_condition(lang, name, typing)
    guard_precedence(lang, name, typing)
  }
  if (name %in% comparisons && length(lang) == 3) {
    guard_absent_comparison(lang, name, typing)
  }
  if (name %in%
    c("$", "[", "[[", "@", "{", "if", "function", "for", "while", "::", ":::")) {
    hint <- switch(name,
      `$` = ,
      `[[` = ,
      `@` = paste0(
        "Write the bare column name",
        if (length(lang) == 3) paste0(": `", lang_text(lang[[3]]), "`"), "."
      ),
      `[` = "Give the condition itself; rows are chosen by steps.",
      `if` = paste0(
        "Write `",
        lang_text(as.call(c(
          quote(first_true), as.list(lang)[2:3],
          if (length(lang) > 3) list(if_none = lang[[4]])
        ))),
        "`."
      ),
      `function` = "An R function of your own goes in `custom()`.",
      "Write one expression."
    )
    stop_neatly(
      "expression",
      paste0("`", name, "` is not part of the expression language."),
      where_of(typing),
      hint
    )
  }
}

one_equals <- function(name, value, typing) {
  text <- lang_text(value)
  is_gone <- is.null(value) ||
    (is.atomic(value) && length(value) == 1 && is.na(value)) ||
    text == "NULL"
  meant <- if (is_gone) {
    paste0("absent(", name, ")")
  } else if (call_name(value) == "c") {
    paste0(name, " %in% ", text)
  } else {
    paste0(name, " == ", text)
  }
  stop_neatly(
    "expression",
    paste0(
      "`", name, " = ", text,
      "` has one equals sign, which names a condition instead of comparing."
    ),
    where_of(typing),
    paste0("Write `", meant, "`.")
  )
}

# `x <- 3`: an assignment, or `x < -3` without its blank.
stop_assigned <- function(lang, typing) {
  name <- lang_text(lang[[2]])
  value <- lang_text(lang[[3]])
  stop_neatly(
    "expression",
    paste0("`", lang_text(lang), "` assigns, which no expression can."),
    where_of(typing),
    c(
      if (name %in% names(typing$scope$columns)) {
        paste0(
          "To compare write `", name, " == ", value, "`",
          if (is.numeric(lang[[3]])) paste0(", or `", name, " < -", value, "`"),
          "."
        )
      },
      paste0("A new column is made by `work_out(", name, " = ", value, ")`.")
    )
  )
}

# Half a condition, as in `x == "a" | "b"`.
guard_half_condition <- function(lang, name, typing) {
  for (side in 2:3) {
    half <- lang[[side]]
    if (is.call(half) && identical(half[[1]], quote(`(`))) half <- half[[2]]
    if (is.call(half) || is.symbol(half) || is.logical(half)) next
    stop_neatly(
      "expression",
      paste0(
        "`", lang_text(half), "` stands alone beside `", name,
        "` and is only half a condition."
      ),
      where_of(typing),
      whole_condition_hint(half, lang[[5 - side]], name)
    )
  }
}

# Writes out both conditions, if the other side is a comparison.
whole_condition_hint <- function(half, other, name) {
  while (call_name(other) %in% c("&", "|", "(")) other <- other[[length(other)]]
  if (length(other) != 3 || !call_name(other) %in% comparisons) {
    return("Write a whole condition on both sides.")
  }
  # The side that is not a constant is the one compared.
  at <- if (is.call(other[[2]]) || is.symbol(other[[2]])) 2 else 3
  value <- other[[5 - at]]
  whole <- other
  whole[[5 - at]] <- half
  in_list <- if (call_name(other) == "==" && !is.call(value)) {
    paste0(
      "`", lang_text(other[[at]]), " %in% c(", lang_text(value), ", ",
      lang_text(half), ")`"
    )
  }
  # With `&`, no value can equal two values at once.
  if (name == "&" && !is.null(in_list)) {
    return(paste0("No value is both; for one of them write ", in_list, "."))
  }
  paste0(
    "Write `", lang_text(other), " ", name, " ", lang_text(whole), "`",
    if (!is.null(in_list)) paste0(" or ", in_list), "."
  )
}

# a & b | c without parentheses
guard_precedence <- function(lang, name, typing) {
  if (name != "|") return()
  is_and <- function(x) is.call(x) && identical(x[[1]], quote(`&`))
  if (!is_and(lang[[2]]) && !is_and(lang[[3]])) return()
  shown <- vapply(
    given_arguments(lang),
    function(x) {
      if (is_and(x)) paste0("(", lang_text(x), ")") else lang_text(x)
    },
    character(1)
  )
  take_note(
    typing$notes,
    "`&` and `|` are mixed without parentheses; `&` binds first.",
    where_of(typing),
    paste0(
      "It is read as `", paste(shown, collapse = " | "),
      "`. Write the parentheses you mean."
    )
  )
}

# Comparing with NA, which is never yes or no.
guard_absent_comparison <- function(lang, name, typing) {
  is_na <- function(x) {
    (is.atomic(x) && length(x) == 1 && is.na(x)) ||
      (is.symbol(x) && as.character(x) == "NULL") ||
      is.null(x)
  }
  for (side in 2:3) {
    if (!is_na(lang[[side]])) next
    subject <- lang_text(lang[[5 - side]])
    word <- if (name == "!=") "present" else "absent"
    stop_neatly(
      "expression",
      paste0(
        "`", lang_text(lang), "` compares with ", lang_text(lang[[side]]),
        ", which is never yes or no."
      ),
      where_of(typing),
      paste0("Write `", word, "(", subject, ")`.")
    )
  }
}

guard_typed <- function(node, lang, typing) {
  if (node$node != "call" || is.null(typing$notes)) return()
  guard_case(node, lang, typing)
  if (node$fn %in% c(comparisons, "%in%")) {
    guard_fixed_comparison(node, typing)
    guard_itself(node, typing)
    guard_spelling(node, typing)
  }
}

guard_itself <- function(node, typing) {
  sides <- node$args[1:2]
  if (sides[[1]]$node == "column" &&
    identical(sides[[1]]$name, sides[[2]]$name)) {
    take_note(
      typing$notes,
      paste0(
        "`", node$text, "` compares column `", sides[[1]]$name, "` with itself."
      ),
      where_of(typing),
      paste0(
        "It only says whether a value is there. Name the other column, or ",
        "write `present(",
        sides[[1]]$text, ")`."
      )
    )
  }
}

# A text value that never occurs in the column.
guard_spelling <- function(node, typing) {
  sides <- node$args[1:2]
  if (sides[[2]]$node == "column") sides <- rev(sides)
  column <- sides[[1]]
  if (column$node != "column" ||
    !column$kind %in% c("text", "category") ||
    sides[[2]]$node != "constant") {
    return()
  }
  if (!node$fn %in% c("==", "!=", "%in%")) {
    if (column$kind == "text") guard_numbers_as_text(column, node, typing)
    return()
  }
  strange <- lacking_texts(typing, column$name, sides[[2]]$value)
  if (!length(strange)) return()
  occurring <- distinct_texts(typing, column$name)
  if (!is.null(occurring) && !length(occurring)) return()
  if (note_other_form(strange, occurring, column, node, typing)) return()
  shown <- utils::head(strange, most_strange_values)
  for (value in shown) {
    note_strange_value(value, occurring, column, node, typing)
  }
  others <- setdiff(strange, shown)
  if (length(others)) {
    take_note(
      typing$notes,
      paste0(
        format_count(length(others)),
        " more of the values never occur in column `", column$name, "`: ",
        listed(quoted(others), 5), "."
      ),
      c(where_of(typing), in_text(node)),
      it_has(occurring)
    )
  }
}
most_strange_values <- 10

# Whether the column holds texts of a form of its own that the values are meant
# to have, which is then said.
note_other_form <- function(strange, occurring, column, node, typing) {
  form <- text_form(occurring)
  if (is.null(form) || form$form == "numbers" || !likely_of(form, strange)) {
    return(FALSE)
  }
  take_note(
    typing$notes,
    paste0(
      listed(quoted(strange), 4), " never ",
      if (length(strange) > 1) "occur" else "occurs", " in column `",
      column$name, "`, which holds ", form$words, "."
    ),
    c(where_of(typing), in_text(node)),
    form_way(form, column$name)
  )
  TRUE
}

note_strange_value <- function(value, occurring, column, node, typing) {
  near <- if (!is_code(value, occurring)) nearest(value, occurring)
  take_note(
    typing$notes,
    paste0(quoted(value), " never occurs in column `", column$name, "`."),
    c(where_of(typing), in_text(node)),
    if (length(near)) {
      paste0("Near to it: ", listed(quoted(near), last = "or"), ".")
    } else {
      it_has(occurring)
    }
  )
}

# Codes: short, of capitals and digits, and many; that one is near another means
# nothing.
is_code <- function(value, occurring) {
  grepl("^[A-Z0-9._/-]{1,6}$", value) &&
    length(occurring) >= 10 &&
    mean(grepl("^[A-Z0-9._/-]{1,6}$", occurring)) > 0.8
}

# Lists texts of a column, in an order that does not depend on the rows.
it_has <- function(texts) {
  if (!length(texts)) return("It has other texts.")
  paste0("It has ", listed(quoted(sort(texts, method = "radix")), 5), ".")
}

# Whether values are meant as dates or numbers, as a column in such a form would
# be compared.
likely_of <- function(form, values) {
  if (form$form == "dates") {
    !anyNA(iso_days(values))
  } else {
    !anyNA(numbers_from_text(values))
  }
}

in_text <- function(node) paste0("In `", cut_off_text(node$text, 200), "`.")

# A constant as a column or statistic is rarely meant.
guard_constants <- function(nodes, every, typing) {
  for (name in names(nodes)) {
    node <- nodes[[name]]
    if (node$node != "constant" ||
      !is.null(node$setting) ||
      node$kind == "absent") {
      next
    }
    take_note(
      typing$notes,
      paste0("`", name, "` is ", node$text, " in every ", every, "."),
      where_of(typing),
      "It is no argument of this step; leave it out unless it is meant."
    )
  }
}
