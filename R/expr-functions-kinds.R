# Turning one kind into another. What cannot be turned becomes absent, and is counted in a note.

# Codes to anything: the distinct values that could not be turned are counted over the rows.
note_unturned <- function(value, failed, r, node) {
  if (is.null(r$notes) || !any(failed)) return()
  texts <- texts_in(r, value)
  counts <- tabulate(vector_of(r, value), length(texts))
  failed <- failed & counts > 0
  if (!any(failed)) return()
  what <- texts[failed][order(-counts[failed])]
  take_note(r$notes,
            paste0("`", node$text, "` made ", counted(sum(counts[failed]), "value"),
                   " absent that could not be turned: ",
                   listed(quoted(what), 5), "."), r$where,
            unturned_hint(what, node))
}

# Where what could not be turned has a form of its own, the words that read it.
unturned_hint <- function(texts, node) {
  form <- text_form(texts)
  column <- node$args$x
  if (!is.null(form) && column$node == "column" &&
      form$form %in% c("decimal commas", "dates", "numbers with a unit")) {
    return(
      paste0("They are ", form_words(form), ": write `", form_expression(form, column$name), "`."))
  }
  "Mend them first with `replace_text()` or `relabel()`, or leave them absent."
}

note_unturned_numbers <- function(before, after, b, node) {
  add_remark(b, function(r) {
    if (is.null(r$notes)) return()
    lost <- sum(is.na(vector_of(r, after))) - sum(is.na(vector_of(r, before)))
    if (lost > 0) {
      take_note(r$notes,
                paste0("`", node$text, "` made ", counted(lost, "value"),
                       " absent that could not be turned."), r$where)
    }
  })
}

# What distinct texts turn into, with a note on those that cannot be turned.
turned <- function(value, node, turn) function(texts, r) {
  made <- turn(texts)
  note_unturned(value, is.na(made), r, node)
  made
}

turn <- function(name, kinds, gives, emit, help, example, params = list(x = takes(kinds)),
                 type = NULL, usage = NULL) {
  define_function(name, "kinds", params, gives, emit, help = help,
                  absent = "absent when x is absent or cannot be turned", example = example,
                  type = type, usage = usage)
}

numbers_of_value <- function(args, b, node) {
  value <- emit_node(args$x, b)
  if (value$type == "three") return(number_value(b, "number_from_three", value$reg))
  if (value$type == "number") return(value)
  decimal <- if (is.null(args$decimal)) "." else args$decimal$value
  numbers_by_code(value, b, turned(value, node, function(x) numbers_from_text(x, decimal)))
}

turn("as_number", c("numeric", "textual", "logical"), "number", numbers_of_value,
  paste0("Text as a number (`Inf` too), yes and no as 1 and 0. The decimal mark of the text is a ",
         "point, or a comma with `decimal = \",\"`."),
  "as_number(\"31.5\") + honey_kg",
  params = list(x = takes("numeric", "textual", "logical"),
                decimal = constant("text", default = ".")),
  type = function(lang, typing) {
    args <- typed_arguments(language_function("as_number"), lang, typing)
    if (!args$decimal$value %in% c(".", ",")) {
      stop_neatly("expression",
                  paste0("`decimal` of `as_number()` is \".\" or \",\", not ",
                         shown_constant(args$decimal), "."), where_of(typing))
    }
    call_node("as_number", args, new_type("number"))
  }, usage = "as_number(x, decimal = \".\")")
turn("as_whole", c("numeric", "textual", "logical"), "whole",
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
  "as_whole(floor(hive_weight_kg))")

# Numbers become text in one way everywhere: up to 15 digits, no exponent before the sixteenth
# place.
number_as_text <- function(x) sprintf("%.15g", x + 0)
texts_of_levels <- function(x) {
  if (is.numeric(x) && !is.object(x)) number_as_text(x) else as.character(x)
}

# With a fixed number of decimals; what rounds to nothing has no sign.
number_with_digits <- function(x, digits) {
  text <- formatC(x, format = "f", digits = digits, decimal.mark = ".", width = 1)
  ifelse(grepl("^-[0.]+$", text), substring(text, 2),
         ifelse(is.infinite(x), number_as_text(x), text))
}

# Any value as codes of text.
emit_text <- function(node, b, number_text = number_as_text) {
  value <- emit_node(node, b)
  if (value$type == "code") return(value)
  emit_vector(b, function(r) {
    vector <- vector_of(r, value)
    distinct <- unique(vector[!is.na(vector)])
    shown <- if (value$type == "three") ifelse(distinct, "TRUE", "FALSE")
      else switch(node$kind, date = format(structure(distinct, class = "Date")),
                  `date-time` = format(.POSIXct(distinct, tz = zone_of(node)),
                                       "%Y-%m-%d %H:%M:%S"),
                  number_text(distinct))
    texts <- unique(shown)
    list(codes = match(shown, texts)[match(vector, distinct)], texts = texts)
  }, as_texts = TRUE)
}

type_as_text <- function(lang, typing) {
  args <- typed_arguments(language_function("as_text"), lang, typing)
  digits <- args$digits$value
  if (!is.null(digits)) {
    if (!args$x$kind %in% numeric_kinds) {
      stop_neatly("expression",
                  paste0("`digits` of `as_text()` is for numbers, and `", args$x$text, "` is ",
                         kind_words(args$x), "."), where_of(typing))
    }
    if (!is_whole_value(digits) || digits < 0 || digits > 100) {
      stop_neatly("expression",
                  paste0("`digits` of `as_text()` is a whole number from 0 to 100, not ",
                         shown_constant(args$digits), "."), where_of(typing))
    }
  }
  call_node("as_text", args, new_type("text"))
}
turn("as_text", "any", "text",
  function(args, b, node) {
    digits <- args$digits$value
    emit_text(args$x, b,
              if (is.null(digits)) number_as_text else function(x) number_with_digits(x, digits))
  },
  paste0("Any value as text: numbers with up to 15 digits, or always with `digits` decimals; ",
         "dates as ISO 8601."),
  "as_text(hive_weight_kg, digits = 2)",
  params = list(x = takes("any"), digits = constant("numeric", default = NULL)),
  type = type_as_text, usage = "as_text(x, digits)")

# Texts in order of code point; texts of numbers by size.
labels_in_order <- function(labels, kind) {
  if (kind %in% numeric_kinds) labels[order(as.numeric(labels))] else sort(labels, method = "radix")
}

turn("as_category", "any", "category",
  function(args, b, node) {
    value <- emit_text(args$x, b)
    if (is.null(node$labels)) {
      kind <- args$x$kind
      texts <- add_texts(b, function(r) labels_in_order(texts_in(r, value), kind))
      return(recode(value, b, texts))
    }
    to <- turned(value, node, function(texts) match(texts, node$labels))
    recode(value, b, add_texts(b, node$labels), function(r) to(texts_in(r, value), r))
  },
  paste0("A category; with `levels` in that order, and `ordered = TRUE` to compare by it; ",
         "without, in order of code point, of numbers by size."),
  "as_category(temper, c(\"calm\", \"lively\", \"hot\"), ordered = TRUE) < \"hot\"",
  params = list(x = takes("any"), levels = constant("any", many = TRUE, default = NULL),
                ordered = constant("logical", default = FALSE)),
  type = function(lang, typing) {
    args <- typed_arguments(language_function("as_category"), lang, typing)
    labels <- if (!is.null(args$levels)) texts_of_levels(unname(args$levels$value))
      else if (args$x$kind == "category") args$x$labels
    if (anyDuplicated(labels)) {
      stop_neatly("expression", "`as_category()` lists a level twice.", where_of(typing))
    }
    call_node("as_category", args,
              new_type("category", labels = labels, ordered = isTRUE(args$ordered$value)))
  },
  usage = "as_category(x, levels, ordered = FALSE)")

turn("as_logical", c("textual", "numeric", "logical"), "logical",
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
    threes_by_code(value, b, turned(value, node, function(texts) {
      unname(c(true = TRUE, yes = TRUE, false = FALSE, no = FALSE)[tolower(texts)])
    }))
  },
  "Yes or no from TRUE, FALSE, yes, no (in any case), 1 and 0.", "as_logical(\"yes\") & queen_seen")

type_as_date <- function(lang, typing) {
  args <- typed_arguments(language_function("as_date"), lang, typing)
  pattern <- args$pattern$value
  if (!is.null(pattern) && is.null(read_date_pattern(pattern))) {
    stop_neatly("expression", paste0(quoted(pattern), " is not a pattern of dates."),
                where_of(typing),
                date_pattern_usage())
  }
  if (!is.null(pattern) && !args$x$kind %in% c("text", "category")) {
    stop_neatly("expression",
                paste0("`as_date()` takes a pattern for text only, and `", args$x$text, "` is ",
                       kind_words(args$x), "."), where_of(typing),
                "Leave the pattern out.")
  }
  if (args$x$node == "constant" && args$x$kind == "text" && is.null(pattern)) {
    return(date_from_constant(args$x, column_node("", new_type("date"), "as_date()"), typing))
  }
  call_node("as_date", args, new_type("date"))
}

turn("as_date", c("textual", "dated"), "date",
  function(args, b, node) {
    if (args$x$kind == "date") return(emit_node(args$x, b))
    if (args$x$kind == "date-time") return(emit_days(args$x, b))
    value <- emit_node(args$x, b)
    pattern <- args$pattern$value
    numbers_by_code(value, b, turned(value, node, function(texts) days_of(texts, pattern)))
  },
  paste0("A date from ISO 8601 text, or from text in a pattern of POSIX's letters (`%d %m %Y %y ",
         "%b %B`; names of months are English), or the day of a date-time in its time zone."),
  "visit_date >= as_date(\"1 May 2024\", \"%d %B %Y\")",
  params = list(x = takes("textual", "dated"), pattern = constant("text", default = NULL)),
  type = type_as_date, usage = "as_date(x, pattern)")

type_as_date_time <- function(lang, typing) {
  args <- typed_arguments(language_function("as_date_time"), lang, typing)
  zone <- args$zone$value
  pattern <- args$pattern$value
  if (!zone %in% c("", OlsonNames(), "UTC", "GMT")) {
    stop_neatly("expression", paste0("There is no time zone ", quoted(zone), "."), where_of(typing),
                meant(zone, OlsonNames(), quoted))
  }
  if (!is.null(pattern) && is.null(read_date_pattern(pattern))) {
    stop_neatly("expression", paste0(quoted(pattern), " is not a pattern of dates."),
                where_of(typing),
                date_pattern_usage())
  }
  if (args$x$node == "constant" && args$x$kind == "text") {
    seconds <- seconds_in_zone(args$x$value, pattern, zone)
    if (anyNA(seconds)) {
      stop_neatly("expression", paste0(quoted(args$x$value), " is not a date-time."),
                  where_of(typing),
                  "Write ISO 8601, as in \"2024-05-31 14:30\", or a pattern.")
    }
    return(constant_node(.POSIXct(seconds, tz = zone), new_type("date-time", tz = zone),
                         lang_text(lang)))
  }
  call_node("as_date_time", args, new_type("date-time", tz = zone))
}

# Seconds of texts that say no offset of their own, as clocks in a zone show them.
seconds_in_zone <- function(text, pattern, zone) {
  if (is.null(pattern)) {
    days <- iso_days(text)
    text <- ifelse(is.na(days), text, paste0(text, "T00:00"))
    return(iso_seconds(text, zone))
  }
  read <- dates_by_pattern(text, pattern)
  shown <- format(structure(read$days, class = "Date"))
  whole <- floor(read$seconds)
  clock <- sprintf("%s %02d:%02d:%02d", shown, as.integer(whole %/% 3600),
                   as.integer(whole %/% 60 %% 60), as.integer(whole %% 60))
  as.numeric(as.POSIXct(clock, format = "%Y-%m-%d %H:%M:%S", tz = zone)) + read$seconds - whole
}

turn("as_date_time", c("textual", "dated"), "date-time",
  function(args, b, node) {
    if (args$x$kind == "date-time") return(emit_node(args$x, b))
    if (args$x$kind == "date") {
      days <- emit_node(args$x, b)
      return(emit_vector(b, function(r) {
        shown <- format(structure(vector_of(r, days), class = "Date"))
        as.numeric(as.POSIXct(shown, format = "%Y-%m-%d", tz = node$tz))
      }))
    }
    value <- emit_node(args$x, b)
    pattern <- args$pattern$value
    numbers_by_code(value, b, turned(value, node, function(texts) {
      seconds_in_zone(texts, pattern, node$tz)
    }))
  },
  paste0("A date-time from ISO 8601 text, or from text in a pattern (as in `as_date()`, with `%H ",
         "%M %S`), as clocks in `zone` show it unless the text says its offset; the start of a ",
         "day; the same moment in another zone."),
  "as_date_time(\"2024-05-01 06:30\", \"Europe/Berlin\") < arrived",
  params = list(x = takes("textual", "dated"), zone = constant("text", default = "UTC"),
                pattern = constant("text", default = NULL)),
  type = type_as_date_time, usage = "as_date_time(x, zone = \"UTC\", pattern)")
