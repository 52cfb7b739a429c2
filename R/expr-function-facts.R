# Facts of functions for the help beside their meaning: no values, one value,
# ties, edges, infinite values, clock changes, scripts, escapes,
# back-references, precision. A test asks for each where it applies, and tries
# those that are values.

fact_words <- c(
  none = "No values", one = "One value", ties = "Ties", edges = "Edges",
  infinite = "Infinite values", keys = "Absent keys", clock = "Clock changes",
  scripts = "Scripts", escapes = "Escapes", references = "Back-references",
  precision = "Precision"
)

# The facts that a function must give.
facts_needed <- function(entry) {
  name <- entry$name
  takes_kind <- function(kind) {
    any(vapply(entry$params, function(p) !p$constant && kind %in% p$kinds, NA))
  }
  aggregate <- isTRUE(entry$aggregate)
  numeric <- takes_kind("number") &&
    entry$group %in% c("arithmetic", "aggregates", "across columns", "choosing")
  text_made <- name %in%
    c("lower", "upper", "contains", "startsWith", "endsWith", "matches")
  c(
    if (aggregate) c("none", "one", "keys"),
    if (entry$group == "across columns") "none",
    if (name %in%
      c(
        "most_frequent", "first", "last", "median", "equal_bands", "round",
        "quantile", "cor", "mad"
      )) {
      "ties"
    },
    if (name %in%
      c(
        "between", "band", "limit", "start_of", "end_of", "substring",
        "text_part", "equal_bands", "add_months", "years_between", "quantile"
      )) {
      "edges"
    },
    if (numeric &&
      !name %in%
        c(
          "first_true", "first_present", "row_first_present", "row_absent",
          "row_complete", "row_any", "row_all"
        )) {
      "infinite"
    },
    if (name == "rank") "ties", if (name == "equal_bands") "keys",
    if (takes_kind("date-time") && entry$group %in% c("dates", "kinds")) {
      "clock"
    },
    if (text_made) "scripts",
    if (name %in%
      c("like", "matches", "replace_text", "extract_text", "count_matches")) {
      "escapes"
    },
    if (name %in% c("replace_text", "matches", "extract_text")) "references",
    if (numeric &&
      !name %in%
        c(
          "abs", "floor", "ceiling", "sign", "trunc", "limit", "band", "min",
          "max", "count", "first", "last", "count_different", "most_frequent",
          "first_true", "first_present", "row_absent", "row_complete",
          "row_any", "row_all", "row_min", "row_max", "row_first_present",
          "equal_bands", "custom"
        )) {
      "precision"
    }
  )
}

facts_of <- function(name) {
  entry <- language_function(name)
  own <- function_facts[[name]]
  usual <- usual_facts(entry)
  all <- c(own, usual[setdiff(names(usual), names(own))])
  all[intersect(names(fact_words), names(all))]
}

# Default facts of a family of functions.
usual_facts <- function(entry) {
  needed <- facts_needed(entry)
  usual <- c(
    keys = "rows whose `by` is absent make a group of their own",
    clock = "read by the calendar and clock of the column's zone, whatever changes there were",
    precision = "double, about 15 digits; the last ones may differ from exact arithmetic",
    escapes = paste0(
      "a backslash takes a character's special meaning away; in R and JSON it ",
      "is ",
      "written twice"
    ),
    references = "`\\\\1` to `\\\\9` stand for what the groups in ( ) matched",
    infinite = "as IEEE 754 says; what it leaves undefined is absent"
  )
  if (isTRUE(entry$aggregate)) {
    usual <- c(usual, none = "absent", one = "that value")
  }
  usual[intersect(names(usual), needed)]
}

one_absent <- "absent: one value has no spread"
exact_sum <- paste0(
  "rounding errors are carried along, so the result is that of exact addition ",
  "to the last ",
  "bit or nearly"
)
plain_letters <-
  "for `case = FALSE`, letters of all scripts that have a case, one for one"

function_facts <- list(
  between = c(edges = "both ends belong to it"),
  `+` = c(
    precision = "double; whole numbers exactly, and a sum beyond 2,147,483,647 becomes a number"
  ),
  `-` = c(precision = "double; whole numbers exactly"),
  `*` = c(
    precision = paste0(
      "double; whole numbers exactly, and a product beyond 2,147,483,647 ",
      "becomes a number"
    )
  ),
  `%%` = c(
    infinite = paste0(
      "a finite number and an infinite divisor leave the number, or the ",
      "divisor ",
      "where signs differ; an infinite number gives absent"
    ),
    precision = "exact for all doubles, as `fmod`"
  ),
  `%/%` = c(
    infinite = "into an infinite divisor 0, or -1 where signs differ",
    precision = "the whole number nearest to the exact quotient"
  ),
  `^` = c(
    infinite = "as IEEE 754 says; a root of a negative number, infinite or not, is absent"
  ),
  round = c(
    ties = paste0(
      "a tie goes to the even digit; the two neighbours are compared as ",
      "stored, so ",
      "0.15 goes to 0.1"
    ),
    infinite = "stay",
    precision = "numbers of more than 15 digits stay as they are"
  ),
  log1p = c(precision = "exact to the last digit or nearly, also near 0"),
  expm1 = c(precision = "exact to the last digit or nearly, also near 0"),
  limit = c(
    edges = "both ends belong to it; `lo` above `hi` gives `hi`",
    infinite = "as ends they leave that side open"
  ),
  band = c(
    edges = "a band holds its lower end and not its upper; the last band holds both",
    infinite = "as breaks they leave that side open"
  ),
  equal_bands = c(
    ties = "equal values share a band",
    edges = "the largest value lies in the last band unless ties draw it down",
    infinite = "count as smallest or largest"
  ),
  substring = c(
    edges = "both places belong to it; beyond the end of the text there is nothing"
  ),
  text_part = c(
    edges = "a separator at the start or end has an empty part beside it"
  ),
  lower = c(
    scripts = "letters of all scripts by Unicode's rules, whatever the locale"
  ),
  upper = c(
    scripts = "letters of all scripts by Unicode's rules, whatever the locale"
  ),
  contains = c(scripts = plain_letters),
  matches = c(
    scripts = plain_letters,
    references = "`\\\\1` in the pattern stands for what its first ( ) matched"
  ),
  extract_text = c(
    references = "`\\\\1` in the pattern stands for what its first ( ) matched"
  ),
  startsWith = c(scripts = plain_letters),
  endsWith = c(scripts = plain_letters),
  like = c(
    escapes = "the character given as `escape`, before %, _ or itself; none without it, as in SQL"
  ),
  start_of = c(edges = "the day itself where it is the first"),
  end_of = c(edges = "the day itself where it is the last"),
  add_months = c(
    clock = paste0(
      "of a date-time by the calendar of its zone; of an hour that clocks ",
      "show twice ",
      "the first, and one that they skip is moved on by as much"
    ),
    edges = paste0(
      "31 January and one month is the last day of February, and one month ",
      "back ",
      "from there is the 28th or 29th of January"
    )
  ),
  years_between = c(
    edges = "on the anniversary the year is complete",
    clock = "between days by the calendar, in each date-time's own zone"
  ),
  months_between = c(
    edges = "on the same day of the month the month is complete",
    clock = "between days by the calendar, in each date-time's own zone"
  ),
  days_between = c(
    clock = paste0(
      "between two date-times time elapsed, in days of 24 hours; with a date, ",
      "days ",
      "of the calendar"
    )
  ),
  as_date_time = c(
    clock = paste0(
      "of an hour that clocks show twice the first; one that they skip is ",
      "absent or ",
      "moved as the system's zone data say"
    )
  ),
  row_sum = c(none = "0", precision = "plain addition from left to right"),
  row_mean = c(none = "absent"),
  row_min = c(none = "absent", infinite = "count as smallest or largest"),
  row_max = c(none = "absent", infinite = "count as smallest or largest"),
  row_count = c(none = "an error: there are no columns"),
  row_at_least = c(none = "an error: there are no columns"),
  row_sd = c(
    none = "absent", one = "absent", infinite = "make it absent",
    precision = "squares of distances from the mean, added from left to right"
  ),
  row_median = c(
    none = "absent", infinite = "count as smallest or largest",
    precision = "of an even number of values the mean of the two in the middle"
  ),
  row_absent = c(none = "0"),
  row_complete = c(none = "an error: there are no columns"),
  row_first_present = c(none = "absent"),
  row_any = c(none = "an error: there are no columns"),
  row_all = c(none = "an error: there are no columns"),
  count = c(none = "0", one = "1", infinite = "count as present"),
  count_true = c(none = "0", one = "1 where it is yes"),
  count_different = c(none = "0", one = "1", infinite = "count as values"),
  share = c(
    one = "1 where it is yes, else 0",
    infinite = "as a weight they make the share absent"
  ),
  any_true = c(one = "whether it is yes"),
  all_true = c(one = "whether it is yes"),
  sum = c(
    none = "0", precision = exact_sum,
    infinite = "make it infinite; of both signs absent"
  ),
  mean = c(
    precision = exact_sum, infinite = "make it infinite; of both signs absent"
  ),
  prod = c(
    none = "1", precision = "double; no step on the way overflows",
    infinite = "make it infinite; with 0 absent"
  ),
  geometric_mean = c(infinite = "make it infinite; with 0 absent"),
  median = c(
    ties = "of an even number of values the mean of the two in the middle",
    infinite = "count as smallest or largest",
    precision = "one of the values, or the mean of two"
  ),
  quantile = c(
    ties = "as the type says; with `weights` the mean of two where the share is exactly `p`",
    edges = "`p = 0` and `p = 1` are the smallest and largest value",
    infinite = "count as smallest or largest",
    precision = "one of the values, or between two"
  ),
  var = c(one = one_absent, infinite = "make it absent"),
  sd = c(one = one_absent, infinite = "make it absent"),
  se = c(one = one_absent, infinite = "make it absent"),
  min = c(infinite = "count as smallest or largest"),
  max = c(infinite = "count as smallest or largest"),
  extent = c(one = "0"),
  iqr = c(one = "0"),
  mad = c(
    one = "0", ties = "medians of an even number of values are means of two"
  ),
  skewness = c(one = one_absent, infinite = "make it absent"),
  kurtosis = c(one = one_absent, infinite = "make it absent"),
  ci_low = c(
    one = "absent for a number; for a condition Wilson's interval of one",
    infinite = "make it absent"
  ),
  ci_high = c(
    one = "absent for a number; for a condition Wilson's interval of one",
    infinite = "make it absent"
  ),
  cor = c(
    one = "absent",
    ties = "`\"spearman\"` gives equal values the mean of their ranks",
    infinite = "make Pearson's absent"
  ),
  most_frequent = c(
    ties = "the first in order: smallest, by code point, by category",
    infinite = "count as values"
  ),
  first = c(
    ties = "of rows with one `order` the first in the order of the rows",
    infinite = "count as values"
  ),
  last = c(
    ties = "of rows with one `order` the first in the order of the rows",
    infinite = "count as values"
  ),
  rank = c(ties = "share the mean of their ranks, or as `ties` says"),
  cumsum = c(precision = exact_sum),
  mean_so_far = c(precision = exact_sum),
  custom = c(
    none = "what the function gives for no values",
    one = "what the function gives", infinite = "handed to the function"
  )
)

# "No values: absent. Ties: ..." for a help page.
facts_text <- function(name) {
  facts <- facts_of(name)
  if (!length(facts)) return("")
  paste0(
    " ", paste0(fact_words[names(facts)], ": ", facts, ".", collapse = " ")
  )
}
