# What to write when the two sides of a comparison are of different kinds.

mismatch <- function(args, lang, op, typing) {
  column <- Filter(function(a) a$node != "constant", args)
  constant <- Filter(function(a) a$node == "constant", args)
  if (length(column) != 1 || length(constant) != 1) {
    stop_neatly(
      "expression",
      paste0(
        "`", lang_text(lang), "` compares ", kind_words(args[[1]]), " with ",
        kind_words(args[[2]]), "."
      ),
      where_of(typing),
      mismatch_of_columns(args, typing)
    )
  }
  column <- column[[1]]
  constant <- constant[[1]]
  what <- paste0(
    if (column$node == "column") "column ", "`",
    if (column$node == "column") column$name else column$text, "`"
  )
  with <- if (constant$kind == "absent") {
    "NA"
  } else {
    paste0(kind_words(constant), ", ", constant$text)
  }
  stop_neatly(
    "expression",
    paste0(
      "`", lang_text(lang), "` compares ", what, ", which is ",
      kind_words(column), ", with ", with, "."
    ),
    where_of(typing),
    mismatch_hint(column, constant, op, typing)
  )
}

# Two columns of different kinds: a text column that holds numbers or dates says
# how to read it.
mismatch_of_columns <- function(args, typing) {
  for (arg in args) {
    form <- if (arg$node == "column" && arg$kind %in% c("text", "category")) {
      text_form(scope_texts(arg, typing))
    }
    if (!is.null(form)) {
      return(c(
        paste0("`", arg$name, "` holds ", form$words, "."),
        form_way(form, arg$name)
      ))
    }
  }
  "Bring both to one kind, as with `as_number()`, `as_text()` or `as_date()`."
}

scope_texts <- function(node, typing) {
  if (node$node == "column") distinct_texts(typing, node$name)
}

mismatch_hint <- function(column, constant, op, typing) {
  number <- constant$kind %in% c("number", "whole")
  text <- column$text
  if (constant$kind == "absent") return(paste0("Write `absent(", text, ")`."))
  if (column$kind %in% c("text", "category") && number) {
    return(text_with_number_hint(column, constant, op, typing))
  }
  if (column$kind %in% c("text", "category") &&
    constant$kind %in% c("date", "date-time")) {
    form <- text_form(scope_texts(column, typing))
    if (!is.null(form)) {
      return(c(
        paste0("It holds ", form$words, "."), form_way(form, column$name)
      ))
    }
    return(paste0(
      "Turn it into dates first: `as_date(", text,
      ", \"%d/%m/%Y\")`, with the form it is in."
    ))
  }
  if (column$kind %in% c("number", "whole") && constant$kind == "text") {
    if (!anyNA(numbers_from_text(constant$value))) {
      values <- if (length(constant$value) > 1) {
        paste0("c(", paste(constant$value, collapse = ", "), ")")
      } else {
        constant$value
      }
      return(paste0(
        "Write the number without quotes: `", text, " ", op, " ", values, "`."
      ))
    }
    named <- named_part_hint(column, constant, op)
    if (!is.null(named)) return(named)
    return(paste0("Compare it with a number, as in `", text, " ", op, " 6`."))
  }
  switch(column$kind,
    number = ,
    whole = paste0("Compare it with a number, as in `", text, " ", op, " 6`."),
    logical = paste0("Write `", text, "` or `!", text, "`."),
    date = ,
    `date-time` = paste0(
      "Write the date as text: `", text, " ", op,
      " \"2024-05-01\"`, or take a part of it, as in `year(", text, ")`."
    )
  )
}

# Text against a number: what the texts are decides what to write.
text_with_number_hint <- function(column, constant, op, typing) {
  values <- scope_texts(column, typing)
  form <- text_form(values, least = 0.5)
  quoted_value <- value_code(as.character(constant$value))
  orders <- op %in% c("<", "<=", ">", ">=")
  can_quote <- !orders || isTRUE(column$ordered)
  if (!is.null(form) && form$form != "dates") {
    as_quoted <- form$form == "numbers" &&
      can_quote &&
      any(as.character(constant$value) %in% values)
    way <- ways_words(
      form, column$name, function(code) paste(code, op, constant$text)
    )
    if (form$form == "numbers") way <- sub("^write", "Write", way)
    return(paste0(
      if (form$form != "numbers") paste0("It holds ", form$words, ": "), way,
      if (as_quoted) {
        paste0(
          ", or quote the value: `", column$text, " ", op, " ", quoted_value,
          "`"
        )
      },
      "."
    ))
  }
  if (!is.null(form)) {
    return(c(paste0("It holds ", form$words, "."), form_way(form, column$name)))
  }
  if (is.null(values)) {
    return(paste0(
      "If it holds numbers write `as_number(", column$text, ") ", op, " ",
      constant$text, "`."
    ))
  }
  strange <- values[is.na(numbers_from_text(values))]
  if (orders && length(strange) <= length(values) / 2) {
    return(paste0(
      "Write `as_number(", column$text, ") ", op, " ", constant$text, "`; ",
      listed(quoted(strange), 4),
      if (length(strange) > 1) " then become" else " then becomes", " absent."
    ))
  }
  c(
    it_has(values),
    paste0(
      "Compare it with one of these, as in `", column$text, " == ",
      value_code(sort(values, method = "radix")[1]), "`."
    )
  )
}

# weekday(d) == "Monday", month(d) == "May": the number that the part has.
named_part_hint <- function(column, constant, op) {
  if (column$node != "call" ||
    !column$fn %in% c("weekday", "month") ||
    length(constant$value) != 1) {
    return(NULL)
  }
  days <- c(
    "monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"
  )
  word <- tolower(constant$value)
  number <- if (column$fn == "month") {
    month_number(word)
  } else {
    at <- match(word, days)
    if (is.na(at)) match(word, substr(days, 1, 3)) else at
  }
  if (is.na(number)) return(NULL)
  words <- if (column$fn == "month") {
    "Months are numbers from 1 to 12"
  } else {
    "Days of the week are numbers, 1 for Monday to 7 for Sunday"
  }
  paste0(words, ": write `", column$text, " ", op, " ", number, "`.")
}

guard_category_order <- function(args, lang, typing) {
  categories <- Filter(function(a) a$kind == "category", args)
  for (a in categories) {
    if (!isTRUE(a$ordered)) {
      stop_neatly(
        "expression",
        paste0(
          "`", lang_text(lang), "` orders `", a$text,
          "`, a category without an order."
        ),
        where_of(typing),
        c(
          if (length(a$labels)) {
            paste0("Its categories are ", listed(quoted(a$labels), 8), ".")
          },
          paste0(
            "Give them an order, as in `study(data, ordered = list(", a$text,
            " = c(", quoted(a$labels[1]), ", ...)))`, or use `%in%`."
          )
        )
      )
    }
  }
  labels <- categories[[1]]$labels
  if (is.null(labels)) {
    stop_neatly(
      "expression",
      paste0(
        "`", categories[[1]]$text,
        "` has categories that are known only once it is made, so `",
        lang_text(lang), "` cannot be decided before."
      ),
      where_of(typing),
      "List them in their order: `as_category(x, c(\"low\", \"high\"), ordered = TRUE)`."
    )
  }
  for (a in args) {
    if (a$node == "constant" && !a$value %in% labels) {
      stop_neatly(
        "expression",
        paste0(
          quoted(a$value), " is none of the categories of `",
          categories[[1]]$text, "`."
        ),
        where_of(typing),
        if (length(labels)) {
          paste0("They are, in order: ", listed(quoted(labels), 8), ".")
        }
      )
    }
    if (a$node != "constant" &&
      !(a$kind == "category" && identical(a$labels, labels))) {
      stop_neatly(
        "expression",
        paste0("`", lang_text(lang), "` orders categories of different sets."),
        where_of(typing),
        "Compare with `==`, or give both the same categories."
      )
    }
  }
}
