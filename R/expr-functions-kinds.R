# Converts kinds. What cannot be converted becomes absent; a note counts it.

# Counts, over the rows, the distinct values that could not be converted.
note_unturned <- function(value, failed, r, node) {
  if (is.null(r$notes) || !any(failed)) return()
  texts <- texts_in(r, value)
  counts <- tabulate(vector_of(r, value), length(texts))
  failed <- failed & counts > 0
  if (!any(failed)) return()
  say_unturned(texts[failed], counts[failed], node, r$notes, r$where)
}
# texts: those that could not be turned; counts: how often each occurs.
say_unturned <- function(texts, counts, node, notes, where) {
  what <- texts[order(-counts, code_point_rank(texts))]
  take_note(
    notes,
    paste0(
      "`", node$text, "` made ", counted(sum(counts), "value"),
      " absent that could not be turned: ", listed(quoted(what), 5), "."
    ),
    where,
    unturned_hint(what, node)
  )
}

# Where what could not be turned has a form of its own, the words that read it.
unturned_hint <- function(texts, node) {
  form <- text_form(texts)
  column <- node$args$x
  if (!is.null(form) && column$node == "column" && form$form != "numbers") {
    return(paste0(
      "They are ", form$words, ": ", ways_words(form, column$name), "."
    ))
  }
  "Mend them first with `replace_text()` or `relabel()`, or leave them absent."
}

note_unturned_numbers <- function(before, after, b, node) {
  add_remark(b, function(r) {
    if (is.null(r$notes)) return()
    lost <- sum(is.na(vector_of(r, after))) - sum(is.na(vector_of(r, before)))
    if (lost > 0) {
      take_note(
        r$notes,
        paste0(
          "`", node$text, "` made ", counted(lost, "value"),
          " absent that could not be turned."
        ),
        r$where
      )
    }
  })
}

# Converts distinct texts, with a note on those that cannot be converted.
turned <- function(value, node, turn) {
  function(texts, r) {
    result <- turn(texts)
    note_unturned(value, is.na(result), r, node)
    result
  }
}

turn <- function(
  name, kinds, gives, emit, help, example, params = list(x = takes(kinds)),
  type = NULL, usage = NULL
) {
  define_function(
    name,
    "kinds",
    params,
    gives,
    emit,
    help = help,
    absent = "absent when x is absent or cannot be turned",
    example = example,
    type = type,
    usage = usage
  )
}

numbers_of_value <- function(args, b, node) {
  value <- emit_node(args$x, b)
  if (value$type == "three") {
    return(number_value(b, "number_from_three", value$reg))
  }
  if (value$type == "number") return(value)
  decimal <- if (is.null(args$decimal)) "." else args$decimal$value
  thousands <- args$thousands$value
  numbers_by_code(
    value,
    b,
    turned(value, node, function(x) {
      number <- numbers_from_text(x, decimal, thousands)
      if (node$fn == "as_whole") {
        replace(number, number != trunc(number), NA)
      } else {
        number
      }
    })
  )
}

turn(
  "as_number",
  c("numeric", "textual", "logical"),
  "number",
  numbers_of_value,
  paste0(
    "Text as a number (`Inf` too), yes and no as 1 and 0. The decimal mark of ",
    "the text is a ",
    "point, or a comma with `decimal = \",\"`. With `thousands = \",\"` that ",
    "mark may part ",
    "groups of exactly three digits."
  ),
  "as_number(\"31.5\") + honey_kg",
  params = list(
    x = takes("numeric", "textual", "logical"),
    decimal = constant("text", default = "."),
    thousands = constant("text", default = NULL)
  ),
  type = function(lang, typing) {
    args <- typed_arguments(language_function("as_number"), lang, typing)
    if (!args$decimal$value %in% c(".", ",")) {
      stop_neatly(
        "expression",
        paste0(
          "`decimal` of `as_number()` is \".\" or \",\", not ",
          shown_constant(args$decimal), "."
        ),
        where_of(typing)
      )
    }
    thousands <- args$thousands$value
    if (!is.null(thousands)) {
      check_thousands(
        thousands,
        args$decimal$value,
        "`thousands` of `as_number()`",
        where_of(typing)
      )
    }
    call_node("as_number", args, new_type("number"))
  },
  usage = "as_number(x, decimal = \".\", thousands)"
)

turn(
  "as_whole",
  c("numeric", "textual", "logical"),
  "whole",
  function(args, b, node) {
    value <- numbers_of_value(args, b, node)
    trunc <- number_value(b, "whole_of", value$reg)
    same <- three_value(b, "equal", value$reg, trunc$reg)
    none <- number_value(b, "const_number", x = NA_real_)
    out <- number_value(b, "choose_number", same$reg, value$reg, none$reg)
    note_unturned_numbers(value, out, b, node)
    out
  },
  "A whole number; a number with a fraction cannot be turned (use `round()` or `floor()` first).",
  "as_whole(floor(hive_weight_kg))"
)

# Numbers become text in one way everywhere: up to 15 digits, no exponent before
# the sixteenth place.
number_as_text <- function(x) sprintf("%.15g", x + 0)
texts_of_levels <- function(x) {
  if (is.numeric(x) && !is.object(x)) number_as_text(x) else as.character(x)
}

# Writes a fixed number of decimals; a value that rounds to 0 has no sign.
number_with_digits <- function(x, digits) {
  text <- formatC(
    x,
    format = "f", digits = digits, decimal.mark = ".", width = 1
  )
  ifelse(
    grepl("^-[0.]+$", text),
    substring(text, 2),
    ifelse(is.infinite(x), number_as_text(x), text)
  )
}

# Any value as codes of text.
emit_text <- function(node, b, number_text = number_as_text) {
  value <- emit_node(node, b)
  if (value$type == "code") return(value)
  emit_vector(b, function(r) {
    vector <- vector_of(r, value)
    distinct <- unique(vector[!is.na(vector)])
    shown <- if (value$type == "three") {
      ifelse(distinct, "TRUE", "FALSE")
    } else {
      switch(node$kind,
        date = format(structure(distinct, class = "Date")),
        `date-time` = format(
          .POSIXct(distinct, tz = zone_of(node)), "%Y-%m-%d %H:%M:%S"
        ),
        number_text(distinct)
      )
    }
    texts <- unique(shown)
    list(codes = match(shown, texts)[match(vector, distinct)], texts = texts)
  }, as_texts = TRUE)
}

type_as_text <- function(lang, typing) {
  args <- typed_arguments(language_function("as_text"), lang, typing)
  digits <- args$digits$value
  if (!is.null(digits)) {
    if (!args$x$kind %in% numeric_kinds) {
      stop_neatly(
        "expression",
        paste0(
          "`digits` of `as_text()` is for numbers, and `", args$x$text,
          "` is ", kind_words(args$x), "."
        ),
        where_of(typing)
      )
    }
    if (!is_whole_value(digits) || digits < 0 || digits > 100) {
      stop_neatly(
        "expression",
        paste0(
          "`digits` of `as_text()` is a whole number from 0 to 100, not ",
          shown_constant(args$digits), "."
        ),
        where_of(typing)
      )
    }
  }
  call_node("as_text", args, new_type("text"))
}
turn(
  "as_text",
  "any",
  "text",
  function(args, b, node) {
    digits <- args$digits$value
    emit_text(
      args$x,
      b,
      if (is.null(digits)) {
        number_as_text
      } else {
        function(x) number_with_digits(x, digits)
      }
    )
  },
  paste0(
    "Any value as text: numbers with up to 15 digits, or always with `digits` ",
    "decimals; ",
    "dates as ISO 8601."
  ),
  "as_text(hive_weight_kg, digits = 2)",
  params = list(x = takes("any"), digits = constant("numeric", default = NULL)),
  type = type_as_text,
  usage = "as_text(x, digits)"
)

# Texts in order of code point; texts of numbers by size.
labels_in_order <- function(labels, kind) {
  if (kind %in% numeric_kinds) {
    labels[order(as.numeric(labels))]
  } else {
    sort(labels, method = "radix")
  }
}

turn(
  "as_category",
  "any",
  "category",
  function(args, b, node) {
    value <- emit_text(args$x, b)
    if (is.null(node$labels)) {
      kind <- args$x$kind
      texts <- add_texts(
        b, function(r) labels_in_order(texts_in(r, value), kind)
      )
      return(recode(value, b, texts))
    }
    to <- turned(value, node, function(texts) match(texts, node$labels))
    recode(
      value, b, add_texts(b, node$labels), function(r) to(texts_in(r, value), r)
    )
  },
  paste0(
    "A category; with `levels` in that order, and `ordered = TRUE` to compare ",
    "by it; ",
    "without, in order of code point, of numbers by size."
  ),
  "as_category(temper, c(\"calm\", \"lively\", \"hot\"), ordered = TRUE) < \"hot\"",
  params = list(
    x = takes("any"),
    levels = constant("any", many = TRUE, default = NULL),
    ordered = constant("logical", default = FALSE)
  ),
  type = function(lang, typing) {
    args <- typed_arguments(language_function("as_category"), lang, typing)
    labels <- if (!is.null(args$levels)) {
      texts_of_levels(unname(args$levels$value))
    } else if (args$x$kind == "category") {
      args$x$labels
    }
    if (anyDuplicated(labels)) {
      stop_neatly(
        "expression", "`as_category()` lists a level twice.", where_of(typing)
      )
    }
    call_node(
      "as_category",
      args,
      new_type(
        "category",
        labels = labels,
        ordered = isTRUE(args$ordered$value)
      )
    )
  },
  usage = "as_category(x, levels, ordered = FALSE)"
)

turn(
  "as_logical",
  c("textual", "numeric", "logical"),
  "logical",
  function(args, b, node) {
    value <- emit_node(args$x, b)
    if (value$type == "three") return(value)
    if (value$type == "number") {
      zero <- number_value(b, "const_number", x = 0)
      one <- number_value(b, "const_number", x = 1)
      either <- three_value(b, "number_in", value$reg, add_table(b, c(0, 1)))
      none <- number_value(b, "const_number", x = NA_real_)
      kept <- number_value(b, "choose_number", either$reg, value$reg, none$reg)
      note_unturned_numbers(value, kept, b, node)
      return(three_value(b, "equal", kept$reg, one$reg))
    }
    threes_by_code(
      value,
      b,
      turned(value, node, function(texts) {
        unname(
          c(true = TRUE, yes = TRUE, false = FALSE, no = FALSE)[tolower(texts)]
        )
      })
    )
  },
  "Yes or no from TRUE, FALSE, yes, no (in any case), 1 and 0.",
  "as_logical(\"yes\") & queen_seen"
)
