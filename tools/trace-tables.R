# Sourced by tools/coverage.R in the process that runs the tests. Functions that
# stand in tables (the language's, the steps', those of SQL forms) are copies
# made when the package was built, apart from the functions of those names, and
# are not traced with them. Here the tables' copies are traced too: they carry
# the same places in the source, so that their lines count as one. A function in
# a table that another function made shows that the statement around it was run,
# when the package was built.

# `x`, an element of a table, with every function in it traced.
trace_within <- function(x, name, seen) {
  if (is.function(x)) {
    if (is.primitive(x) || is.null(attr(x, "srcref"))) return(x)
    trace_environment_within(environment(x), name, seen)
    if (!isNamespace(environment(x))) {
      seen$made <- c(seen$made, list(place_of(x)))
    }
    kept <- attributes(x)
    x <- covr:::trace_calls(x, name)
    attributes(x) <- kept
    return(x)
  }
  if (is.environment(x)) return(trace_environment_within(x, name, seen))
  if (!is.list(x)) return(x)
  for (i in seq_along(x)) {
    if (!is.null(.subset2(x, i))) {
      kept <- attributes(x)
      x <- unclass(x)
      x[[i]] <- trace_within(x[[i]], name, seen)
      attributes(x) <- kept
    }
  }
  x
}

# The environment itself, its functions and tables traced in place; each
# environment once, and no namespace, whose functions are traced when it is
# loaded.
trace_environment_within <- function(env, name, seen) {
  passes <- isNamespace(env) ||
    identical(env, globalenv()) ||
    identical(env, baseenv()) ||
    identical(env, emptyenv()) ||
    !is.null(attr(env, "name"))
  if (passes || any(vapply(seen$all, identical, NA, env))) return(env)
  seen$all <- c(seen$all, env)
  for (key in ls(env, all.names = TRUE)) {
    value <- tryCatch(
      get(key, env),
      error = function(e) NULL
    ) # an argument not given
    if (!is.function(value) && !is.list(value)) next
    assign(key, trace_within(value, key, seen), envir = env)
  }
  env
}

# The lines of a function among all of the package's.
place_of <- function(x) as.integer(attr(x, "srcref"))[7:8]

# Marks statements that lie around functions which were made by them.
count_statements_around <- function(made) {
  lines <- do.call(rbind, unique(made))
  lines <- lines[stats::complete.cases(lines), , drop = FALSE]
  for (key in ls(covr:::.counters)) {
    counter <- get(key, covr:::.counters)
    at <- as.integer(counter$srcref)[7:8]
    if (anyNA(at)) next
    if (any(
      lines[, 1] >= at[1] &
        lines[, 2] <= at[2] &
        lines[, 2] - lines[, 1] < at[2] - at[1]
    )) {
      counter$value <- counter$value + 1
      assign(key, counter, envir = covr:::.counters)
    }
  }
}

local({
  namespace <- asNamespace("neatsieve")
  seen <- new.env()
  seen$all <- seen$made <- list()
  for (name in ls(namespace, all.names = TRUE)) {
    value <- get(name, namespace)
    if (is.function(value) || startsWith(name, ".__")) next
    traced <- trace_within(value, name, seen)
    if (is.environment(value) || identical(traced, value)) next
    unlockBinding(name, namespace)
    assign(name, traced, envir = namespace)
    lockBinding(name, namespace)
  }
  count_statements_around(seen$made)
})
