# Walks chains of one operator in a loop.

signs_before <- function(lang) {
  kind <- if (call_name(lang) == "!") "!" else c("+", "-")
  signs <- character()
  while (is.call(lang) && length(lang) == 2 && call_name(lang) %in% kind) {
    signs <- c(signs, call_name(lang))
    lang <- lang[[2]]
  }
  signs
}

balanced <- function(nodes, op) {
  if (length(nodes) == 1) return(nodes[[1]])
  half <- seq_len(length(nodes) %/% 2)
  sides <- list(balanced(nodes[half], op), balanced(nodes[-half], op))
  call_node(
    op,
    sides,
    new_type("logical"),
    text = paste0(sides[[1]]$text, " ", op, " ", sides[[2]]$text)
  )
}

guard_chain <- function(lang, typing) {
  name <- call_name(lang)
  if (!name %in% c("&", "|")) return()
  while (is.call(lang) && length(lang) == 3 && call_name(lang) == name) {
    guard_half_condition(lang, name, typing)
    if (name == "|" &&
      (call_name(lang[[2]]) == "&" || call_name(lang[[3]]) == "&")) {
      guard_precedence(lang, name, typing)
    }
    lang <- lang[[2]]
  }
}
