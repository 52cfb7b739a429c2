# And, or, not, absent and present.

type_logic <- function(lang, typing) {
  op <- as.character(lang[[1]])
  args <- lapply(given_arguments(lang), type_language, typing)
  wanted <- if (op == "!") 1 else 2
  if (length(args) != wanted) {
    stop_neatly(
      "expression",
      paste0("`", op, "` joins ", wanted, " conditions."),
      where_of(typing)
    )
  }
  args <- lapply(args, settled, type = new_type("logical"), typing = typing)
  for (arg in args) check_joined(arg, op, typing)
  if (op == "&") guard_never(args, lang, typing)
  call_node(op, args, new_type("logical"))
}

emit_logic <- function(args, b, node) {
  registers <- vapply(args, function(a) emit_node(a, b)$reg, integer(1))
  if (node$fn == "!") return(three_value(b, "not_", registers[1]))
  three_value(
    b, if (node$fn == "&") "and_" else "or_", registers[1], registers[2]
  )
}

emit_absence <- function(args, b, node) {
  emit_gap(args[[1]], b, node$fn == "present")
}

emit_gap <- function(node, b, is_present) {
  value <- emit_node(node, b)
  absent_values <- switch(value$type,
    number = three_value(b, "absent_number", value$reg),
    code = three_value(b, "absent_code", value$reg),
    three = three_value(b, "is_unknown", value$reg)
  )
  if (is_present) three_value(b, "not_", absent_values$reg) else absent_values
}

define_function(
  "&",
  "joining",
  list(a = takes("logical"), b = takes("logical")),
  "logical",
  emit_logic,
  type = type_logic,
  help = "Both conditions.",
  absent = "no as soon as one is no; else unknown when one is unknown",
  example = "queen_seen & brood_frames > 6"
)

define_function(
  "|",
  "joining",
  list(a = takes("logical"), b = takes("logical")),
  "logical",
  emit_logic,
  type = type_logic,
  help = "Either condition.",
  absent = "yes as soon as one is yes; else unknown when one is unknown",
  example = "brood_frames > 8 | honey_kg > 10"
)

define_function(
  "!",
  "joining",
  list(a = takes("logical")),
  "logical",
  emit_logic,
  type = type_logic,
  help = "The opposite.",
  absent = "unknown stays unknown",
  example = "!queen_seen"
)

# The reasons of a column, which is named as it is.
reasons_of <- function(x, lang, typing) {
  if (!is.null(x$reasons)) return(x$reasons)
  if (x$node != "column") {
    stop_neatly(
      "expression",
      paste0(
        "`", x$text, "` is no column, so that no reason is known for ",
        "its absent values."
      ),
      where_of(typing),
      paste0(
        "Name a column, as in `", call_name(lang),
        "(x)`; a value that is worked ", "out has no reasons."
      )
    )
  }
  having <- names(Filter(
    function(type) !is.null(type$reasons), typing$scope$columns
  ))
  stop_neatly(
    "expression",
    paste0("No reason is known for absent values of `", x$text, "`."),
    where_of(typing),
    c(
      if (length(having)) {
        paste0("They are known of ", listed(ticked(having), 8), ".")
      },
      paste0(
        "Reasons are told with the codes, in `study()`: `absent_codes = list(",
        lang_text(as.name(x$name)), " = c(refused = \"-8\"))`."
      )
    )
  )
}

# With a reason: whether the value is absent for it.
type_absent <- function(lang, typing) {
  args <- typed_arguments(language_function("absent"), lang, typing)
  if (is.null(args$reason)) {
    return(call_node("absent", args["x"], new_type("logical")))
  }
  reasons <- reasons_of(args$x, lang, typing)
  strange <- setdiff(args$reason$value, reasons$labels)
  if (length(strange)) {
    stop_neatly(
      "expression",
      paste0(
        quoted(strange[1]), " is no reason why `", args$x$text, "` is absent."
      ),
      where_of(typing),
      c(
        meant(strange[1], reasons$labels, quoted),
        paste0("Its reasons: ", listed(quoted(reasons$labels), 12), ".")
      )
    )
  }
  why <- reasons_node(reasons, paste0("absent_reason(", args$x$text, ")"))
  is_one <- call_node(
    "%in%", list(x = why, set = args$reason), new_type("logical")
  )
  call_node("is_true", list(cond = is_one), new_type("logical"))
}

define_function(
  "absent",
  "joining",
  list(
    x = takes("any"),
    reason = constant("text", default = NULL, many = TRUE)
  ),
  "logical",
  emit_absence,
  type = type_absent,
  help = paste0(
    "Whether the value is missing; with a reason, or several, whether it is ",
    "missing ",
    "for one of them, as `absent_codes` of `study()` tells them."
  ),
  absent = "never unknown",
  example = "absent(mites_per_100)"
)

define_function(
  "absent_reason",
  "joining",
  list(x = takes("any")),
  "category",
  emit = NULL,
  type = function(lang, typing) {
    x <- typed_arguments(language_function("absent_reason"), lang, typing)$x
    reasons_node(reasons_of(x, lang, typing), lang_text(lang))
  },
  help = "Why the value is missing, as a category of the reasons that `absent_codes` tells.",
  absent = "absent where the value is there, or no reason is known",
  example = "absent_reason(brood_frames)"
)

define_function(
  "present",
  "joining",
  list(x = takes("any")),
  "logical",
  emit_absence,
  help = "Whether the value is there.",
  absent = "never unknown",
  example = "present(hive_weight_kg)"
)

define_function(
  "is_true",
  "joining",
  list(cond = takes("logical")),
  "logical",
  function(args, b, node) three_value(b, "is_yes", emit_node(args$cond, b)$reg),
  help = "Whether a condition is yes.",
  absent = "no when unknown",
  example = "is_true(mites_per_100 > 3)"
)

define_function(
  "is_unknown",
  "joining",
  list(cond = takes("logical")),
  "logical",
  function(args, b, node) {
    three_value(b, "is_unknown", emit_node(args$cond, b)$reg)
  },
  help = "Whether a condition cannot be decided.",
  absent = "yes when unknown",
  example = "is_unknown(mites_per_100 > 3)"
)
