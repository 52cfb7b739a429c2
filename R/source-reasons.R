# Why values are absent, as the codes that stand for absent tell it.

# The reason of each code, "" where it has none.
code_reasons <- function(codes) {
  if (is.null(names(codes))) return(rep("", length(codes)))
  ifelse(is.na(names(codes)), "", names(codes))
}

# Whether some code tells why, or values may be limits.
tells_reasons <- function(reading) {
  signs <- lapply(Filter(is_text, reading$kinds), function(kind) asked_kind(kind, "", NULL)$sign)
  told <- code_reasons(unlist(c(list(reading$reason_codes), unname(reading$column_codes))))
  any(vapply(signs, is_limit, NA)) || any(told != "")
}

# The codes of each column beside those that are for all without a reason.
codes_of_columns <- function(reading, columns) {
  if (!length(reading$reason_codes)) return(reading$column_codes)
  lapply(stats::setNames(nm = columns), function(column) {
    own <- reading$column_codes[[column]]
    c(own, reading$reason_codes[!reading$reason_codes %in% own])
  })
}

# Reasons of a column whose values are codes into some texts: a category, absent where a value is no
# code with a reason. NULL where no code has one.
reasons_of_codes <- function(codes, texts, absent_codes) {
  why <- code_reasons(absent_codes)
  if (!any(why != "")) return(NULL)
  labels <- unique(why[why != ""])
  of_text <- match(why[match(texts, absent_codes)], labels)
  factor(labels[of_text[codes]], levels = labels)
}

# The same of values of a data frame, which are met as without_codes() meets them.
reasons_of_values <- function(x, absent_codes) {
  why <- code_reasons(absent_codes)
  labels <- unique(why[why != ""])
  if (!length(labels)) return(NULL)
  found <- rep(NA_integer_, NROW(x))
  for (label in labels) {
    found[is_absent_code(x, absent_codes[why == label])] <- match(label, labels)
  }
  factor(labels[found], levels = labels)
}
