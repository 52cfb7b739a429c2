# The typed tree: names resolved, kinds known, constants folded.
#
# A node is a list with `node` ("column", "constant" or "call"), a `kind`, for
# categories `labels` and `ordered`, for date-times `tz`, and `text`, how it was
# written.

# scope: columns (name -> type), criteria, settings, dropped (column -> step
# that dropped it), where (text), notes (a notebook or NULL), values (function:
# column -> its distinct texts).
type_expression <- function(expression, typing) {
  typing$functions <- c(expression$functions, typing$functions)
  type_language(expression$lang, typing)
}

type_condition <- function(expression, typing) {
  node <- type_expression(expression, typing)
  if (node$node == "constant" && length(node$value) != 1) {
    stop_neatly(
      "expression",
      paste0(
        "`", node$text, "` is a list of ", length(node$value),
        " values and no condition."
      ),
      where_of(typing),
      "Write a condition on columns: it is asked of every row."
    )
  }
  node <- settled(node, new_type("logical"), typing)
  if (node$kind != "logical") {
    stop_neatly(
      "expression",
      paste0(
        "`", node$text, "` is not a condition: it gives ", kind_words(node), "."
      ),
      where_of(typing),
      paste0(
        "Compare it, as in `", node$text, condition_hint(node, typing), "`."
      )
    )
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
  if (name == ":") return(type_sequence(lang, typing))
  if (name %in% c("+", "-", "!") && length(lang) == 2) {
    return(type_signs(lang, typing))
  }
  if (name %in% c("&", "|", "+", "-", "*", "/") &&
    length(lang) == 3 &&
    call_name(lang[[2]]) != "") {
    chained <- type_chain(lang, typing)
    if (!is.null(chained)) return(chained)
  }
  type_call(name, lang, typing)
}

# A row of signs: two negations take each other off, minus and plus go into a
# number.
type_signs <- function(lang, typing) {
  name <- call_name(lang)
  signs <- signs_before(lang)
  if (length(signs) > 1) {
    inner <- signed_operand(lang)
    one <- type_signs(call(if (name == "!") "!" else "-", inner), typing)
    node <- if (sum(signs != "+") %% 2 == 1) {
      one
    } else {
      type_language(inner, typing)
    }
    node$text <- lang_text(lang)
    return(node)
  }
  if (name == "!") return(type_call("!", lang, typing))
  inner <- type_language(lang[[2]], typing)
  if (inner$node == "constant" && inner$kind %in% c("number", "whole")) {
    return(typed_constant(
      if (name == "-") -inner$value else inner$value, typing
    ))
  }
  type_call(name, lang, typing)
}

# A chain of more than two operands: conditions as a balanced tree, which means
# the same as they are and, or; numbers as one node that is worked out from left
# to right. NULL where the chain is to be typed two by two.
type_chain <- function(lang, typing) {
  operands <- chain_of(lang)
  if (length(operands) < 3) return(NULL)
  signs <- chain_signs(lang)
  guard_chain(lang, typing)
  nodes <- lapply(operands, type_language, typing)
  nodes <- lapply(
    nodes,
    settled,
    type = new_type(if (signs[1] %in% c("&", "|")) "logical" else "number"),
    typing = typing
  )
  if (signs[1] %in% c("&", "|")) {
    for (node in nodes) check_joined(node, signs[1], typing)
    if (signs[1] == "&") guard_never(nodes, lang, typing)
    node <- balanced(nodes, signs[1])
  } else {
    plain <- vapply(
      nodes,
      function(n) n$kind %in% numeric_kinds && length(n$value) < 2,
      logical(1)
    )
    if (!all(plain)) return(NULL)
    type <- if ("/" %in% signs) {
      new_type("number")
    } else {
      whole_with_literals(nodes)
    }
    node <- call_node(signs[1], nodes, type, signs = signs)
  }
  node$text <- lang_text(lang)
  node
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

# The result type of a function for given arguments.
type_given <- function(fn, args) {
  gives <- fn$gives
  if (is.function(gives)) return(gives(args))
  if (identical(gives, "same")) type_part(args[[1]]) else new_type(gives)
}

type_name <- function(name, typing) {
  if (name == "it" && !is.null(typing$it)) return(typing$it)
  # In a table of groups a bare key is its value for the group, whatever a
  # column of that name holds.
  key <- if (!isTRUE(typing$inside_aggregate)) typing$keys[[name]]
  if (!is.null(key)) return(column_node(name, key, lang_text(as.name(name))))
  if (!is.null(type <- typing$scope$columns[[name]])) {
    if (type$kind == "other") {
      stop_neatly(
        "expression",
        paste0(
          "Column `", name,
          "` cannot be used in an expression: it is of class ", type$class, "."
        ),
        where_of(typing),
        "Turn it into a number, text or date before making the study."
      )
    }
    return(column_node(name, type, lang_text(as.name(name))))
  }
  if (name %in% names(typing$scope$criteria)) {
    return(type_criterion(name, typing))
  }
  if (name %in% names(typing$scope$settings)) {
    node <- typed_constant(typing$scope$settings[[name]], typing)
    node$text <- name
    node$setting <- name
    return(node)
  }
  if (name %in% c("T", "F")) {
    stop_neatly(
      "expression",
      paste0("`", name, "` is no column, criterion or setting."),
      where_of(typing),
      paste0("Write `", if (name == "T") "TRUE" else "FALSE", "`.")
    )
  }
  if (name == "it") {
    stop_neatly(
      "expression",
      "`it` has no meaning here.",
      where_of(typing),
      paste0(
        "`it` stands for each picked column inside `row_any()` and ",
        "`row_all()`, ",
        "and in `show =` of `statistics()`."
      )
    )
  }
  unknown_name(name, typing)
}

# Whether all values are plain constants of one type, as in most long lists.
is_plain_list <- function(given) {
  types <- unique(vapply(given, typeof, ""))
  length(given) > 1 &&
    identical(length(types), 1L) &&
    types %in% c("double", "character") &&
    is.null(names(given)) &&
    all(lengths(given) == 1) &&
    !anyNA(unlist(given))
}

# c(...) of constants, of one kind; names are kept for relabel().
type_list <- function(lang, typing) {
  given <- given_arguments(lang)
  if (is_plain_list(given)) {
    node <- typed_constant(unlist(given), typing)
    node$has_absent <- FALSE
    node$text <- lang_text(lang)
    return(node)
  }
  parts <- lapply(given, type_language, typing)
  if (!length(parts)) {
    stop_neatly(
      "expression",
      "`c()` is empty.",
      where_of(typing),
      "List at least one value."
    )
  }
  for (part in parts) {
    if (part$node != "constant") {
      stop_neatly(
        "expression",
        paste0(
          "`", lang_text(lang), "` lists `", part$text,
          "`, which is not one fixed value."
        ),
        where_of(typing),
        "Only values and settings can be listed; join conditions on columns with `|`."
      )
    }
  }
  kinds <- unique(vapply(parts, `[[`, character(1), "kind"))
  present <- setdiff(kinds, "absent")
  if (setequal(present, c("number", "whole"))) present <- "number"
  if (length(present) > 1) {
    stop_neatly(
      "expression",
      paste0("`", lang_text(lang), "` mixes ", listed(kinds), "."),
      where_of(typing),
      "List values of one kind."
    )
  }
  values <- lapply(parts, `[[`, "value")
  value <- do.call(c, values)
  names(value) <- if (!is.null(names(parts))) rep(names(parts), lengths(values))
  node <- if (length(present)) {
    typed_constant(value, typing)
  } else {
    typed_constant(NA, typing)
  }
  node$has_absent <- "absent" %in% kinds
  node$text <- lang_text(lang)
  node
}

# A longer range is not listed; `x %in% lo:hi` is then answered by its ends.
longest_range <- 1e6

type_sequence <- function(lang, typing) {
  ends <- lapply(given_arguments(lang), type_language, typing)
  fixed <- vapply(
    ends,
    function(e) {
      e$node == "constant" &&
        e$kind %in% c("number", "whole") &&
        length(e$value) == 1
    },
    logical(1)
  )
  if (!all(fixed)) {
    stop_neatly(
      "expression",
      paste0("`", lang_text(lang), "` is not a range of whole numbers."),
      where_of(typing),
      "For a condition write `between(x, lo, hi)`."
    )
  }
  size <- abs(ends[[2]]$value - ends[[1]]$value) + 1
  if (!is.finite(size) || size > longest_range) {
    stop_neatly(
      "expression",
      paste0(
        "`", lang_text(lang), "` lists more than ",
        format_count(longest_range), " numbers."
      ),
      where_of(typing),
      "For a condition write `between(x, lo, hi)`."
    )
  }
  value <- seq(ends[[1]]$value, ends[[2]]$value)
  node <- typed_constant(value, typing)
  node$text <- lang_text(lang)
  node
}
