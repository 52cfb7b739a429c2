# A page of figures with the code that made each, from a script whose blocks stand between blank
# lines: comment lines say what the figure shows, the code below them makes it.

write_gallery <- function(script, path, title) {
  t <- htmltools::tags
  env <- new.env(parent = globalenv())
  sections <- lapply(script_blocks(readLines(script, encoding = "UTF-8")), function(block) {
    values <- lapply(parse(text = block$code, encoding = "UTF-8"), function(expression) suppressMessages(eval(expression, env), classes = "neatsieve_note"))
    figures <- unlist(lapply(values, figures_in), recursive = FALSE)
    t$section(t$h2(block$said[1]), lapply(block$said[-1], t$p), t$pre(paste(block$code, collapse = "\n")), lapply(figures, function(f) figure_html(f, ggplot2::get_alt_text(f), larger = 1)))
  })
  page <- html_page(title, htmltools::tags$body(t$header(t$h1(title), t$p(class = "small", "Each figure with the code that makes it, from made-up data that ships with the package.")), t$main(sections)))
  write_whole(path, function(to) {
    con <- file(to, "wb")
    on.exit(close(con))
    writeLines(enc2utf8(page), con, useBytes = TRUE)
  })
  path
}

script_blocks <- function(lines) {
  empty <- lines == ""
  blocks <- split(lines[!empty], cumsum(empty)[!empty])
  lapply(unname(blocks), function(b) {
    comment <- startsWith(b, "#")
    said <- sub("^# ?", "", b[comment])
    list(said = c(said[1], if (length(said) > 1) paste(said[-1], collapse = " ")), code = b[!comment])
  })
}

# All figures of a value: of siftings, by subset too, or a figure itself.
figures_in <- function(value) {
  if (inherits(value, "ggplot")) return(list(value))
  if (!inherits(value, "neatsieve_siftings")) return(list())
  unlist(lapply(unname(value$figures), function(f) if (inherits(f, "ggplot")) list(f) else unname(f)), recursive = FALSE)
}
