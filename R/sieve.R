#' A sieve: an ordered plan of steps
#'
#' A sieve is a list of steps. It prints in plain words; `c()`, `append()`, `[`
#' and `[[<-` work as for lists. [write_sieve()] saves it, [pour()] runs it;
#' nothing is computed before.
#'
#' @param ... Steps, in order, and other sieves, whose steps are taken in.
#' @return A list of class `neatsieve_sieve`, one element per step.
#' @section Errors: Class `neatsieve_error_step` when something in `...` is no
#'   step or sieve.
#' @seealso [pour()], [swap()], [write_sieve()], [check_sieve()]
#' @examples
#' spring <- sieve(
#'   criteria(weighed = present(hive_weight_kg), in_spring = season == "spring"),
#'   include(weighed, in_spring),
#'   statistics(hive_weight_kg, by = apiary)
#' )
#' spring
#' c(spring, pick_columns(apiary, hive, hive_weight_kg))
#' @export
sieve <- function(...) {
  guard_step_words(as.list(substitute(list(...)))[-1], parent.frame())
  as_sieve(parts_read(function() list(...)))
}

# Evaluates the parts of a sieve. A bare condition among them would look for a
# column in vain, so its error is explained.
parts_read <- function(read) {
  with_r_errors(read(), function(e) {
    if (!grepl("^object '.*' not found$", conditionMessage(e))) stop(e)
    stop_neatly(
      "step",
      paste0("A step could not be read: ", conditionMessage(e), "."),
      NULL,
      "A condition goes into a step, as in `include(honey_kg > 5)`."
    )
  })
}

as_sieve <- function(parts) {
  steps <- list()
  for (i in seq_along(parts)) {
    part <- parts[[i]]
    if (inherits(part, "neatsieve_sieve")) {
      steps <- c(steps, unclass(part))
    } else if (inherits(part, "neatsieve_step")) {
      steps <- c(steps, list(part))
    } else if (is.list(part) &&
      !is.object(part) &&
      all(vapply(part, inherits, logical(1), "neatsieve_step"))) {
      steps <- c(steps, part)
    } else {
      not_a_step(part, i)
    }
  }
  structure(unname(steps), class = "neatsieve_sieve")
}

not_a_step <- function(part, i) {
  stop_neatly(
    "step",
    paste0(
      "Item ", i, " of the sieve is no step: it is of class ", class(part)[1],
      "."
    ),
    NULL,
    if (inherits(part, "neatsieve_study") || is.data.frame(part)) {
      "The study goes first into `pour(study, sieve)`."
    } else {
      "A condition goes into `include()`; named ones go into `criteria()`."
    }
  )
}

#' @export
c.neatsieve_sieve <- function(...) {
  as_sieve(parts_read(function() list(...)))
}
#' @export
c.neatsieve_step <- function(...) as_sieve(list(...))
#' @export
`[.neatsieve_sieve` <- function(x, i) {
  structure(unclass(x)[i], class = "neatsieve_sieve")
}
#' @export
`[[<-.neatsieve_sieve` <- function(x, i, value) {
  if (!is.null(value) && !inherits(value, "neatsieve_step")) {
    not_a_step(value, i)
  }
  steps <- unclass(x)
  steps[[i]] <- value
  structure(steps, class = "neatsieve_sieve")
}
#' @export
print.neatsieve_sieve <- function(x, ...) {
  local_plain()
  cat("Sieve of ", counted(length(x), "step"), "\n", sep = "")
  width <- max(60, min(console_width(), 100))
  for (i in seq_along(x)) {
    words <- step_words(x[[i]])
    cat(
      strwrap(
        words[1],
        width,
        indent = 0,
        exdent = 6,
        initial = sprintf("%3d  ", i)
      ),
      sep = "\n"
    )
    for (more in words[-1]) cat(strwrap(more, width, indent = 7, exdent = 9), sep = "\n")
  }
  if (!length(x)) cat("Add steps with c(), or write sieve(include(...)).\n")
  invisible(x)
}

# Every step's name: as given, else its kind, numbered when it comes again.
step_names <- function(steps) {
  given <- lapply(steps, `[[`, "name")
  plain <- vapply(steps, function(s) sub("^chart_", "", s$kind), character(1))
  names <- vapply(
    seq_along(steps),
    function(i) if (is.null(given[[i]])) NA_character_ else given[[i]],
    character(1)
  )
  twice <- names[duplicated(names) & !is.na(names)]
  if (length(twice)) {
    stop_neatly(
      "step",
      paste0("Two steps are called ", quoted(twice[1]), "."),
      paste0("Steps ", listed(which(names %in% twice[1])), "."),
      "Give each a `name` of its own."
    )
  }
  taken <- new.env(parent = emptyenv())
  for (name in names[!is.na(names)]) taken[[name]] <- TRUE
  last <- new.env(parent = emptyenv())
  for (i in which(is.na(names))) {
    candidate <- plain[i]
    k <- if (is.null(last[[plain[i]]])) 1 else last[[plain[i]]]
    while (!is.null(taken[[candidate]])) {
      k <- k + 1
      candidate <- paste0(plain[i], "_", k)
    }
    last[[plain[i]]] <- k
    taken[[candidate]] <- TRUE
    names[i] <- candidate
  }
  names
}
