# Walking R's parse of an expression. Long chains lean to the left (`a & b & c`
# is `(a & b) & c`), so the left side is followed in a loop; only what is nested
# otherwise is followed by calls.

# How deep an expression may be nested, and how many parts it may have: what
# stays within the stack.
most_nesting <- 50
most_parts <- 5000

# Replaces parts of an expression: `leaf(x)` gives what stands for a name or
# value, `call(x)` a list of what stands for a whole call, or NULL where its
# parts are looked at.
rewrite_lang <- function(lang, leaf, call = function(x) NULL) {
  spine <- NULL
  done <- NULL
  while (is.call(lang)) {
    whole <- call(lang)
    if (!is.null(whole)) {
      done <- whole
      break
    }
    # Nested pairs: an assignment into a list would look through all of `lang`
    # each time.
    spine <- list(lang, spine)
    if (length(lang) < 2 || is_empty(lang, 2)) break
    lang <- lang[[2]]
  }
  if (is.null(done) && !is.call(lang)) done <- list(leaf(lang))
  while (!is.null(spine)) {
    at <- spine[[1]]
    spine <- spine[[2]]
    # As a list: changing a call in place would copy all that is nested in it.
    parts <- as.list(at)
    if (length(parts) > 1 && !is.null(done)) parts[2] <- done
    for (k in seq_along(parts)[-(1:2)]) {
      if (!is_empty(parts, k)) {
        parts[k] <- list(rewrite_lang(parts[[k]], leaf, call))
      }
    }
    done <- list(as.call(parts))
  }
  done[[1]]
}
is_empty <- function(lang, i) identical(lang[[i]], quote(expr = ))

# Calls `visit(x)` for every call in an expression, outermost first; where it
# gives FALSE the parts of that call are left out.
visit_calls <- function(lang, visit) {
  waiting <- list(lang)
  n <- 1L
  while (n > 0L) {
    at <- waiting[[n]]
    n <- n - 1L
    if (!is.call(at) || isFALSE(visit(at))) next
    for (part in Filter(is.call, as.list(at)[-1])) {
      n <- n + 1L
      waiting[n] <- list(part)
    }
  }
}

# An expression that is nested too deep, or has too many parts, would exhaust
# the stack.
check_size <- function(lang, where = NULL) {
  if (!is.call(lang)) return(invisible())
  waiting <- list(list(lang, 1L))
  n <- 1L
  parts <- 0L
  while (n > 0L) {
    at <- waiting[[n]]
    n <- n - 1L
    parts <- parts + 1L
    if (parts > most_parts * 2L || at[[2]] > most_nesting) {
      too_large(at[[2]] > most_nesting, where)
    }
    lang <- at[[1]]
    chain <- chain_of(lang)
    below <- if (is.null(chain)) as.list(lang)[-1] else chain
    if (length(chain) > most_parts) too_large(FALSE, where)
    for (k in seq_along(below)) {
      if (!is.call(below[[k]])) next
      n <- n + 1L
      waiting[n] <- list(list(below[[k]], at[[2]] + 1L))
    }
  }
}

too_large <- function(deep, where) {
  stop_neatly(
    "expression",
    if (deep) {
      paste0("The expression is nested more than ", most_nesting, " deep.")
    } else {
      paste0(
        "The expression has more than ", format_count(most_parts), " parts."
      )
    },
    where,
    paste0(
      "Work parts of it out as columns first with `work_out()`, or give them ",
      "names with `criteria()`."
    )
  )
}

# The operands of a chain of one operator (`a & b & c`, `x + y - z`), left to
# right; of signs before an operand, the operand alone; NULL for anything else.
chain_operators <- list("&", "|", c("+", "-"), c("*", "/"))
chain_of <- function(lang) {
  name <- call_name(lang)
  if (length(lang) == 2 && name %in% c("!", "+", "-")) {
    return(list(signed_operand(lang)))
  }
  mine <- Filter(function(o) name %in% o, chain_operators)
  if (length(lang) != 3 || !length(mine)) return(NULL)
  operands <- list()
  while (is.call(lang) && length(lang) == 3 && call_name(lang) %in% mine[[1]]) {
    operands[length(operands) + 1L] <- list(lang[[3]])
    lang <- lang[[2]]
  }
  operands[length(operands) + 1L] <- list(lang)
  rev(operands)
}
chain_signs <- function(lang) {
  mine <- Filter(function(o) call_name(lang) %in% o, chain_operators)[[1]]
  signs <- character()
  while (is.call(lang) && length(lang) == 3 && call_name(lang) %in% mine) {
    signs[[length(signs) + 1L]] <- call_name(lang)
    lang <- lang[[2]]
  }
  rev(signs)
}

# What stands behind a row of the same kind of signs.
signed_operand <- function(lang) {
  kind <- if (call_name(lang) == "!") "!" else c("+", "-")
  while (is.call(lang) &&
    length(lang) == 2 &&
    call_name(lang) %in% kind) lang <- lang[[2]]
  lang
}

# How many signs of negation stand before an operand.
count_negations <- function(lang) {
  n <- 0
  while (is.call(lang) && length(lang) == 2 && call_name(lang) == "!") {
    n <- n + 1
    lang <- lang[[2]]
  }
  n
}

# A list without its NULLs.
compact <- function(x) x[!vapply(x, is.null, logical(1))]

# The name of a called function, without the package before it; "" for anything
# else.
call_name <- function(lang) {
  if (!is.call(lang)) return("")
  head <- lang[[1]]
  if (is.call(head) &&
    length(head) == 3 &&
    identical(head[[2]], quote(neatsieve))) {
    head <- head[[3]]
  }
  if (is.symbol(head)) as.character(head) else ""
}

# What a call is given; a place left empty, as in `f(x, )`, is nothing.
given_arguments <- function(lang) {
  given <- as.list(lang)[-1]
  given[!vapply(given, identical, logical(1), quote(expr = ))]
}
