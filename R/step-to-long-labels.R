# Labels of the rows that to_long() makes, from the names of columns.

# What each column is called in the long table: the labels, and for each value
# column the columns that go with them (NA where there is none).
label_table <- function(step, sets, typing) {
  of_set <- Map(
    function(columns, picks) column_labels(step, columns, picks, typing),
    sets,
    if (length(step$sets)) step$sets else list(step$picks)
  )
  keys <- lapply(of_set, function(parts) do.call(paste, c(parts, sep = "\r")))
  for (i in seq_along(keys)) {
    if (anyDuplicated(keys[[i]])) {
      twice <- sets[[i]][keys[[i]] == keys[[i]][anyDuplicated(keys[[i]])]]
      stop_neatly(
        "step",
        paste0(
          "Columns ", listed(ticked(twice)), " have one label ",
          quoted(gsub("\r", " / ", keys[[i]][anyDuplicated(keys[[i]])])), "."
        ),
        where_of(typing),
        "Let the pattern tell them apart."
      )
    }
  }
  all <- unique(unlist(keys, use.names = FALSE))
  from <- match(all, unlist(keys, use.names = FALSE))
  parts <- lapply(seq_along(step$label_as), function(j) {
    unlist(lapply(of_set, `[[`, j), use.names = FALSE)[from]
  })
  kinds <- rep_len(step$label_kind, length(step$label_as))
  values <- Map(
    function(text, kind, name) labels_of_kind(text, kind, name, typing),
    parts,
    kinds,
    step$label_as
  )
  list(
    values = stats::setNames(values, step$label_as),
    sets = Map(function(columns, key) columns[match(all, key)], sets, keys)
  )
}

# Labels of some columns, a vector for each of `label_as`.
column_labels <- function(step, columns, picks, typing) {
  if (!is.null(step$label_pattern)) {
    return(labels_by_pattern(step, columns, typing))
  }
  if (!length(step$sets)) return(list(columns))
  pick <- if (length(picks) == 1) picks[[1]]
  if (!is_text(pick) ||
    lengths(regmatches(pick, gregexpr("*", pick, fixed = TRUE))) != 1) {
    stop_neatly(
      "step",
      "It is not clear which columns belong together.",
      where_of(typing),
      "Pick each set by a pattern with one `*`, or give `label_pattern`."
    )
  }
  ends <- strsplit(paste0(pick, " "), "*", fixed = TRUE)[[1]]
  list(substring(
    columns, nchar(ends[1]) + 1, nchar(columns) - nchar(ends[2]) + 1
  ))
}

labels_by_pattern <- function(step, columns, typing) {
  whole <- paste0("^(?:", step$label_pattern, ")$")
  result <- tryCatch(
    regmatches(columns, regexec(whole, columns, perl = TRUE)),
    error = function(e) NULL,
    warning = function(w) NULL
  )
  if (is.null(result)) {
    stop_neatly(
      "step",
      paste0(
        "`label_pattern` ", quoted(step$label_pattern),
        " is no regular expression."
      ),
      where_of(typing),
      "Check its parentheses and brackets."
    )
  }
  missed <- columns[lengths(result) == 0]
  if (length(missed)) {
    stop_neatly(
      "step",
      paste0(
        "`label_pattern` ", quoted(step$label_pattern),
        " does not fit the name of column `", missed[1], "`."
      ),
      where_of(typing),
      "It has to fit whole names."
    )
  }
  groups <- lengths(result)[1] - 1
  if (groups != length(step$label_as)) {
    stop_neatly(
      "step",
      paste0(
        "`label_pattern` has ", counted(groups, "group"), ", and `label_as` ",
        counted(length(step$label_as), "name"), "."
      ),
      where_of(typing),
      "Put ( ) around each label."
    )
  }
  lapply(seq_len(groups), function(j) vapply(result, `[[`, "", j + 1))
}

# The one type of some columns.
long_type <- function(columns, typing) {
  types <- typing$scope$columns[columns]
  type <- types[[1]]
  refuse_other_kinds(columns, typing)
  for (i in seq_along(types)[-1]) {
    next_type <- tryCatch(
      joined_type(type, types[[i]], columns[i], "", typing),
      neatsieve_error = function(e) NULL
    )
    if (is.null(next_type)) {
      stop_neatly(
        "step",
        paste0(
          "Columns `", columns[1], "` and `", columns[i],
          "` cannot stand in one column: the first is ", kind_words(type),
          ", the other ", kind_words(types[[i]]), "."
        ),
        where_of(typing),
        "Make them of one kind first, or give them value columns of their own."
      )
    }
    type <- next_type
  }
  type
}
