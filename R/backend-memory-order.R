# Sorts rows in memory, and finds rows that are equal.

#' @export
sorted_by.neatsieve_memory <- function(relation, nodes, locale = NULL) {
  frame <- relation$frame
  keys <- lapply(
    unname(nodes),
    sort_key_of,
    frame = frame,
    rows = relation$rows,
    locale = locale
  )
  rows <- core_sorted_rows(
    keys, names(nodes) == "falling", relation$rows, frame$n, thread_count()
  )
  new_memory_relation(frame, rows)
}

#' @export
places_sorted.neatsieve_memory <- function(relation, nodes) {
  rows <- sorted_by(relation, nodes)$rows
  if (is.null(relation$rows)) return(rows)
  place <- integer(relation$frame$n)
  place[relation$rows] <- seq_along(relation$rows)
  place[rows]
}

# Sort keys of an expression over the frame: numbers, or the rank of each text.
sort_key_of <- function(node, frame, rows, locale) {
  if (node$kind %in% c("text", "category")) {
    if (node$kind == "text" && !is.null(locale)) {
      return(collated_codes(node, frame, rows, locale))
    }
    return(as.integer(key_codes(node, frame, rows)$codes))
  }
  if (is_plain_column(node)) return(plain_numbers(frame$columns[[node$name]]))
  plain_numbers(spread_over(
    evaluate_node(node, frame, rows), rows, frame$n, NULL
  ))
}

collated_codes <- function(node, frame, rows, locale) {
  coded <- key_codes(node, frame, rows)
  stringi::stri_rank(coded$values, locale = locale)[as.integer(coded$codes)]
}

# Columns as what the core compares: numbers as they are, texts as codes.
comparable_columns <- function(frame, columns) {
  unname(lapply(columns, function(name) {
    vector <- frame$columns[[name]]
    if (is.character(vector) || is.factor(vector)) {
      as.integer(frame_codes(frame, name)$codes)
    } else {
      plain_numbers(vector)
    }
  }))
}

#' @export
alike_rows.neatsieve_memory <- function(relation, columns) {
  n <- count_rows(relation)
  if (!length(columns)) return(rep(1L, n))
  core_first_of_same(
    comparable_columns(relation$frame, columns),
    relation$rows,
    relation$frame$n,
    thread_count()
  )
}

#' @export
repeat_fates.neatsieve_memory <- function(relation, columns) {
  if (!length(columns)) return(as.raw(seq_len(count_rows(relation)) > 1))
  core_repeats(
    comparable_columns(relation$frame, columns),
    relation$rows,
    relation$frame$n,
    thread_count()
  )
}

#' @export
passing_rows.neatsieve_memory <- function(relation, fates) {
  core_passing(fates, relation$rows)
}

#' @export
numbered_rows.neatsieve_memory <- function(relation, columns) {
  core_number_groups(alike_rows(relation, columns))
}

#' @export
extremes.neatsieve_memory <- function(
  relation, node, keys, wanted, highest, all
) {
  x <- if (is_plain_column(node) && is.null(relation$rows)) {
    relation$frame$columns[[node$name]]
  } else {
    worked_out(relation, node)
  }
  if (is.factor(x)) x <- as.integer(x)
  core_extremes(
    as.double(x),
    group_numbers(relation, keys),
    wanted,
    highest,
    all,
    thread_count()
  )
}

#' @export
group_numbers.neatsieve_memory <- function(relation, keys) {
  if (!length(keys)) return(NULL)
  grouping <- group_rows(keys, relation$frame, relation$rows)
  group <- numbers_of_groups(grouping, relation$frame$n)
  if (is.null(relation$rows)) group else group[relation$rows]
}

#' @export
drawn_rows.neatsieve_memory <- function(
  relation, keys, wanted, seed, weights = NULL
) {
  drawn <- drawn_numbers(seed, source_row_of(relation$frame, relation$rows))
  if (!is.null(weights)) {
    drawn <- -log1p(-drawn) / weights
    # Rows with weight 0 are never drawn.
    group <- group_numbers(relation, keys)
    if (is.null(group)) group <- rep(1L, length(weights))
    can <- tabulate(group[weights > 0 & !is.na(weights)], length(wanted))
    wanted <- pmin(wanted, can)
  }
  core_extremes(
    drawn, group_numbers(relation, keys), wanted, FALSE, FALSE, thread_count()
  )$fates
}

# Pseudo-random numbers from 0 to 1 for rows of the study, by a seed.
drawn_numbers <- function(seed, rows) core_drawn_numbers(seed, rows)

# Places in the groups, from 1: which row of its group each is.
#' @export
places_in_groups.neatsieve_memory <- function(relation, keys) {
  group <- group_numbers(relation, keys)
  core_running(
    "row_number",
    numeric(count_rows(relation)),
    group,
    max(1, group),
    list(),
    logical(),
    0,
    FALSE,
    FALSE,
    thread_count()
  )
}
