# Aggregates of groups in memory; see backend-aggregation.R.

#' @export
aggregate_vector.default <- function(node, a) {
  remembered(a, paste0("vector:", node_key(node)), {
    if (node$kind %in% c("text", "category")) {
      as.integer(key_codes(node, a$frame, a$rows)$codes)
    } else if (node$kind == "logical") {
      as.integer(row_vector(node, a))
    } else if (is_plain_column(node)) {
      plain_numbers(a$frame$columns[[node$name]])
    } else {
      plain_numbers(row_vector(node, a))
    }
  })
}

row_vector <- function(node, a) {
  if (is_plain_column(node)) return(a$frame$columns[[node$name]])
  spread_over(evaluate_node(node, a$frame, a$rows), a$rows, a$frame$n, NULL)
}
# A column whose vector is of the kind the node says.
is_plain_column <- function(node) node$node == "column" && !isTRUE(node$empty)
plain_numbers <- function(x) if (is.object(x)) unclass(x) else x

remembered <- function(a, key, value) {
  matches <- a$known[[key]]
  if (is.null(matches)) matches <- a$known[[key]] <- value
  matches
}

#' @export
moments_of.default <- function(node, a) {
  remembered(
    a,
    paste0("moments:", node_key(node)),
    core_moments(aggregate_vector(node, a), a$grouping, a$rows, thread_count())
  )
}

#' @export
quantiles_of.default <- function(node, a, probs, type = 7L) {
  order <- order(probs)
  out <- core_quantiles(
    aggregate_vector(node, a),
    a$grouping,
    a$rows,
    probs[order],
    type,
    thread_count()
  )
  out[, order(order), drop = FALSE]
}
#' @export
shape_of.default <- function(node, a, what) {
  core_shape(
    aggregate_vector(node, a), a$grouping, a$rows, what, thread_count()
  )
}

# The same for a vector over all rows.
figures_of_vector <- function(vector, grouping, rows = NULL) {
  threads <- thread_count()
  named_figures(
    core_moments(vector, grouping, rows, threads),
    core_quantiles(vector, grouping, rows, c(0.25, 0.5, 0.75), 7L, threads)
  )
}

# The aggregates of an expression become columns of a table with one row per
# group; what is left of the expression is evaluated over that table.
evaluate_summary <- function(node, a) {
  columns <- list()
  types <- list()
  lift <- function(node) {
    if (is_aggregate(node)) {
      name <- paste0("(", length(columns) + 1, ")")
      columns[[name]] <<- if (identical(node$over, "play")) {
        rep(value_over_play(node, a), a$grouping$groups)
      } else {
        as_kind(aggregate_values(node, a), node, a)
      }
      types[[name]] <<- type_of_vector(columns[[name]])
      return(column_node(name, type_part(node)))
    }
    if (node$node == "column") {
      columns[[node$name]] <<- a$grouping$keys[[node$name]]
      types[[node$name]] <<- type_of_vector(columns[[node$name]])
      return(node)
    }
    node$args <- lapply(node$args, lift)
    node
  }
  lifted <- lift(node)
  if (is_aggregate(node)) return(columns[[1]])
  evaluate_node(lifted, new_frame(columns, types, a$grouping$groups), NULL)
}

# One value over all rows in play, independent of groups and subsets.
value_over_play <- function(node, a) {
  whole <- aggregation_over_play(a)
  as_kind(aggregate_values(node, whole), node, whole)
}
#' @export
aggregation_over_play.default <- function(a) {
  play <- rows_in_play(a$frame, a$rows)
  remembered(
    a,
    "play",
    new_aggregation(
      play$frame, play$rows, group_rows(list(), play$frame, play$rows)
    )
  )
}

# The rows that entered the step, which an output looks at subset by subset.
rows_in_play <- function(frame, rows) {
  play <- frame$play
  if (is.null(play)) return(list(frame = frame, rows = rows))
  list(frame = if (is.null(play$frame)) frame else play$frame, rows = play$rows)
}

# Values of one aggregate per group, absent where absent values are to be
# carried on. An aggregate uses the rows where its `where` is yes and its own
# arguments are present.
aggregate_values <- function(node, a) {
  a <- narrowed(node, a)
  values <- aggregate_computed(node, a)
  if (isTRUE(node$carry) && length(node$args)) {
    for (arg in node$args) {
      if (arg$node != "constant") values[moments_of(arg, a)$absent > 0] <- NA
    }
  }
  values
}

#' @export
aggregate_computed.default <- function(node, a) {
  language_function(node$fn)$compute(node$args, a, node)
}

# The aggregation over the rows where an aggregate's `where` is yes.
narrowed <- function(node, a) {
  if (is.null(node$where)) a else aggregation_where(a, node$where)
}
#' @export
aggregation_where.default <- function(a, where) {
  remembered(a, paste0("where:", node_key(where)), {
    rows <- if (is.null(a$rows)) seq_len(a$frame$n) else a$rows
    yes <- evaluate_node(where, a$frame, a$rows)
    rows <- rows[yes %in% TRUE]
    group <- core_groups_of_rows(a$grouping, a$frame$n)[rows]
    n <- as.numeric(tabulate(group, a$grouping$groups))
    new_aggregation(a$frame, rows, with_rows_per_group(a$grouping, n))
  })
}

# How many rows per group an aggregate uses: all of its arguments are present
# there.
rows_used <- function(node, a) {
  if (identical(node$over, "play")) {
    node$over <- NULL
    return(rep(rows_used(node, aggregation_over_play(a)), a$grouping$groups))
  }
  a <- narrowed(node, a)
  args <- Filter(function(n) n$node != "constant", node$args)
  if (!length(args)) return(as_count(a$grouping$rows_per_group))
  if (length(args) == 1) return(as_count(moments_of(args[[1]], a)$n))
  rows_with_both(args[1:2], a)
}
#' @export
rows_with_both.default <- function(args, a) {
  both <- masked_pair(args[[1]], args[[2]], a)
  core_moments(both$x, a$grouping, a$rows, thread_count())$n
}

# The number of rows per group behind an expression: the smallest number that
# one of its aggregates uses.
rows_rested_on <- function(node, a) {
  used <- lapply(aggregates_in(node), rows_used, a = a)
  if (!length(used)) {
    as_count(a$grouping$rows_per_group)
  } else {
    do.call(pmin, used)
  }
}

as_kind <- function(values, node, a) {
  switch(node$kind,
    whole = whole_where_it_fits(values),
    date = structure(floor(as.numeric(values)), class = "Date"),
    `date-time` = .POSIXct(as.numeric(values), tz = zone_of(node)),
    logical = as.logical(values),
    text = ,
    category = aggregated_texts(values, node, a),
    as.numeric(values)
  )
}
#' @export
aggregated_texts.default <- function(values, node, a) {
  key_codes(node$args[[1]], a$frame, a$rows)$values[values]
}

# An aggregate beside each row: over the rows that entered the step, per `by`
# group of them, or over the study as loaded. Codes lead each row to its place,
# `by_place` holds the values (for texts, their codes in `texts`); without `by`
# there is one place.
aggregated_beside <- function(r, node) {
  rows <- switch(if (is.null(node$over)) "" else node$over,
    study = NULL,
    play = rows_in_play(r$frame, r$rows)$rows,
    r$rows
  )
  grouping <- group_rows(node$by, r$frame, rows)
  a <- new_aggregation(r$frame, rows, grouping)
  values <- as_kind(aggregate_values(node, a), node, a)
  note_aggregate(node, narrowed(node, a), r, rows)
  texts <- NULL
  if (is.character(values) || is.factor(values)) {
    texts <- if (is.factor(values)) {
      levels(values)
    } else {
      unique(values[!is.na(values)])
    }
    values <- match(as.character(values), texts)
  }
  out <- list(
    by_place = if (is.logical(values)) values else as.numeric(values),
    texts = texts,
    codes = NULL
  )
  if (!length(node$by)) return(out)
  if (length(grouping$codes) > 1) {
    out$codes <- core_groups_of_rows(grouping, r$frame$n)
    return(out)
  }
  # One key: its own codes lead to the values; the last place is that of an
  # absent key.
  levels <- grouping$levels
  of_code <- out$by_place[match(
    grouping$group_of_cell, seq_len(grouping$groups) - 1L
  )]
  out$by_place <- of_code[seq_len(levels)]
  out$absent_key <- of_code[levels + 1]
  out$codes <- grouping$codes[[1]]
  out
}

# Moments, and how many different codes there are, of a vector over the frame by
# group.
moments_by_group <- function(vector, grouping, rows) {
  core_moments(vector, grouping, rows, thread_count())
}
different_by_group <- function(codes, grouping, rows) {
  core_shape(codes, grouping, rows, "count_different", thread_count())
}
# Moments of groups put together from those of their parts.
merged_moments <- function(parts, into) core_merge_moments(parts, into)
