# A report as a Word or PDF document: the same sections in pandoc's text.

report_document <- function(out, path, heading, ending, figures, look = NULL) {
  need_for_documents(ending)
  folder <- tempfile("document-")
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE))
  lines <- if (inherits(out, "neatsieve_comparison")) {
    c(
      document_head(heading), as.character(knit_print.neatsieve_comparison(out))
    )
  } else {
    document_lines(out, looked_state(out, look), heading, folder, figures)
  }
  text <- file.path(folder, "report.md")
  write_text(lines, text)
  write_whole(path, function(to) {
    file <- file.path(folder, paste0("report.", ending))
    options <- c(
      "--standalone", paste0("--resource-path=", folder),
      if (ending == "pdf") {
        c("-V", "geometry:margin=2.2cm", "-V", "fontsize=10pt")
      }
    )
    failed <- tryCatch(
      {
        rmarkdown::pandoc_convert(
          text,
          output = file, from = "markdown", options = options, wd = folder
        )
        !file.exists(file)
      },
      error = function(e) TRUE
    )
    if (failed) stop("pandoc could not make it")
    if (!file.copy(file, to, overwrite = TRUE)) {
      stop("it could not be put there")
    }
  })
  invisible(path)
}

need_for_documents <- function(ending) {
  missing <- if (!requireNamespace("rmarkdown", quietly = TRUE)) {
    "the package rmarkdown"
  } else if (!rmarkdown::pandoc_available()) {
    "pandoc"
  } else if (ending == "pdf" &&
    !any(nzchar(Sys.which(c("pdflatex", "xelatex", "lualatex"))))) {
    "a LaTeX, as the program pdflatex"
  }
  if (is.null(missing)) return(invisible())
  stop_neatly(
    "run",
    paste0(
      "A report in .", ending, " needs ", missing, ", which is not there."
    ),
    NULL,
    c(
      if (startsWith(missing, "the package")) {
        "Install it with `install.packages(\"rmarkdown\")`."
      } else {
        paste0("Install ", missing, ".")
      },
      "Or write a page: `report(out, \"report.html\")`."
    )
  )
}

document_head <- function(heading) {
  text <- function(value) jsonlite::toJSON(as_utf8(value), auto_unbox = TRUE)
  c(
    "---", paste0("title: ", text(heading$title)),
    if (length(heading$authors)) {
      c("author:", paste("-", vapply(heading$authors, text, "")))
    },
    "---", ""
  )
}

document_lines <- function(out, state, heading, folder, most) {
  section <- function(title, ...) {
    lines <- unlist(list(...))
    if (length(lines)) c("", paste("##", title), "", lines)
  }
  table <- function(x, caption = NULL) {
    shown <- shown_table(x)
    if (!is.null(caption)) shown$caption <- caption
    markdown_table(document_cells(shown), shown$caption)
  }
  charts <- charts_by_name(state$charts)
  moved <- any(vapply(state$records, function(r) r$held > 0 || r$added > 0, NA))
  notes <- vapply(siftings_parts(out)$inside$notes, note_text, "")
  c(
    document_head(heading),
    unlist(lapply(
      paragraphs(heading$opening), function(text) c(document_text(text), "")
    )),
    document_text(report_sentence(state)), "", document_text(made_by_words()),
    section("Notes", if (length(notes)) paste("-", document_text(notes))),
    section(
      "What became of the rows",
      if (moved) {
        document_figure(chart_of_run(chart_flow(), state), "flow", folder)
      }
    ),
    section(
      "Tables",
      lapply(names(tables_to_read(state$tables)), function(name) {
        table(state$tables[[name]], table_title(name, state))
      })
    ),
    section(
      "Figures",
      Map(
        document_figure,
        utils::head(charts, most),
        paste0("figure-", seq_along(utils::head(charts, most))),
        folder = folder
      )
    ),
    section(
      "Methods", markdown_text(paste(methods_words(state), collapse = " "))
    ),
    section("The account of every step", table(ledger(out))),
    section(
      "Why rows were held back",
      if (length(state$holdings)) {
        table(
          reasons_frame(state), "Rows held back, by step, condition and reason."
        )
      }
    ),
    section(
      "Absent values",
      if (is.null(state$unread) && NROW(absent_frame(state))) {
        table(absent_frame(state), "Absent values by column.")
      }
    ),
    section("What was studied", table(as_study_object(state$study))),
    section("How to run it again", "```yaml", plan_lines(out, "."), "```")
  )
}

document_figure <- function(chart, name, folder) {
  figure <- draw_chart(chart)
  file <- paste0(name, ".png")
  draw_file(figure, file.path(folder, file), ".png", c(7, 4.6), 220)
  alt <- gsub(
    "\"",
    "'",
    markdown_text(in_one_line(figure_alt(figure))),
    fixed = TRUE
  )
  c("", paste0("![](", file, "){width=100% alt=\"", alt, "\"}"), "")
}
