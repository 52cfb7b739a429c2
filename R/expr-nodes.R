# The typed tree: names resolved, kinds known. Every node is one record.

# node: "column", "constant" or "call". text: how it was written, for people
# only. Then the fields of its type, and those that only some nodes fill.
new_node <- function(
  node, type, text, name = NULL, value = NULL, setting = NULL,
  has_absent = FALSE, fn = NULL, args = list(), signs = NULL, by = list(),
  over = NULL, carry = FALSE, where = NULL, f = NULL
) {
  new_record(
    "node",
    list(
      node = node,
      text = text,
      kind = type$kind,
      labels = type$labels,
      ordered = type$ordered,
      tz = type$tz,
      class = type$class,
      empty = type$empty,
      reasons = type$reasons,
      name = name,
      value = value,
      setting = setting,
      has_absent = has_absent,
      fn = fn,
      args = args,
      signs = signs,
      by = by,
      over = over,
      carry = carry,
      where = where,
      f = f
    )
  )
}

column_node <- function(name, type, text = name) {
  new_node("column", type, text, name = name)
}

# A value, or a list of values of one kind; has_absent: NA was listed among
# them.
constant_node <- function(value, type, text, has_absent = FALSE) {
  new_node("constant", type, text, value = value, has_absent = has_absent)
}

# args: a flat list of nodes. signs: those of a chain of numbers. by: keys whose
# groups are looked at.
call_node <- function(fn, args, type, text = "", signs = NULL, by = list()) {
  new_node("call", type, text, fn = fn, args = args, signs = signs, by = by)
}

# over: "study", "play" or NULL; carry: an absent value makes the result absent;
# where: a condition; f: the R function of custom().
aggregate_node <- function(
  fn, args, text, by = list(), over = NULL, carry = FALSE, where = NULL,
  f = NULL, type = new_type("number")
) {
  new_node(
    "call",
    type,
    text,
    fn = fn,
    args = args,
    by = by,
    over = over,
    carry = carry,
    where = where,
    f = f
  )
}
with_type <- function(node, type) {
  for (field in c("kind", "labels", "ordered", "tz")) {
    node[[field]] <- type[[field]]
  }
  node
}

# A key for the meaning of an expression: nodes with equal keys mean the same.
node_key <- function(node) {
  if (node$node == "column") return(encodeString(node$name, quote = "`"))
  if (node$node == "constant") {
    return(paste0(
      "{", node$kind, " ",
      paste(deparse(unname(node$value), control = "digits17"), collapse = ""),
      " ", node$tz, "}"
    ))
  }
  args <- vapply(node$args, node_key, character(1))
  more <- c(
    vapply(node$by, node_key, character(1)), node$over,
    if (isTRUE(node$carry)) "carry",
    if (!is.null(node$where)) paste("where", node_key(node$where)),
    if (identical(node$fn, "custom")) node$text
  )
  paste0(
    node$fn, paste(node$signs, collapse = ""), "(",
    paste(names(node$args), collapse = ","), ":", paste(args, collapse = ","),
    if (length(more)) paste0("|", paste(more, collapse = ",")), ")"
  )
}

# The columns that an expression reads, also through criteria.
columns_read <- function(node) {
  if (node$node == "column") return(node$name)
  if (node$node != "call") return(character())
  parts <- c(node$args, if (!is.null(node$where)) list(node$where))
  unique(as.character(unlist(lapply(parts, columns_read))))
}

# A constant as a message shows it: a setting with its value, which is what
# matters there.
shown_constant <- function(node) {
  if (is.null(node$setting)) return(node$text)
  paste0("`", node$setting, "` (", value_code(node$value), ")")
}

# Gives a column without any present value the kind that its place asks for;
# leaves other nodes unchanged.
settled <- function(node, type, typing, kinds = type$kind) {
  if (!isTRUE(node$empty) || node$kind %in% kinds) return(node)
  take_note(
    typing$notes,
    paste0(
      "Column `", node$name,
      "` has no present value and stands for any kind: what asks ",
      "for it is unknown or absent."
    )
  )
  node <- column_node(node$name, type, node$text)
  node$empty <- TRUE
  node
}
