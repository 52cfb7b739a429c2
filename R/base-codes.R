# Codes for absent values, and the reasons they stand for.

# The reason of each code, "" where it has none.
code_reasons <- function(codes) {
  if (is.null(names(codes))) return(rep("", length(codes)))
  ifelse(is.na(names(codes)), "", names(codes))
}

# The codes of each column beside those that are for all without a reason.
codes_of_columns <- function(reading, columns) {
  if (!length(reading$reason_codes)) return(reading$column_codes)
  lapply(stats::setNames(nm = columns), function(column) {
    own <- reading$column_codes[[column]]
    c(own, reading$reason_codes[!reading$reason_codes %in% own])
  })
}
