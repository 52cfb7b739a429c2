# Code in messages and pages, run where it may be meant for.

# Whether a piece of code runs in a place it may be meant for: as a step, a call
# with siftings, an argument of the step or of study(), a condition, a column, a
# statistic or an order.
runs_somewhere <- function(text, step, data, env) {
  tried <- character()
  attempt <- function(code) {
    met <- tryCatch(
      {
        quiet(force(code))
        NULL
      },
      error = identity
    )
    if (!is.null(met)) tried <<- c(tried, conditionMessage(met))
    is.null(met)
  }
  lang <- tryCatch(str2lang(text), error = function(e) NULL)
  steps <- neatsieve:::step_kinds()
  head <- if (is.call(lang)) as.character(lang[[1]])[1] else ""
  here <- list2env(
    list(data = data, out = quiet(pour(data, include(TRUE)))),
    parent = env
  )
  done <- function(runs) if (runs) TRUE else tried
  if (head %in% steps) return(done(attempt(pour(data, eval(lang, env)))))
  if (head %in% c("pour", "study", "held_back", "screening")) {
    return(done(attempt(eval(lang, here))))
  }
  as_argument <- tryCatch(
    str2lang(paste0("f(", text, ")")),
    error = function(e) NULL
  )
  if (length(names(as_argument)) && head %in% c("", "=")) {
    wider <- as.call(c(as.list(step), as.list(as_argument)[-1]))
    # The argument that was wrong gives way to the right one.
    for (wrong in names(step)[nzchar(names(step))]) {
      narrower <- wider
      narrower[[wrong]] <- NULL
      if (attempt(pour(data, eval(narrower, env)))) return(TRUE)
    }
    as_study <- as.call(c(quote(study), quote(data), as.list(as_argument)[-1]))
    return(done(
      attempt(pour(data, eval(wider, env))) || attempt(eval(as_study, here))
    ))
  }
  expression <- if (is.null(lang)) text else lang
  wrapped <- lapply(
    c("include", "work_out", "statistics", "order_rows"),
    function(kind) {
      as.call(c(
        as.name(kind),
        if (kind %in% c("work_out", "statistics")) {
          list(made = expression)
        } else {
          list(expression)
        }
      ))
    }
  )
  for (call in wrapped) if (attempt(pour(data, eval(call, env)))) return(TRUE)
  tried
}

# The same in a page: over its studies, with what its code has made.
runs_in_page <- function(text, session) {
  made <- mget(ls(session), envir = session)
  tables <- Filter(
    function(x) is.data.frame(x) || inherits(x, "neatsieve_study"), made
  )
  for (data in c(unname(tables), list(demo_study(), airquality))) {
    met <- tryCatch(
      runs_somewhere(text, quote(statistics()), data, session),
      error = conditionMessage
    )
    if (isTRUE(met)) return(TRUE)
  }
  direct <- tryCatch(
    {
      utils::capture.output(quiet(suppressWarnings(print(eval(
        str2lang(text), session
      )))))
      TRUE
    },
    error = function(e) paste(c(conditionMessage(e), met), collapse = " / ")
  )
  direct
}
call_head <- function(lang) {
  if (is.call(lang) && is.symbol(lang[[1]])) as.character(lang[[1]]) else ""
}
