# Prints results in documents that knitr makes, as HTML, Word and PDF.

# Text for a document: without paths; code between backticks stays code.
document_text <- function(text) {
  text <- gsub(" In (file|dictionary) \"[^\"]*\"\\.", "", text)
  vapply(visible_text(text), function(one) {
    parts <- strsplit(one, "`", fixed = TRUE)[[1]]
    is_code <- seq_along(parts) %% 2 == 0 & nzchar(parts)
    # An odd number of backticks is not our markup.
    if (lengths(regmatches(one, gregexpr("`", one))) %% 2 == 1) {
      return(markdown_text(one))
    }
    paste(
      ifelse(is_code, paste0("`", parts, "`"), markdown_text(parts)),
      collapse = ""
    )
  }, "", USE.NAMES = FALSE)
}

# Escapes characters that have a meaning in pandoc's Markdown.
markdown_text <- function(text) {
  # A backslash before a bracket would begin a formula.
  text <- gsub("([\\\\`*_{}#+.!|<>~^$@\"'&-])", "\\\\\\1", text, perl = TRUE)
  text <- gsub(
    "[",
    "&#91;",
    gsub("]", "&#93;", text, fixed = TRUE),
    fixed = TRUE
  )
  gsub("\n", " ", text, fixed = TRUE)
}

# The part of a table that a document shows: its cells as texts, which columns
# stand to the right, headings, and what is left out.
document_cells <- function(shown, rows = 60, columns = 12) {
  table <- utils::head(shown$table, rows)
  beyond <- names(table)[-seq_len(min(columns, ncol(table)))]
  table <- table[setdiff(names(table), beyond)]
  cells <- lapply(stats::setNames(nm = names(table)), function(name) {
    x <- table[[name]]
    text <- shown_cells(x, shown$digits, key = name %in% shown$keys, most = 200)
    counts <- is.numeric(x) && !is.object(x) && all(is.na(x) | x == round(x))
    if (counts && any(abs(x) >= 1e4, na.rm = TRUE)) {
      text[!is.na(x)] <- format_count(x[!is.na(x)])
    }
    if (is.numeric(x) && !is.object(x) && !name %in% shown$keys) {
      text[is.na(x)] <- ""
    }
    text[text == absent_cell & !name %in% shown$keys & is.na(x)] <- ""
    text
  })
  right <- vapply(table, function(x) is.numeric(x) && !is.object(x), NA) |
    names(table) %in% shown$right
  more <- nrow(shown$table) - nrow(table)
  new_record(
    "document_cells",
    list(
      cells = cells,
      right = right,
      rows = nrow(table),
      headings = visible_text(unlist(shown$headings[names(table)])),
      left_out = c(
        if (length(beyond)) {
          paste0("Further columns: ", listed(beyond, 30), ".")
        },
        if (more > 0) {
          paste0(
            "The first ", rows, " of ", counted(nrow(shown$table), "row"), "."
          )
        }
      )
    )
  )
}

# A table as a document takes it: in HTML one that scrolls where the page is
# narrow, else in pandoc's own form, which becomes a real one in Word and PDF.
document_table <- function(shown, rows = 60, columns = 12) {
  parts <- document_cells(shown, rows, columns)
  if (knitr::is_html_output()) {
    c("", "```{=html}", html_of_table(parts, shown$caption), "```", "")
  } else {
    markdown_table(parts, shown$caption)
  }
}

html_of_table <- function(parts, caption) {
  t <- htmltools::tags
  side <- ifelse(parts$right, "text-align: right;", "text-align: left;")
  head <- Map(
    function(text, style) t$th(scope = "col", style = style, text),
    parts$headings,
    side
  )
  body <- lapply(seq_len(parts$rows), function(i) {
    t$tr(unname(Map(
      function(column, style) t$td(style = style, column[i]), parts$cells, side
    )))
  })
  words <- if (is.null(caption)) "Table" else caption
  shown <- t$div(
    role = "region",
    tabindex = "0",
    `aria-label` = visible_text(words),
    style = "overflow-x: auto; max-width: 100%; margin-bottom: 1em;",
    t$table(
      class = "table table-condensed table-sm",
      style = "width: auto;",
      t$thead(t$tr(unname(head))),
      t$tbody(body)
    )
  )
  c(
    if (!is.null(caption)) as.character(t$p(visible_text(caption))),
    as.character(shown),
    vapply(parts$left_out, function(text) as.character(t$p(t$em(text))), "")
  )
}

markdown_table <- function(parts, caption) {
  cells <- lapply(parts$cells, markdown_text)
  headings <- markdown_text(parts$headings)
  # Where lines are long pandoc takes the widths of columns from these.
  widths <- mapply(function(cell, heading) {
    min(36, max(nchar(c(cell, heading), type = "width"), 3))
  }, cells, headings)
  rule <- ifelse(
    parts$right,
    paste0(strrep("-", widths), ":"),
    paste0(":", strrep("-", widths))
  )
  row <- function(cells) paste0("| ", paste(cells, collapse = " | "), " |")
  body <- if (parts$rows) do.call(paste, c(unname(cells), sep = " | "))
  c(
    "",
    row(headings),
    paste0("|", paste(rule, collapse = "|"), "|"),
    if (length(body)) paste0("| ", body, " |"),
    "",
    # The empty comment keeps the caption from joining the next paragraph.
    if (!is.null(caption)) c(paste0("Table: ", document_text(caption)), ""),
    "<!-- -->",
    "",
    unlist(lapply(
      parts$left_out,
      function(text) c(paste0("*", markdown_text(text), "*"), "")
    ))
  )
}

markdown_notes <- function(notes, title = "Notes") {
  if (!length(notes)) return(NULL)
  c("", paste0("**", title, "**"), "", paste("-", document_text(notes)), "")
}

document_part <- function(...) {
  knitr::asis_output(paste(c("", ..., "", "<!-- -->"), collapse = "\n"))
}

knit_shown <- function(x, ...) {
  document_part(document_table(shown_table(x)), ...)
}

#' Results in R Markdown documents
#'
#' In a document that knitr makes (R Markdown, or Quarto with its knitr engine)
#' results print as what they are: tables with labels and sensible digits, notes
#' as notes, sieves as a list of steps, in HTML, Word and PDF alike, without
#' hints or paths. Figures take the size of their chunk; in HTML and Word their
#' text alternative is put there where the chunk gives no `fig.alt`.
#'
#' @param x A result.
#' @param ... Not used.
#' @details `rmarkdown::draft("visits.Rmd", template = "study-report", package =
#'   "neatsieve")` starts a document. [as_table()] gives the same tables for
#'   another printer.
#' @return Text for knitr.
#' @name documents
#' @section Errors: None of their own.
#' @seealso [as_table()], [report()]
#' @examples
#' out <- pour(demo_file("hive-visits.csv"), statistics(honey_kg, by = apiary))
#' if (requireNamespace("knitr", quietly = TRUE)) cat(knitr::knit_print(out$tables$statistics))
NULL

# Their generic is knitr's.
# nolint start: object_name_linter.
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_table <- function(x, ...) knit_shown(x)
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_ledger <- function(x, ...) knit_shown(x)
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_screening <- function(x, ...) knit_shown(x)
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_held <- function(x, ...) {
  document_part(document_table(shown_table(x), rows = 20))
}
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_look <- function(x, ...) {
  knit_shown(x, markdown_notes(x$notes, "Worth a look"))
}
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_study <- function(x, ...) knit_shown(x)
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_siftings <- function(x, ...) {
  notes <- vapply(siftings_parts(x)$inside$notes, note_text, "")
  knit_shown(x, markdown_notes(notes))
}
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_sieve <- function(x, ...) {
  document_part(unlist(lapply(x, function(step) {
    words <- document_text(step_words(step))
    c(
      paste("1.", sentence_start(words[1])),
      if (length(words) > 1) paste("    -", words[-1])
    )
  })))
}
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_comparison <- function(x, ...) {
  parts <- comparison_parts(x)
  document_part(
    document_text(comparison_headline(x)),
    unlist(lapply(parts, function(p) {
      c(
        "", paste0("**", document_text(p$title), "**"), "",
        if (!is.null(p$lines)) {
          paste("-", document_text(p$lines))
        } else {
          document_table(shown_table(as.data.frame(p$table)), rows = 30)
        }
      )
    }))
  )
}
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_check <- function(x, ...) {
  words <- sub("([^.?!])$", "\\1.", trimws(paste(x$problem, x$where, x$instead)))
  document_part(
    if (nrow(x)) {
      paste0("- ", sentence_start(x$severity), ": ", document_text(words))
    } else {
      "Nothing to report."
    }
  )
}
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_difference <- function(x, ...) {
  lines <- difference_words(x)
  document_part(
    if (length(lines)) paste("-", document_text(lines)) else "No difference."
  )
}

# Text alternatives of the figures that a chunk drew, for knitr's hook, which
# writes them.
document_alts <- new.env(parent = emptyenv())

# Records text alternatives whenever a figure is drawn, by print() or by the
# document.
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_figure <- function(x, ...) {
  print(x)
  invisible()
}
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_combined <- function(x, ...) {
  print(x)
  invisible()
}
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_figures <- function(x, ...) {
  print(x)
  invisible()
}
# nolint end

# Called when any drawing begins a page of the device; no figure of ours is on
# it yet.
count_page_of_document <- function(...) {
  label <- if (isTRUE(getOption("knitr.in.progress"))) {
    knitr::opts_current$get("label")
  }
  if (is.null(label)) return(invisible())
  if (!identical(document_alts$label, label)) document_alts$texts <- character()
  document_alts$label <- label
  document_alts$texts <- c(document_alts$texts, NA)
}

# Called when one of our figures is drawn, on the page that has begun.
keep_alt_of_document <- function(figure) {
  texts <- document_alts$texts
  if (!isTRUE(getOption("knitr.in.progress")) || !length(texts)) {
    return(invisible())
  }
  document_alts$texts[length(texts)] <- in_one_line(figure_alt(figure))
  with_alts_in_hook()
}

# Pages are counted from the time the package is there.
follow_pages_of_document <- function() {
  drawing$when_drawn <- keep_alt_of_document
  for (event in c("plot.new", "grid.newpage")) {
    setHook(event, count_page_of_document)
  }
}

# Where the chunk says no alternative itself, and as many pages began as it has
# figures.
with_alts_in_hook <- function() {
  hook <- knitr::knit_hooks$get("plot")
  if (!is.function(hook) || isTRUE(attr(hook, "says_alts"))) return(invisible())
  ours <- function(x, options) {
    texts <- if (identical(options$label, document_alts$label)) {
      document_alts$texts
    }
    if (!is.null(options$fig.alt) || length(texts) != options$fig.num) {
      return(hook(x, options))
    }
    text <- texts[options$fig.cur]
    if (is.na(text)) return(hook(x, options))
    if (knitr::is_html_output()) {
      options$fig.alt <- text
      return(hook(x, options))
    }
    # In Word what stands in the brackets of a picture without a caption is its
    # alternative.
    words <- hook(x, options)
    if (is.null(options$fig.cap)) {
      sub("![](", paste0("![", markdown_text(text), "]("), words, fixed = TRUE)
    } else {
      words
    }
  }
  knitr::knit_hooks$set(plot = structure(ours, says_alts = TRUE))
}
