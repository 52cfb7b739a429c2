# Prints a study.

#' @export
as.data.frame.neatsieve_study <- function(x, ...) {
  frame <- unclass(x)$frame
  frame_rows(frame, NULL, names(frame$types))
}

#' @export
print.neatsieve_study <- function(x, ...) {
  local_plain()
  facts <- unclass(x)
  cat(wrapped_lines(study_headline(facts)), sep = "\n")
  kinds <- vapply(facts$frame$types, `[[`, character(1), "kind")
  for (kind in unique(kinds)) {
    words <- paste0(
      kind, ": ",
      paste(listed_columns(names(kinds)[kinds == kind]), collapse = ", ")
    )
    cat(
      strwrap(words, indent = 2, exdent = 6, width = console_width()),
      sep = "\n"
    )
  }
  hint("Next: look() at it, try screening(), or pour() it over a sieve.")
  invisible(x)
}

# More columns than this are counted only.
listed_columns <- function(names) {
  if (length(names) <= most_columns_printed) return(names)
  c(
    utils::head(names, most_columns_printed),
    paste0(
      "... and ", format_count(length(names) - most_columns_printed), " more"
    )
  )
}

# These functions take the bare facts of a study.
study_headline <- function(facts) {
  units <- if (!is.null(facts$unit)) {
    paste0(
      ", ", counted(count_units(facts, NULL), "unit"), " (", facts$unit,
      rows_per_unit(facts), ")"
    )
  }
  paste0(
    facts$name, ": ", counted(facts$frame$n, "row"), units, ", ",
    counted(length(facts$frame$types), "column"),
    if (length(facts$design)) paste0(", ", design_words(facts$design))
  )
}

# "clusters by hive in strata by apiary"
design_words <- function(design) {
  paste(
    c(
      if (!is.null(design$cluster)) paste("clusters by", design$cluster),
      if (!is.null(design$strata)) paste("strata by", design$strata)
    ),
    collapse = " in "
  )
}
