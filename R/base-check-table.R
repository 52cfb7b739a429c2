# Checks that a data frame is well-formed. Every function that takes one calls
# this first.

check_columns <- function(data, where, family = "study") {
  wrong <- function(problem, instead) {
    stop_neatly(family, problem, where, instead)
  }
  heights <- vapply(data, NROW, numeric(1))
  odd <- which(heights != nrow(data))
  if (length(odd)) {
    wrong(
      paste0(
        "Column `", names(data)[odd[1]], "` has ",
        counted(heights[odd[1]], "value"), ", and the table ",
        counted(nrow(data), "row"), "."
      ),
      "Make the data frame anew, with columns of one length."
    )
  }
  columns <- unclass(data)
  for (name in names(columns)) {
    broken <- broken_column(columns[[name]])
    if (is.null(broken)) next
    wrong(
      paste0("Column `", name, "` is ", broken$problem, "."), broken$instead
    )
  }
}

# What is wrong with a column, and what to do; NULL where nothing is.
broken_column <- function(x) {
  is_bad <- function(problem, instead) {
    list(problem = problem, instead = instead)
  }
  if (is.factor(x)) return(broken_factor(x, is_bad))
  if (is.character(x) && !is.null(odd <- odd_encoding(x))) {
    return(is_bad(
      odd, "Say which it is in, as with `Encoding(x) <- \"latin1\"`."
    ))
  }
  if (inherits(x, "Date") && !is.numeric(unclass(x))) {
    return(is_bad(
      paste0("a Date made of values of type ", typeof(x)),
      "Make it anew, as with `as.Date(unclass(x))`."
    ))
  }
  if (!inherits(x, "POSIXct")) return(NULL)
  if (!is.numeric(unclass(x))) {
    return(is_bad(
      paste0("a date-time made of values of type ", typeof(x)),
      "Make it anew, as with `as.POSIXct(unclass(x))`."
    ))
  }
  zone <- attr(x, "tzone")
  if (is.null(zone) ||
    (is.character(zone) && !anyNA(zone) && is_time_zone(zone[1]))) {
    return(NULL)
  }
  is_bad(
    paste0(
      "a date-time in no zone that is known (", quoted(paste(zone[1])), ")"
    ),
    "Give one of `OlsonNames()`, as with `attr(x, \"tzone\") <- \"UTC\"`."
  )
}

odd_encoding <- function(x) {
  switch(core_odd_text(x, isTRUE(l10n_info()[["UTF-8"]])) + 1L,
    NULL,
    "text without an encoding (\"bytes\")",
    "text that is no UTF-8, though it should be"
  )
}

broken_factor <- function(x, is_bad) {
  levels <- attr(x, "levels")
  anew <- "Make it anew, as with `factor(as.character(x))`, or leave it out."
  if (!is.character(levels) && !is.null(levels)) {
    return(is_bad(
      paste0("a category whose levels are of type ", typeof(levels)),
      "Give it texts, as with `levels(x) <- as.character(levels(x))`."
    ))
  }
  if (!is.null(odd <- odd_encoding(as.character(levels)))) {
    return(is_bad(
      paste("a category with", odd),
      "Say which it is in, as with `Encoding(levels(x)) <- \"latin1\"`."
    ))
  }
  if (anyDuplicated(levels)) {
    return(is_bad(
      paste0(
        "a category that has the level ",
        quoted(levels[anyDuplicated(levels)]), " twice"
      ),
      anew
    ))
  }
  codes <- if (typeof(x) == "integer") {
    suppressWarnings(range(unclass(x), na.rm = TRUE))
  } else {
    NA
  }
  if (anyNA(codes) ||
    (is.finite(codes[1]) && (codes[1] < 1 || codes[2] > length(levels)))) {
    return(is_bad("a broken category: its codes stand for no level", anew))
  }
  NULL
}

# R takes an unknown zone for UTC, at most with a warning.
is_time_zone <- function(zone) {
  if (zone %in% c("", "UTC", "GMT") || zone %in% time_zones()) return(TRUE)
  # POSIX forms of zones: CET-1CEST, <+03>-3.
  grepl("^(<[^>]+>|[A-Za-z]{3,})[-+]?[0-9]", zone)
}
