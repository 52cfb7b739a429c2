#' A sieve: an ordered plan of steps
#'
#' Gives the plan as a value. It prints in plain words, is a list to `c()`, `append()`, `[` and
#' `[[<-`, saves with [write_sieve()], and runs with [pour()]. Nothing is computed before then.
#'
#' @param ... Steps, in order, and other sieves, whose steps are taken in.
#' @return A list of class `neatsieve_sieve`, one element per step.
#' @section Errors: Class `neatsieve_error_step` when something in `...` is no step or sieve.
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
  parts <- tryCatch(list(...), neatsieve_error = stop, error = function(e) {
    if (!grepl("^object '.*' not found$", conditionMessage(e))) stop(e)
    stop_neatly("step", paste0("A step could not be read: ", conditionMessage(e), "."), NULL,
                "A condition goes into a step, as in `include(honey_kg > 5)`.")
  })
  as_sieve(parts)
}

as_sieve <- function(parts) {
  steps <- list()
  for (i in seq_along(parts)) {
    part <- parts[[i]]
    if (inherits(part, "neatsieve_sieve")) steps <- c(steps, unclass(part))
    else if (inherits(part, "neatsieve_step")) steps <- c(steps, list(part))
    else if (is.list(part) && !is.object(part) &&
             all(vapply(part, inherits, logical(1), "neatsieve_step"))) steps <- c(steps, part)
    else not_a_step(part, i)
  }
  structure(unname(steps), class = "neatsieve_sieve")
}

not_a_step <- function(part, i) {
  stop_neatly("step",
              paste0("Item ", i, " of the sieve is no step: it is of class ", class(part)[1], "."),
              NULL,
              if (inherits(part, "neatsieve_study") || is.data.frame(part))
                "The study goes first into `pour(study, sieve)`."
              else "A condition goes into `include()`; named ones go into `criteria()`.")
}

#' @export
c.neatsieve_sieve <- function(...) {
  parts <- tryCatch(list(...), neatsieve_error = stop, error = function(e) {
    if (!grepl("^object '.*' not found$", conditionMessage(e))) stop(e)
    stop_neatly("step", paste0("A step could not be read: ", conditionMessage(e), "."), NULL,
                "A condition goes into a step, as in `include(honey_kg > 5)`.")
  })
  as_sieve(parts)
}
#' @export
c.neatsieve_step <- function(...) as_sieve(list(...))
#' @export
`[.neatsieve_sieve` <- function(x, i) structure(unclass(x)[i], class = "neatsieve_sieve")
#' @export
`[[<-.neatsieve_sieve` <- function(x, i, value) {
  if (!is.null(value) && !inherits(value, "neatsieve_step")) not_a_step(value, i)
  steps <- unclass(x)
  steps[[i]] <- value
  structure(steps, class = "neatsieve_sieve")
}
#' @export
print.neatsieve_sieve <- function(x, ...) {
  local_plain()
  cat("Sieve of ", counted(length(x), "step"), "\n", sep = "")
  width <- max(60, min(cli::console_width(), 100))
  for (i in seq_along(x)) {
    words <- step_words(x[[i]])
    cat(strwrap(words[1], width, indent = 0, exdent = 6, initial = sprintf("%3d  ", i)), sep = "\n")
    for (more in words[-1]) cat(strwrap(more, width, indent = 7, exdent = 9), sep = "\n")
  }
  if (!length(x)) cat("Add steps with c(), or write sieve(include(...)).\n")
  invisible(x)
}

# A step is a list with its kind, the name it was given (or NULL) and what it needs.
new_step <- function(kind, name = NULL, ...) {
  structure(list(kind = kind, name = name, ...),
            class = c(paste0("neatsieve_step_", kind), "neatsieve_step"))
}
#' @export
print.neatsieve_step <- function(x, ...) {
  local_plain()
  cat(step_words(x), sep = "\n")
  invisible(x)
}

# What a kind of step means. check_step() types it against a scope and returns the scope after
# it, with the checked step; run_step() carries it out on a state; the others say it in words
# and as a plan's item, which read_step_*(spec, context) reads.
check_step <- function(step, scope) UseMethod("check_step")
run_step <- function(step, state) UseMethod("run_step")
step_words <- function(step) UseMethod("step_words")
step_plan <- function(step) UseMethod("step_plan")

is_declaration <- function(step) step$kind %in% c("settings", "criteria")

# A control argument that should hold a plain value but was given a condition.
control <- function(value, argument, step, check, wanted) {
  got <- tryCatch(force(value), error = function(e) e)
  if (inherits(got, "neatsieve_error")) stop(got)
  if (is.null(got)) return(NULL)
  if (inherits(got, "error") || !check(got)) {
    stop_neatly("step",
                paste0("`", argument, "` is a control argument of `", step, "()` and takes ",
                       wanted, "."), NULL,
                paste0("A condition, column or statistic cannot be called `", argument,
                       "` here; give it another name."))
  }
  got
}
is_text <- function(x) is.character(x) && length(x) == 1 && !is.na(x) && nzchar(x)
is_flag <- function(x) is.logical(x) && length(x) == 1 && !is.na(x)
control_name <- function(value, step) control(value, "name", step, is_text, "one text")

#' Replace a step, condition or setting by name
#'
#' Gives the sieve with one thing exchanged: the step of that name, the condition of that name
#' (in `criteria()`, `include()` or `exclude()`), or the setting.
#'
#' @param sieve A [sieve()].
#' @param name The name, as text.
#' @param new A step for a step, a condition for a condition, a value for a setting.
#' @return The changed sieve.
#' @section Errors: Class `neatsieve_error_step` when nothing has that name, with the nearest.
#' @examples
#' s <- sieve(settings(min_weight = 20), criteria(strong = hive_weight_kg >= min_weight),
#'            include(strong))
#' swap(s, "min_weight", 30)
#' swap(s, "strong", hive_weight_kg >= min_weight & brood_frames > 6)
#' @export
swap <- function(sieve, name, new) {
  local_plain()
  if (!inherits(sieve, "neatsieve_sieve")) {
    stop_neatly("step", "`swap()` changes a sieve.",
                instead = "Write `swap(sieve, \"name\", new)`.")
  }
  if (!is_text(name)) {
    stop_neatly("step", "`swap()` needs a name as text.",
                instead = "Write `swap(sieve, \"strong\", ...)`.")
  }
  labels <- step_names(sieve)
  for (i in seq_along(sieve)) {
    step <- sieve[[i]]
    if (step$kind == "settings" && name %in% names(step$values)) {
      step$values[[name]] <- check_setting(name, new)
      sieve[[i]] <- step
      return(sieve)
    }
    if (!is.null(step$conditions) && name %in% names(step$conditions)) {
      lang <- substitute(new)
      step$conditions[[name]] <- capture_expression(lang, parent.frame())
      sieve[[i]] <- step
      return(sieve)
    }
  }
  at <- match(name, labels)
  if (is.na(at)) {
    known <-
      unique(c(labels, unlist(lapply(sieve, function(s) c(names(s$values), names(s$conditions))))))
    stop_neatly("step", paste0("Nothing in the sieve is called ", quoted(name), "."), NULL,
                c(meant(name, known, quoted),
                  paste0("Names here: ", listed(quoted(known), 10), ".")))
  }
  sieve[[at]] <- new
  sieve
}

# Every step's name: as given, else its kind, numbered when it comes again.
step_names <- function(steps) {
  given <- lapply(steps, `[[`, "name")
  plain <- vapply(steps, function(s) sub("^chart_", "", s$kind), character(1))
  names <- vapply(seq_along(steps),
                  function(i) if (is.null(given[[i]])) NA_character_ else given[[i]], character(1))
  twice <- names[duplicated(names) & !is.na(names)]
  if (length(twice)) {
    stop_neatly("step", paste0("Two steps are called ", quoted(twice[1]), "."),
                paste0("Steps ", listed(which(names %in% twice[1])), "."),
                "Give each a `name` of its own.")
  }
  for (i in which(is.na(names))) {
    candidate <- plain[i]
    k <- 2
    while (candidate %in% names) {
      candidate <- paste0(plain[i], "_", k)
      k <- k + 1
    }
    names[i] <- candidate
  }
  names
}
