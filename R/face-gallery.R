# A page of figures with the code of each. It is made from a script: blank lines
# separate blocks, comment lines describe the figure, the code below makes it.

write_gallery <- function(script, path, title) {
  t <- htmltools::tags
  blocks <- gallery_blocks(script)
  sections <- in_processes(seq_along(blocks), function(i) {
    block <- blocks[[i]]
    id <- paste0("block-", i)
    page_section(
      id,
      block$said[1],
      lapply(block$said[-1], t$p),
      t$pre(tabindex = "0", paste(block$code, collapse = "\n")),
      Map(
        function(figure, k) page_figure(figure, paste0(id, "-", k)),
        block$figures,
        seq_along(block$figures)
      )
    )
  })
  lead <- t$p(
    class = "small",
    paste0(
      "Each figure with the code that makes it, from made-up data ",
      "that ships with the package. What pour() gives holds it in ", "$figures."
    )
  )
  page <- html_page(title, lead, sections)
  write_whole(path, function(to) write_text(page, to))
  path
}

# Blocks of a script with what they say, their code and the figures it makes.
gallery_blocks <- function(script) {
  env <- new.env(parent = globalenv())
  lapply(script_blocks(readLines(script, encoding = "UTF-8")), function(block) {
    values <- lapply(
      parse(text = block$code, encoding = "UTF-8"),
      function(expression) {
        suppressMessages(eval(expression, env), classes = "neatsieve_note")
      }
    )
    c(
      block,
      list(figures = unlist(lapply(values, figures_in), recursive = FALSE))
    )
  })
}

script_blocks <- function(lines) {
  empty <- lines == ""
  blocks <- split(lines[!empty], cumsum(empty)[!empty])
  lapply(unname(blocks), function(b) {
    comment <- startsWith(b, "#")
    words <- sub("^# ?", "", b[comment])
    list(
      said = c(words[1], if (length(words) > 1) paste(words[-1], collapse = " ")),
      code = b[!comment]
    )
  })
}

# All figures of a value: of siftings, by subset too, or a figure itself.
figures_in <- function(value) {
  if (is_figure(value)) return(list(value))
  if (!inherits(value, "neatsieve_siftings")) return(list())
  unlist(
    lapply(unname(value$figures), function(f) {
      if (is_figure(f)) list(f) else unname(as.list(f))
    }),
    recursive = FALSE
  )
}
