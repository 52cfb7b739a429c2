# Types of columns and values.

kind_of_vector <- function(x) {
  if (is.factor(x)) return("category")
  if (inherits(x, "Date")) return("date")
  if (inherits(x, "POSIXct")) return("date-time")
  if (!is.null(dim(x)) || (is.object(x) && !inherits(x, "AsIs"))) {
    return("other")
  }
  switch(typeof(x),
    double = "number",
    integer = "whole",
    character = "text",
    logical = "logical",
    "other"
  )
}

type_of_vector <- function(x) {
  kind <- kind_of_vector(x)
  switch(kind,
    category = new_type(
      kind,
      labels = as_utf8(levels(x)),
      ordered = is.ordered(x)
    ),
    `date-time` = new_type(
      kind,
      tz = if (is.null(attr(x, "tzone"))) "" else attr(x, "tzone")[1]
    ),
    other = new_type(kind, class = class(x)[1]),
    new_type(kind)
  )
}

# The type of a column or value: labels and whether they are ordered, of a
# category; tz of a date-time; class of what no expression can use; empty: a
# column without one present value; reasons: see new_reasons(), of a column
# whose absent values have some.
new_type <- function(
  kind, labels = NULL, ordered = FALSE, tz = NULL, class = NULL, empty = FALSE,
  reasons = NULL
) {
  new_record(
    "type",
    list(
      kind = kind,
      labels = labels,
      ordered = ordered,
      tz = tz,
      class = class,
      empty = empty,
      reasons = reasons
    )
  )
}

# Why values of a column are absent. column: the hidden column of categories
# beside it, absent where the value is there or no reason is known. labels: its
# categories.
new_reasons <- function(column, labels) {
  new_record("reasons", list(column = column, labels = labels))
}

# What the hidden column of a column is called, where some names are taken.
reason_column <- function(column, taken = character()) {
  name <- paste0("absent_reason(", column, ")")
  while (name %in% taken) name <- paste0(name, "'")
  name
}

# The hidden columns that some columns have, by their types.
reasons_in_use <- function(types) {
  unique(unlist(lapply(unname(types), function(type) type$reasons$column)))
}

# What is known of why values of several columns are absent, as one column under
# a name.
joined_type_reasons <- function(types, name) {
  labels <- unique(unlist(lapply(types, function(type) type$reasons$labels)))
  if (length(labels)) new_reasons(reason_column(name), labels)
}

# The reasons of a column as a column of their own.
reasons_node <- function(reasons, text = reasons$column) {
  column_node(
    reasons$column, new_type("category", labels = reasons$labels), text
  )
}

# Why values that an expression gives are absent, as a node; NULL where no
# reason is known. A plain copy has the reasons of its column, a first present
# value the first reason there is.
reasons_given_by <- function(node) {
  if (node$node == "column") {
    return(if (!is.null(node$reasons)) reasons_node(node$reasons))
  }
  if (!identical(node$fn, "first_present")) return(NULL)
  known <- compact(lapply(unname(node$args), reasons_given_by))
  if (length(known) < 2) return(if (length(known)) known[[1]])
  labels <- unique(unlist(lapply(known, `[[`, "labels")))
  call_node(
    "first_present", as_rest(known), new_type("category", labels = labels)
  )
}

# The type part of a node.
type_part <- function(node) {
  new_type(
    node$kind,
    labels = node$labels, ordered = node$ordered, tz = node$tz
  )
}

numeric_kinds <- c("number", "whole")

kind_words <- function(node) {
  switch(node$kind,
    number = "a number",
    whole = "a whole number",
    text = "text",
    category = "a category",
    logical = if (identical(node$node, "call")) "a condition" else "logical",
    date = "a date",
    `date-time` = "a date-time",
    absent = "nothing but NA",
    node$kind
  )
}

condition_hint <- function(node, typing) {
  texts <- if (node$kind == "category") {
    node$labels
  } else if (node$node == "column") {
    distinct_texts(typing, node$name)
  }
  switch(node$kind,
    number = ,
    whole = " > 0",
    date = ,
    `date-time` = " >= \"2024-01-01\"",
    paste0(
      " == ",
      value_code(if (length(texts)) sort(texts, method = "radix")[1] else "")
    )
  )
}

check_joined <- function(node, op, typing) {
  if (node$node == "constant" && length(node$value) != 1) {
    stop_neatly(
      "expression",
      paste0(
        "`", op, "` joins conditions, and `", node$text,
        "` is a list of values."
      ),
      where_of(typing),
      "Write one condition on columns on each side."
    )
  }
  if (node$kind == "logical") return(invisible())
  stop_neatly(
    "expression",
    paste0(
      "`", op, "` joins conditions, and `", node$text, "` is ",
      kind_words(node), "."
    ),
    where_of(typing),
    paste0("Compare it, as in `", node$text, condition_hint(node, typing), "`.")
  )
}

# The type of a column that an expression makes.
type_of_column <- function(node) {
  type <- type_part(node)
  if (type$kind == "absent") type <- new_type("logical")
  type
}
