# The account of columns that a step made.

# How many values a column changes, and how many are absent though what they are made of is there.
account_of_column <- function(column, node, vector, old, state, where) {
  if (state$is_piece && !is.null(old) && state$frame$types[[column]]$kind == "text") {
    need_whole_file()
  }
  changed <- if (is.null(old)) NA_real_
    else count_changed(if (is.null(state$rows)) old else old[state$rows], vector)
  gone <- if (is_as_absent_as_read(node)) 0
    else newly_absent(relation_of(state), vector, columns_read(node))
  if (!state$is_piece) note_newly_absent(column, node, gone, state, where)
  data.frame(name = column, changed = changed, newly_absent = gone)
}

note_newly_absent <- function(column, node, gone, state, where) {
  if (gone == 0 || !is_arithmetic(node)) return()
  take_note(state$notes,
            paste0("`", node$text, "` is absent in ", counted(gone, "row"),
                   " where its columns are present."), where,
            paste0("See them with `pour(out, include(absent(", lang_text(as.name(column)),
                   ")))`."))
}

# Ranks are absent where their column is, and nowhere else.
is_as_absent_as_read <- function(node) {
  node$node == "call" && node$fn == "rank" && node$args[[1]]$node == "column"
}

# Whether an expression does nothing but calculate beside rows.
is_arithmetic <- function(node) {
  if (node$node != "call") return(TRUE)
  language_function(node$fn)$group == "arithmetic" && all(vapply(node$args, is_arithmetic, NA))
}

count_changed <- function(old, new) {
  plain <- function(x) if (is.factor(x)) as.character(x) else x
  old <- plain(old)
  new <- plain(new)
  if (is.numeric(old) != is.numeric(new) || is.character(old) != is.character(new)) {
    old <- as.character(old)
    new <- as.character(new)
  }
  as.numeric(sum(is.na(old) != is.na(new)) + sum(old != new, na.rm = TRUE))
}

note_replaced <- function(account, state) {
  account <- account[!is.na(account$changed), , drop = FALSE]
  if (!nrow(account)) return()
  said <- paste0("`", account$name, "` (", vapply(account$changed, counted, "", one = "value"),
                 " changed)")
  take_note(state$notes, paste0("This step takes the place of ",
                                if (nrow(account) == 1) "column " else "columns ",
                                listed(said, 8), "."), state$where,
            "To keep both give the new column a name of its own.")
}
