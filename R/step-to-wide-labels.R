# Finds the labels that become columns of a wide table.

# Texts of the labels in their order, and which each row has.
wide_labels <- function(state, details) {
  parts <- lapply(details$label, function(column) {
    x <- state$frame$columns[[column]]
    if (!is.null(state$rows)) x <- x[state$rows]
    levels <- if (is.factor(x)) {
      levels(x)[tabulate(x, nlevels(x)) > 0]
    } else if (is.character(x)) {
      unique(x[!is.na(x)])
    } else {
      sort(unique(x))
    }
    list(code = match(x, levels), texts = label_texts(levels))
  })
  code <- Reduce(
    function(a, b) (a - 1L) * length(b$texts) + b$code,
    parts[-1],
    parts[[1]]$code
  )
  texts <- Reduce(
    function(a, b) as.vector(t(outer(a, b$texts, paste, sep = "_"))),
    parts[-1],
    parts[[1]]$texts
  )
  occurs <- tabulate(code, length(texts)) > 0
  list(code = match(code, which(occurs)), texts = texts[occurs])
}

check_labels_present <- function(state, label) {
  for (column in label) {
    x <- state$frame$columns[[column]]
    absent <- sum(is.na(if (is.null(state$rows)) x else x[state$rows]))
    if (absent > 0) stop_absent_label(column, absent, state)
  }
}
stop_absent_label <- function(column, n, state) {
  stop_neatly(
    "run",
    paste0("The label `", column, "` is absent in ", counted(n, "row"), "."),
    state$where,
    paste0(
      "Leave them out before: `include(present(", lang_text(as.name(column)),
      "))`."
    )
  )
}

# Whether each group has a row of each label. Where it has none, and a row
# without a label, that is not known.
labels_there <- function(group, code, n, labels) {
  has <- matrix(FALSE, n, labels)
  has[cbind(group, code)[!is.na(code), , drop = FALSE]] <- TRUE
  open <- seq_len(n) %in% group[is.na(code)]
  lapply(
    seq_len(labels), function(j) ifelse(has[, j], TRUE, ifelse(open, NA, FALSE))
  )
}

label_texts <- function(x) {
  if (is.numeric(x) && !is.object(x)) {
    vapply(x, number_code, "")
  } else {
    as.character(x)
  }
}
