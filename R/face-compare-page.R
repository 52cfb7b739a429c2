# What changed between two runs, as a page.

comparison_page <- function(x, title) {
  t <- htmltools::tags
  sections <- lapply(comparison_parts(x), function(part) {
    body <- if (!is.null(part$lines)) t$ul(lapply(part$lines, t$li))
      else scrolled(table_html(part$table))
    t$section(t$h2(part$title), body)
  })
  html_page(title, t$body(
    t$header(t$h1(title), t$p(class = "small",
                              paste0("Neat Sieve ", utils::packageVersion("neatsieve"), " on R ",
                                     getRversion(), ", ", format(Sys.Date())))),
    t$main(t$section(t$h2("In short"), t$p(class = "lead", comparison_headline(x)),
                     t$ul(t$li("First: ", x$headlines[1]), t$li("Second: ", x$headlines[2]))),
           sections)))
}
