# Arithmetic of colours: distances between colours for each kind of colour
# vision, and the contrast of letters. Sources: sRGB (IEC 61966-2-1), CIELAB
# under D65, CIEDE2000 (Sharma, Wu and Dalal 2005), colour blindness (Machado,
# Oliveira and Fernandes 2009, severity 1), contrast (WCAG 2.1).

# One row for each colour, of red, green and blue from 0 to 1, proportional to
# light.
linear_rgb <- function(colours) {
  part <- t(grDevices::col2rgb(colours)) / 255
  ifelse(part <= 0.04045, part / 12.92, ((part + 0.055) / 1.055)^2.4)
}

relative_luminance <- function(colours) {
  as.vector(linear_rgb(colours) %*% c(0.2126, 0.7152, 0.0722))
}

# From 1 (the same) to 21 (black on white).
contrast_of <- function(colours, background) {
  a <- relative_luminance(colours)
  b <- relative_luminance(background)
  (pmax(a, b) + 0.05) / (pmin(a, b) + 0.05)
}

# The darker or the lighter of two inks: the one that stands out more from each
# colour.
ink_on <- function(colours, dark, light) {
  ifelse(contrast_of(colours, dark) >= contrast_of(colours, light), dark, light)
}

# A colour on the way from one to another, `share` of it.
mixed_colours <- function(from, to, share) {
  rgb <- (1 - share) * grDevices::col2rgb(from) + share * grDevices::col2rgb(to)
  grDevices::rgb(rgb[1, ], rgb[2, ], rgb[3, ], maxColorValue = 255)
}

lab_of_linear <- function(rgb) {
  to_xyz <- matrix(
    c(
      0.4124564, 0.3575761, 0.1804375, 0.2126729, 0.7151522, 0.0721750,
      0.0193339, 0.1191920, 0.9503041
    ),
    3,
    byrow = TRUE
  )
  white <- c(0.95047, 1, 1.08883)
  cube_root <- function(t) {
    ifelse(t > (6 / 29)^3, t^(1 / 3), t / (3 * (6 / 29)^2) + 4 / 29)
  }
  w <- cube_root(sweep(rgb %*% t(to_xyz), 2, white, "/"))
  cbind(
    L = 116 * w[, 2] - 16, a = 500 * (w[, 1] - w[, 2]),
    b = 200 * (w[, 2] - w[, 3])
  )
}

kinds_of_sight <- list(
  "normal sight" = diag(3),
  protanopia = matrix(
    c(
      0.152286, 1.052583, -0.204868, 0.114503, 0.786281, 0.099216, -0.003882,
      -0.048116, 1.051998
    ),
    3,
    byrow = TRUE
  ),
  deuteranopia = matrix(
    c(
      0.367322, 0.860646, -0.227968, 0.280085, 0.672501, 0.047413, -0.011820,
      0.042940, 0.968881
    ),
    3,
    byrow = TRUE
  ),
  tritanopia = matrix(
    c(
      1.255528, -0.076749, -0.178779, -0.078411, 0.930809, 0.147602, 0.004733,
      0.691367, 0.303900
    ),
    3,
    byrow = TRUE
  )
)

lab_seen <- function(colours, sight) {
  lab_of_linear(pmin(
    pmax(linear_rgb(colours) %*% t(kinds_of_sight[[sight]]), 0), 1
  ))
}

# Distances of colours in CIELAB, row by row: CIEDE2000.
colour_distance <- function(p, q) {
  rad <- pi / 180
  mean_chroma <- (sqrt(p[, 2]^2 + p[, 3]^2) + sqrt(q[, 2]^2 + q[, 3]^2)) / 2
  g <- (1 - sqrt(mean_chroma^7 / (mean_chroma^7 + 25^7))) / 2
  a1 <- (1 + g) * p[, 2]
  a2 <- (1 + g) * q[, 2]
  c1 <- sqrt(a1^2 + p[, 3]^2)
  c2 <- sqrt(a2^2 + q[, 3]^2)
  h1 <- ifelse(c1 == 0, 0, atan2(p[, 3], a1) / rad %% 360) %% 360
  h2 <- ifelse(c2 == 0, 0, atan2(q[, 3], a2) / rad %% 360) %% 360
  turn <- h2 - h1
  turn <- ifelse(
    c1 * c2 == 0,
    0,
    ifelse(turn > 180, turn - 360, ifelse(turn < -180, turn + 360, turn))
  )
  d_hue <- 2 * sqrt(c1 * c2) * sin(turn * rad / 2)
  light <- (p[, 1] + q[, 1]) / 2
  chroma <- (c1 + c2) / 2
  hue <- ifelse(
    c1 * c2 == 0,
    h1 + h2,
    ifelse(
      abs(h1 - h2) <= 180,
      (h1 + h2) / 2,
      ifelse(h1 + h2 < 360, (h1 + h2 + 360) / 2, (h1 + h2 - 360) / 2)
    )
  )
  t <- 1 -
    0.17 * cos((hue - 30) * rad) +
    0.24 * cos(2 * hue * rad) +
    0.32 * cos((3 * hue + 6) * rad) -
    0.20 * cos((4 * hue - 63) * rad)
  s_light <- 1 + 0.015 * (light - 50)^2 / sqrt(20 + (light - 50)^2)
  s_chroma <- 1 + 0.045 * chroma
  s_hue <- 1 + 0.015 * chroma * t
  turned <- -2 *
    sqrt(chroma^7 / (chroma^7 + 25^7)) *
    sin(60 * exp(-((hue - 275) / 25)^2) * rad)
  d_light <- (q[, 1] - p[, 1]) / s_light
  d_chroma <- (c2 - c1) / s_chroma
  sqrt(
    d_light^2 +
      d_chroma^2 +
      (d_hue / s_hue)^2 +
      turned * d_chroma * d_hue / s_hue
  )
}

# Pairs of colours that are nearer to each other than `least` in some kind of
# sight: `first`, `second`, `sight` (where they are nearest) and `distance`.
near_colours <- function(colours, least) {
  none <- data.frame(
    first = character(),
    second = character(),
    sight = character(),
    distance = numeric()
  )
  if (length(colours) < 2) return(none)
  pairs <- utils::combn(length(colours), 2)
  apart <- vapply(
    names(kinds_of_sight),
    function(sight) {
      lab <- lab_seen(colours, sight)
      colour_distance(
        lab[pairs[1, ], , drop = FALSE], lab[pairs[2, ], , drop = FALSE]
      )
    },
    numeric(ncol(pairs))
  )
  apart <- matrix(
    apart,
    ncol(pairs),
    dimnames = list(NULL, names(kinds_of_sight))
  )
  nearest <- apply(apart, 1, which.min)
  distance <- apart[cbind(seq_len(nrow(apart)), nearest)]
  near <- which(distance < least)
  data.frame(
    first = colours[pairs[1, near]],
    second = colours[pairs[2, near]],
    sight = colnames(apart)[nearest[near]],
    distance = distance[near]
  )
}
