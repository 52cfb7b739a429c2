#' Save a sieve to a plan file, and read one
#'
#' A plan file is a YAML or JSON text that a colleague can read, edit and run.
#' It holds the study's file (if it was given), settings, criteria and steps,
#' and cannot run code: its conditions are the expression language and nothing
#' else. A JSON Schema ships with the package: `system.file("plan.schema.json",
#' package = "neatsieve")`.
#'
#' A plan may use other plans: `takes_from: [common.yaml]`, with paths relative
#' to the plan. Their settings, criteria and steps come before its own; of
#' several values with one name the last counts; their study is used if the plan
#' names none. A plan has at most 1 MB and 4,000 conditions, settings and steps.
#'
#' @param sieve A [sieve()].
#' @param path The plan's path; a name that ends in `.json` makes JSON, any
#'   other YAML.
#' @param study Optional: a [study()] read from a file. Its path (relative to
#'   the plan), unit, codes for absent and other facts are written down too.
#' @param functions For `read_sieve()`: a named list of the R functions that the
#'   plan's `custom()` calls name; a plan never brings its own.
#' @return `write_sieve()`: the path, invisibly. `read_sieve()`: the sieve; its
#'   `study` attribute holds what the plan says of the study, with the path of
#'   its file, or `NULL`.
#' @section Errors: Class `neatsieve_error_plan`, with the line: unknown keys,
#'   values of the wrong kind, missing files, text that is no YAML. Nothing is
#'   written when a sieve holds what a plan cannot say.
#' @examples
#' plan <- tempfile(fileext = ".yaml")
#' write_sieve(sieve(include(present(honey_kg)), statistics(honey_kg, by = apiary)), plan)
#' cat(readLines(plan), sep = "\n")
#' read_sieve(plan)
#' @export
write_sieve <- function(sieve, path, study = NULL) {
  local_plain()
  if (!inherits(sieve, "neatsieve_sieve")) {
    stop_neatly(
      "plan",
      "`write_sieve()` saves a sieve.",
      NULL,
      "Write `write_sieve(sieve(...), \"plan.yaml\")`."
    )
  }
  if (!is_text(path)) {
    stop_neatly(
      "plan",
      "The plan needs a path.",
      NULL,
      "Write `write_sieve(sieve, \"plan.yaml\")`."
    )
  }
  plan <- plan_of(sieve, study, dirname(path))
  text <- plan_text(plan, json = grepl("\\.json$", path, ignore.case = TRUE))
  write_whole(path, function(to) write_text(text, to))
  invisible(path)
}

plan_text <- function(plan, json = FALSE) {
  if (json) {
    exact <- rapply(
      plan,
      function(x) structure(number_json(x), class = "json"),
      classes = "numeric",
      how = "replace"
    )
    return(as.character(jsonlite::toJSON(
      exact,
      auto_unbox = TRUE,
      pretty = 2,
      digits = NA,
      null = "null",
      json_verbatim = TRUE
    )))
  }
  verbatim <- function(text) structure(text, class = "verbatim")
  sub(
    "\n$",
    "",
    yaml::as.yaml(
      plan,
      indent.mapping.sequence = TRUE,
      handlers = list(
        logical = function(x) verbatim(ifelse(x, "true", "false")),
        numeric = function(x) {
          verbatim(number_yaml(x))
        }
      )
    )
  )
}

# Numbers that read back the same, and as numbers where they are whole.
number_yaml <- function(x) {
  vapply(
    x,
    function(v) {
      if (is.infinite(v)) return(if (v > 0) ".inf" else "-.inf")
      text <- number_code(v)
      if (grepl("[.e]", text)) {
        sub("^([-+]?[0-9]+)e", "\\1.0e", text)
      } else {
        paste0(text, ".0")
      }
    },
    character(1)
  )
}
number_json <- function(x) {
  text <- number_code(x)
  if (is.infinite(x)) return(paste0("\"as_number(\\\"", text, "\\\")\""))
  if (grepl("[.e]", text)) text else paste0(text, ".0")
}

# Declarations stand at the top, by their kind; other steps are items of a list.
plan_of <- function(sieve, study, folder) {
  declared <- Filter(is_declaration, sieve)
  of_kind <- function(kind) {
    of <- Filter(function(s) s$kind == kind, declared)
    unlist(lapply(of, step_plan), recursive = FALSE)
  }
  steps <- Filter(function(s) !is_declaration(s), sieve)
  compact(c(
    list(
      study = if (!is.null(study)) {
        study_plan(study, function(path) relative_path(path, folder))
      }
    ),
    lapply(stats::setNames(nm = declared_kinds()), of_kind),
    list(
      steps = relative_paths(
        lapply(steps, function(s) stats::setNames(list(step_plan(s)), s$kind)),
        folder
      )
    )
  ))
}

# A step's item: what differs from the defaults, by key, or the one field that
# needs no key.
step_plan <- function(step) {
  about <- definition_of(step)
  fields <- about$fields
  forms <- lapply(stats::setNames(nm = names(fields)), function(name) {
    if (!is_default(step, name)) fields[[name]]$to_plan(step[[name]])
  })
  only <- !is.null(about$short) && (about$writes_short || is_declaration(step))
  if (only &&
    all(vapply(
      setdiff(names(fields), about$short),
      is_default,
      NA,
      step = step
    ))) {
    return(fields[[about$short]]$to_plan(step[[about$short]]))
  }
  if (only) {
    forms[about$short] <- list(fields[[about$short]]$to_plan(step[[about$short]]))
  }
  names(forms) <- vapply(names(forms), key_of, "", fields = fields)
  compact(forms)
}
