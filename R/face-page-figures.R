# Figures on a page.

# A figure with its caption, what it shows in words, and the numbers behind it
# one fold away. numbers: a table, or NULL.
page_figure <- function(figure, id, caption = NULL, numbers = NULL) {
  t <- htmltools::tags
  title <- in_one_line(figure$labels$title)
  t$div(
    id = id,
    class = "figure",
    `data-title` = title,
    t$h3(class = "unseen", title),
    t$figure(
      t$div(
        class = "picture",
        role = "region",
        tabindex = "0",
        `aria-label` = paste("Picture:", title),
        figure_image(figure)
      ),
      if (!is.null(caption)) t$figcaption(caption)
    ),
    t$div(class = "tools"),
    if (NROW(numbers)) {
      t$details(
        t$summary("Numbers of this figure"),
        page_table(
          numbers,
          paste("Numbers of:", title),
          paste0(id, "-numbers"),
          most = 100
        )
      )
    }
  )
}

# A figure with few marks is smaller as SVG than as PNG.
figure_image <- function(figure, larger = 1.5) {
  is_vector <- marks_of(figure) <= 600
  path <- tempfile(fileext = if (is_vector) ".svg" else ".png")
  on.exit(unlink(path))
  if (is_vector) {
    draw_file(figure, path, ".svg", c(1280, 800) / 110, 110)
  } else {
    draw_png(figure, path, 1280 * larger, 800 * larger, 110 * larger)
  }
  htmltools::tags$img(
    src = data_address(path, if (is_vector) "image/svg+xml" else "image/png"),
    width = 1280,
    height = 800,
    alt = in_one_line(figure_alt(figure))
  )
}

in_one_line <- function(text) {
  visible_text(gsub("\n", " ", paste(text, collapse = " "), fixed = TRUE))
}

# How many marks a figure draws, by the rows of its layers.
marks_of <- function(figure) {
  if (inherits(figure, "neatsieve_combined")) {
    return(sum(vapply(figure$figures, marks_of, 0)))
  }
  rows <- vapply(figure$layers, function(layer) {
    data <- layer$data
    if (is.data.frame(data)) nrow(data) else NROW(figure$data)
  }, 1L)
  sum(as.numeric(rows))
}
