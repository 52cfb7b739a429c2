# Types of columns and values.

kind_of_vector <- function(x) {
  if (is.factor(x)) return("category")
  if (inherits(x, "Date")) return("date")
  if (inherits(x, "POSIXct")) return("date-time")
  if (!is.null(dim(x)) || (is.object(x) && !inherits(x, "AsIs"))) return("other")
  switch(typeof(x), double = "number", integer = "whole", character = "text", logical = "logical",
         "other")
}

type_of_vector <- function(x) {
  kind <- kind_of_vector(x)
  switch(kind,
    category = new_type(kind, labels = as_utf8(levels(x)), ordered = is.ordered(x)),
    `date-time` = new_type(kind, tz = if (is.null(attr(x, "tzone"))) "" else attr(x, "tzone")[1]),
    other = new_type(kind, class = class(x)[1]),
    new_type(kind))
}

# The type of a column or value: labels and whether they are ordered, of a category; tz of a
# date-time; class of what no expression can use; empty: a column without one present value.
new_type <- function(kind, labels = NULL, ordered = FALSE, tz = NULL, class = NULL,
                     empty = FALSE) {
  new_record("type", list(kind = kind, labels = labels, ordered = ordered, tz = tz,
                          class = class, empty = empty))
}

# That of a node.
type_part <- function(node) {
  new_type(node$kind, labels = node$labels, ordered = node$ordered, tz = node$tz)
}

numeric_kinds <- c("number", "whole")

kind_words <- function(node) {
  switch(node$kind, number = "a number", whole = "a whole number", text = "text",
         category = "a category",
         logical = if (identical(node$node, "call")) "a condition" else "logical", date = "a date",
         `date-time` = "a date-time", absent = "nothing but NA", node$kind)
}

condition_hint <- function(node, typing) {
  texts <- if (node$kind == "category") node$labels
    else if (node$node == "column") distinct_texts(typing, node$name)
  switch(node$kind, number = , whole = " > 0", date = , `date-time` = " >= \"2024-01-01\"",
         paste0(" == ", value_code(if (length(texts)) sort(texts, method = "radix")[1] else "")))
}

check_joined <- function(node, op, typing) {
  if (node$node == "constant" && length(node$value) != 1) {
    stop_neatly("expression",
                paste0("`", op, "` joins conditions, and `", node$text, "` is a list of values."),
                where_of(typing),
                "Write one condition on columns on each side.")
  }
  if (node$kind == "logical") return(invisible())
  stop_neatly("expression",
              paste0("`", op, "` joins conditions, and `", node$text, "` is ", kind_words(node),
                     "."), where_of(typing),
              paste0("Compare it, as in `", node$text, condition_hint(node, typing), "`."))
}

# The type of a column that an expression makes.
type_of_column <- function(node) {
  type <- type_part(node)
  if (type$kind == "absent") type <- new_type("logical")
  type
}
