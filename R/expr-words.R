# Writes an expression in plain words, from R's parse alone.

expression_words <- function(lang) say(lang, 0)

word_templates <- list(
  `==` = c(" is ", 4),
  `!=` = c(" is not ", 4),
  `<` = c(" is below ", 4),
  `<=` = c(" is at most ", 4),
  `>` = c(" is above ", 4),
  `>=` = c(" is at least ", 4),
  `%in%` = c(" is one of ", 4),
  `&` = c(" and ", 2),
  `|` = c(" or ", 1)
)

# `outer`: how tightly what stands around it binds; what binds less is put in
# parentheses.
say <- function(lang, outer) {
  if (!is.call(lang)) {
    return(if (is.symbol(lang)) as.character(lang) else said_value(lang))
  }
  name <- call_name(lang)
  args <- given_arguments(lang)
  if (name == "(") return(paste0("(", say(args[[1]], 0), ")"))
  if (name %in% names(word_templates) && length(args) == 2) {
    return(say_operator(name, lang, args, outer))
  }
  if (name == "!" && length(args) == 1) return(say_not(lang, args[[1]], outer))
  if (name == "c") return(listed(vapply(args, say, character(1), 5), 12, "or"))
  words <- if (name == "first_true") {
    say_choice(args)
  } else {
    say_function(name, args_in_order(name, args))
  }
  if (is.null(words)) lang_text(lang) else words
}

say_operator <- function(name, lang, args, outer) {
  template <- word_templates[[name]]
  level <- as.numeric(template[2])
  operands <- if (name %in% c("&", "|")) same_chain(lang, name) else args
  # Parentheses here, because "a and b or c" is ambiguous.
  within <- if (name == "|") 3 else level
  words <- paste(
    vapply(operands, say, character(1), within),
    collapse = template[1]
  )
  if (outer > level) paste0("(", words, ")") else words
}

say_not <- function(lang, inner, outer) {
  if (call_name(inner) == "!") {
    operand <- signed_operand(lang)
    return(if (count_negations(lang) %% 2) {
      say(call("!", operand), outer)
    } else {
      say(operand, outer)
    })
  }
  closed <- !is.call(inner) || identical(inner[[1]], quote(`(`))
  paste0("not ", if (closed) say(inner, 3) else paste0("(", say(inner, 0), ")"))
}

text_verbs <- c(
  contains = "contains", like = "is like", matches = "matches",
  startsWith = "starts with", endsWith = "ends with"
)

# Functions that have words of their own, else NULL.
say_function <- function(name, args) {
  n <- length(args)
  words <- lapply(args, function(a) if (is.logical(a)) "" else say(a, 5))
  if (name == "absent" && n == 1) return(paste(words[[1]], "is absent"))
  if (name == "present" && n == 1) return(paste(words[[1]], "is present"))
  if (name == "between" && n == 3) {
    return(paste(words[[1]], "is between", words[[2]], "and", words[[3]]))
  }
  if (!name %in% names(text_verbs) || n < 2) return(NULL)
  case <- if (identical(args$case, FALSE)) " in any case"
  paste0(words[[1]], " ", text_verbs[[name]], " ", words[[2]], case)
}

# "high" where x is above 5, else "low", absent where that is unknown
say_choice <- function(args) {
  names <- if (is.null(names(args))) rep("", length(args)) else names(args)
  pairs <- args[names == ""]
  if (length(pairs) < 2 || length(pairs) %% 2) return(NULL)
  conditions <- vapply(pairs[c(TRUE, FALSE)], say, "", 0)
  values <- vapply(pairs[c(FALSE, TRUE)], say, "", 5)
  other <- function(name) {
    if (name %in% names) say(args[[name]], 5) else "absent"
  }
  paste0(
    "(", paste0(values, " where ", conditions, collapse = ", else "),
    ", else ", other("if_none"), "; ", other("if_unknown"),
    " where the first that is not no is unknown)"
  )
}

# The arguments of a call in the order of the table, by name, where they fit
# there.
args_in_order <- function(name, args) {
  params <- names(language_function(name)$params)
  given <- names(args)
  if (is.null(params) || is.null(given) && length(args) > length(params)) {
    return(args)
  }
  if (is.null(given)) given <- rep("", length(args))
  if (!all(given %in% c("", params)) ||
    length(args) > length(params) ||
    "..." %in% params) {
    return(args)
  }
  given[given == ""] <- setdiff(params, given)[seq_len(sum(given == ""))]
  names(args) <- given
  args[intersect(params, given)]
}

# The operands of a chain of one operator, left to right.
same_chain <- function(lang, name) {
  operands <- list()
  while (is.call(lang) && length(lang) == 3 && call_name(lang) == name) {
    operands[length(operands) + 1L] <- list(lang[[3]])
    lang <- lang[[2]]
  }
  rev(c(operands, list(lang)))
}

said_value <- function(value) {
  if (length(value) == 1) {
    return(if (inherits(value, "Date")) format(value) else value_code(value))
  }
  listed(
    vapply(
      seq_along(value), function(i) said_value(unname(value[i])), character(1)
    ),
    12,
    "or"
  )
}
