# The look of figures as a value: font, size of letters, colours, background and
# grid. Figures remember the look they were made with.

# Found by data-raw/make-palette.R: far apart for every kind of sight, dark
# enough for the paper.
house_colours <- c(
  "#2f6f73", "#d47416", "#7552c8", "#5d2e39", "#769379", "#535500", "#9a86b5",
  "#343170"
)
house_paper <- "#fffdf8"

# font: a family, or "" for that of the device; size: of letters, in points;
# palette: colours of groups, by place or by name; background; grid: whether
# there are grid lines. What follows from these: ink and soft (letters), fill
# and light (marks without a colour of their own), lines of the grid, absent,
# grades (groups in an order) and ramp (shades), from light to dark.
new_look <- function(
  font = "", size = 12, palette = house_colours, background = house_paper,
  grid = TRUE
) {
  dark <- relative_luminance(background) < 0.18
  plain <- identical(unname(palette), house_colours) && !dark
  fill <- unname(palette[1])
  ink <- if (dark) "#f4f1ea" else "#22303c"
  new_record(
    "look",
    list(
      font = font,
      size = size,
      palette = palette,
      background = background,
      grid = grid,
      ink = ink,
      soft = if (dark) "#c9c6bd" else soft_ink(background),
      fill = fill,
      light = if (plain) "#a5c6c0" else mixed_colours(fill, background, 0.58),
      grid_ink = if (dark) {
        mixed_colours(background, ink, 0.2)
      } else if (background == house_paper) {
        "#e4ded0"
      } else {
        mixed_colours(background, ink, 0.12)
      },
      absent = "#8a8a84",
      grades = if (plain) {
        c("#d9a03f", "#c0602f", "#84305a", "#2a1a4a")
      } else {
        shades_of(fill)
      },
      ramp = if (plain) {
        c("#dfe7d6", "#8dbdb3", "#3f8789", "#1d5361", "#112a38")
      } else {
        shades_of(fill)
      }
    )
  )
}

# Small letters at 7:1 or more, where the background allows it.
soft_ink <- function(background) {
  inks <- c("#4b5a66", "#3d4a55", "#2c3843", "#141b22", "#000000")
  inks[c(which(contrast_of(inks, background) >= 7), length(inks))[1]]
}

# Shades of one colour from light to dark.
shades_of <- function(colour) {
  c(
    mixed_colours(colour, "#ffffff", 0.82),
    mixed_colours(colour, "#ffffff", 0.45), colour,
    mixed_colours(colour, "#000000", 0.45),
    mixed_colours(colour, "#000000", 0.75)
  )
}

# The look that the session asks for, or the house's own.
session_look <- function() {
  look <- getOption("neatsieve.look")
  if (is.null(look)) return(new_look())
  if (inherits(look, "neatsieve_step_look_of_figures")) {
    return(look_of_step(look))
  }
  stop_neatly(
    "run",
    "The option `neatsieve.look` is no look.",
    NULL,
    "Write `options(neatsieve.look = look_of_figures(size = 14))`."
  )
}
look_of_step <- function(step) {
  do.call(
    new_look,
    compact(unclass(step)[c("font", "size", "palette", "background", "grid")])
  )
}
