#' Save a sieve to a plan file, and read one
#'
#' A plan file is a YAML or JSON text that a colleague can read, edit and run. It holds
#' the study's file (if it was given), settings, criteria and steps, and cannot run code: its
#' conditions are the expression language and nothing else. A JSON Schema ships with the
#' package: `system.file("plan.schema.json", package = "neatsieve")`.
#'
#' @param sieve A [sieve()].
#' @param path The plan's path; a name that ends in `.json` makes JSON, any other YAML.
#' @param study Optional: a [study()] read from a file. Its path (relative to the plan), unit,
#'   codes for absent and other facts are written down too.
#' @param functions For `read_sieve()`: a named list of the R functions that the plan's `custom()` calls name; a
#'   plan never brings its own.
#' @return `write_sieve()`: the path, invisibly. `read_sieve()`: the sieve; its `study` attribute
#'   holds what the plan says of the study, with the path of its file, or `NULL`.
#' @section Errors: Class `neatsieve_error_plan`, with the line: unknown keys, values of the
#'   wrong kind, missing files, text that is no YAML. Nothing is written when a sieve holds what
#'   a plan cannot say.
#' @examples
#' plan <- tempfile(fileext = ".yaml")
#' write_sieve(sieve(include(present(honey_kg)), statistics(honey_kg, by = apiary)), plan)
#' cat(readLines(plan), sep = "\n")
#' read_sieve(plan)
#' @export
write_sieve <- function(sieve, path, study = NULL) {
  if (!inherits(sieve, "neatsieve_sieve")) stop_neatly("plan", "`write_sieve()` saves a sieve.", NULL, "Write `write_sieve(sieve(...), \"plan.yaml\")`.")
  if (!is_text(path)) stop_neatly("plan", "The plan needs a path.", NULL, "Write `write_sieve(sieve, \"plan.yaml\")`.")
  plan <- plan_of(sieve, study, dirname(path))
  text <- plan_text(plan, json = grepl("\\.json$", path, ignore.case = TRUE))
  write_whole(path, function(to) {
    con <- file(to, "wb", encoding = "UTF-8")
    on.exit(close(con))
    writeLines(enc2utf8(text), con, useBytes = TRUE)
  })
  invisible(path)
}

plan_text <- function(plan, json = FALSE) {
  if (json) return(as.character(jsonlite::toJSON(plan, auto_unbox = TRUE, pretty = 2, digits = NA, null = "null")))
  truth <- function(x) structure(ifelse(x, "true", "false"), class = "verbatim")
  sub("\n$", "", yaml::as.yaml(plan, indent.mapping.sequence = TRUE, precision = 15,
                               handlers = list(logical = truth)))
}

# Writes beside the target and moves it there when whole, so no partial file is left.
write_whole <- function(path, write) {
  folder <- dirname(path)
  if (!dir.exists(folder)) stop_neatly("run", paste0("There is no folder ", quoted(folder), " to write ", quoted(basename(path)), " in."), NULL, "Make it first, or give another path.")
  made <- file.path(folder, paste0(".part-", Sys.getpid(), "-", basename(path)))
  on.exit(unlink(made))
  tryCatch(write(made), neatsieve_error = stop, error = function(e) stop_neatly("run", paste0("Could not write ", quoted(path), ": ", conditionMessage(e), ".")))
  if (!file.rename(made, path)) stop_neatly("run", paste0("Could not write ", quoted(path), "."), NULL, "Is it open elsewhere, or the folder read-only?")
}

plan_of <- function(sieve, study, folder) {
  of_kind <- function(kind) unlist(lapply(Filter(function(s) s$kind == kind, sieve), step_plan), recursive = FALSE)
  steps <- Filter(function(s) !is_declaration(s), sieve)
  compact(list(study = if (!is.null(study)) study_plan(study, folder), settings = of_kind("settings"), criteria = of_kind("criteria"),
               steps = lapply(steps, function(s) stats::setNames(list(step_plan(s)), s$kind))))
}

study_plan <- function(study, folder) {
  study <- unclass(study)
  if (is.null(study$source)) {
    stop_neatly("plan", paste0("The study ", quoted(study$name), " was not read from a file, so the plan cannot name it."),
                NULL, "Save its table to a CSV file and read that with `study()`, or leave `study` out.")
  }
  ordered <- lapply(Filter(function(t) isTRUE(t$ordered), study$frame$types), `[[`, "labels")
  reading <- study$reading
  some <- function(x) if (length(x)) x
  other <- function(x, usual) if (!identical(x, usual)) x
  compact(list(
    file = relative_path(study$source, folder), name = other(study$name, basename(study$source)),
    unit = study$unit, absent_codes = some(as.list(reading$absent_codes)), kinds = some(reading$kinds),
    decimal = other(reading$decimal, "."), ordered = some(lapply(ordered, as.list)),
    labels = some(study$labels), measures = some(study$measures),
    encoding = other(reading$encoding, "UTF-8")))
}

relative_path <- function(path, folder) {
  full <- function(p) strsplit(normalizePath(p, "/", mustWork = FALSE), "/", fixed = TRUE)[[1]]
  to <- full(path)
  from <- full(folder)
  same <- 0
  while (same < min(length(to), length(from)) && to[same + 1] == from[same + 1]) same <- same + 1
  paste(c(rep("..", length(from) - same), to[-seq_len(same)]), collapse = "/")
}

plan_value <- function(v) {
  one <- function(x) if (inherits(x, "Date")) value_code(x) else if (inherits(x, "POSIXct")) format(x) else x
  if (length(v) == 1) one(v) else lapply(seq_along(v), function(i) one(v[[i]]))
}

