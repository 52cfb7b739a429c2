# The typed tree: names resolved, kinds known, constants folded.
#
# A node is a list with `node` ("column", "constant" or "call"), a `kind`, for categories
# `labels` and `ordered`, for date-times `tz`, and `text`, how it was written.

# scope: columns (name -> type), criteria, settings, dropped (column -> step that dropped it),
# where (text), notes (a notebook or NULL), values (function: column -> its distinct texts).
type_expression <- function(expression, typing) {
  typing$functions <- c(expression$functions, typing$functions)
  type_language(expression$lang, typing)
}

type_condition <- function(expression, typing) {
  node <- type_expression(expression, typing)
  if (node$node == "constant" && length(node$value) != 1) {
    stop_neatly("expression", paste0("`", node$text, "` is a list of ", length(node$value),
                                     " values and no condition."), where_of(typing),
                "Write a condition on columns: it is asked of every row.")
  }
  node <- settled(node, new_type("logical"), typing)
  if (node$kind != "logical") {
    stop_neatly("expression",
                paste0("`", node$text, "` is not a condition: it gives ", kind_words(node), "."),
                where_of(typing),
                paste0("Compare it, as in `", node$text, condition_hint(node), "`."))
  }
  node
}

type_language <- function(lang, typing) {
  if (is.symbol(lang)) return(type_name(as.character(lang), typing))
  if (!is.call(lang)) return(typed_constant(lang, typing))
  guard_call(lang, typing)
  head <- lang[[1]]
  name <- as.character(head)
  if (name == "(") {
    node <- type_language(lang[[2]], typing)
    node$text <- lang_text(lang)
    return(node)
  }
  if (name == "c") return(type_list(lang, typing))
  if (name == ":" ) return(type_sequence(lang, typing))
  if (name %in% c("+", "-", "!") && length(lang) == 2) return(type_signs(lang, typing))
  if (name %in% c("&", "|", "+", "-", "*", "/") && length(lang) == 3 &&
      call_name(lang[[2]]) != "") {
    chained <- type_chain(lang, typing)
    if (!is.null(chained)) return(chained)
  }
  type_call(name, lang, typing)
}

# A row of signs: two negations take each other off, minus and plus go into a number.
type_signs <- function(lang, typing) {
  name <- call_name(lang)
  signs <- signs_before(lang)
  if (length(signs) > 1) {
    inner <- signed_operand(lang)
    one <- type_signs(call(if (name == "!") "!" else "-", inner), typing)
    node <- if (sum(signs != "+") %% 2 == 1) one else type_language(inner, typing)
    node$text <- lang_text(lang)
    return(node)
  }
  if (name == "!") return(type_call("!", lang, typing))
  inner <- type_language(lang[[2]], typing)
  if (inner$node == "constant" && inner$kind %in% c("number", "whole")) {
    return(typed_constant(if (name == "-") -inner$value else inner$value, typing))
  }
  type_call(name, lang, typing)
}
signs_before <- function(lang) {
  kind <- if (call_name(lang) == "!") "!" else c("+", "-")
  signs <- character()
  while (is.call(lang) && length(lang) == 2 && call_name(lang) %in% kind) {
    signs <- c(signs, call_name(lang))
    lang <- lang[[2]]
  }
  signs
}

# A chain of more than two operands: conditions as a balanced tree, which means the same as they are
# and, or; numbers as one node that is worked out from left to right. NULL where the chain is to be
# typed two by two.
type_chain <- function(lang, typing) {
  operands <- chain_of(lang)
  if (length(operands) < 3) return(NULL)
  signs <- chain_signs(lang)
  guard_chain(lang, typing)
  nodes <- lapply(operands, type_language, typing)
  nodes <- lapply(nodes, settled,
                  type = new_type(if (signs[1] %in% c("&", "|")) "logical" else "number"),
                  typing = typing)
  if (signs[1] %in% c("&", "|")) {
    for (node in nodes) check_joined(node, signs[1], typing)
    node <- balanced(nodes, signs[1])
  } else {
    plain <- vapply(nodes, function(n) n$kind %in% numeric_kinds && length(n$value) < 2, logical(1))
    if (!all(plain)) return(NULL)
    type <- if ("/" %in% signs) new_type("number") else whole_with_literals(nodes)
    node <- call_node(signs[1], nodes, type, signs = signs)
  }
  node$text <- lang_text(lang)
  node
}

guard_chain <- function(lang, typing) {
  name <- call_name(lang)
  if (!name %in% c("&", "|")) return()
  while (is.call(lang) && length(lang) == 3 && call_name(lang) == name) {
    guard_half_condition(lang, name, typing)
    if (name == "|" && (call_name(lang[[2]]) == "&" || call_name(lang[[3]]) == "&")) {
      guard_precedence(lang, name, typing)
    }
    lang <- lang[[2]]
  }
}

balanced <- function(nodes, op) {
  if (length(nodes) == 1) return(nodes[[1]])
  half <- seq_len(length(nodes) %/% 2)
  sides <- list(balanced(nodes[half], op), balanced(nodes[-half], op))
  call_node(op, sides, new_type("logical"),
            text = paste0(sides[[1]]$text, " ", op, " ", sides[[2]]$text))
}

type_call <- function(name, lang, typing) {
  fn <- language_function(name)
  if (is.null(fn)) unknown_function(name, lang, typing)
  if (!is.null(fn$type)) {
    node <- fn$type(lang, typing)
  } else {
    args <- typed_arguments(fn, lang, typing)
    node <- call_node(name, args, type_given(fn, args))
  }
  node$text <- lang_text(lang)
  guard_typed(node, lang, typing)
  node
}

# The type that a function gives for some arguments.
type_given <- function(fn, args) {
  gives <- fn$gives
  if (is.function(gives)) return(gives(args))
  if (identical(gives, "same")) type_part(args[[1]]) else new_type(gives)
}

unknown_function <- function(name, lang, typing) {
  if (name %in% names(base_habits)) {
    stop_neatly("expression", paste0("`", name, "()` is not a word of the expression language."),
                where_of(typing),
                paste0("Write `", base_habits[[name]], "`."))
  }
  hint <-
    c(meant(name, language_names()[!is_operator(language_names())],
            function(x) ticked(paste0(x, "()"))),
      paste0("See `?neatsieve_functions` for all of them; an R function of your own goes ",
             "in `custom()`."))
  stop_neatly("expression",
              paste0("There is no function `", name, "()` in the expression language."),
              where_of(typing), hint)
}
