# Expressions as values: captured as written, with the caller's values spliced
# in.

# An expression holds R's own parse of what was written (`lang`) and the R
# functions that its custom() calls name; nothing of the place it was written
# at, so that a plan's is the same.
new_expression <- function(lang, functions = list()) {
  structure(
    list(lang = lang, functions = functions),
    class = "neatsieve_expression"
  )
}

capture_expression <- function(lang, env) {
  local_plain()
  if (inherits(lang, "neatsieve_expression")) return(lang)
  if (call_name(lang) == "written") {
    if (length(lang) != 2) {
      stop_neatly(
        "expression",
        "`written()` takes one text.",
        instead = "For example `written(\"honey_kg > 5\")`."
      )
    }
    return(expression_from_text(eval(lang[[2]], env), "written()"))
  }
  if (is.call(lang) && identical(lang[[1]], quote(`~`))) {
    if (length(lang) != 2) {
      stop_neatly(
        "expression",
        "A condition as a formula has one side.",
        instead = "For example `~ honey_kg > 5`."
      )
    }
    lang <- lang[[2]]
  }
  lang <- splice(lang, env)
  check_plain(lang)
  check_size(lang)
  new_expression(plain_values(lang), custom_functions(lang, env))
}

# An expression is a name, a call or a value of a kind that columns have.
check_plain <- function(lang) {
  if (is.symbol(lang) || is.call(lang) || is.null(lang)) return(invisible())
  if (is.atomic(lang) &&
    !is.complex(lang) &&
    !is.raw(lang) &&
    is.null(dim(lang))) {
    return(invisible())
  }
  stop_neatly(
    "expression",
    paste0(
      "A value of class ", class(lang)[1], " cannot be used in an expression."
    ),
    NULL,
    "Write a column, or an expression of columns."
  )
}

# Functions named in custom(f, x), by their text.
custom_functions <- function(lang, env) {
  matches <- list()
  visit_calls(lang, function(at) {
    if (call_name(at) != "custom" || length(at) < 2) return(TRUE)
    f <- tryCatch(eval(at[[2]], env), error = function(e) NULL)
    if (is.function(f)) matches[[lang_text(at[[2]])]] <<- f
    TRUE
  })
  matches
}

# Text is parsed, never evaluated.
expression_from_text <- function(text, where) {
  local_plain()
  if (!is.character(text) || length(text) != 1 || is.na(text)) {
    stop_neatly(
      "expression",
      "An expression as text must be one text.",
      where,
      "Give several conditions as several arguments."
    )
  }
  lang <- tryCatch(
    str2lang(as_utf8(text)),
    error = function(e) {
      too_deep <-
        "contextstack|nested too deeply|C stack|out of memory|memory exhausted"
      if (grepl(too_deep, conditionMessage(e))) too_large(TRUE, where)
      shown <- if (nchar(text) > 120) {
        paste0(substr(text, 1, 117), "...")
      } else {
        text
      }
      slip <- parse_slip(as_utf8(text))
      if (!is.null(slip)) {
        stop_neatly(
          "expression",
          paste0("`", shown, "` ", slip$said, "."),
          where,
          paste0("Write `", slip$text, "`.")
        )
      }
      stop_neatly(
        "expression",
        paste0("`", shown, "` is not a complete expression."),
        where,
        parse_hint(text, conditionMessage(e))
      )
    }
  )
  if (has_splice(lang)) {
    stop_neatly(
      "expression",
      "`.()` cannot be used in an expression given as text.",
      where,
      "Use `settings()` for a value that changes."
    )
  }
  check_size(lang, where)
  new_expression(lang)
}

has_splice <- function(lang) {
  has_one <- FALSE
  visit_calls(lang, function(at) {
    if (call_name(at) == ".") has_one <<- TRUE
    !has_one
  })
  has_one
}

# Replaces .(x) by the value of x in the caller's environment. `neatsieve::f(x)`
# is `f(x)`.
splice <- function(lang, env) {
  rewrite_lang(lang, leaf = identity, call = function(at) {
    if (call_name(at) == ".") return(list(spliced(at, env)))
    if (is.call(at[[1]]) && call_name(at) != "") {
      at[[1]] <- as.name(call_name(at))
      return(list(splice(at, env)))
    }
    NULL
  })
}
spliced <- function(lang, env) {
  if (length(lang) != 2) {
    stop_neatly(
      "expression", "`.()` takes one value.",
      instead = "Write `.(x)`."
    )
  }
  value <- eval(lang[[2]], env)
  if (is.symbol(value)) return(value)
  value <- spliced_value(value, deparse1(lang[[2]]))
  # In parentheses, so that `.(x)^2` with x = -2 is written as (-2)^2.
  if (is.numeric(value) && length(value) == 1 && isTRUE(value < 0)) {
    call("(", value)
  } else {
    value
  }
}

spliced_value <- function(value, name) {
  if (is.factor(value)) value <- as.character(value)
  if (inherits(value, "POSIXlt")) value <- as.POSIXct(value)
  usable <- is.atomic(value) &&
    !is.null(value) &&
    length(value) > 0 &&
    !is.complex(value) &&
    is.null(dim(value))
  if (!usable) {
    stop_neatly(
      "expression",
      paste0(
        "`.(", name,
        ")` must be a number, text, logical, date or a vector of these."
      ),
      paste0(
        "It is ",
        if (length(value) == 0) {
          "empty"
        } else {
          paste0("of class ", class(value)[1])
        },
        "."
      )
    )
  }
  if (is.character(value)) as_utf8(value) else value
}

# Whether the calling session has a value of this name; evaluates nothing.
in_session <- function(name) {
  if (!nzchar(name)) return(FALSE)
  inside <- vapply(seq_len(sys.nframe()), function(i) {
    identical(topenv(environment(sys.function(i))), topenv())
  }, NA)
  at <- sys.parents()[which(inside)[1]]
  env <- if (is.na(at) || at == 0) globalenv() else sys.frame(at)
  while (!identical(env, emptyenv())) {
    if (exists(name, envir = env, inherits = FALSE)) return(TRUE)
    if (identical(env, globalenv())) return(FALSE)
    env <- parent.env(env)
  }
  FALSE
}

# The expressions of a `...`, unevaluated, with "" for those without a name.
capture_dots <- function(dots, env) {
  names <- names(dots)
  if (is.null(names)) names <- rep("", length(dots))
  empty <- vapply(dots, identical, logical(1), quote(expr = ))
  captured <- lapply(dots[!empty], capture_expression, env)
  stats::setNames(captured, names[!empty])
}

# Conditions without a name get their text as name.
name_conditions <- function(conditions) {
  bare <- names(conditions) == ""
  names(
    conditions
  )[bare] <- vapply(conditions[bare], expression_text, character(1))
  conditions
}

expression_text <- function(expression) lang_text(expression$lang)

#' @export
print.neatsieve_expression <- function(x, ...) {
  cat(expression_text(x), "\n", sep = "")
  invisible(x)
}

# Picks keep their parse; .(x) gives names.
capture_picks <- function(dots, env) {
  if (length(names(dots)) && any(names(dots) != "")) {
    named <- which(names(dots) != "")[1]
    stop_neatly(
      "step",
      paste0(
        "A pick cannot be named: `", names(dots)[named], " = ",
        lang_text(dots[[named]]), "`."
      ),
      NULL,
      paste0(
        "To rename write `renamed = list(", names(dots)[named], " = ",
        lang_text(dots[[named]]), ")`."
      )
    )
  }
  empty <- vapply(dots, identical, logical(1), quote(expr = ))
  lapply(unname(dots[!empty]), function(l) {
    if (call_name(l) == "written") {
      return(expression_from_text(eval(l[[2]], env), "written()")$lang)
    }
    splice(l, env)
  })
}

# Picks of one argument, as `keep = c(hive, "mites_*")`.
capture_some_picks <- function(lang, env) {
  if (is.null(lang)) return(list())
  capture_picks(
    if (call_name(lang) == "c") given_arguments(lang) else list(lang), env
  )
}

# The name of one column, as a bare name or a text.
capture_column <- function(lang, argument, env) {
  if (is.null(lang)) return(NULL)
  lang <- splice(lang, env)
  if (is.symbol(lang)) return(as.character(lang))
  if (is_text(lang)) return(lang)
  stop_neatly(
    "step",
    paste0(
      "`", argument, "` is the name of a column, not `", lang_text(lang), "`."
    ),
    NULL,
    paste0(
      "For example `", argument,
      " = honey_kg`; a new column cannot be called `", argument, "` here."
    )
  )
}
