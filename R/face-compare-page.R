# The page of a comparison of two runs.

comparison_page <- function(x, title) {
  t <- htmltools::tags
  parts <- comparison_parts(x)
  sections <- Map(
    function(part, id) {
      body <- if (!is.null(part$lines)) {
        t$ul(lapply(visible_text(part$lines), t$li))
      } else {
        page_table(part$table, part$title, paste0(id, "-table"))
      }
      page_section(id, part$title, body)
    },
    parts,
    file_name(tolower(vapply(parts, `[[`, "", "title")))
  )
  lead <- list(
    t$p(class = "lead", comparison_headline(x)),
    t$ul(t$li("First: ", x$headlines[1]), t$li("Second: ", x$headlines[2])),
    t$p(class = "small", made_by_words())
  )
  html_page(title, lead, unname(sections))
}
