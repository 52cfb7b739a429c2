# HTML pages: one file with its style, tables and figures.

# sections: made by page_section(). lead: what is said before the contents.
# Contents stand beside on wide screens and are folded on narrow ones.
html_page <- function(title, lead, sections, foot = NULL) {
  t <- htmltools::tags
  sections <- Filter(Negate(is.null), sections)
  body <- t$body(
    t$a(class = "skip", href = "#content", "To the content"),
    t$div(
      class = "frame",
      page_contents(sections),
      t$div(
        class = "reading",
        t$header(t$h1(visible_text(title)), lead),
        t$main(id = "content", tabindex = "-1", lapply(sections, `[[`, "html")),
        if (!is.null(foot)) t$footer(foot)
      )
    ),
    t$script(htmltools::HTML(page_script))
  )
  paste0(
    "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta ",
    "charset=\"utf-8\">\n<meta ",
    "name=\"viewport\" content=\"width=device-width, ",
    "initial-scale=1\">\n<title>",
    htmltools::htmlEscape(title), "</title>\n<style>", page_style,
    "</style>\n</head>\n", as.character(body), "\n</html>"
  )
}

# A section with its heading; parts: headings within it, by their anchors.
page_section <- function(id, title, ..., parts = NULL) {
  t <- htmltools::tags
  list(
    id = id,
    title = title,
    parts = parts,
    html = t$section(id = id, t$h2(title), ...)
  )
}

page_contents <- function(sections) {
  t <- htmltools::tags
  link <- function(id, title) t$a(href = paste0("#", id), title)
  t$nav(
    `aria-label` = "Contents",
    t$details(
      t$summary("Contents"),
      t$ul(lapply(sections, function(s) {
        # The contents list the first ones; all follow below the heading.
        parts <- utils::head(s$parts, 12)
        t$li(
          link(s$id, s$title),
          if (length(parts) > 1) {
            t$ul(
              Map(
                function(id, title) t$li(link(id, title)),
                names(parts),
                unname(parts)
              ),
              if (length(s$parts) > 12) {
                t$li(paste("and", length(s$parts) - 12, "more"))
              }
            )
          }
        )
      }))
    )
  )
}

made_by_words <- function() {
  paste0(
    "Made by Neat Sieve ", utils::packageVersion("neatsieve"), " on R ",
    getRversion(), ", ", format(Sys.Date(), "%Y-%m-%d"), "."
  )
}

# A note with its code marked; a file by its name, as its folder is another
# reader's.
note_html <- function(note) {
  words <- gsub("(In (file|dictionary) \")[^\"]*/", "\\1", note_text(note))
  code_marked(words)
}
code_marked <- function(text) {
  gsub("`([^`]+)`", "<code>\\1</code>", page_text(text))
}

# What a text looks like on a page: control characters can be seen.
page_text <- function(x) htmltools::htmlEscape(visible_text(x))

# A table as it is shown, with its numbers for sorting.
#
# caption: what it is. id: of the table, for anchors. keys: columns whose absent
# values make a group; the first column of a table with keys heads its rows.
# most: rows shown; the download has all.
page_table <- function(
  table, caption, id, digits = 4, keys = character(), most = 200, sorts = TRUE
) {
  table <- as.data.frame(table)
  shown <- utils::head(table, most)
  cells <- lapply(stats::setNames(nm = names(shown)), function(n) {
    shown_cells(shown[[n]], digits = digits, key = n %in% keys, most = 400)
  })
  right <- vapply(shown, function(x) is.numeric(x) && !is.object(x), NA)
  raw <- lapply(shown, function(x) if (is.numeric(x)) sort_values(x))
  table_in_box(
    names(shown),
    cells,
    right,
    caption,
    id,
    raw = raw,
    heads_rows = length(keys) > 0 && identical(names(shown)[1], keys[1]),
    sorts = sorts,
    below = list(table_notes(table, most), csv_link(table, id))
  )
}

sort_values <- function(x) ifelse(is.na(x), "", number_texts(as.double(x)))

table_notes <- function(table, most) {
  t <- htmltools::tags
  n <- nrow(table)
  list(
    if (n > most) {
      t$span(paste0("The first ", most, " of ", counted(n, "row"), "."))
    },
    if (ncol(table) > 10) {
      t$span(
        class = "cut",
        "Wider than the paper: the page itself holds all columns."
      )
    }
  )
}

# columns: texts, by column. raw: for sorting, by column, or NULL. row_class: by
# row.
table_in_box <- function(
  headers, columns, right, caption, id, raw = NULL, heads_rows = FALSE,
  row_class = NULL, sorts = TRUE, below = NULL
) {
  t <- htmltools::tags
  n <- if (length(columns)) length(columns[[1]]) else 0
  class <- paste(
    c("box", if (n > 24) "tall", if (length(columns) > 10) "broad"),
    collapse = " "
  )
  box <- t$div(
    class = class,
    role = "region",
    tabindex = "0",
    `aria-labelledby` = paste0(id, "-caption"),
    html_table(
      headers,
      columns,
      right,
      caption,
      id,
      raw,
      heads_rows,
      row_class,
      sorts && n > 1
    )
  )
  below <- Filter(Negate(is.null), unlist(list(below), recursive = FALSE))
  list(
    t$h3(visible_text(caption)),
    box,
    if (length(below)) t$div(class = "tools", below)
  )
}

# Builds HTML as text, column by column, because tag objects would take most of
# the time.
html_table <- function(
  headers, columns, right, caption, id, raw, heads_rows, row_class, sorts
) {
  n <- if (length(columns)) length(columns[[1]]) else 0
  mark <- ifelse(right, " class=\"n\"", "")
  cells <- lapply(seq_along(columns), function(i) {
    tag <- if (heads_rows && i == 1) "th scope=\"row\"" else "td"
    value <- if (!is.null(raw[[i]])) {
      paste0(" data-v=\"", raw[[i]], "\"")
    } else {
      ""
    }
    paste0(
      "<", tag, mark[i], value, ">", page_text(columns[[i]]), "</",
      substr(tag, 1, 2), ">"
    )
  })
  rows <- if (n) do.call(paste0, cells) else character()
  class <- if (!is.null(row_class)) paste0(" class=\"", row_class, "\"")
  htmltools::HTML(paste0(
    c(
      paste0(
        "<table id=\"", id, "\"", if (sorts) " data-sorts",
        ">\n<caption class=\"unseen\" id=\"", id, "-caption\">",
        page_text(caption), "</caption>\n<thead>\n<tr>"
      ),
      paste0(
        "<th scope=\"col\"", mark, ">", page_text(headers), "</th>",
        collapse = ""
      ),
      "</tr>\n</thead>\n<tbody>\n",
      if (n) paste0("<tr", class, ">", rows, "</tr>\n"), "</tbody>\n</table>"
    ),
    collapse = ""
  ))
}

# The whole table as a file that the page holds; very large ones are for
# write_siftings().
csv_link <- function(table, id, most = 2e5) {
  if (!nrow(table) || nrow(table) * ncol(table) > most) return(NULL)
  path <- tempfile(fileext = ".csv")
  on.exit(unlink(path))
  write_csv(table, path)
  htmltools::tags$a(
    download = paste0(id, ".csv"),
    href = data_address(path, "text/csv;charset=utf-8"),
    "Download as CSV"
  )
}

data_address <- function(path, type) {
  code <- jsonlite::base64_enc(readBin(path, "raw", file.size(path)))
  paste0("data:", type, ";base64,", gsub("\n", "", code, fixed = TRUE))
}
