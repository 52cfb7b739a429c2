#' A report of a run on one page
#'
#' Writes one self-contained HTML file: what was asked in plain words, the account of every
#' row, why rows were held back, the tables, the figures and the notes. It needs no other file
#' and no network.
#'
#' @param out Siftings from [pour()], or a comparison from [compare_runs()].
#' @param path The file to write.
#' @param title The page's title; by default the study's name.
#' @return The path, invisibly.
#' @section Errors: Class `neatsieve_error_run` when the file cannot be written; an old one is kept.
#' @examples
#' out <- pour(demo_file("hive-visits.csv"), include(present(honey_kg)),
#'             chart_histogram(x = honey_kg))
#' report(out, file.path(tempdir(), "honey.html"))
#' @export
report <- function(out, path, title = NULL) {
  local_plain()
  if (!is_text(path)) {
    stop_neatly("run", "The report needs a path.", NULL, "Write `report(out, \"report.html\")`.")
  }
  page <- if (inherits(out, "neatsieve_comparison")) {
    comparison_page(out, if (is.null(title)) "What changed" else title)
  } else {
    state <- siftings_parts(out)$state
    report_page(out, state, if (is.null(title)) state$study$name else title, dirname(path))
  }
  write_whole(path, function(to) write_text(as.character(page), to))
  invisible(path)
}

report_page <- function(out, state, title, folder) {
  t <- htmltools::tags
  notes <- siftings_parts(out)$inside$notes
  sections <- list(
    t$section(t$h2("What was asked"), t$ol(lapply(state$steps, function(s) {
      words <- step_words(s)
      t$li(words[1], if (length(words) > 1) t$ul(lapply(words[-1], t$li)))
    }))),
    t$section(t$h2("What became of the rows"), t$p(class = "lead", siftings_headline(state)),
              scrolled(ledger_html(ledger(out))),
              t$p(class = "small",
                  paste0("Yes, no and unknown: what each condition alone says of the rows that ",
                         "entered its step. Held: rows it was the first to hold back."))),
    if (length(state$holdings))
      t$section(t$h2("Why rows were held back"), scrolled(reasons_html(state))),
    if (length(state$tables))
      t$section(t$h2("Tables"),
                lapply(names(state$tables),
                       function(n) list(t$h3(n), scrolled(table_html(state$tables[[n]]))))),
    if (length(state$charts))
      t$section(t$h2("Figures"),
                lapply(names(state$charts),
                       function(n) list(t$h3(n), figures_html(out$figures[[n]])))),
    if (length(notes))
      t$section(t$h2("Notes"), t$ul(lapply(notes, function(n) t$li(note_text(n))))),
    t$section(t$h2("How to run it again"), lapply(again_words(state), t$p),
              t$pre(id = "plan", paste(plan_lines(out, folder), collapse = "\n")))
  )
  html_page(title,
            t$body(
              t$header(t$h1(title),
                       t$p(class = "small",
                           paste0("Neat Sieve ", utils::packageVersion("neatsieve"), " on R ",
                                  getRversion(), ", ", format(Sys.Date())))), t$main(sections)))
}

html_page <- function(title, body) {
  paste0(
    "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<meta ",
    "name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<title>",
         htmltools::htmlEscape(title), "</title>\n<style>", report_style, "</style>\n</head>\n",
         as.character(body), "\n</html>")
}

# What the plan below needs: where to save it, the study's file, functions of the session.
again_words <- function(state) {
  tables <- session_tables(state$steps)
  if (length(tables)) {
    called <- unique(vapply(tables, function(one) one$table$called, ""))
    return(paste0("As R code, because ", listed(called), " of the R session that made it ",
                  if (length(called) == 1) "is no file" else "are no files",
                  ". `write_siftings()` saves such tables, and a plan that names them."))
  }
  functions <- unique(unlist(lapply(state$steps, function(s) custom_names(s))))
  handed <- paste0("list(", paste0(functions, " = ", functions, collapse = ", "), ")")
  c(if (!is.null(state$study$source)) {
      paste0("As a plan file: save it as plan.yaml in the folder of this page and run `neatsieve ",
             "pour plan.yaml`, or in R `pour(study, read_sieve(\"plan.yaml\"))`.")
    } else {
      paste0("As a plan file. The study was no file but the data frame \"", state$study$name,
             "\" of an R session: pour that over `read_sieve(\"plan.yaml\")`, or give a file ",
             "with `neatsieve pour plan.yaml --study FILE`.")
    },
    if (length(functions)) {
      paste0("It calls ", listed(paste0(functions, "()"), 8),
             " of the R session that made it, so it runs from R only: `read_sieve(\"plan.yaml\", ",
             "functions = ",
             handed, ")`.")
    })
}

# Names of the functions that custom() calls in the expressions of a step.
custom_names <- function(part) {
  if (inherits(part, "neatsieve_expression")) return(names(part$functions))
  if (is.list(part)) unlist(lapply(part, custom_names), use.names = FALSE)
}

plan_lines <- function(out, folder) {
  if (length(session_tables(out$sieve))) return(unclass(as_code(out$sieve)))
  study <- siftings_parts(out)$state$study
  plan <- plan_of(out$sieve, if (!is.null(study$source)) as_study_object(study), folder)
  strsplit(plan_text(plan), "\n", fixed = TRUE)[[1]]
}

scrolled <- function(table) htmltools::tags$div(class = "wide", table)

# Made as text, cell by cell at once: tags of their own would take longer than all the rest.
html_table <- function(headers, rows, right, row_class = NULL) {
  escape <- function(x) htmltools::htmlEscape(ifelse(is.na(x), "NA", x))
  marked <- ifelse(right, " class=\"n\"", "")
  cells <- vapply(rows, function(row) {
    paste0("<td", marked, ">", escape(as.character(row)), "</td>", collapse = "")
  }, "")
  row_class <- if (!is.null(row_class)) paste0(" class=\"", escape(row_class), "\"")
  htmltools::HTML(paste0(
    c("<table>\n<thead>\n<tr>",
      paste0("<th", marked, ">", escape(headers), "</th>", collapse = ""),
      "</tr>\n</thead>\n<tbody>\n",
      if (length(cells)) paste0("<tr", row_class, ">", cells, "</tr>\n"), "</tbody>\n</table>"),
    collapse = ""))
}

ledger_html <- function(x) {
  x <- worth_telling(x)
  is_step <- x$level == "step"
  count <- function(v) ifelse(is.na(v), "", format_count(v))
  columns <- list(step = ifelse(is_step, x$step, ""),
                  `what` = ifelse(is_step, step_titles(x), below_step(x)),
                  `rows in` = ifelse(is_step, count(x$rows_in), ""), yes = count(x$yes),
                  no = count(x$no), unknown = count(x$unknown),
                  held = ifelse(x$level == "column", "", count(x$held)),
                  added = if (any(x$added > 0)) ifelse(x$added > 0, count(x$added), ""),
                  `rows out` = count(x$rows_out),
                  units = if (any(!is.na(x$units_out))) count(x$units_out))
  columns <- columns[!vapply(columns, is.null, logical(1))]
  rows <- lapply(seq_len(nrow(x)),
                 function(i) vapply(columns, function(c) as.character(c[i]), character(1)))
  html_table(names(columns), rows, !names(columns) %in% c("step", "what"),
             ifelse(is_step, "step", "condition"))
}

# Held rows by step, condition and reason; for unknown ones, which columns are absent.
reasons_html <- function(state) {
  cells <- lapply(held_reasons(state), function(r) {
    absent <- if (length(r$absent)) {
      paste0(": ", paste0(names(r$absent), " absent (", format_count(r$absent), ")",
                          collapse = ", "))
    }
    c(r$step, r$by, paste0(r$because, absent), format_count(r$rows),
      paste(c(format_count(r$first), if (r$rows > 4) "..."), collapse = ", "))
  })
  html_table(c("step", "held by", "because", "rows", "source rows"), cells,
             c(FALSE, FALSE, FALSE, TRUE, FALSE))
}

table_html <- function(table, most = 200) {
  digits <- attr(table, "digits")
  keys <- attr(table, "keys")
  shown <- utils::head(as.data.frame(by_label(table)), most)
  cells <- lapply(stats::setNames(nm = names(shown)), function(n) {
    shown_cells(shown[[n]], digits = if (is.null(digits)) 4 else digits, key = n %in% keys)
  })
  rows <- lapply(seq_len(nrow(shown)), function(i) vapply(cells, `[`, character(1), i))
  note <- paste0("The first ", most, " of ", counted(nrow(table), "row"),
                 "; write_siftings() writes all.")
  list(html_table(names(shown), rows, vapply(shown, is.numeric, logical(1))),
       if (nrow(table) > most) htmltools::tags$p(class = "small", note))
}

figures_html <- function(figure) {
  if (is_figure(figure)) figure_html(figure, figure_alt(figure)) else lapply(figure, figures_html)
}

figure_html <- function(figure, alternative, larger = 1.5) {
  path <- tempfile(fileext = ".png")
  on.exit(unlink(path))
  draw_png(figure, path, 1280 * larger, 800 * larger, 110 * larger)
  image <- jsonlite::base64_enc(readBin(path, "raw", file.size(path)))
  htmltools::tags$figure(
    htmltools::tags$img(src = paste0("data:image/png;base64,", gsub("\n", "", image)),
                        alt = alternative))
}

report_style <- "
:root { --ink: #22303c; --soft: #4b5a66; --paper: #fffdf8; --line: #e4ded0; --leaf: #2f6f73; }
* { box-sizing: border-box; }
body { margin: 0 auto; max-width: 62rem; padding: 2rem 1.5rem 4rem; background: var(--paper);
  color: var(--ink); font: 16px/1.55 'DejaVu Sans', Verdana, sans-serif; }
h1 { font-size: 1.7rem; margin: 0; }
h2 { font-size: 1.2rem; margin: 2.4rem 0 .6rem; padding-bottom: .25rem;
  border-bottom: 2px solid var(--leaf); }
h3 { font-size: 1rem; margin: 1.2rem 0 .4rem; }
.small { color: var(--soft); font-size: .85rem; }
.lead { font-weight: bold; }
.wide { overflow-x: auto; }
table { border-collapse: collapse; font-size: .86rem; }
th, td { padding: .28rem .8rem .28rem 0; text-align: left; vertical-align: top;
  border-bottom: 1px solid var(--line); }
th { color: var(--soft); font-weight: normal; border-bottom-color: var(--ink); }
.n { text-align: right; font-variant-numeric: tabular-nums; white-space: nowrap; }
tr.step td { font-weight: bold; }
tr.condition td:nth-child(2) { padding-left: 1.4rem; }
tr.condition td { color: var(--soft); }
figure { margin: 1rem 0; } img { max-width: 100%; height: auto; border: 1px solid var(--line); }
pre { background: #f4efe3; padding: .9rem 1rem; overflow-x: auto;
  font: .85rem/1.5 'DejaVu Sans Mono', monospace; }
li { margin: .15rem 0; }
@media print { body { max-width: none; padding: 0; } section { break-inside: avoid-page; } }
"
