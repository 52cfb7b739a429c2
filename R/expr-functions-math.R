# Arithmetic, and dates plus days.

type_arithmetic <- function(lang, typing) {
  op <- as.character(lang[[1]])
  args <- lapply(given_arguments(lang), type_language, typing)
  args <- lapply(args, settled, type = new_type("number"), typing = typing)
  type <- type_of_days(op, args, lang, typing)
  if (!is.null(type)) return(call_node(op, args, type))
  for (arg in args) {
    if (!arg$kind %in% numeric_kinds) {
      wrong_kind(op, arg, takes("numeric"), typing)
    }
    if (length(arg$value) > 1) {
      stop_neatly(
        "expression",
        paste0("`", lang_text(lang), "` calculates with a list of values."),
        where_of(typing),
        "Use one value."
      )
    }
  }
  if (length(args) == 1 && op %in% c("+", "-")) {
    return(call_node(op, args, type_part(args[[1]])))
  }
  if (length(args) != 2) {
    stop_neatly(
      "expression", paste0("`", op, "` needs two numbers."), where_of(typing)
    )
  }
  type <- if (op %in% c("/", "^")) {
    new_type("number")
  } else {
    whole_with_literals(args)
  }
  call_node(op, args, type)
}

# The type of date - date, and of date plus or minus days; NULL for anything
# else.
type_of_days <- function(op, args, lang, typing) {
  if (length(args) != 2 || !op %in% c("+", "-")) return(NULL)
  kinds <- vapply(args, `[[`, character(1), "kind")
  dated <- kinds %in% c("date", "date-time")
  if (op == "-" && all(dated)) {
    if (kinds[1] == kinds[2]) return(new_type("number"))
    stop_neatly(
      "expression",
      paste0(
        "`", lang_text(lang), "` takes a ", kinds[2], " from a ", kinds[1], "."
      ),
      where_of(typing),
      "Write `days_between(a, b)`."
    )
  }
  days <- sum(dated) == 1 &&
    kinds[!dated] %in% numeric_kinds &&
    (op == "+" || dated[1])
  if (days) type_part(args[[which(dated)]])
}

# A chain of numbers, worked out from left to right.
emit_chain <- function(args, b, node) {
  ops <- c(
    `+` = "add", `-` = "subtract", `*` = "multiply", `/` = "divide"
  )[node$signs]
  result <- emit_node(args[[1]], b)
  for (i in seq_along(ops)) {
    result <- number_value(
      b, ops[[i]], result$reg, emit_node(args[[i + 1]], b)$reg
    )
  }
  result
}

emit_arithmetic <- function(args, b, node) {
  if (!is.null(node$signs)) return(emit_chain(args, b, node))
  values <- lapply(args, emit_node, b = b)
  kinds <- vapply(args, `[[`, character(1), "kind")
  if (length(values) == 1) {
    return(if (node$fn == "-") {
      number_value(b, "negate", values[[1]]$reg)
    } else {
      values[[1]]
    })
  }
  per_day <- function(value, op) {
    number_value(
      b, op, value$reg, number_value(b, "const_number", x = 86400)$reg
    )
  }
  if ("date-time" %in% kinds && node$kind == "date-time") {
    at <- which(kinds != "date-time")
    values[[at]] <- per_day(values[[at]], "multiply")
  }
  core <- switch(node$fn,
    `+` = "add",
    `-` = "subtract",
    `*` = "multiply",
    `/` = "divide",
    `^` = "power",
    `%%` = "modulo",
    `%/%` = "whole_divide"
  )
  out <- number_value(b, core, values[[1]]$reg, values[[2]]$reg)
  # A date is a day: a fraction of one is dropped.
  if (node$kind == "date") return(number_value(b, "floor", out$reg))
  if (all(kinds == "date-time")) per_day(out, "divide") else out
}

arithmetic_help <- list(
  `+` = list(
    "Sum; a date plus a number of days is a date (a fraction of a day is dropped).",
    "honey_kg + 1"
  ),
  `-` = list("Difference; two dates give days.", "hive_weight_kg - honey_kg"),
  `*` = list("Product.", "honey_kg * 1000"),
  `/` = list(
    "Quotient, always a number; by zero gives Inf or -Inf, 0 / 0 is absent.",
    "honey_kg / hive_weight_kg"
  ),
  `^` = list("Power.", "brood_frames^2"),
  `%%` = list(
    "Remainder, with the sign of the divisor; by zero is absent.",
    "visit_id %% 2"
  ),
  `%/%` = list("Whole quotient, rounded down.", "brood_frames %/% 2")
)
for (op in names(arithmetic_help)) {
  side <- if (op %in% c("+", "-")) takes("numeric", "dated") else takes("numeric")
  define_function(
    op,
    "arithmetic",
    list(x = side, y = side),
    if (op %in% c("/", "^")) "number" else both_whole,
    emit_arithmetic,
    type = type_arithmetic,
    help = arithmetic_help[[op]][[1]],
    absent = "absent when either is absent",
    example = arithmetic_help[[op]][[2]]
  )
}
rm(op, side)

of_one_number <- function(name, gives, help, example, core = name) {
  define_function(
    name,
    "arithmetic",
    list(x = takes("numeric")),
    gives,
    function(args, b, node) number_value(b, core, emit_node(args$x, b)$reg),
    help = help,
    absent = "absent when x is absent or the result is undefined",
    example = example
  )
}
of_one_number("abs", "same", "Distance from zero.", "abs(honey_kg - 5)")
of_one_number("sqrt", "number", "Square root.", "sqrt(mites_per_100)")
of_one_number("exp", "number", "Exponential.", "exp(-mites_per_100)")
of_one_number("log2", "number", "Logarithm to base 2.", "log2(hive_weight_kg)")
of_one_number(
  "log10", "number", "Logarithm to base 10.", "log10(hive_weight_kg)"
)
of_one_number(
  "floor",
  "number",
  "Largest whole number not above x.",
  "floor(hive_weight_kg)"
)
of_one_number(
  "ceiling",
  "number",
  "Smallest whole number not below x.",
  "ceiling(hive_weight_kg)"
)
of_one_number(
  "trunc",
  "number",
  "The number without its fraction: towards zero, where `floor()` goes down.",
  "trunc(honey_kg - 5)"
)
of_one_number(
  "log1p", "number", "log(1 + x), exact for a small x.", "log1p(mites_per_100)"
)
of_one_number(
  "expm1", "number", "exp(x) - 1, exact for a small x.", "expm1(-mites_per_100)"
)
of_one_number("sign", "same", "-1, 0 or 1.", "sign(honey_kg - 5)")
define_function(
  "log",
  "arithmetic",
  list(x = takes("numeric"), base = constant("numeric", default = NULL)),
  "number",
  function(args, b, node) {
    x <- emit_node(args$x, b)
    if (is.null(args$base)) return(number_value(b, "log", x$reg))
    number_value(b, "log_base", x$reg, emit_node(args$base, b)$reg)
  },
  usage = "log(x, base)",
  help = "Natural logarithm, or to another base.",
  absent = "absent when x is absent or negative",
  example = "log(hive_weight_kg)"
)
type_limit <- function(lang, typing) {
  args <- typed_arguments(language_function("limit"), lang, typing)
  fixed <- args$lo$node == "constant" && args$hi$node == "constant"
  if (fixed && isTRUE(args$lo$value > args$hi$value)) {
    stop_neatly(
      "expression",
      paste0(
        "`limit()` has its ends turned round: ", shown_constant(args$lo),
        " is above ", shown_constant(args$hi), "."
      ),
      where_of(typing),
      "It is used as `limit(x, lo, hi)`."
    )
  }
  call_node("limit", args, both_whole(args))
}
define_function(
  "limit",
  "arithmetic",
  list(x = takes("numeric"), lo = takes("numeric"), hi = takes("numeric")),
  both_whole,
  function(args, b, node) {
    values <- lapply(args, emit_node, b = b)
    raised <- number_value(b, "larger", values$x$reg, values$lo$reg)
    number_value(b, "smaller", raised$reg, values$hi$reg)
  },
  type = type_limit,
  help = "x, but `lo` where it is below and `hi` where it is above.",
  absent = "absent when any of the three is",
  example = "limit(hive_weight_kg, 0, 80)"
)
define_function(
  "round",
  "arithmetic",
  list(x = takes("numeric"), digits = constant("numeric", default = 0)),
  "same",
  function(args, b, node) {
    number_value(
      b,
      "round",
      emit_node(args$x, b)$reg,
      x = max(-400, min(400, as.numeric(args$digits$value)))
    )
  },
  help = "Rounded to `digits` decimals; a tie goes to the even digit.",
  absent = "absent when x is absent",
  example = "round(hive_weight_kg, 1)"
)
