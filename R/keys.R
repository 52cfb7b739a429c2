# Keys: the expressions rows are grouped by, in tables (`by`) and figures (`panels`).

# `by = apiary`, `by = c(apiary, year = year(visit_date))`, `by = "apiary"`, as expressions with
# names; a key without a name is named by its text.
capture_keys <- function(lang, env) {
  if (is.null(lang)) return(list())
  lang <- splice(lang, env)
  items <- if (call_name(lang) == "c") given_arguments(lang) else list(lang)
  names <- names(items)
  if (is.null(names)) names <- rep("", length(items))
  keys <- list()
  for (i in seq_along(items)) {
    item <- items[[i]]
    if (is.character(item)) {
      for (text in item) keys[[if (names[i] == "" || length(item) > 1) text else names[i]]] <-
        new_expression(column_symbol(text))
    } else {
      expression <- capture_expression(item, env)
      keys[[if (names[i] == "") key_name(expression) else names[i]]] <- expression
    }
  }
  keys
}

# A text as the name of a column.
column_symbol <- function(text) {
  if (is_text(text)) return(as.name(text))
  stop_neatly("expression", "An empty text is no name of a column.", NULL,
              "Write the column's name.")
}

# A key without a name is called by its column, or by its text.
key_name <- function(expression) {
  if (is.symbol(expression$lang)) as.character(expression$lang) else expression_text(expression)
}

keys_plan <- function(keys) {
  if (!length(keys)) return(NULL)
  unname(lapply(names(keys), function(n) {
    text <- expression_text(keys[[n]])
    if (key_name(keys[[n]]) == n) text else stats::setNames(list(text), n)
  }))
}

keys_from_plan <- function(spec, where) {
  keys <- list()
  for (item in plan_items(spec)) {
    texts <- if (is.list(item)) item else stats::setNames(list(item), "")
    for (i in seq_along(texts)) {
      name <- names(texts)[i]
      text <- texts[[i]]
      if (!is_text(text)) {
        stop_neatly("plan", "A key must be one text, or a name with one.", where,
                    "Write `by: [apiary, {year: year(visit_date)}]`.")
      }
      # A plain column name may hold spaces; anything else is an expression.
      key <- tryCatch(expression_from_text(text, where),
                      error = function(e) new_expression(column_symbol(text)))
      keys[[if (name == "") key_name(key) else name]] <- key
    }
  }
  keys
}

check_keys <- function(keys, typing, argument, taken = character(), taken_by = "a statistic") {
  clash <- intersect(names(keys), taken)
  if (length(clash)) {
    renamed <- paste0(clash[1], "_key = ", expression_text(keys[[clash[1]]]))
    code <- if (endsWith(argument, "()"))
      sub("()", paste0("(", renamed, ")"), argument, fixed = TRUE)
      else paste0(argument, " = c(", renamed, ")")
    stop_neatly("step", paste0("The key `", clash[1], "` has the name of ", taken_by, "."),
                where_of(typing),
                paste0("Give it another name: `", code, "`."))
  }
  lapply(stats::setNames(nm = names(keys)), function(name) {
    inner <- at_place(typing, paste0("In `", argument, "`."))
    node <- type_expression(keys[[name]], inner)
    if (node$node == "constant") {
      stop_neatly("expression",
                  paste0("`", node$text, "` is the same for all rows and makes no groups."),
                  where_of(inner))
    }
    node
  })
}

# Codes of a key for all rows of the frame, in the order groups appear in: category order,
# rising numbers and dates, text by code point; with the values codes stand for. Codes of a
# column are worked out once per frame.
key_codes <- function(node, frame, rows) {
  if (!is_plain_column(node)) {
    return(
      vector_codes(spread_over(evaluate_node(node, frame, rows), rows, frame$n, NULL), frame$n))
  }
  kept_in(frame$keys, node$name, {
    if (node$kind == "text") sorted_codes(frame_codes(frame, node$name))
    else vector_codes(frame$columns[[node$name]], frame$n)
  })
}

# Codes of texts in the order of their code points.
sorted_codes <- function(coded) {
  rank <- code_point_rank(coded$values)
  if (identical(rank, seq_along(rank))) return(coded)
  list(codes = rank[coded$codes], values = coded$values[order(rank)])
}

vector_codes <- function(vector, n) {
  if (is.factor(vector)) {
    return(
      list(codes = vector,
           values = factor(levels(vector), levels(vector), ordered = is.ordered(vector))))
  }
  if (is.numeric(vector) || inherits(vector, c("Date", "POSIXct"))) {
    coded <- core_code_whole(vector, min(2^24, max(4 * n, 1000)))
    if (!is.null(coded)) {
      coded$values <- if (is.integer(vector) && !is.object(vector)) as.integer(coded$values) else {
        attributes(coded$values) <- attributes(vector[0])
        coded$values
      }
      return(coded)
    }
  }
  values <- sort(unique(vector), method = "radix")
  list(codes = match(vector, values, incomparables = NA), values = values)
}

# Groups of the rows in play, as the core takes them, and a data frame of their keys. Groups of
# all rows by columns are worked out once per frame.
group_rows <- function(nodes, frame, rows) {
  plain <- vapply(nodes, is_plain_column, logical(1))
  if (!is.null(rows) || !length(nodes) || !all(plain)) return(make_groups(nodes, frame, rows))
  columns <- vapply(nodes, `[[`, character(1), "name")
  # Quoted, so that no two lists of names look alike.
  label <- paste(encodeString(c(rbind(columns, names(nodes))), quote = "\""), collapse = ",")
  kept_in(frame$groups, label, make_groups(nodes, frame, rows),
          keep = function(made) made$groups <= max(1000, frame$n / 2))
}

make_groups <- function(nodes, frame, rows) {
  n <- if (is.null(rows)) frame$n else length(rows)
  if (!length(nodes)) return(one_group(n))
  coded <- lapply(nodes, key_codes, frame = frame, rows = rows)
  codes <- unname(lapply(coded, `[[`, "codes"))
  levels <- vapply(coded, function(k) length(k$values), integer(1), USE.NAMES = FALSE)
  if (core_cell_count(levels) < 0) {
    # Too many combinations for a place each: those that occur are numbered.
    dense <- core_dense_codes(codes, levels, frame$n)
    grouped <- core_group(list(dense$codes), length(dense$first), rows, frame$n, thread_count())
    key_of_group <- lapply(codes, function(k) {
      k <- as.integer(k)[dense$first[grouped$keys[[1]]]]
      k[is.na(k)] <- 0L
      k
    })
    codes <- list(dense$codes)
    levels <- length(dense$first)
  } else {
    grouped <- core_group(codes, levels, rows, frame$n, thread_count())
    key_of_group <- grouped$keys
  }
  keys <- Map(function(k, code) k$values[ifelse(code == 0, NA, code)], coded, key_of_group)
  new_grouping(codes = codes, levels = levels, group_of_cell = grouped$group_of_cell,
               rows_per_group = grouped$rows_per_group,
               keys = stats::setNames(keys, names(nodes)))
}

# Groups of rows: a handle of the core's grouping, the keys of each group as a data frame and how
# many rows it has; then what leads from codes of keys to groups.
new_grouping <- function(codes, levels, group_of_cell, rows_per_group, keys) {
  groups <- length(rows_per_group)
  if (!is.data.frame(keys)) {
    keys <- structure(keys, class = "data.frame", row.names = .set_row_names(groups))
  }
  new_record("grouping",
             list(handle = core_grouping(codes, levels, group_of_cell, rows_per_group),
                  keys = keys, rows_per_group = rows_per_group, groups = groups, codes = codes,
                  levels = levels, group_of_cell = group_of_cell))
}

# All rows as one group.
one_group <- function(n) {
  keys <- structure(list(), class = "data.frame", row.names = .set_row_names(1L))
  new_grouping(codes = list(), levels = integer(), group_of_cell = 0L, rows_per_group = n,
               keys = keys)
}

# The same groups of fewer rows.
with_rows_per_group <- function(grouping, rows_per_group) {
  new_grouping(codes = grouping$codes, levels = grouping$levels,
               group_of_cell = grouping$group_of_cell, rows_per_group = rows_per_group,
               keys = grouping$keys)
}

keys_words <- function(keys, lead = " by ") {
  if (length(keys)) paste0(lead, listed(vapply(names(keys), function(n) {
    t <- expression_text(keys[[n]])
    if (key_name(keys[[n]]) == n) n else paste0(n, " (", t, ")")
  }, character(1)), 12))
}

# Values of a key as figures and cross tables show them.
panel_key_text <- function(x) {
  text <- if (inherits(x, c("Date", "POSIXct"))) format(x)
    else if (is.logical(x)) ifelse(x, "yes", "no") else as.character(x)
  ifelse(is.na(x), "(absent)", text)
}
