# Draws man/figures/logo.png and logo.svg: rows fall on a sieve; some go on,
# some stay, and each is there to be seen. Run from the root:
# `Rscript data-raw/make-logo.R`.
library(grid)

hexagon <- function(r) {
  at <- seq(30, 330, by = 60) * pi / 180
  list(x = 0.5 + r * cos(at) * sqrt(3) / 2 * 2 / sqrt(3), y = 0.5 + r * sin(at))
}
draw_logo <- function() {
  grid.newpage()
  pushViewport(viewport(width = unit(1, "snpc"), height = unit(1, "snpc")))
  outline <- hexagon(0.49)
  grid.polygon(
    outline$x,
    outline$y,
    gp = gpar(fill = "#f4efe2", col = "#1f4e4e", lwd = 7)
  )
  # Rows: yes, no and unknown, as figures and ledgers colour them.
  colours <- c(yes = "#2f6b6b", no = "#c46b3c", unknown = "#a9a38f")
  rows <- data.frame(
    x = c(0.5 + (-2:2) * 0.125, 0.5 + (-1.5 + 0:3) * 0.125),
    y = rep(c(0.7, 0.8), c(5, 4))
  )
  rows$fate <- c("yes", "no", "yes", "unknown", "yes", "no", "yes", "yes", "no")
  grid.circle(
    rows$x,
    rows$y,
    r = 0.033,
    gp = gpar(fill = colours[rows$fate], col = NA)
  )
  # The sieve: a rim and its mesh.
  grid.polygon(
    c(0.17, 0.83, 0.72, 0.28),
    c(0.6, 0.6, 0.45, 0.45),
    gp = gpar(fill = "#ffffff", col = "#1f4e4e", lwd = 5, linejoin = "round")
  )
  for (x in seq(0.26, 0.74, length.out = 9)) {
    grid.segments(
      x,
      0.585,
      0.5 + (x - 0.5) * 0.68 / 0.82,
      0.465,
      gp = gpar(col = "#9fc0bd", lwd = 2.5)
    )
  }
  grid.segments(
    c(0.21, 0.25),
    c(0.55, 0.5),
    c(0.79, 0.75),
    c(0.55, 0.5),
    gp = gpar(col = "#9fc0bd", lwd = 2.5)
  )
  # What went on.
  grid.circle(
    c(0.42, 0.5, 0.58),
    0.39,
    r = 0.033,
    gp = gpar(fill = colours[["yes"]], col = NA)
  )
  grid.text(
    "neat sieve",
    0.5,
    0.275,
    gp = gpar(fontsize = 21, fontface = "bold", col = "#1f4e4e")
  )
}

ragg::agg_png(
  "man/figures/logo.png",
  width = 480, height = 480, res = 144, background = NA
)
draw_logo()
invisible(dev.off())
svglite::svglite(
  "man/figures/logo.svg",
  width = 480 / 144,
  height = 480 / 144,
  bg = "transparent"
)
draw_logo()
invisible(dev.off())
