# The size of a figure: how many letters and lines fit, and whether marks must
# be small.

# usual_letters, usual_lines: across and down a figure of 1,280 by 800 dots at
# 110 per inch.
usual_letters <- 125
usual_lines <- 48
usual_size <- 12
usual_width <- 1280 / 110
usual_height <- 800 / 110
# Figures below these sizes (inches: 112 by 69 mm) have compact letters, of 6 to
# 8 points.
compact_width <- 4.4
compact_height <- 2.7
compact_share <- 0.66

# cex: how much letters are scaled when a figure is printed.
new_page_size <- function(width = usual_width, height = usual_height) {
  compact <- width < compact_width || height < compact_height
  cex <- if (compact) 1 else min(1, max(0.72, width / usual_width))
  share <- if (compact) compact_share else cex
  new_record(
    "page_size",
    list(
      width = width,
      height = height,
      compact = compact,
      cex = cex,
      letters = usual_letters * width / usual_width / share,
      lines = usual_lines * height / usual_height / share
    )
  )
}

# What holds while figures are drawn: look, page, in_words (a figure is named
# instead of drawn), to_file (one without room is an error), when_drawn (called
# when a page has begun).
drawing <- new.env(parent = emptyenv())
page_now <- function() {
  if (is.null(drawing$page)) new_page_size() else drawing$page
}
with_page <- function(page, code) {
  before <- drawing$page
  drawing$page <- page
  on.exit(drawing$page <- before)
  force(code)
}
is_compact <- function() page_now()$compact

# How many letters fit across the figure that is being drawn, and lines down.
letters_across <- function() page_now()$letters * usual_size / look_now()$size
lines_down <- function() page_now()$lines * usual_size / look_now()$size

# Points as they are in a compact figure: 6 for the smallest letters.
compact_points <- function(points) {
  if (is_compact()) 6 + max(0, points - 9) * 0.35 else points
}
points_across <- function(usual, compact) {
  grid::unit(if (is_compact()) compact else usual, "pt")
}

# The least width and height, in inches, of what is drawn as a table of grobs on
# the open device: what does not give way, and for each panel room to see
# something in it.
least_panel <- c(width = 0.42, height = 0.34)
least_size <- function(table, names = 0) {
  fixed <- function(sizes, convert) {
    gives <- grid::unitType(sizes) == "null"
    c(sum(convert(sizes[!gives], "in", valueOnly = TRUE)), sum(gives))
  }
  across <- fixed(table$widths, grid::convertWidth)
  down <- fixed(table$heights, grid::convertHeight)
  height_of <- function(name) {
    max(
      0,
      vapply(table$grobs[table$layout$name == name], function(g) {
        grid::convertHeight(grid::grobHeight(g), "in", valueOnly = TRUE)
      }, 0)
    )
  }
  words <- table$grobs[table$layout$name %in% c("title", "subtitle", "caption")]
  words <- vapply(words, function(g) {
    grid::convertWidth(grid::grobWidth(g), "in", valueOnly = TRUE)
  }, 0)
  panels <- max(
    down[2] * max(least_panel[["height"]], names * compact_line),
    height_of("ylab-l")
  )
  c(
    width = max(
      across[1] + across[2] * least_panel[["width"]], legend_width(table), words
    ),
    height = down[1] + panels
  )
}
# A line of names beside an axis, in inches.
compact_line <- 0.095

# A legend begins where the panels do.
legend_width <- function(table) {
  at <- which(table$layout$name == "guide-box")
  if (!length(at) || !inherits(table$grobs[[at]], "gtable")) return(0)
  before <- seq_len(table$layout$l[at] - 1)
  sum(grid::convertWidth(table$grobs[[at]]$widths, "in", valueOnly = TRUE)) +
    sum(grid::convertWidth(table$widths[before], "in", valueOnly = TRUE)) +
    0.03
}

# How many names stand one below the other in a panel that leaves none of them
# out.
names_down <- function(figure) length(attr(figure, "drawn")$chart$levels$y)

# What a compact figure needs, where it is more than there is; NULL where all
# has room.
lacks_room <- function(table, page, names = 0) {
  least <- least_size(table, names)
  # A title is measured by its own width and breaks; half a letter more is no
  # matter.
  if (least[["width"]] <= page$width + 0.04 &&
    least[["height"]] <= page$height + 0.01) {
    return(NULL)
  }
  needs <- ceiling(25.4 * pmax(least, c(page$width, page$height)) - 0.01)
  stats::setNames(needs, c("width", "height"))
}

stop_too_small <- function(needs, page, fitting = needs) {
  stop_neatly(
    "run",
    paste0(
      "This figure has no room in ", round(25.4 * page$width), " by ",
      round(25.4 * page$height), " mm: its words alone need more."
    ),
    NULL,
    c(
      paste0(
        "Write `width = ", fitting[["width"]], ", height = ",
        fitting[["height"]], ", measure = \"mm\"`, the least that holds it."
      ),
      "Or leave something out: a shorter `title`, fewer panels or groups."
    )
  )
}

# The least size at which the figure has room, its words broken anew for each
# that is tried.
fitting_size <- function(figure, page, needs) {
  for (round in 1:8) {
    page <- new_page_size(needs[["width"]] / 25.4, needs[["height"]] / 25.4)
    more <- lacks_room(
      grobs_of(laid_out_for(figure, page)), page, names_down(figure)
    )
    if (is.null(more)) break
    needs <- ifelse(more > needs, more, needs + c(0, 1))
  }
  needs
}
