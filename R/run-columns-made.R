# The account of columns that a step made.

# How many values a column changes, and how many are absent though what they are
# made of is there.
account_of_column <- function(column, node, vector, old, state) {
  changed <- if (is.null(old)) {
    NA_real_
  } else {
    count_changed(if (is.null(state$rows)) old else old[state$rows], vector)
  }
  relation <- relation_of(state)
  absent_values <- absent_results(relation, vector, columns_read(node))
  open <- undecided_choices(node)
  counts <- vapply(open, function(choice) {
    if (absent_values$absent == 0) 0 else sum(outcomes(relation, list(choice))[[1]] == 2)
  }, 0)
  new_column_account(column, changed, absent_values, counts)
}

# What is said of a column that was made, once all rows are through.
note_column <- function(account, node, state, where) {
  open <- account$undecided[account$undecided > 0]
  for (text in names(open)) {
    note_undecided(text, open[[text]], account, state, where)
  }
  if (!length(open)) {
    note_newly_absent(account$name, node, account$newly_absent, state, where)
  }
}

# Choices of which no condition decides some rows, and that say nothing of
# these: for each, by its text, the condition that is yes in such rows.
undecided_choices <- function(node) {
  if (node$node != "call" || is_aggregate(node)) return(list())
  inner <- unlist(
    lapply(unname(node$args), undecided_choices),
    recursive = FALSE
  )
  if (node$fn != "first_true" || node$args$if_unknown$kind != "absent") {
    return(inner)
  }
  own <- undecided_node(node$args[names(node$args) == "cond"])
  c(inner, stats::setNames(list(own), node$text))
}

# Yes where the first condition that is not no is unknown.
undecided_node <- function(conditions) {
  logical <- new_type("logical")
  of <- function(value) constant_node(value, logical, value_code(value))
  pairs <- lapply(unname(conditions), function(condition) {
    list(
      cond = call_node("is_unknown", list(cond = condition), logical),
      value = of(TRUE),
      cond = condition,
      value = of(FALSE)
    )
  })
  call_node(
    "first_true",
    c(
      unlist(pairs, recursive = FALSE),
      list(if_none = of(FALSE), if_unknown = of(FALSE))
    ),
    logical
  )
}

note_undecided <- function(text, rows, account, state, where) {
  because <- absence_words(account$of)
  lang <- str2lang(text)
  lang$if_unknown <- "unknown"
  is_text <- state$frame$types[[account$name]]$kind %in% c("text", "category")
  take_note(
    state$notes,
    paste0(
      "`", text, "` is undecided in ", counted(rows, "row"),
      if (!is.na(because)) paste0(" (", because, ")"), ": absent there."
    ),
    where,
    c(
      paste0(
        "See them with `pour(out, include(absent(",
        lang_text(as.name(account$name)), ")))`."
      ),
      if (is_text) paste0("To give them a value write `", lang_text(lang), "`.")
    )
  )
}

note_newly_absent <- function(column, node, gone, state, where) {
  if (gone == 0 || !is_arithmetic(node)) return()
  take_note(
    state$notes,
    paste0(
      "`", node$text, "` is absent in ", counted(gone, "row"),
      " where its columns are present."
    ),
    where,
    paste0(
      "See them with `pour(out, include(absent(", lang_text(as.name(column)),
      ")))`."
    )
  )
}

# Whether an expression does nothing but calculate beside rows.
is_arithmetic <- function(node) {
  if (node$node != "call") return(TRUE)
  language_function(node$fn)$group == "arithmetic" &&
    all(vapply(node$args, is_arithmetic, NA))
}

count_changed <- function(old, new) {
  plain <- function(x) if (is.factor(x)) as.character(x) else x
  old <- plain(old)
  new <- plain(new)
  if (is.numeric(old) != is.numeric(new) ||
    is.character(old) != is.character(new)) {
    old <- as.character(old)
    new <- as.character(new)
  }
  as.numeric(sum(is.na(old) != is.na(new)) + sum(old != new, na.rm = TRUE))
}

note_replaced <- function(accounts, state) {
  accounts <- Filter(function(a) !is.na(a$changed), accounts)
  if (!length(accounts)) return()
  words <- vapply(accounts, function(a) {
    paste0("`", a$name, "` (", counted(a$changed, "value"), " changed)")
  }, "")
  take_note(
    state$notes,
    paste0(
      "This step takes the place of ",
      if (length(accounts) == 1) "column " else "columns ", listed(words, 8), "."
    ),
    state$where,
    "To keep both give the new column a name of its own."
  )
}
