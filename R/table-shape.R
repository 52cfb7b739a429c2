# Shapes of tables: empty groups, totals, one row per group.

table_of_columns <- function(columns) {
  structure(
    columns,
    class = "data.frame",
    row.names = .set_row_names(length(columns[[1]]))
  )
}

# Tables of a run print with their keys' absent values named, and carry how
# columns are called.
finished_table <- function(
  table, keys = character(), called = NULL, digits = NULL
) {
  structure(
    table,
    keys = keys,
    called = called,
    digits = digits,
    class = c("neatsieve_table", "data.frame")
  )
}

# How key columns are called, where that is another name: for headings of their
# columns.
keys_called <- function(nodes, state) {
  called <- vapply(nodes, function(node) {
    if (node$node == "column") state_label(state, node$name) else ""
  }, "")
  called[!called %in% c("", names(called))]
}

interaction_words <- function(keys) {
  do.call(paste, c(lapply(unname(as.list(keys)), as.character), sep = "\002"))
}

# Rows of `all` at the end of a table, with "(all)" for the keys.
bind_total <- function(table, all, keys) {
  for (key in keys) all[[key]] <- rep(NA, nrow(all))
  if (!nrow(all)) return(table)
  for (key in keys) {
    text <- as.character(panel_key_text(table[[key]]))
    text[is.na(table[[key]])] <- NA
    is_category <- is.factor(table[[key]])
    table[[key]] <- if (is_category) {
      factor(text, c(levels(table[[key]]), "(all)"), ordered = FALSE)
    } else {
      text
    }
    all[[key]] <- if (is_category) factor("(all)", levels(table[[key]])) else "(all)"
  }
  one_below_other(list(table, all[names(table)]))
}

# Rows for the combinations of categories that do not occur; `zero` names
# columns that are 0 there.
with_empty_groups <- function(table, keys, columns, zero) {
  if (!length(keys)) return(table)
  choices <- lapply(stats::setNames(nm = keys), function(k) {
    v <- table[[k]]
    if (!is.factor(v)) return(unique(v))
    c(
      factor(levels(v), levels(v), ordered = is.ordered(v)), unique(v[is.na(v)])
    )
  })
  if (length(columns)) choices$column <- columns
  grid <- rev(expand.grid(
    rev(choices),
    stringsAsFactors = FALSE,
    KEEP.OUT.ATTRS = FALSE
  ))
  at <- match(interaction_words(grid), interaction_words(table[names(choices)]))
  others <- as.list(table)[setdiff(names(table), names(choices))]
  full <- table_of_columns(c(as.list(grid), lapply(others, `[`, at)))
  for (count in intersect(zero, names(full))) full[[count]][is.na(at)] <- 0L
  absent_values <- vapply(keys, function(k) is.na(grid[[k]]), logical(nrow(grid))) |
    FALSE
  keep <- !is.na(at) | rowSums(matrix(absent_values, nrow(grid))) == 0
  full <- full[keep, names(table), drop = FALSE]
  rownames(full) <- NULL
  full
}

# One row per group: <column>_<statistic>, columns in the order `columns`;
# `fixed` stay as they are.
widen <- function(table, keys, fixed, columns) {
  if (!"column" %in% names(table) || !nrow(table)) return(table)
  group <- if (length(keys)) {
    interaction_code(table[keys])
  } else {
    rep(1L, nrow(table))
  }
  fixed <- intersect(names(table), fixed)
  shown <- setdiff(names(table), c(keys, fixed, "column"))
  first <- !duplicated(group)
  out <- as.list(table[first, keys, drop = FALSE])
  for (column in columns) {
    at <- match(unique(group), ifelse(table$column == column, group, NA))
    for (s in shown) out[[paste0(column, "_", s)]] <- table[[s]][at]
  }
  table_of_columns(c(out, as.list(table[first, fixed, drop = FALSE])))
}

# Columns that are no numbers, texts, dates or logicals go into no other shape.
refuse_other_kinds <- function(columns, typing) {
  for (column in columns) {
    if (typing$scope$columns[[column]]$kind != "other") next
    stop_neatly(
      "expression",
      paste0(
        "Column `", column, "` cannot be compared: it is of class ",
        typing$scope$columns[[column]]$class, "."
      ),
      where_of(typing),
      "Leave it out with `pick_columns()` before."
    )
  }
}

# Labels as the kind asked for; categories in the order met.
labels_of_kind <- function(text, kind, name, typing) {
  if (kind == "category") return(factor(text, unique(text)))
  turned <- as_asked_kind(text, name, kind, where_of(typing))
  if (length(turned$rows)) {
    stop_neatly(
      "step",
      paste0(
        "The label ", quoted(turned$texts[1]), " is no ", sub(" .*", "", kind),
        "."
      ),
      where_of(typing),
      "Take the part that is one with `label_pattern`, or choose another `label_kind`."
    )
  }
  turned$values
}

# Very wide tables would exhaust memory, and nobody could read them.
most_wide <- c(columns = 10000, cells = 1e8)
refuse_too_wide <- function(rows, columns, where, instead) {
  if (columns <= most_wide[["columns"]] &&
    rows * columns <= most_wide[["cells"]]) {
    return(invisible())
  }
  stop_neatly(
    "run",
    paste0(
      "The wide table would have ", counted(rows, "row"), " and ",
      counted(columns, "column"), "; the limit is ",
      format_count(most_wide[["columns"]]), " columns and ",
      format_count(most_wide[["cells"]]), " cells."
    ),
    where,
    instead
  )
}

# Values that become names of columns, beside those that are there.
check_wide_names <- function(new, there, where, instead) {
  twice <- c(intersect(new, there), new[duplicated(new)])
  if (!length(twice)) return()
  stop_neatly(
    "run",
    paste0("Two columns would be called `", twice[1], "`."),
    where,
    instead
  )
}
