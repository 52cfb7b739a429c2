# Trends of scatter plots: lines and curves with their bands.

# One fit per panel and colour to the rows that are shown, at 80 places from its
# smallest to its largest x. A row outside the window takes no part.
trends_of <- function(input, kind) {
  grouped <- chart_groups(input, "colour")
  rows <- rows_shown(input, c("x", "y"))
  of_group <- split(
    rows,
    factor(
      asked_of(input, "groups", grouping = grouped)[rows],
      seq_len(grouped$groups)
    )
  )
  fits <- lapply(
    of_group,
    function(r) fit_trend(input$vectors$x[r], input$vectors$y[r], kind)
  )
  fitted <- !vapply(fits, is.null, logical(1))
  group <- rep(which(fitted), vapply(fits[fitted], nrow, integer(1)))
  none <- data.frame(
    x = numeric(),
    y = numeric(),
    low = numeric(),
    high = numeric()
  )
  bound <- do.call(rbind, c(list(none), unname(fits[fitted])))
  few <- sum(!fitted)
  line <- paste0(
    if (kind == "linear") {
      "Line: least squares"
    } else {
      "Curve: penalised cubic spline (REML)"
    },
    " with 95% band",
    if (length(input$windows)) {
      paste0(
        ", fitted to the ", counted(length(rows), "row"), " inside the window"
      )
    },
    "."
  )
  too_few <- paste0(
    counted(few, "group"), if (few == 1) " has" else " have",
    " too few different values for a trend."
  )
  list(
    curve = with_keys(
      grouped,
      group,
      x = as_role(bound$x, input, "x"),
      y = as_role(bound$y, input, "y"),
      low = as_role(bound$low, input, "y"),
      high = as_role(bound$high, input, "y")
    ),
    remarks = c(line, if (few) too_few)
  )
}

# Rows whose values are present and inside the windows.
rows_shown <- function(input, roles) {
  rows <- rows_present(input, roles)
  for (role in intersect(roles, names(input$windows))) {
    v <- input$vectors[[role]][rows]
    rows <- rows[v >= input$windows[[role]][1] & v <= input$windows[[role]][2]]
  }
  rows
}

fit_trend <- function(x, y, kind) {
  different <- length(unique(x))
  if (length(x) < 3 || different < 2 || (kind == "smooth" && different < 5)) {
    return(NULL)
  }
  at <- data.frame(x = seq(min(x), max(x), length.out = 80))
  d <- data.frame(x = as.numeric(x), y = as.numeric(y))
  if (kind == "linear") {
    # Around the means, so that large offsets (dates) lose no digits.
    middle <- mean(d$x)
    d$x <- d$x - middle
    fit <- stats::lm(y ~ x, d)
    band <- suppressWarnings(stats::predict(
      fit,
      data.frame(x = at$x - middle),
      interval = "confidence",
      level = 0.95
    ))
    return(data.frame(
      x = at$x,
      y = band[, "fit"],
      low = band[, "lwr"],
      high = band[, "upr"]
    ))
  }
  k <- min(10, different - 1)
  formula <- stats::as.formula(
    paste0("y ~ s(x, bs = \"cr\", k = ", k, ")"),
    env = asNamespace("mgcv")
  )
  fit <- if (nrow(d) > 20000) {
    mgcv::bam(formula, data = d, method = "fREML", discrete = TRUE)
  } else {
    mgcv::gam(formula, data = d, method = "REML")
  }
  prediction <- stats::predict(fit, at, se.fit = TRUE)
  half <- stats::qt(0.975, fit$df.residual) * prediction$se.fit
  data.frame(
    x = at$x,
    y = as.vector(prediction$fit),
    low = as.vector(prediction$fit - half),
    high = as.vector(prediction$fit + half)
  )
}
