# The eight colours of figures: a search, in CIELAB, for colours as far apart as
# they can be, for normal sight and for three kinds of colour-blindness, dark
# enough for the paper and of middling chroma. Prints the colours and their
# smallest distances; R/draw-look.R holds the result.
source("tests/testthat/helper-colour.R")
paper <- "#fffdf8"
hex_of <- function(lab) {
  rgb <- grDevices::convertColor(
    lab, "Lab", "sRGB",
    to.ref.white = "D65", from.ref.white = "D65", clip = NA
  )
  ifelse(
    rowSums(is.na(rgb)) > 0, NA, grDevices::rgb(ifelse(is.na(rgb), 0, rgb))
  )
}
# How good: the smallest distance (CIEDE2000) of two colours, seen by whomever.
merit <- function(lab) {
  hex <- hex_of(lab)
  if (anyNA(hex) || any(contrast(hex, paper) < 3.2)) return(-Inf)
  blind <- min(vapply(
    names(blind_kinds), function(k) nearest_pair(seen_by(hex, k)), numeric(1)
  ))
  min(nearest_pair(lab), blind)
}
random_colour <- function() {
  repeat {
    lch <- c(
      stats::runif(1, 24, 62), stats::runif(1, 18, 75),
      stats::runif(1, 0, 360) * pi / 180
    )
    lab <- matrix(c(lch[1], lch[2] * cos(lch[3]), lch[2] * sin(lch[3])), 1)
    hex <- hex_of(lab)
    if (!is.na(hex) && contrast(hex, paper) >= 3.2) return(lab)
  }
}
seed <- as.integer(c(commandArgs(TRUE), 11)[1])
set.seed(seed)
best <- NULL
best_merit <- -Inf
first <- lab_of("#2f6f73")
for (start in 1:40) {
  lab <- rbind(first, do.call(rbind, lapply(1:7, function(i) random_colour())))
  now <- merit(lab)
  for (round in 1:6000) {
    tried <- lab
    i <- sample(2:8, 1)
    tried[i, ] <- if (stats::runif(1) < 0.1) {
      random_colour()
    } else {
      tried[i, ] + stats::rnorm(3, 0, c(3, 6, 6) * (1 - round / 6200) + 0.5)
    }
    chroma <- sqrt(sum(tried[i, 2:3]^2))
    if (tried[i, 1] < 24 || chroma > 75 || chroma < 18) next
    then <- merit(tried)
    if (then >= now) {
      lab <- tried
      now <- then
    }
  }
  if (now > best_merit) {
    best <- lab
    best_merit <- now
  }
}
hex <- tolower(hex_of(best))
cat(paste0("\"", hex, "\"", collapse = ", "), "\n")
cat(
  "smallest distance:", nearest_pair(lab_of(hex)), " blind:",
  vapply(
    names(blind_kinds), function(k) nearest_pair(seen_by(hex, k)), numeric(1)
  ),
  " contrast:", min(contrast(hex, paper)), "\n"
)
