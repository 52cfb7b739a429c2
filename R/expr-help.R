#' The expression language
#'
#' You write conditions and new columns in R's own syntax, with the operators
#' and functions below. They mean the same in R, in plan files, on the command
#' line and in databases. A bare name is a column, a criterion or a setting; for
#' a value of your R session write `.(x)`.
#'
#' @section Three values: `NA` and `NaN` are absent. A condition is yes, no, or
#' unknown when it cannot be decided because a value is absent. `&`, `|` and `!`
#' follow Kleene's tables: no wins over unknown in `&`, yes wins over unknown in
#' `|`, and `!` leaves unknown as it is. `absent()`, `present()`, `is_true()`
#' and `is_unknown()` are never unknown.
#'
#' @section Comparing: Text is compared exactly, by code point; a category with
#' text by its label; `<` on categories only where they are ordered; a number
#' with text is an error. Dates are compared with ISO 8601 text. A date-time
#' against a day means the whole day in the date-time's own time zone: `==` any
#' time in it, `<=` up to its end, `>` after its end.
#'
#' @section Whole numbers: Whole numbers stay whole under `+ - *`, `%%` and
#' `%/%`, also with literals and settings that are whole (`brood_frames + 1`); a
#' result that does not fit in 32 bits makes the column a number.
#'
#' @section Dates: A date is a day. A fraction of a day is dropped: of the data
#' when a study is made (a note says how many), of a date plus days, and of the
#' mean or median of dates, which fall on the earlier day.
#'
#' @section Aggregates inside a row expression: An aggregate uses the rows that
#'   entered the step; with `by = key` (or `by = c(a, b)`) the rows of the same
#'   group; with `over = "study"` all rows as loaded. In [statistics()],
#'   [condense()] and charts it uses the groups of the step.
#'
#' @section Functions along rows: `lag()`, `cumsum()`, `rank()` and the others
#' of that group use other current rows: those of the same `by` group, in the
#' given `order` (a column, an expression, or several in `c()`; [falling()] goes
#' from high to low). Without `order` they use the current order of the rows,
#' and a note says so unless [order_rows()] came before. In [work_out()] the
#' step's own `by =` and `order =` hold for functions that say none; its `by =`
#' holds for aggregates too, and its `order =` for `first()` and `last()`.
#'
#' @section After subsets: A row step ([include()], [work_out()]) takes an
#' aggregate over all rows in play, whatever their subset; an output
#' ([statistics()], charts, also side by side with `panels = subsets()`) takes
#' it subset by subset. A note says which. In outputs `over = "play"` takes it
#' over all rows that entered the step, of all groups and subsets:
#' `sum(honey_kg) / sum(honey_kg, over = "play")` is a group's part of the
#' whole.
#'
#' @section Which rows an aggregate uses: An aggregate uses the rows where its
#' own arguments are present (all of them, if there are several, as in
#' `cor(x, y)`). `where = condition` narrows them to the rows where the
#' condition is yes, as `FILTER` in SQL: `mean(honey_kg, where = season ==
#' "spring")`. So `sum(a) / sum(b)` is the ratio of two sums, each over its own
#' rows; where these differ a note says by how much, and `sum(a, where =
#' present(b)) / sum(b, where = present(a))` takes both over the same. Absent
#' values are left out and, beside a row, a note says how many;
#' `absent = "carry"` makes the result absent instead. Every aggregate takes
#' `by`, `over`, `where` and `absent`.
#'
#' @section Limits: An expression may have 5,000 parts, and be nested 50 deep.
#' Ranges of up to a million whole numbers are listed; in `x %in% lo:hi` longer
#' ones are answered by their ends.
#'
#' @section Errors: Class `neatsieve_error_expression`, with the problem, the
#' step and what to write instead.
#'
#' @section Source: Kleene, S. C. (1952) *Introduction to Metamathematics*,
#' section 64; SQL's rules for `NULL` and `LIKE`; ISO 8601 for dates and weeks;
#' POSIX for patterns of dates; Perl-compatible regular expressions (PCRE).
#'
#' @seealso [include()], [work_out()], [statistics()], [pick_columns()]
#' @name neatsieve_functions
#' @eval function_help()
NULL

# Roxygen text made from the function table, so that help and behaviour cannot
# part.
function_help <- function() {
  entries <- lapply(language_names(), language_function)
  groups <- vapply(entries, `[[`, character(1), "group")
  order <- c(
    "comparing", "joining", "arithmetic", "choosing", "text", "dates", "kinds",
    "across columns", "along rows", "aggregates"
  )
  escaped <- function(x) gsub("%", "\\\\%", x)
  sections <- unlist(lapply(
    c(order, setdiff(unique(groups), order)),
    function(group) {
      lines <- vapply(
        entries[groups == group],
        function(e) {
          paste0(
            "  \\item{\\code{", escaped(e$usage), "}}{", plain_rd(e$help),
            takes_words(e), " Gives ", gives_words(e), ". Absent values: ",
            plain_rd(e$absent), ".", plain_rd(facts_text(e$name)), "}"
          )
        },
        character(1)
      )
      c(
        paste0("\\section{Functions: ", group, "}{"), "\\describe{", lines, "}}"
      )
    }
  ))
  examples <- vapply(
    entries, function(e) paste0("value(", e$example, ")"), character(1)
  )
  c(
    "@rawRd", sections, "@examples",
    "visits <- as.data.frame(study(demo_file(\"hive-visits.csv\"), unit = hive,",
    "                              ordered = list(temper = c(\"calm\", \"lively\", \"hot\"))))",
    paste0(
      "visits$arrived <- as.POSIXct(\"2024-05-01 06:30\", tz = \"UTC\") + ",
      "seq_len(nrow(visits)) * 1800"
    ),
    "visits$brood_frames[is.na(visits$brood_frames)] <- -9",
    paste0(
      "visits <- study(visits, absent_codes = list(brood_frames = ",
      "c(\"not counted\" = \"-9\")))"
    ),
    "median_of_present <- function(x) median(x, na.rm = TRUE)",
    "value <- function(x) {",
    "  expression <- deparse(substitute(x), width.cutoff = 500)",
    "  head(pour(visits, work_out(value = written(expression)))$rows$value)",
    "}",
    examples[!vapply(entries, function(e) e$name == "custom", logical(1))],
    "pour(visits, statistics(middle = custom(median_of_present, honey_kg), by = apiary))$tables"
  )
}

# "x: numbers or dates; digits: one number." for a help page.
takes_words <- function(entry) {
  if (startsWith(entry$name, "row_")) return("")
  plural <- c(
    number = "numbers", whole = "numbers", text = "texts",
    category = "categories", logical = "conditions", date = "dates",
    `date-time` = "date-times"
  )
  words <- vapply(
    names(entry$params),
    function(n) {
      spec <- entry$params[[n]]
      kinds <- unique(unname(plural[spec$kinds]))
      of <- if (length(unique(spec$kinds)) == 7) {
        "values of any kind"
      } else {
        listed(kinds, 8, "or")
      }
      paste0(
        "\\code{", if (isTRUE(spec$rest)) "..." else gsub("%", "\\\\%", n),
        "}: ", of, if (isTRUE(spec$constant)) ", the same for all rows"
      )
    },
    character(1)
  )
  if (length(words)) paste0(" Takes ", paste(words, collapse = "; "), ".") else ""
}

gives_words <- function(entry) {
  if (is.function(entry$gives)) {
    stays_whole <- identical(body(entry$gives), body(both_whole))
    if (stays_whole) return("a number, whole when all are")
    return("a number, of dates a date")
  }
  switch(entry$gives,
    same = "the kind it was given",
    logical = "yes, no or unknown",
    number = "a number",
    whole = "a whole number",
    text = "text",
    category = "a category",
    date = "a date",
    entry$gives
  )
}

# Backquoted code and the few marks of Rd.
plain_rd <- function(x) {
  x <- gsub("%", "\\\\%", x)
  gsub("`([^`]+)`", "\\\\code{\\1}", x)
}
