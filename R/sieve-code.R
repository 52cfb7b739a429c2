#' A sieve as R code
#'
#' Gives R code that makes the same sieve: for a script, an appendix, or a
#' colleague who has a plan file.
#'
#' @param sieve A [sieve()] or one step.
#' @return The code, one text for each line, of class `neatsieve_code`; printing
#'   shows it as it stands in a script. Of a plan that names its study (see
#'   [read_sieve()]) the code begins with its [study()]; paths are those of
#'   here. Run in R the last value is a sieve that is `identical()` to the one
#'   given, as long as the R functions named in `custom()` are there under their
#'   names.
#' @section Errors: Class `neatsieve_error_step` when it is given anything but a
#'   sieve or a step.
#' @seealso [write_sieve()], [as_sql()]
#' @examples
#' plan <- read_sieve(demo_file("spring-mites.yaml"))
#' as_code(plan)
#' @export
as_code <- function(sieve) {
  local_plain()
  if (inherits(sieve, "neatsieve_step")) return(as_code_lines(step_code(sieve)))
  if (!inherits(sieve, "neatsieve_sieve")) {
    stop_neatly(
      "step",
      "`as_code()` takes a sieve or a step.",
      instead = "Write `as_code(sieve(...))`."
    )
  }
  steps <- lapply(unclass(sieve), step_code)
  ends <- lapply(seq_along(steps), function(i) {
    lines <- paste0("  ", steps[[i]])
    if (i < length(steps)) {
      lines[length(lines)] <- paste0(lines[length(lines)], ",")
    }
    lines
  })
  lines <- if (length(steps)) c("sieve(", unlist(ends), ")") else "sieve()"
  as_code_lines(c(study_code(attr(sieve, "study")), lines))
}

as_code_lines <- function(lines) structure(lines, class = "neatsieve_code")

#' @export
print.neatsieve_code <- function(x, ...) {
  cat(unclass(x), sep = "\n")
  invisible(x)
}

# A step's call, in one line where that is short enough, else an argument a
# line.
step_code <- function(step) {
  arguments <- code_arguments(step)
  whole <- arguments_in_r(step$kind, arguments)
  if (nchar(whole, type = "width") <= widest_code || !length(arguments)) {
    return(whole)
  }
  each <- vapply(seq_along(arguments), function(i) {
    inner <- arguments_in_r("", arguments[i])
    paste0(
      "  ", substr(inner, 2, nchar(inner) - 1), if (i < length(arguments)) ","
    )
  }, "")
  c(paste0(step$kind, "("), each, ")")
}

# What stands in `...` comes first, then the other fields by name.
code_arguments <- function(step) {
  fields <- definition_of(step)$fields
  given <- names(fields)[!vapply(names(fields), is_default, NA, step = step)]
  dots <- vapply(fields[given], function(field) field$in_dots, NA)
  parts <- lapply(given[order(!dots)], function(name) {
    code <- fields[[name]]$to_code(step[[name]])
    if (fields[[name]]$in_dots) {
      code
    } else {
      stats::setNames(code, argument_of(fields, name))
    }
  })
  named <- lapply(
    parts,
    function(p) {
      if (is.null(names(p))) stats::setNames(p, rep("", length(p))) else p
    }
  )
  unlist(named)
}
argument_of <- function(fields, name) key_of(fields, name)
