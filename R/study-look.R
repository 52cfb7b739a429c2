#' What is in a study
#'
#' Gives an overview: rows and units, and for each column its kind, how many values are absent,
#' how many differ, and its spread (a ruler from minimum to maximum, the double line between the
#' quartiles, a mark at the median) or its most frequent values; then what is worth a look:
#' spellings that differ by little or by one letter, far values, codes that may mean absent, dates
#' and numbers that stayed text, rows that stand twice.
#'
#' @param data A [study()], a data frame or the path of a file.
#' @return An object of class `neatsieve_look`. `as.data.frame()` gives one row per column with
#'   `column`, `kind`, `absent`, `different`, `min`, `q1`, `median`, `q3`, `max` (numbers; dates as
#'   days since 1970-01-01) and `frequent` (text). `$notes` holds what is worth a look.
#' @examples
#' look(study(demo_file("hive-visits.csv"), unit = hive))
#' @export
look <- function(data) {
  local_plain()
  study <- if (is.data.frame(data)) unclass(new_study(data, name = name_of_data(substitute(data))))
    else study_facts(data)
  frame <- study$frame
  whole <- group_rows(list(), frame, NULL)
  columns <- Map(look_at_column, names(frame$columns), frame$columns, frame$types,
                 MoreArgs = list(frame = frame, whole = whole))
  structure(
    list(headline = study_headline(study), columns = columns, notes = worth_a_look(study, columns),
         read = study$notes), class = "neatsieve_look")
}

look_at_column <- function(name, x, type, frame, whole) {
  kind <- type$kind
  out <- list(kind = kind, absent = if (is.null(dim(x))) sum(is.na(x)) else NA, different = NA)
  if (kind %in% c("number", "whole", "date", "date-time")) {
    out$summary <- default_statistics(if (is.integer(x)) as.integer(x) else as.double(x), whole,
                                      NULL)
    out$different <- length(unique(x[!is.na(x)]))
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
  out
}

#' @export
as.data.frame.neatsieve_look <- function(x, ...) {
  number <- function(what) {
    vapply(x$columns,
           function(c) {
             if (is.null(c$summary)) NA_real_ else as.numeric(c$summary[[what]])
           }, numeric(1))
  }
  data.frame(column = names(x$columns), kind = vapply(x$columns, `[[`, character(1), "kind"),
             absent = vapply(x$columns, function(c) as.integer(c$absent), integer(1)),
             different = vapply(x$columns, function(c) as.integer(c$different), integer(1)),
             min = number("min"), q1 = number("q1"), median = number("median"),
             q3 = number("q3"), max = number("max"),
             frequent = vapply(x$columns,
                               function(c) {
                                 if (is.null(c$counts)) NA_character_
                                 else paste(utils::head(names(c$counts), 5), collapse = ", ")
                               }, character(1)), row.names = NULL)
}

# More columns than this are counted only.
most_columns_printed <- 300

#' @export
print.neatsieve_look <- function(x, ..., onward = NULL) {
  local_plain()
  width <- min(cli::console_width(), 120)
  cat(x$headline, "\n\n", sep = "")
  name_width <- max(6, min(24, max(nchar(names(x$columns), type = "width"))))
  kinds <- vapply(x$columns, function(c) if (isTRUE(c$ordered)) "ordered" else c$kind, character(1))
  absent <- format_count(vapply(x$columns, `[[`, numeric(1), "absent"))
  different <- format_count(vapply(x$columns, function(c) as.numeric(c$different), numeric(1)))
  kind_width <- max(4, nchar(kinds))
  widths <- c(max(6, nchar(absent)), max(9, nchar(different)))
  cell <- function(text, width, right = FALSE) formatC_utf8(text, width, right)
  cat(cell("column", name_width), "  ", cell("kind", kind_width), "  ",
      cell("absent", widths[1], TRUE), "  ", cell("different", widths[2], TRUE),
      "  spread, or most frequent\n", sep = "")
  room <- max(20, width - name_width - kind_width - sum(widths) - 8)
  names <- names(x$columns)
  shown <- seq_len(min(length(names), most_columns_printed))
  long <- nchar(names, type = "width") > name_width
  names[long] <- paste0(substr(names[long], 1, name_width - 1), "\u2026")
  spread <- vapply(x$columns[shown], spread_text, character(1), room = room)
  lines <- paste0(cell(names[shown], name_width), "  ", cell(kinds[shown], kind_width), "  ",
                  cell(absent[shown], widths[1], TRUE), "  ",
                  cell(different[shown], widths[2], TRUE), "  ", spread)
  cat(sub(" +$", "", lines), sep = "\n")
  if (length(names) > length(shown)) {
    cat("... and ", counted(length(names) - length(shown), "more column"),
        ", in as.data.frame() of this\n", sep = "")
  }
  if (length(x$notes)) {
    cat("\nWorth a look\n")
    for (note in x$notes) cat(strwrap(note, width, indent = 0, exdent = 4, initial = "  - "),
                              sep = "\n")
  }
  if (is.null(onward)) {
    onward <- paste0("Next: try a condition with screening(), e.g. screening(study, ",
                     next_condition(x), ").")
  }
  cat("\n", onward, "\n", sep = "")
  invisible(x)
}

next_condition <- function(x) {
  kinds <- vapply(x$columns, `[[`, character(1), "kind")
  gaps <- vapply(x$columns, function(c) isTRUE(c$absent > 0), logical(1))
  pick <- c(names(kinds)[gaps & kinds %in% numeric_kinds], names(kinds)[gaps], names(kinds))[1]
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
  odd <- shown != names(column$counts)
  shown[odd] <- quoted(names(column$counts)[odd])
  long <- nchar(shown) > 22
  shown[long] <- paste0(substr(shown[long], 1, 21), "\u2026")
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

spread_ends <- function(column) {
  ends <- c(column$summary$min, column$summary$max)
  switch(column$kind, date = format(structure(ends, class = "Date")),
         `date-time` = paste0(
           format(.POSIXct(ends, tz = if (is.null(column$tz)) "" else column$tz), "%Y-%m-%d %H:%M"),
           c("",
             paste0(" ",
                    if (is.null(column$tz) || column$tz == "") Sys.timezone() else column$tz))),
         whole = format_count(ends), vapply(ends, function(v) format(v, digits = 4), character(1)))
}

# Minimum to maximum on `width` characters, a double line between the quartiles, a mark at
# the median.
text_ruler <- function(s, width) {
  signs <- if (cli::is_utf8_output()) c("\u2500", "\u2550", "\u256a", "\u251c", "\u2524")
    else c("-", "=", "|", "<", ">")
  span <- s$max - s$min
  place <- function(v) {
    if (!is.finite(span) || span <= 0) round((width + 1) / 2)
    else 1 + round((v - s$min) / span * (width - 1))
  }
  out <- rep(signs[1], width)
  out[place(s$q1):place(s$q3)] <- signs[2]
  out[c(1, width)] <- signs[4:5]
  out[place(s$median)] <- signs[3]
  paste(out, collapse = "")
}

# What an analyst would want to know before trusting a column.
worth_a_look <- function(study, columns) {
  said <- Map(function(name, column, x) {
    if (column$kind %in% c("text", "category")) {
      return(
        c(odd_spellings(name, column), rare_spellings(name, column), absent_words(name, column),
          left_as_text(name, column)))
    }
    if (!column$kind %in% numeric_kinds || column$summary$n == 0) return(NULL)
    c(lone_code(name, x, column$summary), far_values(name, x, column$summary))
  }, names(columns), columns, study$frame$columns)
  notes <- c(vapply(study$notes, function(n) n$problem, character(1)),
             unlist(said, use.names = FALSE))
  c(notes, repeated_rows(study))
}

odd_spellings <- function(name, column) {
  values <- names(column$counts)
  if (length(values) < 2 || length(values) > 5000) return(NULL)
  groups <- split(values, plain_spelling(values))
  groups <- groups[lengths(groups) > 1]
  vapply(utils::head(groups, 5),
         function(g) {
           paste0(name, ": ", listed(paste0(quoted(g), " (", format_count(column$counts[g]), ")")),
                  " are spelled nearly alike.")
         }, character(1), USE.NAMES = FALSE)
}

# Values one letter apart in a column of few, of which one is rare beside the other. Numbers in a
# name tell things apart, so a digit is no slip.
rare_spellings <- function(name, column) {
  values <- names(column$counts)[column$counts > 0]
  if (length(values) < 2 || length(values) > 60) return(NULL)
  counts <- column$counts[values]
  points <- lapply(values, utf8ToInt)
  digits <- gsub("[0-9]+", "0", values)
  plain <- plain_spelling(values)
  said <- character()
  for (i in which(nchar(values) >= 4)) {
    apart <- core_text_distance(points[i], points)
    near <- which(apart == 1 & digits != digits[i] & plain != plain[i] & counts >= 10 * counts[i])
    if (!length(near)) next
    often <- near[which.max(counts[near])]
    said <- c(said, paste0(name, ": ", quoted(values[i]), " (", format_count(counts[i]),
                           ") is one letter from ", quoted(values[often]), " (",
                           format_count(counts[often]),
                           "). A slip?"))
  }
  utils::head(said, 5)
}

# Dates and numbers that stayed text.
left_as_text <- function(name, column) {
  form <- text_form(setdiff(names(column$counts)[column$counts > 0], words_for_absent))
  if (is.null(form) || form$form == "numbers") return(NULL)
  paste0(name, ": text that holds ", form_words(form), ", such as ", quoted(form$example), ". ",
         form_way(form, name)[1])
}

words_for_absent <- c("n/a", "N/A", "na", "Na", "#N/A", "-", "--", ".", "?", "null", "NULL",
                      "missing", "nan", "NaN",
                      "-9", "-99", "999", " ")
absent_words <- function(name, column) {
  found <- intersect(names(column$counts), words_for_absent)
  if (length(found)) {
    paste0(name, ": ", listed(paste0(quoted(found), " (", format_count(column$counts[found]), ")")),
           if (length(found) > 1) " look" else " looks",
           " like a code for absent; list it in `absent_codes`.")
  }
}

# One negative value among values that are otherwise 0 or more.
lone_code <- function(name, x, s) {
  if (s$min >= 0) return(NULL)
  below <- x[!is.na(x) & x < 0]
  if (length(below) && length(unique(below)) == 1 && length(below) < sum(!is.na(x)) / 4) {
    paste0(name, ": ", value_code(as.numeric(below[1])), " stands ", counted(length(below), "time"),
           " among values of 0 or more. A code for absent?")
  }
}

# Beyond the quartiles by more than four times their distance, and few.
far_values <- function(name, x, s) {
  reach <- 4 * (s$q3 - s$q1)
  if (!is.finite(reach) || reach == 0 || (s$max <= s$q3 + reach && s$min >= s$q1 - reach)) {
    return(NULL)
  }
  far <- which(!is.na(x) & (x > s$q3 + reach | (x < s$q1 - reach & !(x < 0 & s$q1 > 0))))
  if (!length(far) || length(far) > 5) return(NULL)
  paste0(name, ": ",
         listed(
           paste0(vapply(as.numeric(x[far]), number_code, character(1)), " (row ",
                  format_count(far), ")")), if (length(far) > 1) " lie" else " lies",
         " far from the rest; the middle half lies between ",
         number_code(s$q1), " and ", number_code(s$q3), ".")
}

repeated_rows <- function(study) {
  if (study$frame$n > 1e6 || !length(study$frame$columns) ||
      any(vapply(study$frame$types, function(t) t$kind == "other", logical(1)))) return(NULL)
  again <- which(duplicated(frame_rows(study$frame, NULL, names(study$frame$columns))))
  if (length(again)) {
    paste0(counted(length(again), "row repeats", "rows repeat"),
           " an earlier row in every column: row", if (length(again) > 1) "s", " ",
           listed(format_count(again), 6), ".")
  }
}
