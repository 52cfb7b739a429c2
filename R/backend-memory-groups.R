# Groups rows in memory by keys.

# Codes of a key for all rows of the frame, in the order groups appear in:
# category order, rising numbers and dates, text by code point; with the values
# codes stand for. Codes of a column are worked out once per frame.
#' @export
key_codes.default <- function(node, frame, rows) {
  if (!is_plain_column(node)) return(computed_codes(node, frame, rows))
  kept_in(frame$keys, node$name, {
    if (node$kind == "text") {
      sorted_codes(frame_codes(frame, node$name))
    } else {
      vector_codes(frame$columns[[node$name]], frame$n)
    }
  })
}

# Codes of an expression: computed once for several steps over the same rows. If
# it reads one column, it is computed once per distinct value.
computed_codes <- function(node, frame, rows) {
  make <- function() {
    column <- coded_column(node, frame, rows)
    if (!is.null(column)) return(codes_by_value(node, column, frame))
    values <- evaluate_node(node, frame, rows)
    if (is.logical(values)) return(core_code_flags(values, rows, frame$n))
    vector_codes(spread_over(values, rows, frame$n, NULL), frame$n)
  }
  if (calls_custom(node)) {
    make()
  } else {
    kept_of_rows(frame, rows, paste("codes", node_key(node)), make())
  }
}

# The codes of the one column that an expression reads, where it has few
# different values.
coded_column <- function(node, frame, rows) {
  name <- columns_read(node)
  if (length(name) != 1 ||
    !is_by_row(node) ||
    calls_custom(node) ||
    reads_place(node)) {
    return(NULL)
  }
  type <- frame$types[[name]]
  is_given <- node$kind != "category" || !is.null(node$labels)
  if (is.null(type) ||
    !type$kind %in% c("date", "whole", "category") ||
    !is_given) {
    return(NULL)
  }
  coded <- key_codes(column_node(name, type), frame, rows)
  if (length(coded$values) <= frame$n / 20) list(name = name, coded = coded)
}
calls_custom <- function(node) {
  node$node == "call" &&
    (node$fn == "custom" || any(vapply(node$args, calls_custom, NA)))
}
reads_place <- function(node) {
  node$node == "call" &&
    (node$fn == "source_row" || any(vapply(node$args, reads_place, NA)))
}

codes_by_value <- function(node, column, frame) {
  values <- column$coded$values
  # The result for an absent value comes last.
  type <- frame$types[[column$name]]
  small <- new_frame(
    stats::setNames(list(c(values, values[NA_integer_])), column$name),
    stats::setNames(list(type), column$name),
    length(values) + 1L
  )
  result <- vector_codes(evaluate_node(node, small, NULL), small$n)
  list(
    codes = core_recode(
      column$coded$codes,
      as.integer(result$codes),
      thread_count()
    ),
    values = result$values
  )
}

# Codes of texts in the order of their code points.
sorted_codes <- function(coded) {
  rank <- code_point_rank(coded$values)
  if (identical(rank, seq_along(rank))) return(coded)
  list(codes = rank[coded$codes], values = coded$values[order(rank)])
}

vector_codes <- function(vector, n) {
  if (is.factor(vector)) {
    return(list(
      codes = vector,
      values = factor(
        levels(vector),
        levels(vector),
        ordered = is.ordered(vector)
      )
    ))
  }
  if (is.logical(vector)) return(core_code_flags(vector, NULL, n))
  if (is.numeric(vector) || inherits(vector, c("Date", "POSIXct"))) {
    coded <- core_code_whole(vector, min(2^24, max(4 * n, 1000)))
    if (!is.null(coded)) {
      coded$values <- if (is.integer(vector) && !is.object(vector)) {
        as.integer(coded$values)
      } else {
        attributes(coded$values) <- attributes(vector[0])
        coded$values
      }
      return(coded)
    }
  }
  values <- sort(unique(vector), method = "radix")
  list(codes = match(vector, values, incomparables = NA), values = values)
}

# Groups of the rows in play, in the form that the core takes, with a data frame
# of their keys. Groups of all rows by columns are computed once per frame.
#' @export
group_rows.default <- function(nodes, frame, rows) {
  plain <- vapply(nodes, is_plain_column, logical(1))
  if (!is.null(rows) || !length(nodes) || !all(plain)) {
    if (!length(nodes) || any(vapply(nodes, calls_custom, NA))) {
      return(make_groups(nodes, frame, rows))
    }
    name <- paste(
      encodeString(names(nodes), quote = "\""), vapply(nodes, node_key, ""),
      collapse = ","
    )
    return(kept_of_rows(
      frame, rows, paste("groups", name), make_groups(nodes, frame, rows)
    ))
  }
  columns <- vapply(nodes, `[[`, character(1), "name")
  # Quoted, so that no two lists of names look alike.
  label <- paste(
    encodeString(c(rbind(columns, names(nodes))), quote = "\""),
    collapse = ","
  )
  kept_in(
    frame$groups,
    label,
    make_groups(nodes, frame, rows),
    keep = function(made) made$groups <= max(1000, frame$n / 2)
  )
}

make_groups <- function(nodes, frame, rows) {
  n <- if (is.null(rows)) frame$n else length(rows)
  if (!length(nodes)) return(one_group(n, frame$source))
  coded <- lapply(nodes, key_codes, frame = frame, rows = rows)
  codes <- unname(lapply(coded, `[[`, "codes"))
  levels <- vapply(
    coded,
    function(k) length(k$values),
    integer(1),
    USE.NAMES = FALSE
  )
  if (core_cell_count(levels) < 0) {
    # With too many combinations for one cell each, only those that occur are
    # numbered.
    dense <- core_dense_codes(codes, levels, frame$n)
    grouped <- core_group(
      list(dense$codes), length(dense$first), rows, frame$n, thread_count()
    )
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
  keys <- Map(
    function(k, code) k$values[ifelse(code == 0, NA_integer_, code)],
    coded,
    key_of_group
  )
  new_grouping(
    codes = codes,
    levels = levels,
    group_of_cell = grouped$group_of_cell,
    rows_per_group = grouped$rows_per_group,
    keys = stats::setNames(keys, names(nodes)),
    source = frame$source
  )
}

# Groups of rows: a handle of the core's grouping, the keys of each group as a
# data frame and how many rows it has; then what leads from codes of keys to
# groups, and the rows of the study that rows come from (NULL: the same).
new_grouping <- function(
  codes, levels, group_of_cell, rows_per_group, keys, source = NULL
) {
  groups <- length(rows_per_group)
  if (!is.data.frame(keys)) {
    keys <- structure(
      keys,
      class = "data.frame",
      row.names = .set_row_names(groups)
    )
  }
  new_record(
    "grouping",
    list(
      handle = core_grouping(
        codes, levels, group_of_cell, rows_per_group, source
      ),
      keys = keys,
      rows_per_group = rows_per_group,
      groups = groups,
      codes = codes,
      levels = levels,
      group_of_cell = group_of_cell,
      source = source
    )
  )
}

# All rows as one group.
one_group <- function(n, source = NULL) {
  keys <- structure(
    list(),
    class = "data.frame",
    row.names = .set_row_names(1L)
  )
  new_grouping(
    codes = list(),
    levels = integer(),
    group_of_cell = 0L,
    rows_per_group = n,
    keys = keys,
    source = source
  )
}

# The same groups, with other numbers of rows.
with_rows_per_group <- function(grouping, rows_per_group) {
  new_grouping(
    codes = grouping$codes,
    levels = grouping$levels,
    group_of_cell = grouping$group_of_cell,
    rows_per_group = rows_per_group,
    keys = grouping$keys,
    source = grouping$source
  )
}
