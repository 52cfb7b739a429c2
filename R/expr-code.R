# Reader: an expression as R code that reads back to the same expression.

lang_text <- function(lang) {
  if (is.symbol(lang)) return(deparse1(lang, backtick = TRUE))
  if (!is.call(lang)) return(value_code(lang))
  paste(deparse(plain_values(lang), width.cutoff = 500L, backtick = TRUE), collapse = " ")
}

# Spliced values become calls the language itself knows.
plain_values <- function(lang) {
  rewrite_lang(lang, leaf = function(x) {
    plain <- !is.atomic(x) || is.null(x) || (length(x) == 1 && is.null(attributes(x)))
    if (plain) x else str2lang(value_code(x))
  })
}

value_code <- function(value) {
  if (is.null(value)) return("NULL")
  one <- function(v) {
    if (is.na(v)) return("NA")
    if (inherits(v, "Date")) return(paste0("as_date(\"", format(v), "\")"))
    if (inherits(v, "POSIXct")) return(quoted(format(v, "%Y-%m-%d %H:%M:%S")))
    if (is.character(v)) return(deparse1(v))
    if (is.logical(v)) return(if (v) "TRUE" else "FALSE")
    number_code(v)
  }
  parts <- vapply(seq_along(value), function(i) one(unname(value[i])), character(1))
  if (length(parts) == 1 && is.null(names(value))) return(parts)
  if (!is.null(names(value))) parts <- paste0(quoted(names(value)), " = ", parts)
  paste0("c(", paste(parts, collapse = ", "), ")")
}

# The shortest digits that read back to the same number.
number_code <- function(v) {
  if (is.infinite(v)) return(if (v > 0) "Inf" else "-Inf")
  for (digits in c(15, 16, 17)) {
    text <- formatC(unclass(v), decimal.mark = ".", digits = digits, format = "g", width = 1)
    if (as.numeric(text) == v) return(text)
  }
  text
}
