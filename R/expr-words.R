# Reader: an expression in plain words, from R's parse alone.

expression_words <- function(lang) say(lang, 0)

word_templates <- list(
  `==` = c(" is ", 4), `!=` = c(" is not ", 4), `<` = c(" is below ", 4),
  `<=` = c(" is at most ", 4),
  `>` = c(" is above ", 4), `>=` = c(" is at least ", 4), `%in%` = c(" is one of ", 4),
  `&` = c(" and ", 2), `|` = c(" or ", 1))

say <- function(lang, outer) {
  if (!is.call(lang)) return(if (is.symbol(lang)) as.character(lang) else said_value(lang))
  name <- as.character(lang[[1]])[1]
  args <- given_arguments(lang)
  if (name == "(") return(paste0("(", say(args[[1]], 0), ")"))
  if (name %in% c("&", "|") && length(args) == 2) {
    level <- if (name == "&") 2 else 1
    words <- paste(vapply(same_chain(lang, name), say, character(1), level),
                   collapse = word_templates[[name]][1])
    return(if (outer > level) paste0("(", words, ")") else words)
  }
  if (name %in% names(word_templates) && length(args) == 2) {
    template <- word_templates[[name]]
    level <- as.numeric(template[2])
    words <- paste0(say(args[[1]], level), template[1], say(args[[2]], level))
    return(if (outer > level) paste0("(", words, ")") else words)
  }
  if (name == "!" && call_name(args[[1]]) == "!") {
    inner <- signed_operand(lang)
    turns <- count_negations(lang)
    return(if (turns %% 2) say(call("!", inner), outer) else say(inner, outer))
  }
  if (name == "!" && length(args) == 1) {
    return(
      paste0("not ",
             if (is.call(args[[1]]) && !identical(args[[1]][[1]], quote(`(`)))
               paste0("(", say(args[[1]], 0), ")") else say(args[[1]], 3)))
  }
  args <- args_in_order(name, args)
  if (name == "absent" && length(args) == 1) return(paste(say(args[[1]], 5), "is absent"))
  if (name == "present" && length(args) == 1) return(paste(say(args[[1]], 5), "is present"))
  if (name == "between" && length(args) == 3) {
    return(paste(say(args[[1]], 5), "is between", say(args[[2]], 5), "and", say(args[[3]], 5)))
  }
  verb <- switch(name, contains = "contains", like = "is like", matches = "matches",
                 startsWith = "starts with", endsWith = "ends with", NULL)
  if (!is.null(verb) && length(args) >= 2) {
    case <- if (identical(args$case, FALSE)) " in any case"
    return(paste0(say(args[[1]], 5), " ", verb, " ", say(args[[2]], 5), case))
  }
  if (name == "c") return(listed(vapply(args, say, character(1), 5), 12, "or"))
  lang_text(lang)
}

# The arguments of a call in the order of the table, by name, where they fit there.
args_in_order <- function(name, args) {
  params <- names(language_function(name)$params)
  given <- names(args)
  if (is.null(params) || is.null(given) && length(args) > length(params)) return(args)
  if (is.null(given)) given <- rep("", length(args))
  if (!all(given %in% c("", params)) || length(args) > length(params) || "..." %in% params) {
    return(args)
  }
  given[given == ""] <- setdiff(params, given)[seq_len(sum(given == ""))]
  names(args) <- given
  args[intersect(params, given)]
}

# The operands of a chain of one sign, left to right.
same_chain <- function(lang, name) {
  operands <- list()
  while (is.call(lang) && length(lang) == 3 && call_name(lang) == name) {
    operands[length(operands) + 1L] <- list(lang[[3]])
    lang <- lang[[2]]
  }
  rev(c(operands, list(lang)))
}

said_value <- function(value) {
  if (length(value) == 1) return(if (inherits(value, "Date")) format(value) else value_code(value))
  listed(vapply(seq_along(value), function(i) said_value(unname(value[i])), character(1)), 12, "or")
}
