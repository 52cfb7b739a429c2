# Finds the columns that a step may read, by the names and texts in it. Long
# chains are walked in a loop, because recursion would exhaust the stack.

# Names and texts within nodes, values and expressions, at any depth.
names_within <- function(x) {
  waiting <- list(x)
  n <- 1L
  matches <- list()
  while (n > 0L) {
    at <- waiting[[n]]
    n <- n - 1L
    names <- if (is.language(at)) {
      c(all.names(at), texts_of_language(at))
    } else if (is.character(at)) {
      c(at, names(at))
    } else if (is.list(at)) {
      names(at)
    }
    if (length(names)) matches[[length(matches) + 1L]] <- unique(names)
    for (part in if (is.list(at)) unclass(at)) {
      if (!is.list(part) && !is.language(part) && !is.character(part)) next
      n <- n + 1L
      waiting[n] <- list(part)
    }
  }
  unique(unlist(matches))
}

texts_of_language <- function(x) {
  if (is.character(x)) return(x)
  matches <- list()
  visit_calls(x, function(call) {
    parts <- as.list(call)
    matches[[length(matches) +
      1L]] <<- unlist(parts[vapply(parts, is.character, NA)])
  })
  unlist(matches)
}

# Whether picks go by what columns hold.
asks_all_columns <- function(x) {
  if (!is.call(x)) {
    return(is.list(x) && any(vapply(unclass(x), asks_all_columns, NA)))
  }
  has_one <- FALSE
  visit_calls(x, function(call) {
    head <- call_name(call)
    of_all <- startsWith(head, "row_") &&
      !any(vapply(as.list(call)[-1], is.language, NA))
    has_one <<- has_one || of_all || head %in% c("of_kind", "gapless", "gappy")
    !has_one
  })
  has_one
}
