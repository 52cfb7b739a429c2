# Reasons of absent values, from their codes.

# Whether a code has a reason, or values may be limits.
tells_reasons <- function(reading) {
  signs <- lapply(
    Filter(is_text, reading$kinds),
    function(kind) asked_kind(kind, "", NULL)$sign
  )
  facts <- code_reasons(unlist(c(
    list(reading$reason_codes), unname(reading$column_codes)
  )))
  any(vapply(signs, is_limit, NA)) || any(facts != "")
}

# Reasons of a column whose values are codes into some texts: a category, absent
# where a value is no code with a reason. NULL where no code has one.
reasons_of_codes <- function(codes, texts, absent_codes) {
  why <- code_reasons(absent_codes)
  if (!any(why != "")) return(NULL)
  labels <- unique(why[why != ""])
  of_text <- match(why[match(texts, absent_codes)], labels)
  factor(labels[of_text[codes]], levels = labels)
}

# The same of values of a data frame, which are met as without_codes() meets
# them.
reasons_of_values <- function(x, absent_codes) {
  why <- code_reasons(absent_codes)
  labels <- unique(why[why != ""])
  if (!length(labels)) return(NULL)
  matches <- rep(NA_integer_, NROW(x))
  for (label in labels) {
    matches[is_absent_code(x, absent_codes[why == label])] <- match(label, labels)
  }
  factor(labels[matches], levels = labels)
}

# Codes told of single columns, or with a reason, that lie among the values of
# their column: a measured value of that size would be lost.
note_codes_among_values <- function(notes, frame, reading) {
  of_columns <- codes_of_columns(reading, names(frame$types))
  for (name in intersect(names(of_columns), names(frame$types))) {
    x <- frame$columns[[name]]
    if (!is.numeric(x) || is.object(x) || !any(is.finite(x))) next
    ends <- range(x[is.finite(x)])
    codes <- stats::na.omit(numbers_from_text(of_columns[[name]]))
    among <- codes[codes > ends[1] & codes < ends[2]]
    if (!length(among)) next
    take_note(
      notes,
      paste0(
        "The code ", listed(vapply(among, number_code, "")), " of `", name,
        "` lies among its values, which go from ", number_code(ends[1]),
        " to ", number_code(ends[2]),
        ": values of that size are taken for absent, too."
      ),
      NULL,
      "If some were measured, they need another code in the data."
    )
  }
}
