#' What changed between two runs
#'
#' Compares two runs: of two sieves, of one sieve with two settings, or over two
#' versions of the data. Lists rows and units that are in one run only and what
#' held them back in the other, cells that changed, and statistics that differ.
#'
#' @param a,b Siftings from [pour()]; the first is the one that was before.
#' @param key Names of columns that tell rows of both studies apart, as text.
#'   Without it rows of the same table go by their number; of two tables by the
#'   first column of both whose values are hardly ever absent or there twice,
#'   else by their number: the print says which.
#'
#' @details Rows that share a key are taken in their order. Where steps made
#'   rows of another sort ([condense()], [to_long()], ...) rows are compared up
#'   to there. Numbers differ when they are not the same double.
#' @return An object of class `neatsieve_comparison`, a list of data frames:
#'   * `$sieve`: [sieve_difference()] of the two.
#'   * `$rows`: `change` (`"came in"`, `"went"`, `"new, held back"`,
#'     `"gone, was held back"`), `row_a` and `row_b` (row numbers in the
#'     studies), the key, and of the run that does not have the row `step`,
#'     `kind`, `by` (condition) and `because`.
#'   * `$units`: `change` and `unit`.
#'   * `$cells`: the key, `row_a`, `row_b`, `column`, `before` and `after`, of
#'     rows that both studies have; columns made by steps where the row went all
#'     the way in both.
#'   * `$columns`: columns of one study alone.
#'   * `$tables`: `table`, `group`, `statistic`, `before`, `after`,
#'     `difference`.
#'
#'   `report(comparison, "what-changed.html")` makes a page of it.
#' @section Errors: Class `neatsieve_error_run` when one is no siftings or a key
#'   is not in both.
#' @seealso [sieve_difference()], [verify()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' s <- sieve(
#'   settings(least = 20), include(hive_weight_kg >= least),
#'   statistics(honey_kg, by = apiary)
#' )
#' compare_runs(pour(hives, s), pour(hives, s, set = list(least = 40)))
#' @export
compare_runs <- function(a, b, key = NULL) {
  local_plain()
  called <- c(name_of_data(substitute(a)), name_of_data(substitute(b)))
  states <- lapply(list(a, b), function(out) siftings_parts(out)$state)
  check_compare_key(key, states[[1]], states[[2]])
  found <- compared_there(states[[1]], states[[2]], key)
  if (is.null(found)) {
    states <- lapply(list(a, b), function(out) siftings_parts(out, "all")$state)
    found <- compared_here(states[[1]], states[[2]], key)
  }
  first <- states[[1]]
  second <- states[[2]]
  columns <- lapply(
    list(first = first, second = second), function(s) names(s$study$frame$types)
  )
  comparison <- list(
    headlines = c(siftings_headline(first), siftings_headline(second)),
    called = called,
    key = found$key,
    sieve = sieve_difference(as_sieve(first$steps), as_sieve(second$steps)),
    rows = found$rows,
    units = found$units,
    cells = found$cells,
    columns = one_sided_columns(columns),
    tables = compared_tables(first, second)
  )
  structure(comparison, class = "neatsieve_comparison")
}

check_compare_key <- function(key, first, second) {
  if (is.null(key)) return(invisible())
  if (!is.character(key) || !length(key)) {
    stop_neatly(
      "run",
      "`key` must be names of columns, as text.",
      NULL,
      "Write `key = \"visit_id\"`."
    )
  }
  for (state in list(first, second)) {
    for (name in key) {
      known <- names(state$study$frame$types)
      if (!name %in% known) {
        stop_neatly(
          "run",
          paste0("There is no column `", name, "` in ", state$study$name, "."),
          NULL,
          meant(name, known)
        )
      }
    }
  }
}

one_sided_columns <- function(columns) {
  went <- setdiff(columns$first, columns$second)
  came <- setdiff(columns$second, columns$first)
  data.frame(
    change = rep(c("came in", "went"), c(length(came), length(went))),
    column = c(came, went)
  )
}

#' @export
print.neatsieve_comparison <- function(x, ..., rows = 12) {
  local_plain()
  width <- console_width()
  writeLines(strwrap(
    paste0(c("First:  ", "Second: "), x$headlines),
    width,
    exdent = 8
  ))
  writeLines(c("", strwrap(comparison_headline(x), width, exdent = 2)))
  for (part in comparison_parts(x)) {
    writeLines(c("", part$title))
    if (!is.null(part$lines)) {
      writeLines(strwrap(part$lines, width, indent = 2, exdent = 4))
    } else {
      writeLines(paste0("  ", table_lines(part$table, width - 2, rows = rows)))
    }
  }
  invisible(x)
}

comparison_headline <- function(x) {
  tally <- function(what) sum(x$rows$change == what)
  words <- c(
    if (nrow(x$sieve)) {
      counted(
        nrow(x$sieve), "difference of the sieves", "differences of the sieves"
      )
    },
    if (tally("came in")) paste(counted(tally("came in"), "row"), "came in"),
    if (tally("went")) paste(counted(tally("went"), "row"), "went"),
    if (tally("new, held back")) {
      paste(counted(tally("new, held back"), "new row"), "held back")
    },
    if (tally("gone, was held back")) {
      paste(
        counted(tally("gone, was held back"), "row"),
        "gone that had been held back"
      )
    },
    if (nrow(x$units)) paste(counted(nrow(x$units), "unit"), "came in or went"),
    if (nrow(x$columns)) {
      paste(counted(nrow(x$columns), "column"), "came in or went")
    },
    if (nrow(x$cells)) paste(counted(nrow(x$cells), "cell"), "changed"),
    if (nrow(x$tables)) {
      paste(counted(nrow(x$tables), "value"), "in tables changed")
    }
  )
  by <- if (length(x$key)) {
    paste0("by ", listed(ticked(x$key)))
  } else {
    "by row number"
  }
  paste0(
    if (length(words)) listed(words, 12) else "Nothing differs",
    " (rows matched ", by, ")."
  )
}

# The parts to show: a title, with lines or a table each.
comparison_parts <- function(x) {
  parts <- list(
    if (nrow(x$sieve)) {
      list(title = "The sieves", lines = difference_words(x$sieve))
    },
    if (nrow(x$rows)) {
      list(
        title = "Rows, by what held them in the run they are not in",
        lines = rows_by_reason(x$rows)
      )
    },
    if (nrow(x$rows)) list(title = "Which rows", table = rows_told(x)),
    if (nrow(x$units)) list(title = "Units", table = x$units),
    if (nrow(x$columns)) list(title = "Columns", table = x$columns),
    if (nrow(x$cells)) list(title = "Cells", table = x$cells),
    if (nrow(x$tables)) {
      list(title = "Tables", table = statistics_in_words(x$tables))
    }
  )
  Filter(Negate(is.null), parts)
}

rows_told <- function(x) {
  rows <- x$rows[c("change", "row_a", "row_b", x$key, "because", "by")]
  rows$by[is.na(rows$by)] <- ""
  rows
}

rows_by_reason <- function(rows) {
  words <- ifelse(
    is.na(rows$step),
    rows$because,
    paste0(
      "step ", rows$step, ", ", rows$kind, "(): ", rows$by, ", ", rows$because
    )
  )
  text <- paste0(rows$change, ": ", words)
  counts <- table(factor(text, unique(text)))
  vapply(
    names(counts),
    function(s) paste(counted(counts[[s]], "row"), s),
    "",
    USE.NAMES = FALSE
  )
}

# Statistics as a person reads them: groups by their values, numbers with six
# digits.
statistics_in_words <- function(table) {
  numbers <- function(texts) {
    values <- suppressWarnings(as.numeric(texts))
    is_number <- !is.na(values)
    texts[is_number] <- vapply(signif(values[is_number], 6), number_code, "")
    texts
  }
  table$group <- gsub(
    "(^|, )[A-Za-z_.]+ = ", "\\1", sub("\003", ", no. ", table$group)
  )
  table$before <- numbers(table$before)
  table$after <- numbers(table$after)
  table$difference <- numbers(ifelse(
    is.na(table$difference), "", as.character(signif(table$difference, 6))
  ))
  table
}
