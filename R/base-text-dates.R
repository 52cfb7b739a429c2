# Finds the date patterns that fit the texts of a column.

common_date_patterns <- c(
  "%Y-%m-%d", "%d/%m/%Y", "%m/%d/%Y", "%d.%m.%Y", "%m.%d.%Y", "%d-%m-%Y",
  "%m-%d-%Y", "%Y/%m/%d", "%Y.%m.%d", "%d/%m/%y", "%m/%d/%y", "%d.%m.%y",
  "%m.%d.%y", "%d %b %Y", "%d-%b-%Y", "%d-%b-%y", "%b %d, %Y"
)

# Dates in one pattern, in one of several that fit as well (day and month may be
# turned round), or in several patterns beside one another.
dates_form <- function(values, least) {
  # Most texts are far from any: trying all patterns on them takes longer than a
  # small look.
  if (mean(grepl("^[^\n]{6,24}$", values) & grepl("[0-9]", values)) < least) {
    return(NULL)
  }
  fits <- vapply(
    common_date_patterns,
    function(p) !is.na(dates_by_pattern(values, p)$days),
    logical(length(values))
  )
  fits <- matrix(
    fits,
    length(values),
    dimnames = list(NULL, common_date_patterns)
  )
  best <- best_patterns(fits)
  needed <- best[1]
  turned <- list(best)
  left <- rowSums(fits[, best, drop = FALSE]) == 0
  # Texts that the best pattern does not fit may fit other patterns, unless they
  # are only a slip.
  while (any(left) && length(needed) < 4) {
    more <- best_patterns(fits[left, , drop = FALSE])
    if (!length(more)) break
    needed <- c(needed, more[1])
    turned <- c(turned, list(more))
    left <- left & !fits[, more[1]]
  }
  if (!length(best) ||
    mean(rowSums(fits[, needed, drop = FALSE]) > 0) < least) {
    return(NULL)
  }
  if (length(needed) == 1) return(form_of_pattern(values, best))
  form_of_patterns(values, needed, turned)
}

# The pattern that fits most of some texts, and those that fit just the same
# ones.
best_patterns <- function(fits) {
  best <- which.max(colSums(fits))
  if (!any(fits[, best])) return(character())
  colnames(fits)[colSums(fits != fits[, best]) == 0]
}

form_of_pattern <- function(values, best) {
  example <- values[!is.na(dates_by_pattern(values, best[1])$days)][1]
  ways <- lapply(best, function(pattern) {
    when <- if (length(best) > 1) {
      day <- structure(dates_by_pattern(example, pattern)$days, class = "Date")
      paste0("if ", quoted(example), " is ", format(day))
    } else {
      ""
    }
    new_way(
      function(column) {
        paste0(
          "as_date(", column,
          if (pattern != "%Y-%m-%d") paste0(", ", quoted(pattern)), ")"
        )
      },
      function(column) {
        paste0("kinds = list(", column, " = \"date ", pattern, "\")")
      },
      when
    )
  })
  words <- paste0("dates in the form ", listed(best, last = "or"))
  new_text_form("dates", words, example, ways, pattern = best[1])
}

# Several patterns in one call, which takes the first that fits each text.
form_of_patterns <- function(values, needed, turned) {
  ways <- list(new_way(function(column) {
    paste0(
      "as_date(", column, ", c(", paste(quoted(needed), collapse = ", "), "))"
    )
  }))
  also <- setdiff(unlist(turned), needed)
  words <- paste0(
    "dates in several forms: ", listed(needed),
    if (length(also)) paste0(" (", listed(also, last = "or"), " fits as well)")
  )
  new_text_form("dates", words, values[1], ways, pattern = needed[1])
}
