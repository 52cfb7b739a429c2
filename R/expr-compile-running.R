# Compiles functions along rows: their arguments first, then the pass along the
# rows.

emit_running <- function(args, b, node) {
  at <- match(c("x", "falling_x"), names(args))
  x <- args[at[!is.na(at)]]
  value <- if (length(x)) emit_node(x[[1]], b)
  keys <- lapply(order_of(node), emit_node, b = b)
  type <- switch(node$kind,
    text = ,
    category = "code",
    logical = "three",
    "number"
  )
  if (length(x) && isTRUE(x[[1]]$empty)) return(emit_absent(node$kind, b))
  make <- function(r) {
    sorted <- Map(
      function(key, value) sort_codes_of(r, key, value), order_of(node), keys
    )
    values <- if (!is.null(value)) value_in_play(r, x[[1]], value)
    if (node$fn == "rank" && x[[1]]$kind == "text") {
      values <- sort_codes_of(r, x[[1]], value)
    }
    along <- running_along(r, node, values, sorted)
    if (type == "code") {
      list(codes = along, texts = texts_in(r, value))
    } else {
      along
    }
  }
  emit_vector(
    b,
    make,
    if (type == "three") "three" else "number",
    as_texts = type == "code"
  )
}

# What a value is sorted by: numbers as they are, texts by the place of theirs
# among all.
sort_codes_of <- function(r, node, value) {
  vector <- vector_of(r, value)
  if (node$kind == "text") {
    code_point_rank(texts_in(r, value))[vector]
  } else if (is.logical(vector)) {
    as.integer(vector)
  } else {
    vector
  }
}

# A value over the rows in play: a number column unchanged, anything else
# evaluated.
value_in_play <- function(r, node, value) {
  if (node$node == "column" && value$type == "number" && !isTRUE(node$empty)) {
    return(r$ask$column_in_play(node$name))
  }
  vector_of(r, value)
}

# An aggregate of windows: its values, those of `where`, and the order, then the
# windows.
emit_rolling <- function(args, b, node) {
  x <- if (is.null(args$x)) args$cond else args$x
  value <- if (!is.null(x) && !isTRUE(x$empty)) emit_node(x, b)
  where <- if (!is.null(args$where)) emit_node(args$where, b)
  keys <- lapply(order_of(node), emit_node, b = b)
  make <- function(r) {
    sorted <- Map(
      function(key, value) sort_codes_of(r, key, value), order_of(node), keys
    )
    values <- if (!is.null(value)) as.double(value_in_play(r, x, value))
    kept <- if (!is.null(where)) as.logical(vector_of(r, where))
    rolled_along(r, node, values, kept, sorted)
  }
  emit_vector(b, make)
}
