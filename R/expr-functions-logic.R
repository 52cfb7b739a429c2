# And, or, not, absent and present.

type_logic <- function(lang, typing) {
  op <- as.character(lang[[1]])
  args <- lapply(given_arguments(lang), type_language, typing)
  wanted <- if (op == "!") 1 else 2
  if (length(args) != wanted) {
    stop_neatly("expression", paste0("`", op, "` joins ", wanted, " conditions."), where_of(typing))
  }
  args <- lapply(args, settled, type = new_type("logical"), typing = typing)
  for (arg in args) check_joined(arg, op, typing)
  if (op == "&") guard_never(args, lang, typing)
  call_node(op, args, new_type("logical"))
}

emit_logic <- function(args, b, node) {
  registers <- vapply(args, function(a) emit_node(a, b)$reg, integer(1))
  if (node$fn == "!") return(three_value(b, "not_", registers[1]))
  three_value(b, if (node$fn == "&") "and_" else "or_", registers[1], registers[2])
}

emit_absence <- function(args, b, node) emit_gap(args[[1]], b, node$fn == "present")

emit_gap <- function(node, b, is_present) {
  value <- emit_node(node, b)
  gone <- switch(value$type, number = three_value(b, "absent_number", value$reg),
                 code = three_value(b, "absent_code", value$reg),
                 three = three_value(b, "is_unknown", value$reg))
  if (is_present) three_value(b, "not_", gone$reg) else gone
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
