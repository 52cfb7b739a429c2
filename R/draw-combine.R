#' Several figures as one
#'
#' Makes one figure of several, as panels A, B, C, ..., with one title and one
#' caption.
#'
#' @param ... Figures of `$figures`, with or without what was added to them, or
#'   figures by subset, each of which becomes a panel.
#' @param columns How many figures per row; by default so many that the result
#'   is nearly square.
#' @param letters `"A"`, `"a"` or `"1"`: the first of the signs; `""`: none.
#' @param title A title above all; none by default.
#' @param caption The text below all; by default what the captions of the
#'   figures say, each sentence once, with the letters of those it is said of.
#' @return A figure, which prints, is saved by [save_figure()] and stands in
#'   documents as others do. Panels of a column begin and end at the same place
#'   where their figures are made alike.
#' @section Errors: Class `neatsieve_error_run` for a value that is no figure.
#' @seealso [save_figure()], [look_of_figures()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, sieve(
#'   chart_box(y = mites_per_100, x = treatment),
#'   chart_line(x = start_of(visit_date, "month"), y = mean(honey_kg))
#' ))
#' both <- combine_figures(out$figures$box, out$figures$line, columns = 1)
#' save_figure(both, file.path(tempdir(), "both.pdf"), width = 85, height = 140)
#' @export
combine_figures <- function(
  ..., columns = NULL, letters = "A", title = NULL, caption = NULL
) {
  local_plain()
  figures <- unlist(
    lapply(list(...), function(x) {
      if (is_figure(x)) list(x) else if (is.list(x)) as.list(x) else list(x)
    }),
    recursive = FALSE
  )
  wrong <- !length(figures) ||
    !all(vapply(
      figures,
      function(f) is_figure(f) && !inherits(f, "neatsieve_combined"),
      NA
    ))
  if (wrong) {
    stop_neatly(
      "run",
      "`combine_figures()` puts figures together, and was given something else.",
      NULL,
      "Write `combine_figures(out$figures$box, out$figures$line)`."
    )
  }
  if (is.null(columns)) columns <- ceiling(sqrt(length(figures)))
  if (!is_one_number(columns, 0, 13) || columns != round(columns)) {
    stop_neatly(
      "run",
      "`columns` is one whole number from 1 to 12.",
      NULL,
      "Write `columns = 2`."
    )
  }
  signs <- signs_of(letters, length(figures))
  new_combined(
    unname(figures),
    min(columns, length(figures)),
    signs,
    title,
    if (is.null(caption)) joined_captions(figures, signs) else caption
  )
}

signs_of <- function(first, n) {
  if (identical(first, "")) return(rep("", n))
  if (!is_text(first) || !first %in% c("A", "a", "1")) {
    stop_neatly(
      "run",
      "`letters` is \"A\", \"a\", \"1\" or \"\".",
      NULL,
      "Write `letters = \"A\"`."
    )
  }
  switch(first,
    A = make.unique(rep_len(LETTERS, n)),
    a = make.unique(rep_len(letters, n)),
    `1` = as.character(seq_len(n))
  )
}

# figures: those put together; labels: title and caption, as a ggplot has them.
new_combined <- function(figures, columns, signs, title, caption) {
  structure(
    list(
      figures = figures,
      columns = columns,
      signs = signs,
      labels = list(title = title, caption = caption)
    ),
    class = "neatsieve_combined"
  )
}

# What captions say, each sentence once.
joined_captions <- function(figures, signs) {
  words <- lapply(figures, function(f) {
    text <- gsub("\n", " ", paste(f$labels$caption, collapse = " "))
    strsplit(text, "(?<=[.]) (?=[A-Z0-9])", perl = TRUE)[[1]]
  })
  all <- unique(unlist(words))
  whose <- lapply(
    all, function(s) signs[vapply(words, function(t) s %in% t, NA)]
  )
  common <- lengths(whose) == length(figures)
  of <- vapply(whose, function(w) paste(w, collapse = ", "), "")
  labelled <- ifelse(
    common | of == "" | !nzchar(signs[1]), all, paste0(of, ": ", all)
  )
  paste(c(all[common], labelled[!common]), collapse = " ")
}

combined_alt <- function(x) {
  parts <- vapply(
    x$figures, function(f) paste(figure_alt(f), collapse = " "), ""
  )
  paste(
    c(
      paste0(
        if (is.null(x$labels$title)) "" else paste0(x$labels$title, ". "),
        length(x$figures), " figures."
      ),
      paste0(x$signs, ifelse(nzchar(x$signs), ": ", ""), parts)
    ),
    collapse = " "
  )
}

#' @export
print.neatsieve_combined <- function(x, newpage = TRUE, ...) {
  if (drawing$in_words) {
    cat("A figure of", length(x$figures), "panels\n")
    return(invisible(x))
  }
  if (grDevices::dev.cur() == 1) grDevices::dev.new()
  if (newpage) grid::grid.newpage()
  if (is.function(drawing$when_drawn)) drawing$when_drawn(x)
  size <- grDevices::dev.size("in")
  draw_combined(x, size[1], size[2])
  invisible(x)
}
#' @export
plot.neatsieve_combined <- function(x, ...) print(x, ...)

draw_combined <- function(x, width, height) {
  page <- new_page_size(width, height)
  look <- combined_look(x)
  grid::grid.draw(grid::rectGrob(
    gp = grid::gpar(fill = look$background, col = NA)
  ))
  words <- with_page(page, with_look(look, combined_words(x)))
  rows <- ceiling(length(x$figures) / x$columns)
  left <- height - words$above - words$below
  cell <- new_page_size(width / x$columns, left / rows)
  tables <- Map(cell_grobs, x$figures, x$signs, MoreArgs = list(cell = cell))
  check_cells(x, tables, cell, page, words)
  tables <- aligned_grobs(tables, x$columns)
  for (i in seq_along(tables)) {
    row <- (i - 1) %/% x$columns
    column <- (i - 1) %% x$columns
    grid::pushViewport(grid::viewport(
      x = grid::unit(column * cell$width, "in"),
      width = grid::unit(cell$width, "in"),
      y = grid::unit(words$below + (rows - row) * cell$height, "in"),
      height = grid::unit(cell$height, "in"),
      just = c("left", "top"),
      gp = grid::gpar(cex = cell$cex)
    ))
    grid::grid.draw(tables[[i]])
    grid::popViewport()
  }
  for (grob in words$grobs) grid::grid.draw(grob)
}

combined_look <- function(x) {
  looks <- compact(lapply(x$figures, function(f) attr(f, "drawn")$chart$look))
  if (length(looks)) looks[[1]] else session_look()
}

# Title and caption of all, with the height that each takes, in inches.
combined_words <- function(x) {
  look <- look_now()
  scale <- look$size / usual_size * page_now()$cex
  size <- function(points) compact_points(points) * scale
  margin <- if (is_compact()) 4 else 12
  text <- function(words, points, face, top) {
    grid::textGrob(
      words,
      x = grid::unit(margin, "pt"),
      y = if (top) {
        grid::unit(1, "npc") - grid::unit(margin / 2, "pt")
      } else {
        grid::unit(margin / 2, "pt")
      },
      just = c("left", if (top) "top" else "bottom"),
      gp = grid::gpar(
        fontsize = size(points),
        fontface = face,
        lineheight = 1.1,
        fontfamily = look$font,
        col = if (top) look$ink else look$soft
      )
    )
  }
  title <- if (length(x$labels$title)) {
    text(wrapped(x$labels$title, 0.68 * letters_across()), 15, "bold", TRUE)
  }
  caption <- if (length(x$labels$caption) && nzchar(x$labels$caption)) {
    text(caption_lines(x$labels$caption), 9, "plain", FALSE)
  }
  height <- function(grob) {
    if (is.null(grob)) return(0)
    grid::convertHeight(grid::grobHeight(grob), "in", valueOnly = TRUE) +
      margin * 1.2 / 72
  }
  list(
    grobs = compact(list(title, caption)),
    above = height(title),
    below = height(caption)
  )
}

# A figure in its cell: without a caption of its own, its sign before its title.
cell_grobs <- function(figure, sign, cell) {
  laid <- plain_ggplot(laid_out_for(figure, cell))
  title <- paste(c(if (nzchar(sign)) sign, laid$labels$title), collapse = "   ")
  ggplot2::ggplotGrob(
    laid + ggplot2::labs(caption = NULL, title = if (nzchar(title)) title)
  )
}

check_cells <- function(x, tables, cell, page, words) {
  if (!cell$compact) return(invisible())
  needs <- Map(
    function(table, figure) lacks_room(table, cell, names_down(figure)),
    tables,
    x$figures
  )
  needs <- compact(needs)
  if (!length(needs)) return(invisible())
  most <- do.call(pmax, unname(needs))
  rows <- ceiling(length(x$figures) / x$columns)
  whole <- c(
    width = most[["width"]] * x$columns,
    height = most[["height"]] * rows +
      ceiling(25.4 * (words$above + words$below))
  )
  stop_too_small(whole, page)
}

# Panels of a column begin and end at one place, of a row likewise, where the
# tables of grobs have the same cells.
aligned_grobs <- function(tables, columns) {
  at <- seq_along(tables) - 1
  align <- function(tables, groups, sizes) {
    for (i in split(seq_along(tables), groups)) {
      if (length(unique(vapply(
        tables[i], function(t) length(t[[sizes]]), 0L
      ))) >
        1) {
        next
      }
      most <- do.call(grid::unit.pmax, lapply(tables[i], `[[`, sizes))
      for (j in i) tables[[j]][[sizes]] <- most
    }
    tables
  }
  align(align(tables, at %% columns, "widths"), at %/% columns, "heights")
}
