# Figures as files and as text for pages. 1280 by 800 pixels at 110 per inch by default.

draw_png <- function(figure, path, width = 1280, height = 800, per_inch = 110) {
  ragg::agg_png(path, width, height, units = "px", res = per_inch)
  open <- grDevices::dev.cur()
  on.exit(grDevices::dev.off(open))
  print(figure)
}

file_name <- function(name) gsub("[^A-Za-z0-9_-]+", "-", name)
