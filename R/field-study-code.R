# Writes a plan's study as R code.

widest_code <- 96

# The study that a plan names, as a call of study() and the name it is given.
study_code <- function(spec) {
  if (is.null(spec)) return(NULL)
  arguments <- study_arguments_in_r(spec)
  whole <- paste0("data <- ", arguments_in_r("study", arguments))
  if (nchar(whole, type = "width") <= widest_code) return(whole)
  each <- vapply(seq_along(arguments), function(i) {
    inner <- arguments_in_r("", arguments[i])
    paste0(
      "  ", substr(inner, 2, nchar(inner) - 1), if (i < length(arguments)) ","
    )
  }, "")
  c("data <- study(", each, ")")
}

# Arguments of study() as code, by name; the first is what is read.
study_arguments_in_r <- function(spec) {
  codes <- codes_from_plan(spec)
  if (length(codes) == 1 && is.null(names(codes))) codes <- codes[[1]]
  texts <- function(x) lapply(x, function(v) as.character(unlist(v)))
  place <- if (is.null(spec$database)) spec$file
  value <- compact(list(
    absent_codes = if (length(codes)) codes,
    kinds = spec$kinds,
    ordered = texts(spec$ordered),
    labels = spec$labels,
    measures = spec$measures,
    encoding = spec$encoding,
    decimal = spec$decimal,
    name = spec$name,
    delimiter = spec$delimiter,
    header = unlist(spec$header),
    sheet = spec$sheet,
    range = spec$range,
    table = if (is.null(spec$database)) spec$table,
    categories = texts(spec$categories),
    dictionary = spec$dictionary,
    thousands = spec$thousands,
    join = spec$join,
    source = unlist(spec$source),
    broken = spec$broken,
    skip = spec$skip,
    comment = spec$comment,
    footer = spec$footer,
    ragged = spec$ragged,
    by_file = lapply(spec$by_file, options_from_plan),
    design = as.list(spec$design),
    keep = spec$keep
  ))
  value <- Filter(length, value)
  parts <- vapply(value, value_in_r, "")
  data <- if (is.null(place)) {
    paste0(
      "database(con, ", value_in_r(as.character(unlist(spec$database$table))),
      ")"
    )
  } else {
    value_in_r(vapply(place, path_from_here, "", USE.NAMES = FALSE))
  }
  c(
    data, if (!is.null(spec$unit)) c(unit = lang_text(as.name(spec$unit))),
    parts
  )
}
