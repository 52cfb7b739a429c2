# Roles of a chart's expressions: their types and nodes.

# What each role is here: a value is a number, or a summary where it holds an
# aggregate.
role_types <- function(roles, about) {
  types <- about$roles[names(roles)]
  for (role in names(types)[types == "value"]) {
    types[[role]] <- if (calls_aggregate(roles[[role]]$lang)) "summary" else "number"
  }
  types
}

role_nodes <- function(roles, types, panel_nodes, about, typing) {
  nodes <- list()
  for (role in names(types)[types != "summary"]) {
    nodes[[role]] <- if (role == "weights") {
      typed_weights(roles[[role]], typing)
    } else {
      type_role(roles[[role]], role, types[[role]], about$kind, typing)
    }
  }
  keys <- nodes[names(types)[types %in% c("key", "measure")]]
  columns <- Filter(function(n) n$node == "column", keys)
  by_column <- stats::setNames(
    columns, vapply(columns, function(n) n$name, character(1))
  )
  for (role in names(types)[types == "summary"]) {
    inner <- at_place(per_group(typing), paste0("In `", role, "`."))
    nodes[[role]] <- type_summary(roles[[role]], inner, c(panel_nodes, by_column))
    if (!nodes[[role]]$kind %in% numeric_kinds) {
      stop_neatly(
        "expression",
        paste0(
          "`", role, "` is ", kind_words(nodes[[role]]),
          ", and a chart shows numbers."
        ),
        where_of(inner),
        paste0("Write a statistic, as in `", role, " = mean(honey_kg)`.")
      )
    }
    nodes[[role]] <- with_step_weights(nodes[[role]], nodes$weights, inner)
  }
  nodes
}

# Each role by its type; what does not fit is an error that says what would.
type_role <- function(expression, role, type, kind, typing) {
  inner <- at_place(typing, paste0("In `", role, "`."))
  node <- type_expression(expression, inner)
  wanted <- switch(type,
    number = numeric_kinds,
    measure = c(numeric_kinds, "date", "date-time"),
    key = c(
      numeric_kinds, "text", "category", "logical", "date", "date-time",
      "absent"
    )
  )
  if (node$node == "constant" ||
    (!node$kind %in% c(wanted, if (type != "key") "absent"))) {
    stop_neatly(
      "expression",
      paste0(
        "`", role, "` of `chart_", kind, "()` shows ",
        switch(type,
          number = "numbers",
          measure = "numbers or dates",
          "groups"
        ),
        ", and `", node$text, "` is ",
        if (node$node == "constant") {
          "the same for all rows"
        } else {
          kind_words(node)
        },
        "."
      ),
      where_of(inner),
      if (node$kind == "text" && node$node != "constant") {
        paste0(
          "If it holds numbers write `", role, " = as_number(", node$text, ")`."
        )
      } else {
        paste0("Choose a column of another kind for `", role, "`.")
      }
    )
  }
  node
}

calls_aggregate <- function(lang) {
  is.call(lang) &&
    (isTRUE(language_function(as.character(lang[[1]])[1])$aggregate) ||
      any(vapply(as.list(lang)[-1], calls_aggregate, logical(1))))
}
