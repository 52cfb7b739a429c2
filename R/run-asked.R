# The arguments of pour(): data, steps, and how to read a file. A plan brings
# its own study and reading; arguments beside it come first.

is_plan_file <- function(path) {
  if (grepl("\\.ya?ml$", path, ignore.case = TRUE)) return(TRUE)
  if (!grepl("\\.json$", path, ignore.case = TRUE) || !file.exists(path)) {
    return(FALSE)
  }
  start <- suppressWarnings(readChar(
    path,
    min(file.size(path), 1e6),
    useBytes = TRUE
  ))
  grepl("^\\s*\\{", start, useBytes = TRUE) &&
    grepl("\"(steps|takes_from)\"\\s*:", start, useBytes = TRUE)
}

# data: what is poured, a request where it is to be read; steps: a function that
# gives the sieve. Steps are read after the data, so that a missing file is told
# first.
new_pour_asked <- function(data, called, steps) {
  new_record("pour_asked", list(data = data, called = called, steps = steps))
}

asked_to_pour <- function(data, called, env, ...) {
  given <- as.list(substitute(list(...)))[-1]
  names <- if (is.null(names(given))) rep("", length(given)) else names(given)
  is_told <- names %in% setdiff(names(formals(study)), "data")
  changed <- stats::setNames(
    lapply(which(is_told & names != "unit"), function(i) ...elt(i)),
    names[is_told & names != "unit"]
  )
  if (any(names == "unit")) changed$unit <- bare_name(given$unit, env, "unit")
  parts <- function() {
    parts_read(function() lapply(which(!is_told), function(i) ...elt(i)))
  }
  plan <- if (is_text(data) && data != "-" && is_plan_file(data)) data
  if (!is.null(plan)) data <- read_sieve(plan)
  if (inherits(data, "neatsieve_sieve")) {
    steps <- function() as_sieve(c(list(data), parts()))
    return(new_pour_asked(
      request_from_plan(study_of_plan(data, plan), changed), NULL, steps
    ))
  }
  spec <- if (is_text(data) && (file.exists(data) || is_pattern(data))) {
    reading_of_plan(parts(), data)
  }
  if (!is.null(spec)) {
    data <- request_from_plan(spec, changed)
  } else if (length(changed)) {
    data <- request_as_told(data, called, changed)
  }
  new_pour_asked(data, called, function() as_sieve(parts()))
}

# The study that a plan names.
study_of_plan <- function(sieve, path) {
  spec <- attr(sieve, "study")
  if (!is.null(spec)) return(spec)
  given <- if (is.null(path)) {
    "plan"
  } else {
    paste0("read_sieve(", quoted(path), ")")
  }
  where <- if (!is.null(path)) paste0("In ", quoted(path), ".")
  stop_neatly(
    "run",
    "The plan names no study.",
    where,
    c(
      paste0("Give the one it is for: `pour(study, ", given, ")`."),
      "`write_sieve(sieve, path, study = study)` writes a plan that names it."
    )
  )
}

# A file that is poured through a plan is read as the plan reads its own.
reading_of_plan <- function(parts, path) {
  specs <- Filter(Negate(is.null), lapply(parts, attr, "study"))
  if (length(specs) != 1) return(NULL)
  spec <- specs[[1]]
  spec$file <- path
  spec$database <- NULL
  spec
}

request_as_told <- function(data, called, told) {
  if (inherits(data, c("neatsieve_study", "neatsieve_siftings", "neatsieve_study_request"))) {
    stop_neatly(
      "run",
      paste0(
        "`", names(told)[1], "` is for data that is read by this call, and ",
        "this was read before."
      ),
      NULL,
      paste0(
        "Give it where it was read: `study(data, ", names(told)[1], " = ...)`."
      )
    )
  }
  do.call(
    new_study_request,
    c(
      list(
        data = data,
        called = called,
        codes_told = !is.null(told$absent_codes)
      ),
      told
    )
  )
}
