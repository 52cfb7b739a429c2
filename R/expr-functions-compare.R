# Comparing, lists, and / or / not, absent and present.

# Typed comparison: both sides of one family, dates read from ISO text, categories by label.
type_comparison <- function(lang, scope) {
  op <- as.character(lang[[1]])
  if (length(lang) != 3) {
    stop_neatly("expression", paste0("`", op, "` compares two values."), scope$where)
  }
  args <- lapply(as.list(lang)[2:3], type_language, scope)
  for (arg in args) {
    if (arg$node == "constant" && length(arg$value) > 1) {
      stop_neatly("expression",
                  paste0("`", lang_text(lang), "` compares with ", length(arg$value),
                         " values at once."), scope$where,
                  if (op == "==") paste0("Write `", args[[1]]$text, " %in% ", arg$text, "`.")
                  else if (op == "!=")
                    paste0("Write `!(", args[[1]]$text, " %in% ", arg$text, ")`.")
                  else "Compare with one value.")
    }
  }
  args <- align_kinds(args, lang, op, scope)
  list(node = "call", fn = op, args = args, kind = "logical")
}

align_kinds <- function(args, lang, op, scope) {
  for (i in 1:2) {
    other <- args[[3 - i]]
    if (other$kind != "absent") args[[i]] <- settled(args[[i]], type_part(other), scope)
  }
  kinds <- vapply(args, `[[`, character(1), "kind")
  family <- function(kind) {
    switch(kind, number = , whole = "number", text = , category = "text", date = ,
           `date-time` = "date", kind)
  }
  families <- vapply(kinds, family, character(1))
  # ISO text beside a date is a date.
  if (setequal(families, c("date", "text")) &&
      args[[which(families == "text")]]$node == "constant") {
    at <- which(families == "text")
    args[[at]] <- date_from_constant(args[[at]], args[[3 - at]], scope)
    return(args)
  }
  if (families[1] != families[2]) mismatch(args, families, lang, op, scope)
  if (families[1] == "logical" && !op %in% c("==", "!=", "%in%")) {
    stop_neatly("expression",
                paste0("`", lang_text(lang), "` orders conditions, which have no order."),
                scope$where, "Use `==` or `&`, `|`, `!`.")
  }
  if (op %in% c("<", "<=", ">", ">=") && "category" %in% kinds) {
    guard_category_order(args, lang, scope)
  }
  args
}

mismatch <- function(args, families, lang, op, scope) {
  column <- Filter(function(a) a$node != "constant", args)
  constant <- Filter(function(a) a$node == "constant", args)
  if (length(column) != 1 || length(constant) != 1) {
    stop_neatly("expression",
                paste0("`", lang_text(lang), "` compares ", kind_words(args[[1]]), " with ",
                       kind_words(args[[2]]), "."), scope$where,
                mismatch_of_columns(args, scope))
  }
  column <- column[[1]]
  constant <- constant[[1]]
  what <- paste0(if (column$node == "column") "column ", "`",
                 if (column$node == "column") column$name else column$text, "`")
  with <- if (constant$kind == "absent") "NA" else paste0(kind_words(constant), ", ", constant$text)
  stop_neatly("expression",
              paste0("`", lang_text(lang), "` compares ", what, ", which is ", kind_words(column),
                     ", with ", with, "."), scope$where,
              mismatch_hint(column, constant, op, scope))
}

# Two columns of different kinds: a text column that holds numbers or dates says how to read it.
mismatch_of_columns <- function(args, scope) {
  for (arg in args) {
    form <- if (arg$node == "column" && arg$kind %in% c("text", "category"))
      text_form(scope_texts(arg, scope))
    if (!is.null(form)) {
      return(c(paste0("`", arg$name, "` holds ", form_words(form), "."), form_way(form, arg$name)))
    }
  }
  "Bring both to one kind, as with `as_number()`, `as_text()` or `as_date()`."
}

scope_texts <- function(node, scope) {
  if (node$node == "column" && is.function(scope$values)) scope$values(node$name)
}

mismatch_hint <- function(column, constant, op, scope) {
  number <- constant$kind %in% c("number", "whole")
  text <- column$text
  if (constant$kind == "absent") return(paste0("Write `absent(", text, ")`."))
  if (column$kind %in% c("text", "category") && number) {
    return(text_with_number_hint(column, constant, op, scope))
  }
  if (column$kind %in% c("text", "category") && constant$kind %in% c("date", "date-time")) {
    form <- text_form(scope_texts(column, scope))
    if (!is.null(form)) {
      return(c(paste0("It holds ", form_words(form), "."), form_way(form, column$name)))
    }
    return(
      paste0("Turn it into dates first: `as_date(", text,
             ", \"%d/%m/%Y\")`, with the form it is in."))
  }
  if (column$kind %in% c("number", "whole") && constant$kind == "text") {
    if (!anyNA(numbers_from_text(constant$value))) {
      values <- if (length(constant$value) > 1)
        paste0("c(", paste(constant$value, collapse = ", "), ")") else constant$value
      return(paste0("Write the number without quotes: `", text, " ", op, " ", values, "`."))
    }
    named <- named_part_hint(column, constant, op)
    if (!is.null(named)) return(named)
    return(paste0("Compare it with a number, as in `", text, " ", op, " 6`."))
  }
  switch(column$kind,
    number = , whole = paste0("Compare it with a number, as in `", text, " ", op, " 6`."),
    logical = paste0("Write `", text, "` or `!", text, "`."),
    date = , `date-time` = paste0("Write the date as text: `", text, " ", op,
                                  " \"2024-05-01\"`, or take a part of it, as in `year(", text,
                                  ")`."))
}

# Text against a number: what the texts are decides what to write.
text_with_number_hint <- function(column, constant, op, scope) {
  values <- scope_texts(column, scope)
  form <- text_form(values, least = 0.5)
  quoted_value <- value_code(as.character(constant$value))
  orders <- op %in% c("<", "<=", ">", ">=")
  can_quote <- !orders || isTRUE(column$ordered)
  if (!is.null(form) && form$form != "dates") {
    as_quoted <- form$form == "numbers" && can_quote &&
      any(as.character(constant$value) %in% values)
    return(
      paste0(if (form$form != "numbers") paste0("It holds ", form_words(form), ": write `")
             else "Write `",
             form_expression(form, column$name), " ", op, " ", constant$text, "`",
             if (as_quoted)
                    paste0(", or quote the value: `", column$text, " ", op, " ", quoted_value, "`"),
             "."))
  }
  if (!is.null(form)) {
    return(c(paste0("It holds ", form_words(form), "."), form_way(form, column$name)))
  }
  if (is.null(values)) {
    return(
      paste0("If it holds numbers write `as_number(", column$text, ") ", op, " ", constant$text,
             "`."))
  }
  strange <- values[is.na(numbers_from_text(values))]
  if (orders && length(strange) <= length(values) / 2) {
    return(paste0("Write `as_number(", column$text, ") ", op, " ", constant$text, "`; ",
                  listed(quoted(strange), 4),
                  if (length(strange) > 1) " then become" else " then becomes", " absent."))
  }
  known <- paste0("It has ", listed(quoted(utils::head(values, 6)), 5),
                  if (length(values) > 6) " and others", ".")
  c(known,
    paste0("Compare it with one of these, as in `", column$text, " == ", value_code(values[1]),
           "`."))
}

# weekday(d) == "Monday", month(d) == "May": the number that the part has.
named_part_hint <- function(column, constant, op) {
  if (column$node != "call" || !column$fn %in% c("weekday", "month") ||
      length(constant$value) != 1) {
    return(NULL)
  }
  days <- c("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
  word <- tolower(constant$value)
  number <- if (column$fn == "month") month_number(word) else {
    at <- match(word, days)
    if (is.na(at)) match(word, substr(days, 1, 3)) else at
  }
  if (is.na(number)) return(NULL)
  said <- if (column$fn == "month") "Months are numbers from 1 to 12"
    else "Days of the week are numbers, 1 for Monday to 7 for Sunday"
  paste0(said, ": write `", column$text, " ", op, " ", number, "`.")
}

guard_category_order <- function(args, lang, scope) {
  categories <- Filter(function(a) a$kind == "category", args)
  for (a in categories) {
    if (!isTRUE(a$ordered)) {
      stop_neatly("expression",
                  paste0("`", lang_text(lang), "` orders `", a$text,
                         "`, a category without an order."), scope$where,
                  c(if (length(a$labels))
                    paste0("Its categories are ", listed(quoted(a$labels), 8), "."),
                    paste0("Give them an order, as in `study(data, ordered = list(", a$text,
                           " = c(", quoted(a$labels[1]), ", ...)))`, or use `%in%`.")))
    }
  }
  labels <- categories[[1]]$labels
  if (is.null(labels)) {
    stop_neatly("expression",
                paste0("`", categories[[1]]$text,
                       "` has categories that are known only once it is made, so `",
                       lang_text(lang), "` cannot be decided before."), scope$where,
                "List them in their order: `as_category(x, c(\"low\", \"high\"), ordered = TRUE)`.")
  }
  for (a in args) {
    if (a$node == "constant" && !a$value %in% labels) {
      stop_neatly("expression",
                  paste0(quoted(a$value), " is none of the categories of `", categories[[1]]$text,
                         "`."), scope$where,
                  if (length(labels))
                    paste0("They are, in order: ", listed(quoted(labels), 8), "."))
    }
    if (a$node != "constant" && !(a$kind == "category" && identical(a$labels, labels))) {
      stop_neatly("expression",
                  paste0("`", lang_text(lang), "` orders categories of different sets."),
                  scope$where, "Compare with `==`, or give both the same categories.")
    }
  }
}

# ISO 8601 text as dates, or as date-times where the other side is one and a time is given.
date_from_constant <- function(node, other, scope) {
  with_time <- grepl("[T ][0-9]{2}:[0-9]{2}", node$value)
  if (other$kind == "date-time" && all(with_time)) {
    seconds <- iso_seconds(node$value, other$tz)
    if (!anyNA(seconds)) {
      return(
        list(node = "constant", value = seconds, kind = "date-time", text = node$text,
             tz = other$tz))
    }
  }
  days <- iso_days(node$value)
  if (other$kind == "date-time" && any(with_time) && !anyNA(days[!with_time]) &&
      !anyNA(iso_seconds(node$value[with_time], other$tz))) {
    stop_neatly("expression", paste0("`", node$text, "` lists both days and times of a day."),
                scope$where,
                "Give all of them with a time, or all as days; a day means all of it.")
  }
  if (anyNA(days)) {
    bad <- node$value[is.na(days) & !(with_time & !is.na(iso_seconds(node$value, other$tz)))]
    bad <- c(bad, node$value[is.na(days)])[1]
    stop_neatly("expression",
                paste0(quoted(bad), " is not a date",
                       if (other$kind == "date-time") " or date-time", "."),
                c(scope$where, paste0("It is compared with `", other$text, "`.")),
                paste0("Write ISO 8601 year-month-day, as in \"2024-05-31\"",
                       if (other$kind == "date-time") " or \"2024-05-31 14:30\"", "."))
  }
  list(node = "constant", value = structure(days, class = "Date"), kind = "date", text = node$text)
}

iso_days <- function(text) {
  ok <- grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", text)
  out <- rep(NA_real_, length(text))
  out[ok] <- as.numeric(as.Date(text[ok], format = "%Y-%m-%d"))
  out
}

iso_seconds <- function(text, tz = "UTC") {
  shape <-
    paste0("^([0-9]{4}-[0-9]{2}-[0-9]{2})[T ",
           "]([0-9]{2}):([0-9]{2})(?::([0-9]{2}(?:\\.[0-9]+)?))?(Z|[+-][0-9]{2}:?[0-9]{2})?$")
  out <- rep(NA_real_, length(text))
  for (i in which(grepl(shape, text, perl = TRUE))) {
    part <- regmatches(text[i], regexec(shape, text[i], perl = TRUE))[[1]]
    zone <- part[6]
    seconds <- if (nzchar(part[5])) as.numeric(part[5]) else 0
    if (as.integer(part[3]) > 23 || as.integer(part[4]) > 59 || seconds >= 61) next
    utc <- nzchar(zone) || is.null(tz) || is.na(tz)
    base <-
      as.numeric(
        as.POSIXct(paste0(part[2], " ", part[3], ":", part[4]), format = "%Y-%m-%d %H:%M",
                   tz = if (utc) "UTC" else tz))
    if (nzchar(zone) && zone != "Z") {
      digits <- gsub("[^0-9]", "", zone)
      offset <- as.numeric(substr(digits, 1, 2)) * 3600 + as.numeric(substr(digits, 3, 4)) * 60
      base <- base - if (startsWith(zone, "-")) -offset else offset
    }
    out[i] <- base + seconds
  }
  out
}

# Ranks of texts by code point, whatever the locale.
code_point_rank <- function(texts) match(texts, sort(unique(texts), method = "radix"))

emit_comparison <- function(args, b, node) {
  op <- node$fn
  kinds <- vapply(args, `[[`, character(1), "kind")
  if (all(kinds %in% c("text", "category"))) return(emit_text_comparison(args, b, op))
  if (all(kinds == "logical")) {
    values <- lapply(args, function(a) number_value(b, "number_from_three", emit_node(a, b)$reg))
    return(three_value(b, core_comparison(op), values[[1]]$reg, values[[2]]$reg))
  }
  if (setequal(kinds, c("date", "date-time"))) {
    values <- lapply(args, emit_days, b = b)
  } else {
    quick <- emit_int_comparison(args, b, op)
    if (!is.null(quick)) return(quick)
    values <- lapply(args, emit_node, b = b)
  }
  three_value(b, core_comparison(op), values[[1]]$reg, values[[2]]$reg)
}

core_comparison <- function(op) {
  switch(op, `==` = "equal", `!=` = "not_equal", `<` = "less", `<=` = "less_equal", `>` = "greater",
         `>=` = "greater_equal")
}

# A whole-number column against a fixed number is compared without making doubles.
emit_int_comparison <- function(args, b, op) {
  at <- which(vapply(args, `[[`, character(1), "node") == "column")
  if (length(at) != 1 || args[[3 - at]]$node != "constant" || isTRUE(args[[at]]$empty)) return(NULL)
  vector <- b$frame$columns[[args[[at]]$name]]
  if (!is.integer(vector)) return(NULL)
  if (at == 2) op <- switch(op, `<` = ">", `<=` = ">=", `>` = "<", `>=` = "<=", op)
  value <- as.numeric(args[[3 - at]]$value)
  if (is.na(value) || (op %in% c("==", "!=") && value != floor(value))) return(NULL)
  bound <- switch(op, `<` = ceiling(value) - 1, `<=` = floor(value), `>` = floor(value) + 1,
                  `>=` = ceiling(value), value)
  if (abs(bound) > .Machine$integer.max) return(NULL)
  core <- switch(op, `<` = , `<=` = "int_less_equal", `>` = , `>=` = "int_greater_equal",
                 `==` = "int_equal", `!=` = "int_not_equal")
  three_value(b, core, emit(b, "load_code", add_column(b, "column", args[[at]]$name, vector)),
              x = bound)
}

emit_text_comparison <- function(args, b, op) {
  compare <- match.fun(op)
  fixed <- vapply(args, function(a) a$node == "constant", logical(1))
  ordered <- Filter(function(a) isTRUE(a$ordered), args)
  by_label <- op %in% c("==", "!=")
  values <- lapply(args, emit_node, b = b)
  if (sum(fixed) == 1) {
    column <- values[[which(!fixed)]]
    constant <- args[[which(fixed)]]$value
    rank <- rank_function(c(column$dict, constant), ordered, by_label)
    left <- if (fixed[1]) rank(constant) else rank(column$dict)
    right <- if (fixed[1]) rank(column$dict) else rank(constant)
    return(threes_by_code(column, b, compare(left, right)))
  }
  if (by_label) {
    both <- one_dict(values, b)
    return(
      three_value(b, if (op == "==") "codes_equal" else "codes_not_equal", both[[1]]$reg,
                  both[[2]]$reg))
  }
  rank <- rank_function(c(values[[1]]$dict, values[[2]]$dict), ordered, by_label)
  numbers <- lapply(values, function(v) numbers_by_code(v, b, rank(v$dict)))
  three_value(b, core_comparison(op), numbers[[1]]$reg, numbers[[2]]$reg)
}

rank_function <- function(all, ordered, by_label) {
  order <- if (length(ordered) && !by_label) ordered[[1]]$labels
    else sort(unique(all), method = "radix")
  function(x) match(x, order)
}

for (op in comparisons) {
  define_function(op, "comparing", list(x = takes("any"), y = takes("any")), "logical",
                  emit_comparison, type = type_comparison,
    help = switch(op,
      `==` = paste0("Whether two values are equal. Text is compared exactly, by code point; a ",
                    "category by its label; dates with ISO 8601 text; a date-time equals a day ",
                    "at any time in it."),
      `!=` = "Whether two values differ.",
      `<` = paste0("Whether `x` is below `y`: by size, by time, by code point for text, by the ",
                   "order of an ordered category."),
      `<=` = "Whether `x` is at most `y`; a date-time is at most a day up to its end.",
      `>` = "Whether `x` is above `y`; a date-time is above a day after its end.",
      `>=` = "Whether `x` is at least `y`."),
    absent = "unknown when either side is absent",
    example = switch(op, `==` = "season == \"spring\"", `!=` = "treatment != \"none\"",
                     `<` = "brood_frames < 4", `<=` = "visit_date <= \"2024-06-30\"",
                     `>` = "hive_weight_kg > 200", `>=` = "mites_per_100 >= 3"))
}
rm(op)

type_in <- function(lang, scope) {
  if (length(lang) != 3) stop_neatly("expression", "`%in%` needs a value and a list.", scope$where)
  long <- type_in_range(lang, scope)
  if (!is.null(long)) return(long)
  x <- type_language(lang[[2]], scope)
  set <- type_language(lang[[3]], scope)
  if (set$node != "constant") {
    stop_neatly("expression", paste0("`", set$text, "` is not a list of fixed values."),
                scope$where,
                paste0("Write `x %in% c(\"a\", \"b\")`, a setting, or `.(values)`; for rows ",
                       "found in another table use `keep_matched()`."))
  }
  if (isTRUE(set$has_absent) || set$kind == "absent" || anyNA(set$value)) {
    rest <- set$value[!is.na(set$value)]
    stop_neatly("expression",
                paste0("`", lang_text(lang), "` lists NA, which no value is equal to."),
                scope$where,
                if (length(rest))
                  paste0("Write `", x$text, " %in% ", value_code(unname(rest)), " | absent(",
                         x$text, ")`.") else paste0("Write `absent(", x$text, ")`."))
  }
  args <- align_kinds(list(x, set), lang, "%in%", scope)
  list(node = "call", fn = "%in%", args = args, kind = "logical")
}

# x %in% 1:2000000000 by the ends of the range, and x whole; NULL for a range short enough to list.
type_in_range <- function(lang, scope) {
  if (call_name(lang[[3]]) != ":" || length(lang[[3]]) != 3) return(NULL)
  ends <- lapply(as.list(lang[[3]])[-1], type_language, scope)
  fixed <- vapply(ends,
                  function(e) {
                    e$node == "constant" && e$kind %in% numeric_kinds && length(e$value) == 1
                  }, logical(1))
  if (!all(fixed)) return(NULL)
  ends <- sort(as.numeric(c(ends[[1]]$value, ends[[2]]$value)))
  if (ends[2] - ends[1] < longest_range || any(ends != floor(ends))) return(NULL)
  x <- lang[[2]]
  inside <- call("&", call("&", call(">=", x, ends[1]), call("<=", x, ends[2])),
                 call("==", x, call("floor", x)))
  node <- type_language(inside, scope)
  node$text <- lang_text(lang)
  node
}

emit_in <- function(args, b, node) {
  set <- args[[2]]$value
  if (args[[1]]$kind %in% c("text", "category")) {
    value <- emit_node(args[[1]], b)
    return(threes_by_code(value, b, value$dict %in% set))
  }
  value <- if (args[[1]]$kind == "logical")
    number_value(b, "number_from_three", emit_node(args[[1]], b)$reg)
    else if (args[[1]]$kind == "date-time" && args[[2]]$kind == "date") emit_days(args[[1]], b)
    else emit_node(args[[1]], b)
  three_value(b, "number_in", value$reg, add_table(b, sort(unique(as.numeric(set)))))
}

define_function("%in%", "comparing", list(x = takes("any"), set = constant("any", many = TRUE)),
                "logical", emit_in, type = type_in,
  help = "Whether a value is one of a list; `NA` in the list is an error.",
  absent = "unknown when x is absent",
  example = "apiary %in% c(\"Fen Gate\", \"Mill Lawn\")")

define_function("between", "comparing",
                list(x = takes("any"), lo = takes("any"), hi = takes("any")), "logical", NULL,
  type = function(lang, scope) {
    fn <- language_function("between")
    parts <- match_call_parts(fn, lang, scope)
    type_language(call("&", call(">=", parts$x, parts$lo), call("<=", parts$x, parts$hi)), scope)
  },
  help = "`lo <= x & x <= hi`: no as soon as one side says no.",
  absent = "unknown when a side that decides is absent",
  example = "between(visit_date, \"2024-04-01\", \"2024-06-30\")")

# Unevaluated arguments of a call by the names in the table.
match_call_parts <- function(fn, lang, scope) {
  given <- given_arguments(lang)
  names <- names(fn$params)
  if (is.null(names(given))) names(given) <- rep("", length(given))
  open <- setdiff(names, names(given))
  names(given)[names(given) == ""] <- utils::head(open, sum(names(given) == ""))
  if (length(given) != length(names) || !setequal(names(given), names)) {
    stop_neatly("expression", paste0("`", fn$name, "()` needs ", listed(ticked(names)), "."),
                scope$where, paste0("It is used as `", fn$usage, "`."))
  }
  given
}

type_logic <- function(lang, scope) {
  op <- as.character(lang[[1]])
  args <- lapply(given_arguments(lang), type_language, scope)
  wanted <- if (op == "!") 1 else 2
  if (length(args) != wanted) {
    stop_neatly("expression", paste0("`", op, "` joins ", wanted, " conditions."), scope$where)
  }
  args <- lapply(args, settled, type = list(kind = "logical"), scope = scope)
  for (arg in args) check_joined(arg, op, scope)
  list(node = "call", fn = op, args = args, kind = "logical")
}

check_joined <- function(node, op, scope) {
  if (node$node == "constant" && length(node$value) != 1) {
    stop_neatly("expression",
                paste0("`", op, "` joins conditions, and `", node$text, "` is a list of values."),
                scope$where,
                "Write one condition on columns on each side.")
  }
  if (node$kind == "logical") return(invisible())
  stop_neatly("expression",
              paste0("`", op, "` joins conditions, and `", node$text, "` is ", kind_words(node),
                     "."), scope$where,
              paste0("Compare it, as in `", node$text, condition_hint(node), "`."))
}

emit_logic <- function(args, b, node) {
  registers <- vapply(args, function(a) emit_node(a, b)$reg, integer(1))
  if (node$fn == "!") return(three_value(b, "not_", registers[1]))
  three_value(b, if (node$fn == "&") "and_" else "or_", registers[1], registers[2])
}

define_function("&", "joining", list(a = takes("logical"), b = takes("logical")), "logical",
                emit_logic, type = type_logic,
  help = "Both conditions.", absent = "no as soon as one is no; else unknown when one is unknown",
  example = "queen_seen & brood_frames > 6")
define_function("|", "joining", list(a = takes("logical"), b = takes("logical")), "logical",
                emit_logic, type = type_logic,
  help = "Either condition.",
  absent = "yes as soon as one is yes; else unknown when one is unknown",
  example = "brood_frames > 8 | honey_kg > 10")
define_function("!", "joining", list(a = takes("logical")), "logical", emit_logic,
                type = type_logic,
  help = "The opposite.", absent = "unknown stays unknown", example = "!queen_seen")

emit_absence <- function(args, b, node) {
  value <- emit_node(args[[1]], b)
  gone <- switch(value$type, number = three_value(b, "absent_number", value$reg),
                 code = three_value(b, "absent_code", value$reg),
                 three = three_value(b, "is_unknown", value$reg))
  if (node$fn == "present") three_value(b, "not_", gone$reg) else gone
}

define_function("absent", "joining", list(x = takes("any")), "logical", emit_absence,
  help = "Whether the value is missing.", absent = "never unknown",
  example = "absent(mites_per_100)")
define_function("present", "joining", list(x = takes("any")), "logical", emit_absence,
  help = "Whether the value is there.", absent = "never unknown",
  example = "present(hive_weight_kg)")
define_function("is_true", "joining", list(cond = takes("logical")), "logical",
  function(args, b, node) three_value(b, "is_yes", emit_node(args$cond, b)$reg),
  help = "Whether a condition is yes.", absent = "no when unknown",
  example = "is_true(mites_per_100 > 3)")
define_function("is_unknown", "joining", list(cond = takes("logical")), "logical",
  function(args, b, node) three_value(b, "is_unknown", emit_node(args$cond, b)$reg),
  help = "Whether a condition cannot be decided.", absent = "yes when unknown",
  example = "is_unknown(mites_per_100 > 3)")
