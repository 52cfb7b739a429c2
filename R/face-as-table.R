#' A result as a plain table with labels
#'
#' Gives the table that a document would show, as a plain data frame, for a
#' package that prints tables. Each column has its heading in the attribute
#' `label`.
#'
#' @param x A table of `$tables`, siftings or their [ledger()], a [study()],
#'   [look()], [screening()], [held_back()], [check_sieve()], [compare_runs()]
#'   or a data frame.
#' @param digits How many significant digits numbers keep, by the middling value
#'   of their column; `NULL`: all. By default what the table itself says, else 4.
#' @param ... Not used.
#' @return A data frame. Absent values stay absent; in columns that make groups
#'   they are the text `"(absent)"`. Attribute `caption` says in a sentence what
#'   it is, where that is known.
#' @section Errors: Class `neatsieve_error_run` for a value that is no table.
#' @seealso [write_table()], [documents]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive, labels = list(honey_kg = "Honey"))
#' out <- pour(hives, statistics(honey_kg, by = apiary))
#' as_table(out$tables$statistics)
#' @export
as_table <- function(x, digits = NULL, ...) {
  local_plain()
  shown <- shown_table(x)
  digits <- if (!is.null(digits)) digits else if (missing(digits)) shown$digits
  table <- shown$table
  for (name in names(table)) {
    column <- table[[name]]
    if (is.double(column) && !is.object(column) && !is.null(digits)) {
      table[[name]] <- rounded_alike(column, digits)
    }
    if (name %in% shown$keys && anyNA(column)) {
      table[[name]] <- panel_key_text(column)
    }
    attr(table[[name]], "label") <- shown$headings[[name]]
  }
  attr(table, "caption") <- shown$caption
  table
}

# Rounds numbers to the decimals that printing shows.
rounded_alike <- function(x, digits) {
  present <- x[is.finite(x) & x != 0]
  if (!length(present) || all(present == round(present))) return(x)
  decimals <- max(0, digits - 1 - floor(log10(stats::median(abs(present)))))
  # A small number beside large ones must not become 0.
  result <- round(x, decimals)
  lost <- is.finite(x) & x != 0 & result == 0
  result[lost] <- signif(x[lost], 2)
  result
}

# What is shown of a result: a data frame, its headings by column, digits, the
# columns that make groups, and a caption. right: columns of texts that stand to
# the right, as numbers do.
new_shown_table <- function(
  table, headings = list(), digits = 4, keys = character(), caption = NULL,
  right = character()
) {
  all <- stats::setNames(as.list(names(table)), names(table))
  known <- headings[intersect(names(headings), names(table))]
  all[names(known)] <- known
  new_record(
    "shown_table",
    list(
      table = table,
      headings = all,
      digits = digits,
      keys = keys,
      caption = caption,
      right = right
    )
  )
}

shown_table <- function(x) UseMethod("shown_table")

#' @export
shown_table.default <- function(x) {
  stop_neatly(
    "run",
    paste0("A value of class ", class(x)[1], " is no table."),
    NULL,
    "Give a table of `$tables`, a ledger, a look, a screening, or a data frame."
  )
}
#' @export
shown_table.data.frame <- function(x) {
  labels <- lapply(x, attr, "label", exact = TRUE)
  new_shown_table(as.data.frame(x), Filter(is_text, labels))
}
#' @export
shown_table.neatsieve_table <- function(x) {
  digits <- attr(x, "digits")
  called <- attr(x, "called")
  keys <- attr(x, "keys")
  new_shown_table(
    as.data.frame(by_label(x)),
    as.list(called),
    if (is.null(digits)) 4 else digits,
    if (is.null(keys)) character() else keys
  )
}
#' @export
shown_table.neatsieve_characteristics <- function(x) {
  table <- headed_characteristics(x)
  new_shown_table(table, keys = " ", right = names(table)[-1])
}
#' @export
shown_table.neatsieve_cross <- function(x) {
  if (!is_whole_cross(x)) return(NextMethod())
  cells <- cross_cells(x)
  keys <- seq_len(cross_keys(x))
  new_shown_table(
    cells,
    keys = names(cells)[keys],
    right = names(cells)[-keys],
    caption = cross_words(attr(x, "cross"))
  )
}
#' @export
shown_table.neatsieve_ledger <- function(x) {
  place <- where_steps_ran(x)
  x <- worth_telling(as.data.frame(x))
  is_step <- x$level == "step"
  table <- data.frame(
    step = ifelse(is_step, x$step, NA),
    what = ifelse(is_step, step_titles(x), below_step(x)),
    rows_in = ifelse(is_step, x$rows_in, NA),
    yes = x$yes,
    no = x$no,
    unknown = x$unknown,
    held = x$held,
    added = ifelse(x$added > 0, x$added, NA),
    rows_out = x$rows_out,
    units = x$units_out
  )
  table <- table[!(names(table) %in%
    c("added", "units", "yes", "no", "unknown") &
    vapply(table, function(c) all(is.na(c)), NA))]
  new_shown_table(
    table,
    list(rows_in = "rows in", rows_out = "rows out"),
    caption = trimws(paste("What each step did to the rows.", place))
  )
}
#' @export
shown_table.neatsieve_siftings <- function(x) {
  shown <- shown_table(ledger(x))
  shown$caption <- format(x)
  shown
}
#' @export
shown_table.neatsieve_study <- function(x) {
  facts <- unclass(x)
  new_shown_table(
    columns_known(facts),
    caption = paste0(study_headline(facts), ".")
  )
}
#' @export
shown_table.neatsieve_look <- function(x) {
  table <- data.frame(
    column = names(x$columns),
    kind = vapply(
      x$columns, function(c) if (isTRUE(c$ordered)) "ordered" else c$kind, ""
    ),
    absent = vapply(x$columns, function(c) as.numeric(c$absent), 1),
    different = vapply(x$columns, function(c) as.numeric(c$different), 1),
    spread = vapply(x$columns, look_words, ""),
    row.names = NULL
  )
  new_shown_table(
    table,
    list(spread = "spread, or most frequent"),
    caption = paste0(x$headline, ".")
  )
}
#' @export
shown_table.neatsieve_screening <- function(x) {
  table <- x$table
  names(table)[5] <- "because"
  if (all(is.na(table$because))) table$because <- NULL
  new_shown_table(
    table,
    list(because = "unknown because"),
    caption = paste0(x$headline, ".")
  )
}
#' @export
shown_table.neatsieve_held <- function(x) {
  new_shown_table(
    plain_frame(x),
    list(
      source_row = "source row",
      held_at = "held at",
      held_by = "held by",
      held_because = "because"
    ),
    caption = paste0(counted(nrow(x), "row"), " held back.")
  )
}
#' @export
shown_table.neatsieve_check <- function(x) {
  new_shown_table(plain_frame(x), caption = "What a check found.")
}
#' @export
shown_table.neatsieve_comparison <- function(x) {
  new_shown_table(
    rows_told(x),
    list(row_a = "row of the first", row_b = "row of the second"),
    keys = x$key,
    caption = comparison_headline(x)
  )
}

# The spread of a column in words, where there is no room for a ruler.
look_words <- function(column) {
  if (!is.null(column$summary)) {
    s <- column$summary
    if (!isTRUE(s$n > 0)) return("")
    ends <- c(s$min, s$median, s$max)
    words <- switch(column$kind,
      date = format(structure(ends, class = "Date")),
      `date-time` = format(.POSIXct(ends, tz = column$tz)),
      vapply(signif(ends, 4), number_code, "")
    )
    return(paste0(words[1], " to ", words[3], ", median ", words[2]))
  }
  if (is.null(column$counts)) return("")
  top <- utils::head(column$counts[column$counts > 0], 4)
  paste0(
    visible_text(cut_off_text(names(top), 24)), " (", format_count(top), ")",
    collapse = ", "
  )
}

plain_frame <- function(x) {
  structure(
    unclass(x)[names(x)],
    class = "data.frame",
    row.names = attr(x, "row.names")
  )
}
