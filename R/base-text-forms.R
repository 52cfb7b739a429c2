# Texts read as numbers and dates, and the form that texts of a column have.

# Each text as a number, absent where it is none; `decimal` is the mark before the decimals. With a
# comma as mark a point has no meaning, so a text that holds one is no number.
numbers_from_text <- function(text, decimal = ".") core_read_numbers(text, decimal)$numbers

common_date_patterns <- c("%Y-%m-%d", "%d/%m/%Y", "%m/%d/%Y", "%d.%m.%Y", "%d-%m-%Y", "%Y/%m/%d",
                          "%Y.%m.%d", "%d/%m/%y", "%m/%d/%y", "%d.%m.%y", "%d %b %Y", "%d-%b-%Y",
                          "%d-%b-%y", "%b %d, %Y")

# What most of some texts (the share `least` of them) are, when that is more than text: list(form,
# and for dates `pattern` and `other`, for numbers with a unit `unit`, and an `example`); else NULL.
text_form <- function(values, least = 0.9) {
  values <- utils::head(values[!is.na(values) & nzchar(values)], 2000)
  if (!length(values)) return(NULL)
  most <- function(fits) mean(fits) >= least
  if (most(!is.na(numbers_from_text(values)))) return(list(form = "numbers", example = values[1]))
  with_comma <- !is.na(numbers_from_text(values, ","))
  commas <- with_comma & grepl(",", values, fixed = TRUE)
  if (most(with_comma | !is.na(numbers_from_text(values))) && any(commas)) {
    return(list(form = "decimal commas", example = values[commas][1]))
  }
  dated <- dates_form(values, least)
  if (!is.null(dated)) return(dated)
  shape <- "^\\s*[-+]?[0-9]+(?:[.,][0-9]+)?(\\s*[^0-9\\s.,+-][^0-9]*)$"
  if (most(grepl(shape, values, perl = TRUE))) {
    endings <- sub(shape, "\\1", grep(shape, values, perl = TRUE, value = TRUE), perl = TRUE)
    if (length(unique(endings)) == 1) {
      return(list(form = "numbers with a unit", unit = endings[1], example = values[1]))
    }
  }
  NULL
}

dates_form <- function(values, least) {
  # Most texts are far from any: trying all patterns on them takes longer than a small look.
  if (mean(grepl("^[^\n]{6,24}$", values) & grepl("[0-9]", values)) < least) return(NULL)
  fits <- vapply(common_date_patterns, function(p) {
    mean(!is.na(dates_by_pattern(values, p)$days))
  }, numeric(1))
  if (max(fits) < least) return(NULL)
  best <- common_date_patterns[fits == max(fits)]
  list(form = "dates", pattern = best[1], other = best[-1][1], example = values[1])
}

# The form in words, and code that reads column `name` by it, as an expression and for study().
form_words <- function(form) {
  switch(form$form, numbers = "numbers written as text",
         `decimal commas` = "numbers with a comma before the decimals",
         `numbers with a unit` = paste0("numbers followed by ", quoted(trimws(form$unit))),
         dates = paste0("dates in the form ", form$pattern))
}
form_expression <- function(form, name) {
  column <- lang_text(as.name(name))
  switch(form$form, numbers = paste0("as_number(", column, ")"),
         `decimal commas` = paste0("as_number(", column, ", decimal = \",\")"),
         `numbers with a unit` = unit_expression(form, column),
         dates = if (form$pattern == "%Y-%m-%d") paste0("as_date(", column, ")")
                 else paste0("as_date(", column, ", ", quoted(form$pattern), ")"))
}
unit_expression <- function(form, column) {
  comma <- if (grepl(",", form$example, fixed = TRUE)) ", decimal = \",\"" else ""
  paste0("as_number(replace_text(", column, ", ", value_code(form$unit), ", \"\")", comma, ")")
}
form_reading <- function(form, name) {
  column <- lang_text(as.name(name))
  switch(form$form, numbers = paste0("kinds = list(", column, " = \"number\")"),
         `decimal commas` = "decimal = \",\"",
         dates = paste0("kinds = list(", column, " = \"date ", form$pattern, "\")"))
}

# "Write `as_date(day, "%d/%m/%Y")`, or read the file with `kinds = ...`."
form_way <- function(form, name) {
  reading <- form_reading(form, name)
  c(paste0("Write `", form_expression(form, name), "`",
           if (!is.null(reading)) paste0(", or give `study()` `", reading, "`"), "."),
    if (form$form == "dates" && !is.na(form$other)) {
      paste0("The same texts could be in the form ", form$other, "; check which.")
    })
}
