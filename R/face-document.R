# Results in documents: R Markdown, and what knitr makes of it in HTML, Word and PDF.

# What stands in the text of a document: no paths; code between backticks stays code.
document_text <- function(text) {
  text <- gsub(" In (file|dictionary) \"[^\"]*\"\\.", "", text)
  vapply(visible_text(text), function(one) {
    parts <- strsplit(one, "`", fixed = TRUE)[[1]]
    is_code <- seq_along(parts) %% 2 == 0 & nzchar(parts)
    # An odd number of backticks is none of ours.
    if (lengths(regmatches(one, gregexpr("`", one))) %% 2 == 1) return(markdown_text(one))
    paste(ifelse(is_code, paste0("`", parts, "`"), markdown_text(parts)), collapse = "")
  }, "", USE.NAMES = FALSE)
}

# Every character that means something to pandoc, taken as itself.
markdown_text <- function(text) {
  # A backslash before a bracket would begin a formula.
  text <- gsub("([\\\\`*_{}#+.!|<>~^$@\"'&-])", "\\\\\\1", text, perl = TRUE)
  text <- gsub("[", "&#91;", gsub("]", "&#93;", text, fixed = TRUE), fixed = TRUE)
  gsub("\n", " ", text, fixed = TRUE)
}

# A table in pandoc's own form, which becomes a real one in every kind of document.
markdown_table <- function(shown, rows = 60, columns = 12) {
  table <- utils::head(shown$table, rows)
  beyond <- names(table)[-seq_len(min(columns, ncol(table)))]
  table <- table[setdiff(names(table), beyond)]
  cells <- lapply(stats::setNames(nm = names(table)), function(name) {
    x <- table[[name]]
    text <- shown_cells(x, shown$digits, key = name %in% shown$keys, most = 200)
    counts <- is.numeric(x) && !is.object(x) && all(is.na(x) | x == round(x))
    if (counts && any(abs(x) >= 1e4, na.rm = TRUE)) text[!is.na(x)] <- format_count(x[!is.na(x)])
    if (is.numeric(x) && !is.object(x) && !name %in% shown$keys) text[is.na(x)] <- ""
    text[text == absent_cell & !name %in% shown$keys & is.na(x)] <- ""
    markdown_text(text)
  })
  right <- vapply(table, function(x) is.numeric(x) && !is.object(x), NA) |
    names(table) %in% shown$right
  headings <- markdown_text(visible_text(unlist(shown$headings[names(table)])))
  # Where lines are long pandoc takes the widths of columns from these.
  widths <- mapply(function(cell, heading) {
    min(36, max(nchar(c(cell, heading), type = "width"), 3))
  }, cells, headings)
  rule <- ifelse(right, paste0(strrep("-", widths), ":"), paste0(":", strrep("-", widths)))
  row <- function(cells) paste0("| ", paste(cells, collapse = " | "), " |")
  body <- if (nrow(table)) do.call(paste, c(unname(cells), sep = " | "))
  more <- nrow(shown$table) - nrow(table)
  c("", row(headings), paste0("|", paste(rule, collapse = "|"), "|"),
    if (length(body)) paste0("| ", body, " |"), "",
    # Behind the empty comment a caption takes nothing of what follows in.
    if (!is.null(shown$caption)) c(paste0("Table: ", document_text(shown$caption)), ""),
    "<!-- -->", "",
    if (length(beyond)) {
      c(paste0("*Further columns: ", markdown_text(listed(beyond, 30)), ".*"), "")
    },
    if (more > 0) c(paste0("*The first ", rows, " of ", counted(nrow(shown$table), "row"), ".*"),
                    ""))
}

markdown_notes <- function(notes, title = "Notes") {
  if (!length(notes)) return(NULL)
  c("", paste0("**", title, "**"), "", paste("-", document_text(notes)), "")
}

document_part <- function(...) {
  knitr::asis_output(paste(c("", ..., "", "<!-- -->"), collapse = "\n"))
}

knit_shown <- function(x, ...) document_part(markdown_table(shown_table(x)), ...)

#' Results in R Markdown documents
#'
#' In a document that knitr makes (R Markdown, or Quarto with its knitr engine) results print as
#' what they are: tables with labels and sensible digits, notes as notes, sieves as a list of steps,
#' in HTML, Word and PDF alike, without hints or paths. Figures take the size of their chunk; in
#' HTML and Word their text alternative is put there where the chunk gives no `fig.alt`.
#'
#' @param x A result.
#' @param ... Not used.
#' @details `rmarkdown::draft("visits.Rmd", template = "study-report", package = "neatsieve")`
#'   starts a document. [as_table()] gives the same tables for another printer.
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
  document_part(markdown_table(shown_table(x), rows = 20))
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
    c(paste("1.", sentence_start(words[1])), if (length(words) > 1) paste("    -", words[-1]))
  })))
}
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_comparison <- function(x, ...) {
  parts <- comparison_parts(x)
  document_part(document_text(comparison_headline(x)), unlist(lapply(parts, function(p) {
    c("", paste0("**", document_text(p$title), "**"), "",
      if (!is.null(p$lines)) paste("-", document_text(p$lines))
      else markdown_table(shown_table(as.data.frame(p$table)), rows = 30))
  })))
}
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_check <- function(x, ...) {
  said <- sub("([^.?!])$", "\\1.", trimws(paste(x$problem, x$where, x$instead)))
  document_part(if (nrow(x)) paste0("- ", sentence_start(x$severity), ": ", document_text(said))
                else "Nothing to report.")
}
#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_difference <- function(x, ...) {
  lines <- difference_words(x)
  document_part(if (length(lines)) paste("-", document_text(lines)) else "No difference.")
}

# Text alternatives of the figures that a chunk drew, for knitr's hook, which writes them.
document_alts <- new.env(parent = emptyenv())

#' @rdname documents
#' @exportS3Method knitr::knit_print
knit_print.neatsieve_figure <- function(x, ...) {
  label <- knitr::opts_current$get("label")
  if (!is.null(label)) {
    if (!identical(document_alts$label, label)) document_alts$texts <- character()
    document_alts$label <- label
    document_alts$texts <- c(document_alts$texts, in_one_line(figure_alt(x)))
    with_alts_in_hook()
  }
  print(x)
  invisible()
}
# nolint end

# Where a chunk draws nothing but our figures, and says no alternative itself.
with_alts_in_hook <- function() {
  hook <- knitr::knit_hooks$get("plot")
  if (!is.function(hook) || isTRUE(attr(hook, "says_alts"))) return(invisible())
  ours <- function(x, options) {
    texts <- if (identical(options$label, document_alts$label)) document_alts$texts
    if (!is.null(options$fig.alt) || length(texts) != options$fig.num) return(hook(x, options))
    text <- texts[options$fig.cur]
    if (knitr::is_html_output()) {
      options$fig.alt <- text
      return(hook(x, options))
    }
    # In Word what stands in the brackets of a picture without a caption is its alternative.
    said <- hook(x, options)
    if (is.null(options$fig.cap)) sub("![](", paste0("![", markdown_text(text), "]("), said,
                                      fixed = TRUE) else said
  }
  knitr::knit_hooks$set(plot = structure(ours, says_alts = TRUE))
}
