# From a chart to a figure.

# A figure remembers its chart, so that it can be laid out anew for the size it is drawn in.
draw_chart <- function(chart) {
  if (is.null(chart$look)) chart$look <- session_look()
  figure <- laid_out(chart)
  class(figure) <- c("neatsieve_figure", class(figure))
  attr(figure, "drawn") <- list(chart = chart, figure = figure, letters = drawing$letters)
  figure
}

laid_out <- function(chart) with_look(chart$look, laid_out_now(chart))

laid_out_now <- function(chart) {
  if (!is.null(chart$subset)) {
    said <- if (!identical(unname(chart$subset_words), chart$subset))
      paste0(" (", chart$subset_words, ")")
    chart$caption <- paste0("Subset ", chart$subset, said, ". ", chart$caption)
    chart$title <- paste0(chart$title, ": ", chart$subset)
  }
  nothing <- sum(chart$panels$n) == 0 && !isTRUE(chart_kind(chart$kind)$whole)
  if (!NROW(chart$data) || nothing) return(nothing_to_draw(chart))
  chart$data <- in_panels(chart$data, chart)
  for (part in names(chart$parts)) if (all(chart$keys %in% names(chart$parts[[part]])))
    chart$parts[[part]] <- in_panels(chart$parts[[part]], chart)
  if (!is.null(chart$levels$x)) chart$slots <- slots_of(chart)
  if (isTRUE(chart$slots$own)) {
    chart$caption <- paste0(chart$caption, " Each panel has its own groups of ", chart$names$x, ".")
  }
  figure <- get(paste0("draw_", chart$kind), mode = "function")(chart)
  # Figures of several subsets reach equally far.
  ends <- chart$ends[!names(chart$ends) %in% c("shade", names(chart$windows))]
  if (length(compact(ends))) figure + do.call(ggplot2::expand_limits, compact(ends)) else figure
}

# The frame of every figure: words around it and, without panels, its n below the title.
figure_of <- function(chart, x = chart$labels$x, y = chart$labels$y) {
  given <- chart$options$labels
  if (!is.null(given$x)) x <- if (nzchar(given$x)) given$x
  if (!is.null(given$y)) y <- if (nzchar(given$y)) given$y
  ggplot2::ggplot() + house_theme() +
    ggplot2::labs(title = wrapped(chart$title, 0.68 * letters_across()),
                  subtitle = if (!length(chart$keys)) panel_counts(chart$panels),
                  caption = wrapped(chart$caption, 1.32 * letters_across()), x = x, y = y,
                  alt = chart_alt(chart))
}

# One sentence that stands for a figure, with what was added to it.
figure_alt <- function(figure) ggplot2::get_alt_text(figure)

is_figure <- function(x) inherits(x, "ggplot")

nothing_to_draw <- function(chart) {
  figure_of(chart, NULL, NULL) +
    ggplot2::annotate("text", x = 0, y = 0, label = "No value to draw", colour = look_now()$soft,
                      size = 5) +
    ggplot2::theme(axis.text = ggplot2::element_blank(),
                   panel.grid.major = ggplot2::element_blank())
}

#' @export
print.neatsieve_figure <- function(x, newpage = is.null(vp), vp = NULL, ...) {
  if (drawing$in_words) {
    cat("A figure: ", gsub("\n", " ", x$labels$title), "\n", sep = "")
    return(invisible(x))
  }
  if (grDevices::dev.cur() == 1) grDevices::dev.new()
  inner <- function(x) {
    class(x) <- setdiff(class(x), "neatsieve_figure")
    attr(x, "drawn") <- NULL
    x
  }
  if (!is.null(vp)) {
    print(inner(x), newpage = newpage, vp = vp, ...)
    return(invisible(x))
  }
  width <- grDevices::dev.size("in")[1]
  # Smaller figures have smaller letters, down to what can be read in print.
  size <- min(1, max(0.72, width / usual_width))
  laid <- laid_out_for(x, usual_letters * width / usual_width / size)
  if (newpage) grid::grid.newpage()
  if (is.function(drawing$when_drawn)) drawing$when_drawn(x)
  print(inner(laid), newpage = FALSE, vp = grid::viewport(gp = grid::gpar(cex = size)), ...)
  invisible(x)
}
#' @export
plot.neatsieve_figure <- function(x, ...) print(x, ...)

# The figure for so many letters across; one that something was added to keeps what it is, and only
# its words are broken into other lines.
laid_out_for <- function(figure, letters) {
  drawn <- attr(figure, "drawn")
  if (is.null(drawn)) return(figure)
  before <- drawing$letters
  drawing$letters <- letters
  on.exit(drawing$letters <- before)
  bare <- figure
  attr(bare, "drawn") <- NULL
  if (identical(bare, drawn$figure)) {
    is_laid_out <- abs(letters - drawn$letters) < 1e-6
    return(if (is_laid_out) figure else laid_out(drawn$chart))
  }
  again <- with_look(drawn$chart$look, figure_of(drawn$chart))
  for (part in c("title", "caption")) {
    if (identical(figure$labels[[part]], drawn$figure$labels[[part]])) {
      figure$labels[[part]] <- again$labels[[part]]
    }
  }
  figure
}
