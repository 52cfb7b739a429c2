#' What is in a study
#'
#' Describes a study: rows and units, and for each column its kind, how many
#' values are absent, how many differ, and its spread (a ruler from minimum to
#' maximum, the double line between the quartiles, a mark at the median) or its
#' most frequent values; then what is worth a look: spellings that differ by
#' little or by one letter, far values, codes that may mean absent, dates and
#' numbers that stayed text, rows and keys that stand twice, dates in the
#' future, columns that hold one value, are mostly absent, or are absent
#' together.
#'
#' @param data A [study()], a data frame or the path of a file.
#' @return An object of class `neatsieve_look`. `as.data.frame()`, which
#'   [write_table()] takes too, gives one row per column with `column`, `label`,
#'   `kind`, `absent`, `different`, `min`, `q1`, `median`, `q3`, `max` (numbers;
#'   dates as days since 1970-01-01) and `reasons` (text: how many values are
#'   absent for each reason, where reasons are known) and `frequent` (text).
#'   `$notes` holds what is worth a look.
#' @section Errors: Those of [study()] for a path that cannot be read.
#' @seealso [study()], [write_dictionary()], [screening()]
#' @examples
#' look(study(demo_file("hive-visits.csv"), unit = hive))
#' @export
look <- function(data) {
  local_plain()
  study <- if (is.data.frame(data)) {
    unclass(new_study(data, name = name_of_data(substitute(data))))
  } else {
    study_facts(data)
  }
  frame <- study$frame
  whole <- group_rows(list(), frame, NULL)
  columns <- Map(
    look_at_column,
    names(frame$types),
    shown_columns(frame),
    frame$types,
    MoreArgs = list(frame = frame, whole = whole)
  )
  structure(
    list(
      headline = study_headline(study),
      columns = with_reason_counts(columns, frame),
      labels = study$labels,
      notes = worth_a_look(study, columns),
      read = study$notes
    ),
    class = "neatsieve_look"
  )
}

# With how many values are absent for each reason, where reasons are known.
with_reason_counts <- function(columns, frame) {
  why <- kept_reasons(frame)
  for (name in names(why)) {
    counts <- stats::setNames(
      tabulate(why[[name]], nlevels(why[[name]])), levels(why[[name]])
    )
    columns[[name]]$reasons <- c(counts, `no reason` = columns[[name]]$absent - sum(counts))
  }
  columns
}

look_at_column <- function(name, x, type, frame, whole) {
  kind <- type$kind
  out <- list(kind = kind, absent = NA, different = NA, share_absent = NA)
  is_numeric <- kind %in% c("number", "whole", "date", "date-time")
  if (is.null(dim(x)) && !is_numeric) out$absent <- sum(is.na(x))
  if (is_numeric) {
    out$summary <- figures_of_vector(
      if (is.integer(x)) as.integer(x) else as.double(x), whole
    )
    out$absent <- length(x) - out$summary$n
    out$different <- core_count_distinct(x)
    out$tz <- type$tz
  } else if (kind %in% c("text", "category")) {
    coded <- frame_codes(frame, name)
    counts <- tabulate(coded$codes, length(coded$values))
    order <- order(-counts, coded$values, method = "radix")
    out$counts <- stats::setNames(counts[order], coded$values[order])
    out$counts <- out$counts[out$counts > 0 | kind == "category"]
    out$different <- sum(counts > 0)
    out$ordered <- isTRUE(type$ordered)
  } else if (kind == "logical") {
    out$counts <- c(yes = sum(x, na.rm = TRUE), no = sum(!x, na.rm = TRUE))
    out$different <- sum(out$counts > 0)
  }
  out$share_absent <- out$absent / max(frame$n, 1)
  out
}

#' @export
as.data.frame.neatsieve_look <- function(x, ...) {
  number <- function(what) {
    vapply(
      x$columns,
      function(c) {
        if (is.null(c$summary)) NA_real_ else as.numeric(c$summary[[what]])
      },
      numeric(1)
    )
  }
  label <- vapply(names(x$columns), function(n) {
    if (is.null(x$labels[[n]])) NA_character_ else x$labels[[n]]
  }, "")
  data.frame(
    column = names(x$columns),
    label = label,
    kind = vapply(x$columns, `[[`, character(1), "kind"),
    absent = vapply(x$columns, function(c) as.integer(c$absent), integer(1)),
    different = vapply(
      x$columns, function(c) as.integer(c$different), integer(1)
    ),
    min = number("min"),
    q1 = number("q1"),
    median = number("median"),
    q3 = number("q3"),
    max = number("max"),
    reasons = vapply(x$columns, function(c) {
      if (!length(c$reasons)) return(NA_character_)
      paste(names(c$reasons), c$reasons, collapse = ", ")
    }, ""),
    frequent = vapply(
      x$columns,
      function(c) {
        if (is.null(c$counts)) {
          NA_character_
        } else {
          paste(utils::head(names(c$counts), 5), collapse = ", ")
        }
      },
      character(1)
    ),
    row.names = NULL
  )
}

# More columns than this are counted only.
most_columns_printed <- 300

#' @export
print.neatsieve_look <- function(x, ..., onward = NULL) {
  local_plain()
  width <- min(console_width(), 120)
  cat(wrapped_lines(x$headline), "", sep = "\n")
  names <- names(x$columns)
  shown <- seq_len(min(length(names), most_columns_printed))
  table <- look_table(x$columns[shown], width)
  cat(
    table_lines(
      table,
      width,
      rows = Inf,
      lead = "column",
      right = c("absent", "different"),
      letters = width
    ),
    sep = "\n"
  )
  if (length(names) > length(shown)) {
    cat(
      "... and ", counted(length(names) - length(shown), "more column"),
      ", in as.data.frame() of this\n",
      sep = ""
    )
  }
  print_reason_counts(x$columns, width)
  if (length(x$notes)) {
    cat("\nWorth a look\n")
    for (note in x$notes) {
      cat(
        strwrap(note, width, indent = 0, exdent = 4, initial = "  - "),
        sep = "\n"
      )
    }
  }
  if (is.null(onward)) {
    onward <- paste0(
      "Next: try a condition with screening(), e.g. screening(study, ",
      next_condition(x), ")."
    )
  }
  hint(onward, width)
  invisible(x)
}

# Why values are absent, a line for each column that tells it.
print_reason_counts <- function(columns, width) {
  having <- Filter(function(column) {
    any(column$reasons[names(column$reasons) != "no reason"] > 0)
  }, columns)
  if (!length(having)) return()
  cat("\nAbsent for a reason\n")
  for (name in names(having)) {
    counts <- having[[name]]$reasons
    counts <- counts[counts > 0 | names(counts) != "no reason"]
    words <- paste0(
      name, ": ", paste(names(counts), format_count(counts), collapse = ", ")
    )
    cat(strwrap(visible_text(words), width, indent = 2, exdent = 4), sep = "\n")
  }
}

# One line for each column. Where there is little room beside the counts, the
# spread is as wide as the console, for a block of its own.
look_table <- function(columns, width) {
  long <- names(columns)
  table <- data.frame(
    column = cut_to(visible_text(long), if (width < 72) 16 else 24),
    kind = vapply(
      columns, function(c) if (isTRUE(c$ordered)) "ordered" else c$kind, ""
    ),
    absent = format_count(vapply(columns, `[[`, numeric(1), "absent")),
    different = format_count(vapply(
      columns, function(c) as.numeric(c$different), numeric(1)
    )),
    row.names = NULL
  )
  taken <- column_widths(table) + 2
  room <- width - sum(taken)
  if (room < 24) room <- width - taken[["column"]]
  table[["spread, or most frequent"]] <- vapply(columns, spread_text, "", room = room)
  table
}

next_condition <- function(x) {
  kinds <- vapply(x$columns, `[[`, character(1), "kind")
  gaps <- vapply(x$columns, function(c) isTRUE(c$absent > 0), logical(1))
  pick <- c(
    names(kinds)[gaps & kinds %in% numeric_kinds], names(kinds)[gaps],
    names(kinds)
  )[1]
  paste0("present(", lang_text(as.name(pick)), ")")
}

spread_text <- function(column, room) {
  if (!is.null(column$summary)) {
    if (column$summary$n == 0) return("all absent")
    ends <- spread_ends(column)
    ruler <- max(10, min(30, room - sum(nchar(ends)) - 2))
    return(paste(ends[1], text_ruler(column$summary, ruler), ends[2]))
  }
  if (is.null(column$counts)) return("")
  if (!length(column$counts)) return("all absent")
  shown <- gsub("^( *)|( *)$", "", names(column$counts))
  odd <- shown != names(column$counts) | shown == ""
  shown[odd] <- quoted(names(column$counts)[odd])
  long <- nchar(shown) > 22
  shown[long] <- cut_to(visible_text(shown[long]), min(22, room - 8))
  parts <- paste(shown, format_count(column$counts))
  text <- parts[1]
  for (i in seq_along(parts)[-1]) {
    left <- length(parts) - i
    longer <- paste0(text, ", ", parts[i])
    if (nchar(longer) + (left > 0) * 10 > room) {
      return(paste0(text, ", ", length(parts) - i + 1, " more"))
    }
    text <- longer
  }
  text
}

# Whole numbers that all are years of modern times are written without commas.
are_years <- function(summary) summary$min >= 1500 && summary$max <= 2200

spread_ends <- function(column) {
  ends <- c(column$summary$min, column$summary$max)
  switch(column$kind,
    date = format(structure(ends, class = "Date")),
    `date-time` = paste0(
      format(
        .POSIXct(ends, tz = if (is.null(column$tz)) "" else column$tz),
        "%Y-%m-%d %H:%M"
      ),
      c(
        "",
        paste0(
          " ",
          if (is.null(column$tz) || column$tz == "") {
            format(Sys.time(), "%Z")
          } else {
            column$tz
          }
        )
      )
    ),
    whole = if (are_years(column$summary)) {
      sprintf("%.0f", ends)
    } else {
      format_count(ends)
    },
    vapply(ends, function(v) format(v, digits = 4), character(1))
  )
}

# Minimum to maximum on `width` characters, a double line between the quartiles,
# a mark at the median.
text_ruler <- function(s, width) {
  signs <- if (cli::is_utf8_output()) {
    c("\u2500", "\u2550", "\u256a", "\u251c", "\u2524")
  } else {
    c("-", "=", "|", "<", ">")
  }
  span <- s$max - s$min
  place <- function(v) {
    if (!is.finite(span) || span <= 0) {
      round((width + 1) / 2)
    } else {
      1 + round((v - s$min) / span * (width - 1))
    }
  }
  out <- rep(signs[1], width)
  out[place(s$q1):place(s$q3)] <- signs[2]
  out[c(1, width)] <- signs[4:5]
  out[place(s$median)] <- signs[3]
  paste(out, collapse = "")
}
