# Letters that some devices or fonts cannot draw.

# The texts that a figure shows beside numbers.
texts_drawn <- function(figure) {
  if (inherits(figure, "neatsieve_combined")) {
    return(unique(c(
      as_utf8(as.character(unlist(figure$labels))),
      unlist(lapply(figure$figures, texts_drawn))
    )))
  }
  chart <- attr(figure, "drawn")$chart
  keys <- lapply(chart$panels[chart$keys], as.character)
  texts <- as_utf8(as.character(unlist(list(
    figure$labels[c("title", "caption", "x", "y")], chart$levels, keys
  ))))
  unique(texts[!is.na(texts)])
}

# The code points beyond ASCII in some texts.
rare_points <- function(texts) {
  beyond_ascii <- texts[Encoding(texts) == "UTF-8"]
  unique(unlist(lapply(beyond_ascii, utf8ToInt)))
}

# ragg 1.2.5 with textshaping 0.3.6 loses digits and Latin letters beside those
# that run from right to left, and ends R (a segmentation fault) where emoji
# stand beside them. R's own device takes all of these.
open_png <- function(texts, path, dots, per_inch) {
  needs_shaping <- any(
    is_from_right(points <- rare_points(texts)) | points > 65535L
  )
  if (needs_shaping && capabilities("cairo")) {
    return(grDevices::png(
      path,
      dots[1],
      dots[2],
      res = per_inch,
      type = "cairo"
    ))
  }
  if (needs_shaping) {
    show_notes(list(new_note(
      "Letters that run from right to left lose the digits beside them in PNG here.",
      NULL,
      "Save the figure as .svg, or use an R that has cairo."
    )))
  }
  ragg::agg_png(path, dots[1], dots[2], units = "px", res = per_inch)
}

# Hebrew, Arabic, Syriac, Thaana, N'Ko and their forms (Unicode, blocks of
# bidirectional class R and AL), and the marks that turn the direction.
is_from_right <- function(points) {
  (points >= 0x0590 & points <= 0x08ff) |
    (points >= 0xfb1d & points <= 0xfdff) |
    (points >= 0xfe70 & points <= 0xfeff) |
    points %in% c(0x200f, 0x202b, 0x202e, 0x2067)
}

# A letter that no font has is drawn as a box: two labels may look alike.
note_missing_letters <- function(texts) {
  missing <- letters_without_font(rare_points(texts))
  if (!length(missing)) return(invisible())
  shown <- listed(
    paste0(quoted(missing), " (U+", sprintf("%04X", code_points_of(missing)), ")"),
    5
  )
  show_notes(list(new_note(
    paste0(
      "No font here has ",
      if (length(missing) == 1) "the letter " else "the letters ", shown, ": ",
      if (length(missing) == 1) "it is" else "they are", " drawn as boxes."
    ),
    NULL,
    "Install a font that has them, or give these values other names."
  )))
}
code_points_of <- function(letters) {
  vapply(letters, utf8ToInt, 0L, USE.NAMES = FALSE)
}

# Code points that neither the font of figures nor one that stands in for it can
# draw.
letters_without_font <- function(points) {
  # Marks of direction, joiners and selectors have no picture.
  points <- points[!(points %in%
    c(0x200b:0x200f, 0x202a:0x202e, 0x2060:0x206f, 0xfe00:0xfe0f))]
  points <- points[points > 0xa0]
  if (!length(points)) return(character())
  letters <- vapply(points, intToUtf8, "")
  fonts <- suppressWarnings(systemfonts::font_fallback(
    letters,
    family = "sans"
  ))
  has <- vapply(seq_along(letters), function(i) {
    if (!nzchar(fonts$path[i])) return(FALSE)
    glyphs <- systemfonts::glyph_info(
      letters[i],
      path = fonts$path[i],
      index = fonts$index[i]
    )
    isTRUE(glyphs$index[1] > 0)
  }, NA)
  letters[!has]
}
