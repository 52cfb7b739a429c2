# Types criteria where they are used, each once, however they nest.

# A criterion is typed after those that it names, each of them once, so that
# criteria that stand in one another many deep are no deep calls.
type_criterion <- function(name, typing) {
  typing <- with_typed_criteria(typing)
  nodes <- typing$typed$nodes
  criteria <- typing$scope$criteria
  for (inner in c(untyped_within(name, criteria, nodes), name)) {
    if (is.null(nodes[[inner]])) {
      nodes[[inner]] <- type_one_criterion(inner, criteria, typing)
    }
  }
  nodes[[name]]
}

type_one_criterion <- function(name, criteria, typing) {
  typing$scope$criteria <- criteria[seq_len(match(name, names(criteria)) - 1)]
  typing$in_criterion <- TRUE
  named_node(
    type_condition(criteria[[name]], at_place(typing, criterion_place(name))),
    name
  )
}
criterion_place <- function(name) paste0("In criterion \"", name, "\".")

# Keeps nodes of criteria per context: the meaning of `it`, groups or rows,
# inside an aggregate or not.
with_typed_criteria <- function(typing) {
  means <- typing[c("it", "is_group", "inside_aggregate", "keys")]
  if (!identical(typing$typed$means, means)) {
    typing$typed <- list(means = means, nodes = new.env(parent = emptyenv()))
  }
  typing
}

# The criteria that one names, and those that these name, in the order they were
# written.
untyped_within <- function(name, criteria, nodes) {
  matches <- character()
  ahead <- name
  while (length(ahead)) {
    names_used <- unlist(lapply(
      criteria[ahead], function(criterion) all.vars(criterion$lang)
    ))
    names_used <- setdiff(intersect(names_used, names(criteria)), matches)
    ahead <- names_used[vapply(names_used, function(m) is.null(nodes[[m]]), logical(1))]
    matches <- c(matches, ahead)
  }
  matches[order(match(matches, names(criteria)))]
}

named_node <- function(node, name) {
  node$text <- lang_text(as.name(name))
  node
}
