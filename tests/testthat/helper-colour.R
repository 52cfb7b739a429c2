# Colour arithmetic after its definitions: sRGB (IEC 61966-2-1), CIELAB under
# D65, CIEDE2000 (Sharma, Wu and Dalal 2005), colour-blindness (Machado,
# Oliveira and Fernandes 2009, severity 1) and contrast (WCAG 2).
linear_rgb <- function(hex) {
  v <- t(grDevices::col2rgb(hex)) / 255
  ifelse(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055)^2.4)
}
lab_of_linear <- function(rgb) {
  xyz <- rgb %*%
    t(matrix(
      c(
        0.4124564, 0.3575761, 0.1804375, 0.2126729, 0.7151522, 0.0721750,
        0.0193339, 0.1191920, 0.9503041
      ),
      3,
      byrow = TRUE
    ))
  f <- function(t) {
    ifelse(t > (6 / 29)^3, t^(1 / 3), t / (3 * (6 / 29)^2) + 4 / 29)
  }
  w <- f(sweep(xyz, 2, c(0.95047, 1, 1.08883), "/"))
  cbind(
    L = 116 * w[, 2] - 16, a = 500 * (w[, 1] - w[, 2]),
    b = 200 * (w[, 2] - w[, 3])
  )
}
lab_of <- function(hex) lab_of_linear(linear_rgb(hex))
blind_kinds <- list(
  protan = c(
    0.152286, 1.052583, -0.204868, 0.114503, 0.786281, 0.099216, -0.003882,
    -0.048116, 1.051998
  ),
  deutan = c(
    0.367322, 0.860646, -0.227968, 0.280085, 0.672501, 0.047413, -0.011820,
    0.042940, 0.968881
  ),
  tritan = c(
    1.255528, -0.076749, -0.178779, -0.078411, 0.930809, 0.147602, 0.004733,
    0.691367, 0.303900
  )
)
seen_by <- function(hex, kind) {
  lab_of_linear(pmin(
    pmax(
      linear_rgb(hex) %*% t(matrix(blind_kinds[[kind]], 3, byrow = TRUE)), 0
    ),
    1
  ))
}
ciede2000 <- function(p, q) {
  rad <- pi / 180
  c1 <- sqrt(p[, 2]^2 + p[, 3]^2)
  c2 <- sqrt(q[, 2]^2 + q[, 3]^2)
  cm7 <- ((c1 + c2) / 2)^7
  g <- (1 - sqrt(cm7 / (cm7 + 25^7))) / 2
  a1 <- (1 + g) * p[, 2]
  a2 <- (1 + g) * q[, 2]
  c1 <- sqrt(a1^2 + p[, 3]^2)
  c2 <- sqrt(a2^2 + q[, 3]^2)
  h1 <- ifelse(c1 == 0, 0, atan2(p[, 3], a1) / rad %% 360) %% 360
  h2 <- ifelse(c2 == 0, 0, atan2(q[, 3], a2) / rad %% 360) %% 360
  dl <- q[, 1] - p[, 1]
  dc <- c2 - c1
  dh <- h2 - h1
  dh <- ifelse(
    c1 * c2 == 0, 0, ifelse(dh > 180, dh - 360, ifelse(dh < -180, dh + 360, dh))
  )
  dH <- 2 * sqrt(c1 * c2) * sin(dh * rad / 2)
  lm <- (p[, 1] + q[, 1]) / 2
  cm <- (c1 + c2) / 2
  hm <- ifelse(
    c1 * c2 == 0,
    h1 + h2,
    ifelse(
      abs(h1 - h2) <= 180,
      (h1 + h2) / 2,
      ifelse(h1 + h2 < 360, (h1 + h2 + 360) / 2, (h1 + h2 - 360) / 2)
    )
  )
  t <- 1 -
    0.17 * cos((hm - 30) * rad) +
    0.24 * cos(2 * hm * rad) +
    0.32 * cos((3 * hm + 6) * rad) -
    0.20 * cos((4 * hm - 63) * rad)
  sl <- 1 + 0.015 * (lm - 50)^2 / sqrt(20 + (lm - 50)^2)
  sc <- 1 + 0.045 * cm
  sh <- 1 + 0.015 * cm * t
  rt <- -2 *
    sqrt(cm^7 / (cm^7 + 25^7)) *
    sin(60 * exp(-((hm - 275) / 25)^2) * rad)
  sqrt((dl / sl)^2 + (dc / sc)^2 + (dH / sh)^2 + rt * (dc / sc) * (dH / sh))
}
nearest_pair <- function(lab) {
  pairs <- utils::combn(nrow(lab), 2)
  min(ciede2000(
    lab[pairs[1, ], , drop = FALSE], lab[pairs[2, ], , drop = FALSE]
  ))
}
contrast <- function(hex, background) {
  luminance <- function(h) {
    as.vector(linear_rgb(h) %*% c(0.2126, 0.7152, 0.0722))
  }
  a <- luminance(hex)
  b <- luminance(background)
  (pmax(a, b) + 0.05) / (pmin(a, b) + 0.05)
}
