# Siftings: what comes out of a run. A list with one environment inside, so that rows, held
# rows and figures are made when first asked for and kept.

finish <- function(state) {
  notes <- state$notes$notes
  state$notes <- NULL
  inside <- new.env(parent = emptyenv())
  inside$state <- state
  # What was met on reading the study comes first; it was shown then.
  inside$notes <- c(state$study$notes, notes)
  inside$figures <- list()
  show_notes(notes)
  structure(list(inside = inside), class = "neatsieve_siftings")
}

siftings_parts <- function(out) {
  if (!inherits(out, "neatsieve_siftings")) {
    stop_neatly("run", paste0("These are no siftings but a value of class ", class(out)[1], "."),
                NULL, "Make them with `out <- pour(study, sieve)`.")
  }
  inside <- unclass(out)$inside
  list(state = inside$state, charts = inside$state$charts, inside = inside)
}

siftings_fields <- c("rows", "held", "subsets", "tables", "figures", "ledger", "notes", "sieve",
                     "study")

# One of the fields, by name or place.
siftings_field <- function(x, which) {
  local_plain()
  if (is.numeric(which) && length(which) == 1 && which %in% seq_along(siftings_fields)) {
    which <- siftings_fields[which]
  }
  inside <- unclass(x)$inside
  state <- inside$state
  if (!is_text(which) || !which %in% siftings_fields) {
    column <- if (is_text(which) && which %in% state$visible) {
      paste0("It is a column of the rows: `out$rows$", lang_text(as.name(which)), "`.")
    }
    stop_neatly("run", paste0("Siftings have no `$", paste(format(which), collapse = " "), "`."),
                NULL,
                c(column,
                  if (is_text(which))
                    meant(which, siftings_fields, function(f) ticked(paste0("$", f))),
                  paste0("They have ", listed(ticked(paste0("$", siftings_fields)), 10), ".")))
  }
  switch(which,
    rows = {
      if (is.null(inside$rows)) inside$rows <- frame_rows(state$frame, state$rows, state$visible)
      inside$rows
    },
    held = {
      if (is.null(inside$held)) inside$held <- held_rows(state)
      inside$held
    },
    subsets = if (!is.null(state$subsets)) subset_tables(state),
    tables = state$tables,
    figures = figures_of(inside),
    ledger = ledger(x),
    notes = vapply(inside$notes, note_text, character(1)),
    sieve = as_sieve(state$steps),
    study = as_study_object(state$study))
}

subset_tables <- function(state) {
  lapply(stats::setNames(nm = colnames(state$subsets$sets)), function(s) {
    frame_rows(state$frame, subset_rows(state, s), state$visible)
  })
}

figures_of <- function(inside) {
  for (name in setdiff(names(inside$state$charts), names(inside$figures))) {
    chart <- inside$state$charts[[name]]
    inside$figures[[name]] <- if (inherits(chart, "neatsieve_charts"))
      lapply(unclass(chart), draw_chart) else draw_chart(chart)
  }
  inside$figures[names(inside$state$charts)]
}

#' @export
print.neatsieve_siftings <- function(x, ...) {
  local_plain()
  state <- siftings_parts(x)$state
  width <- cli::console_width()
  cat(strwrap(siftings_headline(state), width, exdent = 2), "", sep = "\n")
  cat(ledger_lines(ledger(x), width), sep = "\n")
  n <- state_row_count(state)
  if (n > 0) {
    cat("\nFirst rows\n")
    cat(
      table_lines(
        frame_rows(state$frame, utils::head(if (is.null(state$rows)) seq_len(n) else state$rows, 5),
                   state$visible), width), sep = "\n")
  } else cat("\nNo row went all the way.\n")
  for (name in names(state$tables)) cat("\nTable ", name, ": ",
                                        counted(nrow(state$tables[[name]]), "row"), "\n", sep = "")
  if (length(state$charts)) {
    cat(if (!length(state$tables)) "\n", "Figure", if (length(state$charts) > 1) "s", " ",
        listed(names(state$charts), 8), "\n", sep = "")
  }
  if (!is.null(state$subsets)) {
    cat("\nSubsets: ",
        listed(
          vapply(colnames(state$subsets$sets),
                 function(s) {
                   paste0(s, " (", format_count(length(subset_rows(state, s))), ")")
                 }, character(1)), 12), "\n", sep = "")
  }
  notes <- siftings_parts(x)$inside$notes
  if (length(notes)) {
    cat("\n", counted(length(notes), "note"), " on this run, in $notes.\n", sep = "")
  }
  cat("\n", paste(strwrap(paste("Next:", next_words(state)), width, exdent = 6), collapse = "\n"),
      "\n", sep = "")
  invisible(x)
}

siftings_headline <- function(state) {
  n <- state_row_count(state)
  if (length(state$epochs)) {
    return(
      paste0("Siftings of ", state$study$name, ": ", format_count(n), " of ",
             counted(state$frame$n, "group"), " went all the way, made from ",
             counted(state$study$frame$n, "row"), "."))
  }
  held <- state$frame$n - n
  units <- if (!is.na(state$units))
    paste0(" (", format_count(state$units), " of ", format_count(count_units(state$study, NULL)),
           " units)")
  paste0("Siftings of ", state$study$name, ": ", format_count(n), " of ",
         counted(state$frame$n, "row"), " went all the way", units,
         if (held > 0) paste0(", ", format_count(held), " held back"), ".")
}

next_words <- function(state) {
  parts <- c("out$rows", if (length(state$holdings)) {
    first <- state$holdings[[1]]
    by <- first$by[match(TRUE, first$by != "")]
    paste0("held_back(out, ", if (nchar(by) > 60) first$step else value_code(by), ")")
  }, if (length(state$tables)) paste0("out$tables$", lang_text(as.name(names(state$tables)[1]))),
  if (length(state$charts)) paste0("out$figures$", lang_text(as.name(names(state$charts)[1]))),
  if (!is.null(state$subsets)) "overlaps(out)", "report(out, \"report.html\")")
  paste0(listed(parts, 8, "or"), ".")
}

# A data frame as text no wider than the terminal; columns that do not fit are named below. Row
# names that say something stand first. `keys` are columns whose absent values make a group.
table_lines <- function(table, width = cli::console_width(), digits = 4, rows = 20,
                        keys = character()) {
  # Columns that cannot fit are only named.
  room <- min(ncol(table), width %/% 3 + 1)
  beyond <- names(table)[-seq_len(room)]
  shown <- utils::head(table[seq_len(room)], rows)
  cells <- lapply(stats::setNames(nm = names(shown)), function(n) {
    shown_cells(shown[[n]], digits, key = n %in% keys)
  })
  right <- vapply(shown, function(x) is.numeric(x) || inherits(x, c("Date", "POSIXct")), logical(1))
  if (!is.null(names <- own_row_names(shown))) {
    cells <- c(list(as.character(names)), cells)
    names(cells)[1] <- ""
    right <- c(FALSE, right)
  }
  widths <- mapply(function(cell, name) max(nchar(c(cell, name), type = "width")), cells,
                   names(cells))
  fits <- cumsum(widths + 2) - 2 <= width
  if (!any(fits)) fits[1] <- TRUE
  lines <- do.call(paste, c(unname(Map(function(cell, name, w, r) formatC_utf8(c(name, cell), w, r),
                                       cells[fits], names(cells)[fits], widths[fits], right[fits])),
                            sep = "  "))
  lines <- sub(" +$", "", lines)
  left_rows <- nrow(table) - nrow(shown)
  c(lines, if (left_rows > 0) paste0("... and ", counted(left_rows, "more row")),
    not_shown(c(names(cells)[!fits], beyond), width))
}

not_shown <- function(names, width) {
  if (!length(names)) return(NULL)
  more <- length(names) - 60
  if (more > 0) names <- c(names[1:60], paste("and", counted(more, "more column")))
  strwrap(paste0("Not shown: ", paste(names, collapse = ", ")), width, exdent = 2)
}

# An absent number is "-", which no number is; anything else absent, and a group of absent keys, is
# told in words, since "-" may be a text of the data.
absent_cell <- "(absent)"
shown_cells <- function(x, digits, key = FALSE) {
  if (is.factor(x)) x <- as.character(x)
  if (is.numeric(x) && !is.object(x)) {
    text <- shown_numbers(x, digits)
    if (key) text[is.na(x)] <- absent_cell
    return(text)
  }
  if (is.list(x)) return(vapply(x, function(v) paste0("<", class(v)[1], ">"), character(1)))
  text <- if (is.logical(x)) ifelse(x, "yes", "no") else if (is.character(x)) x else format(x)
  text[is.na(x)] <- absent_cell
  long <- nchar(text, type = "width") > 28
  text[long] <- paste0(substr(text[long], 1, 27), if (cli::is_utf8_output()) "\u2026" else "~")
  text
}

# Enough decimals for `digits` significant figures of the middling value, the same all through.
shown_numbers <- function(x, digits = 4) {
  present <- x[is.finite(x)]
  decimals <- 0
  if (is.double(x) && length(present) && any(present != round(present))) {
    size <- stats::median(abs(present[present != 0]))
    decimals <- min(8, max(0, digits - 1 - floor(log10(size))))
    while (decimals > 0 && all(abs(present - round(present, decimals - 1)) < 1e-12))
      decimals <- decimals - 1
  }
  out <- formatC(x, decimal.mark = ".", format = "f", digits = decimals, big.mark = "")
  out <- sub("^-(0([.]0*)?)$", "\\1", out)
  # A small number beside large ones is not nothing.
  lost <- is.finite(x) & x != 0 & !grepl("[1-9]", out)
  out[lost] <- vapply(signif(x[lost], 2), number_code, character(1))
  out[is.na(x)] <- "-"
  out
}

formatC_utf8 <- function(x, width, right) {
  space <- strrep(" ", pmax(0, width - nchar(x, type = "width")))
  if (right) paste0(space, x) else paste0(x, space)
}
