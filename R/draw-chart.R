# Makes a ggplot figure of a chart.

# A figure remembers its chart, so that it can be laid out anew for the size it
# is drawn in.
draw_chart <- function(chart) {
  if (is.null(chart$look)) chart$look <- session_look()
  figure <- laid_out(chart)
  class(figure) <- c("neatsieve_figure", class(figure))
  attr(
    figure, "drawn"
  ) <- list(chart = chart, figure = figure, page = page_now())
  figure
}

laid_out <- function(chart) with_look(chart$look, laid_out_now(chart))

laid_out_now <- function(chart) {
  if (!is.null(chart$subset)) {
    words <- if (!identical(unname(chart$subset_words), chart$subset)) {
      paste0(" (", chart$subset_words, ")")
    }
    chart$caption <- paste0("Subset ", chart$subset, words, ". ", chart$caption)
    chart$title <- paste0(chart$title, ": ", chart$subset)
  }
  nothing <- sum(chart$panels$n) == 0 && !isTRUE(chart_kind(chart$kind)$whole)
  if (!NROW(chart$data) || nothing) return(nothing_to_draw(chart))
  chart$data <- in_panels(chart$data, chart)
  for (part in names(chart$parts)) {
    if (all(chart$keys %in% names(chart$parts[[part]]))) {
      chart$parts[[part]] <- in_panels(chart$parts[[part]], chart)
    }
  }
  if (!is.null(chart$levels$x)) chart$slots <- slots_of(chart)
  if (isTRUE(chart$slots$own)) {
    chart$caption <- paste0(
      chart$caption, " Each panel has its own groups of ", chart$names$x, "."
    )
  }
  figure <- get(paste0("draw_", chart$kind), mode = "function")(chart)
  # Figures of several subsets reach equally far.
  ends <- chart$ends[!names(chart$ends) %in% c("shade", names(chart$windows))]
  if (length(compact(ends))) {
    figure + do.call(ggplot2::expand_limits, compact(ends))
  } else {
    figure
  }
}

# The frame of every figure: words around it and, without panels, its n below
# the title.
figure_of <- function(chart, x = chart$labels$x, y = chart$labels$y) {
  given <- chart$options$labels
  if (!is.null(given$x)) x <- if (nzchar(given$x)) given$x
  if (!is.null(given$y)) y <- if (nzchar(given$y)) given$y
  ggplot2::ggplot() +
    house_theme() +
    ggplot2::labs(
      title = wrapped(chart$title, 0.68 * letters_across()),
      subtitle = if (!length(chart$keys)) panel_counts(chart$panels),
      caption = caption_lines(chart$caption),
      x = axis_title(x, 0.7 * letters_across()),
      y = axis_title(y, 1.63 * lines_for_panels(chart)),
      alt = chart_alt(chart)
    )
}

# Long names of axes in lines that fit along them.
axis_title <- function(text, room) {
  if (!is.null(text)) wrapped(text, max(room, 16))
}
caption_lines <- function(caption) {
  wrapped(caption, (if (is_compact()) 1.22 else 1.32) * letters_across())
}

# One sentence that stands for a figure, with what was added to it.
figure_alt <- function(figure) {
  if (inherits(figure, "neatsieve_combined")) {
    combined_alt(figure)
  } else {
    ggplot2::get_alt_text(figure)
  }
}

is_figure <- function(x) inherits(x, c("ggplot", "neatsieve_combined"))

nothing_to_draw <- function(chart) {
  figure_of(chart, NULL, NULL) +
    ggplot2::annotate(
      "text",
      x = 0,
      y = 0,
      label = "No value to draw",
      colour = look_now()$soft,
      size = 5
    ) +
    ggplot2::theme(
      axis.text = ggplot2::element_blank(),
      panel.grid.major = ggplot2::element_blank()
    )
}

#' @export
print.neatsieve_figure <- function(x, newpage = is.null(vp), vp = NULL, ...) {
  if (drawing$in_words) {
    cat("A figure: ", gsub("\n", " ", x$labels$title), "\n", sep = "")
    return(invisible(x))
  }
  if (grDevices::dev.cur() == 1) grDevices::dev.new()
  if (!is.null(vp)) {
    print(plain_ggplot(x), newpage = newpage, vp = vp, ...)
    return(invisible(x))
  }
  size <- grDevices::dev.size("in")
  # Smaller figures have smaller letters, down to what can be read in print.
  page <- new_page_size(size[1], size[2])
  laid <- laid_out_for(x, page)
  if (newpage) grid::grid.newpage()
  if (is.function(drawing$when_drawn)) drawing$when_drawn(x)
  if (page$compact) {
    draw_compact(x, laid, page)
    return(invisible(x))
  }
  print(
    plain_ggplot(laid),
    newpage = FALSE,
    vp = grid::viewport(gp = grid::gpar(cex = page$cex)),
    ...
  )
  invisible(x)
}

# A figure as a ggplot alone, which is laid out in no further way.
plain_ggplot <- function(x) {
  class(x) <- setdiff(class(x), "neatsieve_figure")
  attr(x, "drawn") <- NULL
  x
}
grobs_of <- function(figure) ggplot2::ggplotGrob(plain_ggplot(figure))

# Where letters cannot become smaller a figure that has no room is an error in a
# file, and a sentence on the screen.
draw_compact <- function(x, laid, page) {
  table <- grobs_of(laid)
  needs <- lacks_room(table, page, names_down(x))
  if (is.null(needs)) return(grid::grid.draw(table))
  needs <- fitting_size(x, page, needs)
  if (isTRUE(drawing$to_file)) stop_too_small(needs, page)
  grid::grid.text(
    wrapped(
      paste0(
        "No room for this figure here: it needs ", needs[["width"]], " by ",
        needs[["height"]], " mm."
      ),
      0.8 * page$letters
    ),
    gp = grid::gpar(fontsize = 7)
  )
}
#' @export
plot.neatsieve_figure <- function(x, ...) print(x, ...)

# The figure for a size; one that something was added to keeps what it is, and
# only its words are broken into other lines, its letters have the size for it,
# and those inside the panels follow the theme that was added.
laid_out_for <- function(figure, page) {
  drawn <- attr(figure, "drawn")
  if (is.null(drawn)) return(figure)
  bare <- figure
  attr(bare, "drawn") <- NULL
  is_laid_out <- abs(page$letters - drawn$page$letters) < 1e-6 &&
    abs(page$lines - drawn$page$lines) < 1e-6
  if (identical(bare, drawn$figure)) {
    return(if (is_laid_out) figure else with_page(page, laid_out(drawn$chart)))
  }
  again <- with_page(page, with_look(drawn$chart$look, figure_of(drawn$chart)))
  for (part in c("title", "caption")) {
    if (identical(figure$labels[[part]], drawn$figure$labels[[part]])) {
      figure$labels[[part]] <- again$labels[[part]]
    }
  }
  if (page$compact) {
    for (part in names(again$theme)) {
      if (identical(figure$theme[[part]], drawn$figure$theme[[part]])) {
        figure$theme[[part]] <- again$theme[[part]]
      }
    }
  }
  letters_like_theme(figure, drawn$chart$look$size)
}

# Letters inside the panels grow as those of the theme that was added.
letters_like_theme <- function(figure, size) {
  asked <- ggplot2::calc_element("text", figure$theme)$size
  if (is.null(asked) || isTRUE(all.equal(asked, size))) return(figure)
  figure$layers <- lapply(figure$layers, function(layer) {
    own <- layer$aes_params$size
    if (is.null(own) || !inherits(layer$geom, c("GeomText", "GeomLabel"))) {
      return(layer)
    }
    ggplot2::ggproto(
      NULL,
      layer,
      aes_params = utils::modifyList(
        layer$aes_params, list(size = own * asked / size)
      )
    )
  })
  figure
}
