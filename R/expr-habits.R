# What an analyst used to base R may write, and our words for it, with what was
# given in their places: `arguments -> code`. An argument that the code does not
# name is left out; `...` stands for all of them.
base_habits <- c(
  is.na = "x -> absent(x)", is.nan = "x -> absent(x)",
  is.null = "x -> absent(x)", anyNA = "x -> any_true(absent(x))",
  na.omit = "x -> present(x)", complete.cases = "... -> row_complete(...)",
  not = "cond -> !(cond)", `%notin%` = "x, set -> !(x %in% set)",
  is.element = "x, set -> x %in% set", list = "... -> c(...)",
  ifelse = "cond, value, other -> first_true(cond, value, if_none = other)",
  switch = "x -> relabel(x, c(\"new\" = \"old\"))",
  grepl = "pattern, x -> matches(x, pattern)",
  regexpr = "pattern, x -> matches(x, pattern)",
  grep = "pattern, x -> matches(x, pattern)", nchar = "x -> text_length(x)",
  paste = "... -> join_text(..., sep = \" \")",
  paste0 = "... -> join_text(...)", sprintf = "pattern, ... -> join_text(...)",
  tolower = "x -> lower(x)", toupper = "x -> upper(x)",
  trimws = "x -> trim(x)",
  sub = "find, with, x -> replace_text(x, find, with)",
  gsub = "find, with, x -> replace_text(x, find, with, regex = TRUE)",
  substr = "x, first, last -> substring(x, first, last)",
  as.numeric = "x -> as_number(x)", as.double = "x -> as_number(x)",
  as.integer = "x -> as_whole(x)", as.character = "x -> as_text(x)",
  as.factor = "x -> as_category(x)", factor = "x -> as_category(x)",
  as.logical = "x -> as_logical(x)", as.Date = "x -> as_date(x)",
  as.POSIXct = "x -> as_date_time(x)",
  strptime = "x, pattern -> as_date_time(x, \"UTC\", pattern)",
  ISOdate = "year, month, day -> date_from_parts(year, month, day)",
  strsplit = "x, sep -> text_part(x, sep, 1)",
  regmatches = "x -> extract_text(x, \"[a-z]+\")",
  gregexpr = "pattern, x -> count_matches(x, pattern, regex = TRUE)",
  formatC = "x -> as_text(x)", format = "x -> as_text(x)",
  cut = "x, breaks -> band(x, breaks)",
  findInterval = "x, breaks -> band(x, breaks)", pmin = "... -> row_min(...)",
  pmax = "... -> row_max(...)", rowSums = "... -> row_sum(...)",
  rowMeans = "... -> row_mean(...)", months = "x -> month(x)",
  weekdays = "x -> weekday(x)", difftime = "a, b -> days_between(b, a)",
  length = "-> count()", nrow = "-> count()",
  unique = "x -> count_different(x)", table = "x -> count(x)",
  IQR = "x -> iqr(x)", range = "x -> extent(x)",
  ave = "x, key -> mean(x, by = key)", tapply = "x, key -> mean(x, by = key)",
  scale = "x -> (x - mean(x)) / sd(x)",
  weighted.mean = "x, w -> mean(x, weights = w)",
  isTRUE = "cond -> is_true(cond)", any = "cond -> any_true(cond)",
  all = "cond -> all_true(cond)", which = "cond -> cond",
  xor = "a, b -> (a & !b) | (!a & b)", subset = "x, cond -> cond",
  order = "x -> rank(x)", duplicated = "x -> row_number(by = x) > 1"
)

# Our words for a call of a function of base R; NULL where there are none.
# `is_whole`: whether all that the code needs was given.
habit_code <- function(lang) {
  habit <- base_habits[call_name(lang)]
  if (is.na(habit)) return(NULL)
  parts <- strsplit(habit, "-> ", fixed = TRUE)[[1]]
  places <- trimws(strsplit(parts[1], ",", fixed = TRUE)[[1]])
  places <- places[nzchar(places)]
  given <- given_arguments(lang)
  given <- unname(
    given[!names_of(given) %in%
      c("na.rm", "sep", "collapse", "digits", "fixed")]
  )
  code <- str2lang(parts[2])
  if (any(places == "...")) {
    given <- given[seq_along(given) >= match("...", places)]
    if (length(given) == 1 && call_name(given[[1]]) == "c") {
      given <- given_arguments(given[[1]])
    }
    at <- which(vapply(as.list(code), identical, NA, quote(...)))
    code <- as.call(append(as.list(code)[-at], given, at - 1))
    spec <- given_arguments(lang)[["sep"]]
    if (!is.null(spec) && "sep" %in% names(code)) code$sep <- spec
    return(lang_text(code))
  }
  if (length(given) < length(places)) return(parts[2])
  known <- stats::setNames(given[seq_along(places)], places)
  lang_text(rewrite_lang(code, leaf = function(x) {
    name <- if (is.symbol(x)) as.character(x) else ""
    if (name %in% places) known[[name]] else x
  }))
}
names_of <- function(x) if (is.null(names(x))) rep("", length(x)) else names(x)
