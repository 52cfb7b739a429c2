#' A report of a run: one page, or a document
#'
#' Writes a report for readers who did not run the sieve. An HTML page is one
#' file that needs no other file and no network. It has a summary of the rows,
#' notes, the flow of rows and units, tables, figures, subsets, a paragraph for
#' the methods section, the ledger, why rows were held back, absent values by
#' column, a description of the study, and the plan to run it again.
#'
#' @param out Siftings from [pour()], or a comparison from [compare_runs()].
#' @param path The file to write: `.html`; `.docx` and `.pdf` go through the
#'   package rmarkdown, which needs pandoc, and for PDF a LaTeX.
#' @param title The page's title; by default the study's name.
#' @param figures How many figures are drawn (of a figure by subset each
#'   counts); the others are named.
#' @param authors,opening Names of authors, and a text that stands before
#'   everything else (an empty line begins a paragraph). They and the title can
#'   stand in the sieve or plan, as [report_heading()].
#' @param look A [look_of_figures()] for the figures of this report.
#'
#' @details The page begins with the rows and what became of them; then come
#'   tables and figures. Notes are folded. On wide screens the contents stand
#'   beside the text. Tables sort by a click on a heading, scroll with the
#'   keyboard, and can be saved as CSV. A figure opens in full size, with its
#'   numbers folded below. The page has a dark and a light form and prints.
#'   Tables of more than 200 rows show the first; their CSV holds all, up to
#'   200,000 values.
#' @return The path, invisibly.
#' @section Errors: Class `neatsieve_error_run` when the path ends otherwise, a
#'   package or pandoc is missing, or the file cannot be written; an old one is
#'   kept.
#' @seealso [write_siftings()] for everything in one folder.
#' @examples
#' out <- pour(
#'   demo_file("hive-visits.csv"), include(present(honey_kg)),
#'   chart_histogram(x = honey_kg)
#' )
#' report(out, file.path(tempdir(), "honey.html"))
#' @export
report <- function(
  out, path, title = NULL, figures = 30, authors = NULL, opening = NULL,
  look = NULL
) {
  local_plain()
  ending <- if (is_text(path)) tolower(sub(".*[.]", "", basename(path))) else ""
  if (!ending %in% c("html", "htm", "docx", "pdf")) {
    stop_neatly(
      "run",
      if (!is_text(path)) {
        "The report needs a path."
      } else {
        paste0("No report ends in ", quoted(paste0(".", ending)), ".")
      },
      NULL,
      "Write `report(out, \"report.html\")`; the endings are .html, .docx and .pdf."
    )
  }
  control(
    figures,
    "figures",
    "report",
    function(n) is.numeric(n) && length(n) == 1 && n >= 0,
    "how many figures to draw"
  )
  heading <- heading_of(out, title, authors, opening)
  if (ending %in% c("docx", "pdf")) {
    return(report_document(out, path, heading, ending, figures, look))
  }
  page <- function() {
    if (inherits(out, "neatsieve_comparison")) {
      return(comparison_page(out, heading$title))
    }
    report_page(out, looked_state(out, look), heading, dirname(path), figures)
  }
  if (!inherits(out, "neatsieve_comparison")) siftings_parts(out)
  # Building the page writes temporary files as well.
  write_whole(path, function(to) write_text(as.character(page()), to))
  invisible(path)
}

# Title, authors and opening text: those given, else those of the sieve.
heading_of <- function(out, title = NULL, authors = NULL, opening = NULL) {
  given <- report_heading(title, authors, opening)
  given <- compact(unclass(given)[c("title", "authors", "opening")])
  if (inherits(out, "neatsieve_comparison")) {
    return(utils::modifyList(list(title = "What changed"), given))
  }
  state <- siftings_parts(out)$state
  of_run <- utils::modifyList(
    list(title = state$study$name), as.list(compact(state$heading))
  )
  utils::modifyList(of_run, given)
}

# The run with its charts in another look.
looked_state <- function(out, look) {
  state <- siftings_parts(out)$state
  if (is.null(look)) return(state)
  if (!inherits(look, "neatsieve_step_look_of_figures")) {
    stop_neatly(
      "run",
      "`look` of `report()` is no look of figures.",
      NULL,
      "Write `look = look_of_figures(size = 14)`."
    )
  }
  look <- look_of_step(look)
  redrawn <- function(chart) {
    chart$look <- look
    chart
  }
  state$look <- look
  state$charts <- lapply(state$charts, function(chart) {
    if (!inherits(chart, "neatsieve_charts")) return(redrawn(chart))
    structure(lapply(unclass(chart), redrawn), class = "neatsieve_charts")
  })
  state
}

report_page <- function(out, state, heading, folder, figures = 30) {
  t <- htmltools::tags
  notes <- siftings_parts(out)$inside$notes
  opening <- lapply(
    paragraphs(heading$opening), function(text) t$p(visible_text(text))
  )
  lead <- list(
    if (length(heading$authors)) {
      t$p(class = "authors", visible_text(listed(heading$authors, 50)))
    },
    opening,
    t$p(class = "lead", report_sentence(state))
  )
  html_page(
    heading$title,
    lead,
    foot = t$p(class = "small", made_by_words()),
    sections = list(
      folded_notes(notes),
      flow_section(state),
      tables_section(state),
      figures_section(state, figures),
      subsets_section(state),
      methods_section(state),
      page_section("account", "The account of every step", account_tables(out)),
      if (length(state$holdings)) {
        page_section("held", "Why rows were held back", reasons_table(state))
      },
      absent_section(state),
      studied_section(state),
      page_section(
        "again",
        "How to run it again",
        lapply(again_words(state), function(words) {
          t$p(htmltools::HTML(code_marked(words)))
        }),
        t$pre(
          id = "plan",
          tabindex = "0",
          paste(plan_lines(out, folder), collapse = "\n")
        )
      )
    )
  )
}

# Parts of a text between empty lines.
paragraphs <- function(text) {
  if (!is.null(text)) strsplit(text, "\n[ \t]*\n")[[1]]
}

# Notes as one line with their number, which opens.
folded_notes <- function(notes) {
  if (!length(notes)) return(NULL)
  t <- htmltools::tags
  items <- lapply(notes, function(n) t$li(htmltools::HTML(note_html(n))))
  list(
    id = "notes",
    title = "Notes",
    parts = NULL,
    html = t$section(
      id = "notes",
      `aria-label` = "Notes",
      t$details(
        class = "noted",
        t$summary(counted(length(notes), "note"), " on this run"),
        t$ul(class = "notes", items)
      )
    )
  )
}

# The run in one sentence: the file, rows, units and settings.
report_sentence <- function(state) {
  settings <- unlist(lapply(state$steps, function(s) {
    if (length(setting_names(s))) {
      paste(names(s$values), "=", vapply(s$values, value_code, ""))
    }
  }))
  words <- sub("^Siftings of ", "", siftings_headline(state))
  source <- source_words(state$study)
  paste0(
    words,
    if (!is.null(source) && source != state$study$name) {
      paste0(" Read from ", source, ".")
    },
    if (length(settings)) paste0(" Settings: ", listed(settings, 12), ".")
  )
}

flow_section <- function(state) {
  moved <- any(vapply(state$records, function(r) r$held > 0 || r$added > 0, NA))
  if (!moved) return(NULL)
  chart <- chart_of_run(chart_flow(), state)
  page_section(
    "flow",
    "What became of the rows",
    list(
      flow_bars(chart), htmltools::tags$p(class = "small", told_caption(chart))
    )
  )
}

# The caption below a picture: one sentence on what it shows.
told_caption <- function(chart) {
  words <- paste(chart$told, collapse = ", ")
  if (nzchar(words)) paste0(sentence_start(visible_text(words)), ".")
}

tables_section <- function(state) {
  state$tables <- tables_to_read(state$tables)
  if (!length(state$tables)) return(NULL)
  ids <- paste0("table-", unique_file_names(names(state$tables)))
  titles <- vapply(names(state$tables), table_title, "", state = state)
  tables <- Map(
    function(table, id, title) {
      if (inherits(table, "neatsieve_characteristics")) {
        return(page_characteristics(table, id, title))
      }
      if (is_whole_cross(table)) return(page_cross(table, id, title))
      digits <- attr(table, "digits")
      page_table(
        by_label(table),
        title,
        id,
        digits = if (is.null(digits)) 4 else digits,
        keys = attr(table, "keys")
      )
    },
    state$tables,
    ids,
    titles
  )
  page_section(
    "tables",
    "Tables",
    unname(tables),
    parts = stats::setNames(titles, ids)
  )
}

# The table of characteristics, its cells to the right, lines of columns as
# heads.
page_characteristics <- function(table, id, title) {
  plain <- headed_characteristics(table)
  names(plain)[1] <- "Characteristic"
  right <- c(FALSE, rep(TRUE, length(plain) - 1))
  table_in_box(
    names(plain),
    as.list(plain),
    right,
    title,
    id,
    heads_rows = TRUE,
    sorts = FALSE,
    below = list(csv_link(as.data.frame(table), id))
  )
}

page_cross <- function(table, id, title) {
  cells <- cross_cells(table)
  right <- seq_along(cells) > cross_keys(table)
  table_in_box(
    names(cells),
    as.list(cells),
    right,
    title,
    id,
    heads_rows = TRUE,
    sorts = FALSE,
    below = list(
      htmltools::tags$span(cross_words(attr(table, "cross"))),
      csv_link(as.data.frame(table), id)
    )
  )
}

# What the step that made a table says of it, under labels of columns.
table_title <- function(name, state) {
  at <- which(state$names == name)
  part <- NULL
  if (!length(at)) {
    at <- which(startsWith(name, paste0(state$names, "_")))
    at <- at[which.max(nchar(state$names[at]))]
    part <- gsub(
      "_",
      " ",
      substr(name, nchar(state$names[at]) + 2, nchar(name)),
      fixed = TRUE
    )
  }
  step <- state$steps[[at[1]]]
  own <- state$names[at[1]]
  words <- sentence_start(sub("^table of ", "", step_words(step)[1]))
  is_own <- !grepl(paste0("^", step$kind, "(_[0-9]+)?$"), own)
  paste0(
    if (is_own) paste0(own, ": "), words,
    if (!is.null(part)) paste0(" (", part, ")")
  )
}

sentence_start <- function(text) {
  paste0(toupper(substr(text, 1, 1)), substr(text, 2, nchar(text)))
}

figures_section <- function(state, most) {
  charts <- charts_by_name(state$charts)
  if (!length(charts)) return(NULL)
  t <- htmltools::tags
  ids <- paste0("figure-", unique_file_names(names(charts)))
  titles <- vapply(charts, chart_title, "")
  drawn <- seq_along(charts) <= most
  figures <- Map(
    function(chart, id) {
      page_figure(
        draw_chart(chart), id, told_caption(chart), numbers_behind(chart)
      )
    },
    charts[drawn],
    ids[drawn]
  )
  rest <- if (!all(drawn)) {
    list(
      t$p(paste0(
        counted(sum(!drawn), "further figure"),
        " not drawn: write `report(out, path, ", "figures = ", length(charts),
        ")` for all."
      )),
      t$ul(lapply(titles[!drawn], t$li))
    )
  }
  page_section(
    "figures",
    "Figures",
    unname(figures),
    rest,
    parts = stats::setNames(titles[drawn], ids[drawn])
  )
}

chart_title <- function(chart) {
  paste0(
    gsub("\n", " ", chart$title),
    if (!is.null(chart$subset)) paste0(": ", chart$subset)
  )
}

# Numbers of a figure that are fewer than its points.
numbers_behind <- function(chart) if (NROW(chart$data) <= 2000) chart$data

subsets_section <- function(state) {
  if (is.null(state$subsets)) return(NULL)
  names <- colnames(state$subsets$sets)
  sizes <- data.frame(
    subset = names,
    `what it is` = unname(state$subsets$words[names]),
    rows = vapply(names, function(s) length(subset_rows(state, s)), 1L),
    check.names = FALSE
  )
  shared <- overlap_table(state, "exact")
  page_section(
    "subsets",
    "Subsets",
    page_table(
      sizes, "How large the subsets are", "subset-sizes",
      keys = "subset"
    ),
    page_table(
      shared,
      "Rows in exactly these subsets",
      "subset-overlaps",
      keys = "subsets"
    )
  )
}
