# Comparing, lists, and / or / not, absent and present.

# Typed comparison: both sides of one family, dates read from ISO text,
# categories by label.
type_comparison <- function(lang, typing) {
  op <- as.character(lang[[1]])
  if (length(lang) != 3) {
    stop_neatly(
      "expression", paste0("`", op, "` compares two values."), where_of(typing)
    )
  }
  args <- lapply(as.list(lang)[2:3], type_language, typing)
  for (arg in args) {
    if (arg$node == "constant" && length(arg$value) > 1) {
      stop_neatly(
        "expression",
        paste0(
          "`", lang_text(lang), "` compares with ", length(arg$value),
          " values at once."
        ),
        where_of(typing),
        if (op == "==") {
          paste0("Write `", args[[1]]$text, " %in% ", arg$text, "`.")
        } else if (op == "!=") {
          paste0("Write `!(", args[[1]]$text, " %in% ", arg$text, ")`.")
        } else {
          "Compare with one value."
        }
      )
    }
  }
  args <- align_kinds(args, lang, op, typing)
  call_node(op, args, new_type("logical"))
}

align_kinds <- function(args, lang, op, typing) {
  for (i in 1:2) {
    other <- args[[3 - i]]
    if (other$kind != "absent") {
      args[[i]] <- settled(args[[i]], type_part(other), typing)
    }
  }
  kinds <- vapply(args, `[[`, character(1), "kind")
  family <- function(kind) {
    switch(kind,
      number = ,
      whole = "number",
      text = ,
      category = "text",
      date = ,
      `date-time` = "date",
      kind
    )
  }
  families <- vapply(kinds, family, character(1))
  # ISO text beside a date is a date.
  if (setequal(families, c("date", "text")) &&
    args[[which(families == "text")]]$node == "constant") {
    at <- which(families == "text")
    args[[at]] <- date_from_constant(args[[at]], args[[3 - at]], typing)
    return(args)
  }
  if (families[1] != families[2]) mismatch(args, lang, op, typing)
  if (families[1] == "logical" && !op %in% c("==", "!=", "%in%")) {
    stop_neatly(
      "expression",
      paste0("`", lang_text(lang), "` orders conditions, which have no order."),
      where_of(typing),
      "Use `==` or `&`, `|`, `!`."
    )
  }
  if (op %in% c("<", "<=", ">", ">=") && "category" %in% kinds) {
    guard_category_order(args, lang, typing)
  }
  args
}

# Ranks of texts by code point, whatever the locale.
code_point_rank <- function(texts) {
  match(texts, sort(unique(texts), method = "radix"))
}

emit_comparison <- function(args, b, node) {
  op <- node$fn
  kinds <- vapply(args, `[[`, character(1), "kind")
  if (all(kinds %in% c("text", "category"))) {
    return(emit_text_comparison(args, b, op))
  }
  if (all(kinds == "logical")) {
    values <- lapply(
      args,
      function(a) number_value(b, "number_from_three", emit_node(a, b)$reg)
    )
    return(three_value(
      b, core_comparison(op), values[[1]]$reg, values[[2]]$reg
    ))
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
  switch(op,
    `==` = "equal",
    `!=` = "not_equal",
    `<` = "less",
    `<=` = "less_equal",
    `>` = "greater",
    `>=` = "greater_equal"
  )
}

# A whole-number column against a fixed number is compared without making
# doubles.
emit_int_comparison <- function(args, b, op) {
  at <- which(vapply(args, `[[`, character(1), "node") == "column")
  if (length(at) != 1 ||
    args[[3 - at]]$node != "constant" ||
    isTRUE(args[[at]]$empty)) {
    return(NULL)
  }
  column <- args[[at]]
  if (!is_stored_whole(column, b)) return(NULL)
  if (at == 2) {
    op <- switch(op,
      `<` = ">",
      `<=` = ">=",
      `>` = "<",
      `>=` = "<=",
      op
    )
  }
  value <- as.numeric(args[[3 - at]]$value)
  if (is.na(value) || (op %in% c("==", "!=") && value != floor(value))) {
    return(NULL)
  }
  bound <- switch(op,
    `<` = ceiling(value) - 1,
    `<=` = floor(value),
    `>` = floor(value) + 1,
    `>=` = ceiling(value),
    value
  )
  if (abs(bound) > .Machine$integer.max) return(NULL)
  core <- switch(op,
    `<` = ,
    `<=` = "int_less_equal",
    `>` = ,
    `>=` = "int_greater_equal",
    `==` = "int_equal",
    `!=` = "int_not_equal"
  )
  input <- add_input(
    b, "column", column$name, function(r) column_vector(r, column$name)
  )
  three_value(b, core, emit(b, "load_code", input), x = bound)
}

emit_text_comparison <- function(args, b, op) {
  compare <- match.fun(op)
  fixed <- vapply(args, function(a) a$node == "constant", logical(1))
  ordered <- Filter(function(a) isTRUE(a$ordered), args)
  by_label <- op %in% c("==", "!=")
  values <- lapply(args, emit_node, b = b)
  if (sum(fixed) == 1) {
    constant <- args[[which(fixed)]]$value
    return(threes_by_code(values[[which(!fixed)]], b, function(texts, r) {
      rank <- rank_function(c(texts, constant), ordered, by_label)
      if (fixed[1]) {
        compare(rank(constant), rank(texts))
      } else {
        compare(rank(texts), rank(constant))
      }
    }))
  }
  if (by_label) {
    both <- one_dictionary(values, b)
    return(three_value(
      b,
      if (op == "==") "codes_equal" else "codes_not_equal",
      both[[1]]$reg,
      both[[2]]$reg
    ))
  }
  numbers <- lapply(
    values,
    numbers_by_code,
    b = b,
    answer = function(texts, r) {
      rank_function(
        c(texts_in(r, values[[1]]), texts_in(r, values[[2]])), ordered, by_label
      )(texts)
    }
  )
  three_value(b, core_comparison(op), numbers[[1]]$reg, numbers[[2]]$reg)
}

rank_function <- function(all, ordered, by_label) {
  order <- if (length(ordered) && !by_label) {
    ordered[[1]]$labels
  } else {
    sort(unique(all), method = "radix")
  }
  function(x) match(x, order)
}

for (op in comparisons) {
  define_function(
    op,
    "comparing",
    list(x = takes("any"), y = takes("any")),
    "logical",
    emit_comparison,
    type = type_comparison,
    help = switch(op,
      `==` = paste0(
        "Whether two values are equal. Text is compared exactly, by code ",
        "point; a ",
        "category by its label; dates with ISO 8601 text; a date-time equals ",
        "a day ",
        "at any time in it."
      ),
      `!=` = "Whether two values differ.",
      `<` = paste0(
        "Whether `x` is below `y`: by size, by time, by code point for text, ",
        "by the ",
        "order of an ordered category."
      ),
      `<=` = "Whether `x` is at most `y`; a date-time is at most a day up to its end.",
      `>` = "Whether `x` is above `y`; a date-time is above a day after its end.",
      `>=` = "Whether `x` is at least `y`."
    ),
    absent = "unknown when either side is absent",
    example = switch(op,
      `==` = "season == \"spring\"",
      `!=` = "treatment != \"none\"",
      `<` = "brood_frames < 4",
      `<=` = "visit_date <= \"2024-06-30\"",
      `>` = "hive_weight_kg > 200",
      `>=` = "mites_per_100 >= 3"
    )
  )
}
rm(op)
