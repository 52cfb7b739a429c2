# The part of a report that says how to run it again.

# What the plan below needs: where to save it, the study's file, functions of
# the session.
again_words <- function(state) {
  tables <- session_tables(state$steps)
  if (length(tables)) {
    called <- unique(vapply(tables, function(one) one$table$called, ""))
    return(paste0(
      "As R code, because ", listed(called), " of the R session that made it ",
      if (length(called) == 1) "is no file" else "are no files",
      ". `write_siftings()` saves such tables, and a plan that names them."
    ))
  }
  functions <- unique(unlist(lapply(state$steps, function(s) custom_names(s))))
  handed <- paste0(
    "list(", paste0(functions, " = ", functions, collapse = ", "), ")"
  )
  c(
    if (is_nameable_study(state$study)) {
      paste0(
        "As a plan file: save it as plan.yaml in the folder of this page and ",
        "run `neatsieve ",
        "pour plan.yaml`, or in R `pour(study, read_sieve(\"plan.yaml\"))`."
      )
    } else {
      is_table <- !is.null(state$study$database) ||
        !is.null(state$study$loaded_from)
      paste0(
        "As a plan file. The study was no file but the ",
        if (is_table) "table" else "data frame", " \"", state$study$name,
        "\" of an R session: pour that over `read_sieve(\"plan.yaml\")`, or ",
        "give a file ",
        "with `neatsieve pour plan.yaml --study FILE`."
      )
    },
    if (length(functions)) {
      paste0(
        "It calls ", listed(paste0(functions, "()"), 8),
        " of the R session that made it, so it runs from R only: ",
        "`read_sieve(\"plan.yaml\", ",
        "functions = ", handed, ")`."
      )
    }
  )
}

# Names of the functions that custom() calls in the expressions of a step.
custom_names <- function(part) {
  if (inherits(part, "neatsieve_expression")) return(names(part$functions))
  if (is.list(part)) unlist(lapply(part, custom_names), use.names = FALSE)
}

plan_lines <- function(out, folder) {
  if (length(session_tables(out$sieve))) return(unclass(as_code(out$sieve)))
  study <- siftings_parts(out)$state$study
  plan <- plan_of(
    out$sieve, if (is_nameable_study(study)) as_study_object(study), folder
  )
  strsplit(plan_text(plan), "\n", fixed = TRUE)[[1]]
}
