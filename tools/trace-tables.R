# Sourced by tools/coverage.R in the process that runs the tests. Functions that stand in tables
# (the language's, the steps', those of SQL forms) are copies made when the package was built,
# apart from the functions of those names, and are not traced with them. Here the tables' copies
# are traced too: they carry the same places in the source, so that their lines count as one.

# `x`, an element of a table, with every function in it traced.
trace_within <- function(x, name, seen) {
  if (is.function(x)) {
    if (is.primitive(x) || is.null(attr(x, "srcref"))) return(x)
    trace_environment_within(environment(x), name, seen)
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

# The environment itself, its functions and tables traced in place; each environment once, and no
# namespace, whose functions are traced when it is loaded.
trace_environment_within <- function(env, name, seen) {
  passes <- isNamespace(env) || identical(env, globalenv()) || identical(env, baseenv()) ||
    identical(env, emptyenv()) || !is.null(attr(env, "name"))
  if (passes || any(vapply(seen$all, identical, NA, env))) return(env)
  seen$all <- c(seen$all, env)
  for (key in ls(env, all.names = TRUE)) {
    value <- tryCatch(get(key, env), error = function(e) NULL)  # an argument not given
    if (!is.function(value) && !is.list(value)) next
    assign(key, trace_within(value, key, seen), envir = env)
  }
  env
}

local({
  namespace <- asNamespace("neatsieve")
  seen <- new.env()
  seen$all <- list()
  for (name in ls(namespace, all.names = TRUE)) {
    value <- get(name, namespace)
    if (is.function(value) || startsWith(name, ".__")) next
    traced <- trace_within(value, name, seen)
    if (is.environment(value) || identical(traced, value)) next
    unlockBinding(name, namespace)
    assign(name, traced, envir = namespace)
    lockBinding(name, namespace)
  }
})
