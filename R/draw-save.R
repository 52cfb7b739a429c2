#' Save a figure to a file
#'
#' Writes a figure as PNG, TIFF, SVG, PDF or EPS; the file's extension chooses
#' the format.
#'
#' @param figure A figure from `$figures`, with or without what was added to it,
#'   or a list of figures by subset: then the subset's name is put before the
#'   ending of the path.
#' @param path The file: a name that ends in `.png`, `.tiff`, `.svg`, `.pdf` or
#'   `.eps`. PDF and EPS hold their fonts.
#' @param width,height Size of the figure, in `measure`. Journals ask for 85 mm
#'   (a column) or 180 mm (a page). Figures below 112 mm of width or 69 mm of
#'   height have compact letters, of 6 points at least.
#' @param measure `"mm"`, `"cm"` or `"in"`.
#' @param per_inch For PNG and TIFF: dots per inch; by default 110 for PNG,
#'   which makes 1,280 by 800 dots, and 300 for TIFF, which is for print.
#' @return The paths written, invisibly, as text named by subset. An SVG holds
#'   the figure's title and its text alternative;
#'   `ggplot2::get_alt_text(figure)` gives that text for other formats.
#' @section Errors: Class `neatsieve_error_run` for a path without one of these
#'   endings, a size out of range, a value that is no figure, a folder that is
#'   not there, or a size in which the words of the figure leave no room for it
#'   (the message has the least size that does); an old file is then kept.
#' @seealso [combine_figures()], [look_of_figures()], [write_siftings()]
#' @examples
#' out <- pour(demo_file("hive-visits.csv"), chart_box(y = mites_per_100, x = season))
#' save_figure(out$figures$box, file.path(tempdir(), "mites.png"))
#' save_figure(out$figures$box, file.path(tempdir(), "mites.pdf"), width = 85, height = 60)
#' @export
save_figure <- function(
  figure, path, width = NULL, height = NULL, measure = "mm", per_inch = NULL
) {
  local_plain()
  if (!is_text(path) ||
    !grepl("[.](png|tiff?|svg|pdf|eps)$", path, ignore.case = TRUE)) {
    stop_neatly(
      "run",
      "`save_figure()` needs a path that ends in .png, .tiff, .svg, .pdf or .eps.",
      NULL,
      "Write `save_figure(out$figures$box, \"box.png\")`."
    )
  }
  ending <- sub("^.*[.]", ".", path)
  if (is.null(per_inch)) {
    per_inch <- if (grepl("tiff?$", ending, ignore.case = TRUE)) 300 else 110
  }
  inches <- size_in_inches(width, height, measure)
  right <- is.numeric(per_inch) &&
    length(per_inch) == 1 &&
    is.finite(per_inch) &&
    per_inch >= 36 &&
    per_inch <= 1200
  if (!right) {
    stop_neatly(
      "run",
      "`per_inch` must be a number from 36 to 1200.",
      NULL,
      "Write `per_inch = 300`."
    )
  }
  figures <- figures_to_save(figure)
  paths <- if (is_figure(figure)) {
    path
  } else {
    paths_by_name(path, ending, names(figures))
  }
  for (i in seq_along(figures)) {
    draw <- function(to) {
      draw_file(figures[[i]], to, tolower(ending), inches, per_inch)
    }
    write_whole(unname(paths)[i], draw, ends = figure_ends[[tolower(ending)]])
  }
  invisible(paths)
}

# Width and height in inches, by default those of 1280 by 800 dots.
size_in_inches <- function(width, height, measure) {
  if (!is_text(measure) || !measure %in% c("mm", "cm", "in")) {
    stop_neatly(
      "run",
      "`measure` must be \"mm\", \"cm\" or \"in\".",
      NULL,
      "Write `width = 16, height = 10, measure = \"cm\"`."
    )
  }
  inch <- c(mm = 25.4, cm = 2.54, `in` = 1)[[measure]]
  size <- c(
    if (is.null(width)) 1280 / 110 * inch else width,
    if (is.null(height)) 800 / 110 * inch else height
  )
  wrong <- !is.numeric(size) ||
    length(size) != 2 ||
    anyNA(size) ||
    any(size / inch < 0.5 | size / inch > 100)
  if (wrong) {
    stop_neatly(
      "run",
      paste0(
        "A figure must be between ", number_code(0.5 * inch), " and ",
        number_code(100 * inch), " ", measure, " wide and high."
      ),
      NULL,
      "Write `width = 160, height = 100`, or another `measure`."
    )
  }
  size / inch
}

figures_to_save <- function(figure) {
  figures <- if (is_figure(figure)) {
    list(figure)
  } else if (inherits(figure, "neatsieve_figures")) {
    as.list(figure)
  } else {
    figure
  }
  several <- is.list(figures) &&
    length(figures) &&
    !inherits(figures, "neatsieve_siftings")
  if (several && all(vapply(figures, is_figure, logical(1)))) return(figures)
  stop_neatly(
    "run",
    "`save_figure()` writes a figure, or a list of figures by subset.",
    NULL,
    "Write `save_figure(out$figures$box, \"box.png\")`."
  )
}

paths_by_name <- function(path, ending, names) {
  stem <- substr(path, 1, nchar(path) - nchar(ending))
  stats::setNames(paste0(stem, "-", unique_file_names(names), ending), names)
}

# XML has no place for control characters.
without_controls <- function(text) {
  gsub("[\\x01-\\x08\\x0b\\x0c\\x0e-\\x1f\\x7f]", "\uFFFD", text, perl = TRUE)
}

# The bytes that a complete picture ends with, by format.
figure_ends <- list(
  .png = as.raw(c(0x49, 0x45, 0x4e, 0x44, 0xae, 0x42, 0x60, 0x82)),
  .svg = charToRaw("</svg>"),
  .pdf = charToRaw("%%EOF"),
  .eps = charToRaw("%%EOF")
)

draw_file <- function(figure, path, ending, inches, per_inch) {
  switch(ending,
    .png = open_png(
      texts_drawn(figure), path, round(inches * per_inch), per_inch
    ),
    .tif = ,
    .tiff = ragg::agg_tiff(
      path,
      round(inches[1] * per_inch),
      round(inches[2] * per_inch),
      units = "px",
      res = per_inch,
      compression = "lzw"
    ),
    .eps = grDevices::cairo_ps(
      path,
      inches[1],
      inches[2],
      fallback_resolution = 600
    ),
    .svg = svglite::svglite(path, inches[1], inches[2]),
    .pdf = if (capabilities("cairo")) {
      grDevices::cairo_pdf(path, inches[1], inches[2])
    } else {
      grDevices::pdf(path, inches[1], inches[2], title = "figure")
    }
  )
  open <- grDevices::dev.cur()
  if (ending != ".svg") note_missing_letters(texts_drawn(figure))
  drawing$to_file <- TRUE
  tryCatch(
    print(figure),
    finally = {
      drawing$to_file <- FALSE
      grDevices::dev.off(open)
    }
  )
  if (ending %in% c(".tif", ".tiff")) check_whole_tiff(path)
  if (ending == ".svg") {
    describe_svg(path, figure$labels$title, figure_alt(figure))
  }
}

# The directory of a TIFF is written last: where it is whole, so is the picture.
check_whole_tiff <- function(path) {
  con <- file(path, "rb")
  on.exit(close(con))
  head <- readBin(con, "raw", 8)
  whole <- FALSE
  if (length(head) == 8) {
    order <- if (head[1] == charToRaw("I")) "little" else "big"
    at <- readBin(head[5:8], "integer", 1, endian = order)
    if (at >= 8 && at + 2 < file.size(path)) {
      seek(con, at)
      entries <- readBin(
        con, "integer", 1,
        size = 2, signed = FALSE, endian = order
      )
      whole <- file.size(path) >= at + 2 + 12 * entries + 4
    }
  }
  if (!whole) stop("the picture is not whole; is the disk full?")
}

# Title and text alternative as the first elements of the file.
describe_svg <- function(path, title, description) {
  text <- without_controls(paste(
    readLines(path, encoding = "UTF-8", warn = FALSE),
    collapse = "\n"
  ))
  escaped <- function(x) {
    htmltools::htmlEscape(without_controls(paste(
      gsub("\n", " ", x),
      collapse = " "
    )))
  }
  words <- paste0(
    "<title>", escaped(title), "</title>\n<desc>", escaped(description),
    "</desc>\n"
  )
  at <- regexpr("<svg[^>]*>", text)
  end <- at + attr(at, "match.length")
  if (at < 0) stop("the picture is not whole; is the disk full?")
  write_text(
    paste0(
      substr(text, 1, end - 1), "\n", words, substr(text, end, nchar(text))
    ),
    path
  )
}

# 1280 by 800 pixels at 110 per inch by default.
draw_png <- function(figure, path, width = 1280, height = 800, per_inch = 110) {
  draw_file(figure, path, ".png", c(width, height) / per_inch, per_inch)
}

file_name <- function(name) gsub("[^A-Za-z0-9_-]+", "-", name)
unique_file_names <- function(names) make.unique(file_name(names), "-")
