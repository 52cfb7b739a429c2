# The one table of the expression language. Parsing, checking, evaluating, help
# and guards all read it; a function is added by one define_function() and,
# where needed, a core op.

language <- new.env(parent = emptyenv())
comparisons <- c("==", "!=", "<", "<=", ">", ">=")

# params: a named list made with takes(), constant() and rest_of(). gives: a
# kind, "same" (as the first argument) or a function of the typed arguments that
# returns a type. emit: a function(args, builder, node) that writes core
# instructions and returns a value.
define_function <- function(
  name, group, params, gives, emit, help, absent, example, type = NULL,
  usage = NULL, aggregate = FALSE, check = NULL, compute = NULL, in_sql = FALSE
) {
  if (is.null(usage)) usage <- usage_of(name, params)
  assign(
    name,
    new_function(
      name,
      group,
      params,
      gives,
      emit,
      type,
      help,
      absent,
      example,
      usage,
      aggregate,
      check,
      compute,
      in_sql
    ),
    envir = language
  )
}

# aggregate: it is taken over rows; check(node, typing): its arguments looked at
# once more. compute, in_sql: see define_aggregate().
new_function <- function(
  name, group, params, gives, emit, type, help, absent, example, usage,
  aggregate, check, compute = NULL, in_sql = FALSE
) {
  new_record(
    "function",
    list(
      name = name,
      group = group,
      params = params,
      gives = gives,
      emit = emit,
      type = type,
      help = help,
      absent = absent,
      example = example,
      usage = usage,
      aggregate = aggregate,
      check = check,
      compute = compute,
      in_sql = in_sql
    )
  )
}

language_names <- function() {
  sort(ls(language, all.names = TRUE), method = "radix")
}
language_function <- function(name) {
  if (nzchar(name)) get0(name, envir = language, inherits = FALSE)
}

# A parameter with a value per row.
takes <- function(...) new_param(c(...))
# A parameter with a value per row that may be left out.
optional <- function(...) new_param(c(...), has_default = TRUE)
# A parameter with one value for all rows; with a default it may be left out.
constant <- function(..., default, many = FALSE) {
  new_param(
    c(...),
    constant = TRUE,
    many = many,
    has_default = !missing(default),
    default = if (!missing(default)) default
  )
}
# A parameter for any number of arguments.
rest_of <- function(...) new_param(c(...), rest = TRUE)

# kinds: those it takes. constant: the same for all rows; many: several values.
# rest: any number of arguments. default: what it is when it is left out.
new_param <- function(
  kinds, constant = FALSE, many = FALSE, rest = FALSE, has_default = FALSE,
  default = NULL
) {
  new_record(
    "param",
    list(
      kinds = expand_kinds(kinds),
      constant = constant,
      many = many,
      rest = rest,
      has_default = has_default,
      default = default
    )
  )
}

expand_kinds <- function(kinds) {
  groups <- list(
    numeric = c("number", "whole"),
    textual = c("text", "category"),
    dated = c("date", "date-time"),
    any = c(
      "number", "whole", "text", "category", "logical", "date", "date-time"
    )
  )
  unlist(lapply(
    kinds, function(k) if (is.null(groups[[k]])) k else groups[[k]]
  ))
}

usage_of <- function(name, params) {
  shown <- vapply(
    names(params),
    function(p) {
      spec <- params[[p]]
      if (spec$rest) return("...")
      if (spec$has_default) {
        return(paste(
          p, "=",
          if (is.null(spec$default)) "NULL" else value_code(spec$default)
        ))
      }
      p
    },
    character(1)
  )
  if (is_operator(name)) {
    return(if (length(shown) == 1) {
      paste0(name, shown)
    } else {
      paste(shown[1], name, shown[2])
    })
  }
  paste0(name, "(", paste(shown, collapse = ", "), ")")
}

# Whole numbers stay whole under these; what overflows becomes a number when
# evaluated.
both_whole <- function(args) {
  whole <- vapply(args, function(a) a$kind == "whole", logical(1))
  new_type(if (all(whole)) "whole" else "number")
}

# A whole number joined with a whole-valued literal or setting stays whole too.
whole_with_literals <- function(args) {
  whole <- vapply(args, function(a) a$kind == "whole", logical(1))
  literal <- vapply(
    args,
    function(a) {
      a$node == "constant" &&
        a$kind == "number" &&
        length(a$value) == 1 &&
        is_whole_value(a$value)
    },
    logical(1)
  )
  new_type(if (any(whole) && all(whole | literal)) "whole" else "number")
}
is_whole_value <- function(x) {
  is.finite(x) & x == floor(x) & abs(x) <= .Machine$integer.max
}

is_operator <- function(name) grepl("^[^A-Za-z.]", name)
