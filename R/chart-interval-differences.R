# Differences of groups to a reference group, as marks with intervals.

compute_interval_differences <- function(input, options) {
  check_interval_reference(input)
  grouped <- chart_groups(input, c("x", "colour"))
  differences <- group_differences(input, grouped, options)
  shown <- which(!differences$is_reference & !is.na(differences$reference))
  if (!any(differences$is_reference)) {
    text <- unique(panel_key_text(grouped$keys$x))
    stop_neatly(
      "run",
      paste0("There is no group ", value_code(options$reference), " in `x`."),
      input$state$where,
      c(
        meant(as.character(options$reference), text, quoted),
        paste0("Groups: ", listed(quoted(text), 8), ".")
      )
    )
  }
  none <- sum(is.na(differences$low[shown]))
  marks <- lapply(differences[c("n", "absent", "centre", "low", "high")], `[`, shown)
  centre <- replace(differences$centre, -shown, NA_real_)
  list(
    data = do.call(with_keys, c(list(grouped, shown), marks)),
    panels = panel_account(
      input, grouped, differences$absent, outside_marks(input, grouped, centre)
    ),
    levels = list(
      x = setdiff(
        role_levels(input, "x", function(g) {
          list(
            n = as_count(g$rows_per_group),
            centre = if (options$show == "mean") {
              mean_intervals(input, g, options$level)$centre
            } else {
              median_intervals(input, g, options$level)$centre
            }
          )
        }),
        panel_key_text(options$reference)
      ),
      colour = role_levels(input, "colour")
    ),
    drawn = "centre",
    remarks = c(
      paste0(
        "Difference from ", panel_key_text(options$reference), " with ",
        number_code(100 * options$level), "% interval (",
        if (options$show == "mean") "Welch" else "Price and Bonett", ")."
      ),
      if (none) {
        paste0(
          counted(none, "group"), if (none == 1) " is" else " are",
          " too small for an interval."
        )
      }
    )
  )
}

check_interval_reference <- function(input) {
  if (is.null(input$nodes$x)) {
    stop_neatly(
      "step",
      "`reference` of `chart_interval()` is a group of `x`, and there is none.",
      input$state$where,
      "Give `x`, or leave `reference` out."
    )
  }
  if (!input$nodes$y$kind %in% numeric_kinds) {
    stop_neatly(
      "step",
      "`reference` of `chart_interval()` compares numbers.",
      input$state$where,
      "Leave `reference` out."
    )
  }
}

# centre: each group's less its reference's, within panel and colour.
group_differences <- function(input, grouped, options) {
  keys <- grouped$keys
  is_reference <- panel_key_text(keys$x) == panel_key_text(options$reference)
  others <- keys[setdiff(names(keys), "x")]
  within <- if (length(others)) {
    interaction_code(others)
  } else {
    rep(1L, grouped$groups)
  }
  reference <- which(is_reference)[match(within, within[is_reference])]
  m <- asked_of(input, "moments", values = input$vectors$y, grouping = grouped)
  if (options$show == "mean") {
    centre <- m$mean
    spread <- ifelse(m$n > 1, m$var / m$n, NA_real_)
    freedom <- (spread + spread[reference])^2 /
      (spread^2 / (m$n - 1) + (spread^2 / (m$n - 1))[reference])
    times <- ifelse(
      spread + spread[reference] > 0,
      suppressWarnings(stats::qt((1 + options$level) / 2, freedom)),
      0
    )
  } else {
    centre <- asked_of(
      input,
      "quantiles",
      values = input$vectors$y,
      grouping = grouped,
      probs = 0.5
    )[, 1]
    spread <- median_variance(input, grouped, m$n)
    times <- stats::qnorm((1 + options$level) / 2)
  }
  half <- times * sqrt(spread + spread[reference])
  difference <- centre - centre[reference]
  list(
    n = m$n,
    absent = m$absent,
    centre = difference,
    low = difference - half,
    high = difference + half,
    is_reference = is_reference,
    reference = reference
  )
}

# The variance of a median by two order statistics (Price and Bonett 2002); of
# six values or more.
median_variance <- function(input, grouped, n) {
  place <- pmax(1, round((n + 1) / 2 - sqrt(n)))
  place[n < 6] <- NA
  ends <- asked_of(
    input,
    "order_statistics",
    values = input$vectors$y,
    grouping = grouped,
    places = cbind(place, n - place + 1)
  )
  z <- stats::qnorm(1 - stats::pbinom(place - 1, n, 0.5))
  ((ends[, 2] - ends[, 1]) / (2 * z))^2
}
