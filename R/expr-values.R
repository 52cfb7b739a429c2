# Values of R in expressions.

# A value of R as a node, checked.
typed_constant <- function(value, typing) {
  if (is.null(value)) {
    stop_neatly(
      "expression",
      "`NULL` is no value and no condition.",
      where_of(typing),
      "Leave it out; to ask whether a value is missing write `absent(x)`."
    )
  }
  kind <- kind_of_vector(value)
  if (length(value) == 1 && is.na(value)) kind <- "absent"
  if (kind == "other") {
    stop_neatly(
      "expression",
      paste0(
        "A value of class ", class(value)[1],
        " cannot be used in an expression."
      ),
      where_of(typing)
    )
  }
  if (kind == "category") {
    value <- as.character(value)
    kind <- "text"
  }
  if (is.character(value)) {
    value <- stats::setNames(as_utf8(value), names(value))
  }
  if (kind == "date") value <- structure(floor(unclass(value)), class = "Date")
  constant_node(
    value, new_type(kind, tz = attr(value, "tzone")[1]), value_code(value)
  )
}
