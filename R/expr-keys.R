# Keys: the expressions rows are grouped by, in tables (`by`) and figures
# (`panels`).

# `by = apiary`, `by = c(apiary, year = year(visit_date))`, `by = "apiary"`, as
# expressions with names; a key without a name is named by its text.
capture_keys <- function(lang, env) {
  if (is.null(lang)) return(list())
  lang <- splice(lang, env)
  items <- if (call_name(lang) == "c") given_arguments(lang) else list(lang)
  names <- names(items)
  if (is.null(names)) names <- rep("", length(items))
  keys <- list()
  for (i in seq_along(items)) {
    item <- items[[i]]
    if (is_key_pick(item)) {
      keys[[if (names[i] == "") {
        lang_text(item)
      } else {
        names[i]
      }]] <- new_expression(item)
    } else if (is.character(item)) {
      for (text in item) {
        keys[[if (names[i] == "" || length(item) > 1) {
          text
        } else {
          names[i]
        }]] <- new_expression(column_symbol(text))
      }
    } else {
      expression <- capture_expression(item, env)
      keys[[if (names[i] == "") key_name(expression) else names[i]]] <-
        expression
    }
  }
  keys
}

# Whether a key picks columns: a range, a pattern, or a word of picks.
is_key_pick <- function(lang) {
  if (is_text(lang)) return(grepl("[*?]", lang))
  call_name(lang) %in% c(":", pick_words)
}

# Keys with the columns that picks among them find in their place.
expanded_keys <- function(keys, typing, argument) {
  is_pick <- vapply(keys, function(key) is_key_pick(key$lang), NA)
  if (!any(is_pick)) return(keys)
  whole <- list()
  for (i in seq_along(keys)) {
    if (!is_pick[i]) {
      whole[names(keys)[i]] <- keys[i]
      next
    }
    columns <- resolve_picks(
      list(keys[[i]]$lang), typing, paste0("`", argument, "`")
    )
    for (column in columns) whole[[column]] <- new_expression(as.name(column))
  }
  whole
}

# A text as the name of a column.
column_symbol <- function(text) {
  if (is_text(text)) return(as.name(text))
  stop_neatly(
    "expression",
    "An empty text is no name of a column.",
    NULL,
    "Write the column's name."
  )
}

# A key without a name is called by its column, or by its text.
key_name <- function(expression) {
  if (is.symbol(expression$lang)) {
    as.character(expression$lang)
  } else {
    expression_text(expression)
  }
}

check_keys <- function(
  keys, typing, argument, taken = character(), taken_by = "a statistic"
) {
  keys <- expanded_keys(keys, typing, argument)
  # Tables lead with the subset where there are subsets alone.
  if (!length(typing$scope$subsets)) taken <- setdiff(taken, "subset")
  clash <- intersect(names(keys), taken)
  if (length(clash)) {
    renamed <- paste0(clash[1], "_key = ", expression_text(keys[[clash[1]]]))
    code <- if (endsWith(argument, "()")) {
      sub("()", paste0("(", renamed, ")"), argument, fixed = TRUE)
    } else {
      paste0(argument, " = c(", renamed, ")")
    }
    stop_neatly(
      "step",
      paste0("The key `", clash[1], "` has the name of ", taken_by, "."),
      where_of(typing),
      paste0("Give it another name: `", code, "`.")
    )
  }
  nodes <- lapply(stats::setNames(nm = names(keys)), function(name) {
    inner <- at_place(typing, paste0("In `", argument, "`."))
    node <- type_expression(keys[[name]], inner)
    if (node$node == "constant") {
      stop_neatly(
        "expression",
        paste0(
          "`", node$text, "` is the same for all rows and makes no groups."
        ),
        where_of(inner)
      )
    }
    node
  })
  guard_weeks(nodes, typing)
  nodes
}

keys_words <- function(keys, lead = " by ") {
  if (length(keys)) {
    paste0(
      lead,
      listed(
        vapply(
          names(keys),
          function(n) {
            t <- expression_text(keys[[n]])
            if (key_name(keys[[n]]) == n) n else paste0(n, " (", t, ")")
          },
          character(1)
        ),
        12
      )
    )
  }
}
