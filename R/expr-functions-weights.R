# Kinds of weights: marks around the number given as `weights`.

define_weights <- function(name, help) {
  define_function(
    name,
    "aggregates",
    list(x = takes("numeric")),
    "number",
    function(args, b, node) emit_node(args$x, b),
    type = function(lang, typing) {
      args <- typed_arguments(language_function(name), lang, typing)
      call_node(name, args, new_type(args$x$kind), lang_text(lang))
    },
    usage = paste0(name, "(w)"),
    help = help,
    absent = "absent when w is",
    example = paste0("mean(hive_weight_kg, weights = ", name, "(brood_frames))")
  )
}
define_weights(
  "sampling",
  paste0(
    "For `weights`: sampling weights, each row standing for w of those it was ",
    "drawn from. Weights are taken so unless said."
  )
)
define_weights(
  "repeats",
  paste0(
    "For `weights`: frequencies, each row standing for w rows that ",
    "are equal."
  )
)

kinds_of_weights <- c("repeats", "sampling")

are_repeats <- function(node) {
  !is.null(node) && node$node == "call" && node$fn == "repeats"
}

# Standard deviations and errors depend on the kind of weights, so the kind must
# be given.
check_kind_of_weights <- function(node, typing) {
  weights <- node$args$weights
  is_given <- is.null(weights) ||
    (weights$node == "call" && weights$fn %in% kinds_of_weights)
  if (is_given || node$fn == "share") return()
  take_note(
    typing$notes,
    paste0(
      "The weights `", weights$text, "` of `", node$fn,
      "()` are taken as sampling weights."
    ),
    where_of(typing),
    paste0(
      "Say so with `weights = sampling(", weights$text,
      ")`; where each row stands ",
      "for so many equal rows write `weights = repeats(", weights$text, ")`."
    )
  )
}

# Types the weights of a call.
typed_weights <- function(expression, typing) {
  inner <- at_place(typing, "In `weights`.")
  node <- type_expression(expression, inner)
  if (node$kind %in% numeric_kinds && node$node != "constant") return(node)
  stop_neatly(
    "expression",
    paste0(
      "`weights` takes a number for each row, and `", node$text, "` is ",
      kind_words(node), "."
    ),
    where_of(inner),
    "Name a column of numbers."
  )
}

weights_words <- function(weights) {
  if (!is.null(weights)) paste0(", weighted by ", expression_text(weights))
}

# The number within `sampling()` or `repeats()`.
unmarked_weights <- function(node) {
  if (node$node == "call" && node$fn %in% kinds_of_weights) {
    node$args$x
  } else {
    node
  }
}

# Weights of the same kind.
weights_like <- function(node, column) {
  if (identical(unmarked_weights(node), node)) return(column)
  node$args$x <- column
  node
}
