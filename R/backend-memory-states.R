# Sums and counts of groups of rows that arrive piece by piece.

# States of groups: moments that are added up piece by piece; see
# add_to_states() of the core.
state_piece_rows <- 65536
most_state_groups <- 4096
new_states <- function() core_new_states()
add_to_states <- function(states, place, node, a) {
  values <- if (node$kind %in% c("text", "category")) {
    zero_where_present(row_vector(node, a))
  } else {
    aggregate_vector(node, a)
  }
  core_add_to_states(states, place, values, a$grouping, a$rows, thread_count())
}
# For texts, only the number of present values is needed.
zero_where_present <- function(x) ifelse(is.na(x), NA_real_, 0)
moments_of_states <- function(states, groups) {
  if (is.null(states)) states <- new_states()
  core_moments_of_states(states, groups)
}

# Keeps the present values of each group. Beyond a limit each group keeps only
# an outline, and a second reading finds the quantiles. share: the number of
# columns that share the limit.
new_kept_values <- function(share = 1) {
  core_new_kept_values(getOption("neatsieve.most_kept_values", 1e7) / share)
}
keep_values <- function(kept, place, node, a) {
  values <- as.numeric(plain_numbers(aggregate_vector(node, a)))
  core_keep_values(kept, place, values, a$grouping, a$rows)
}
different_values <- function(node, place, a) {
  x <- row_vector(node, a)
  if (is.numeric(x)) x <- plain_numbers(x) + 0
  vctrs::vec_unique(vctrs::new_data_frame(values_in_groups(x, place, a)))
}
values_in_groups <- function(x, place, a) {
  rows <- if (is.null(a$rows)) seq_len(a$frame$n) else a$rows
  rows <- rows[!is.na(x[rows])]
  group <- core_groups_of_rows(a$grouping, a$frame$n)[rows]
  list(value = x[rows], group = place[group])
}

# Quantiles (one column each) of values that were kept, or sought; absent for
# groups without.
quantiles_of_kept <- function(kept, groups, probs, sought = NULL) {
  if (is.null(kept)) kept <- new_kept_values()
  out <- matrix(NA_real_, groups, length(probs))
  order <- order(probs)
  out[, order] <- if (is.null(sought)) {
    core_kept_quantiles(kept, groups, probs[order], 7L, thread_count())
  } else {
    core_sought_quantiles(sought, groups, probs[order], 7L)
  }
  out
}
values_to_seek <- function(kept, groups, probs) {
  if (core_is_outlined(kept)) core_seek_values(kept, groups, sort(probs), 7L)
}
add_sought <- function(sought, place, node, a) {
  values <- as.numeric(plain_numbers(aggregate_vector(node, a)))
  core_add_sought(sought, place, values, a$grouping, a$rows)
}
# Groups of a piece come in any order, so that texts need not be put in order
# for each.
without_order <- function(frame) {
  for (name in ls(frame$texts, all.names = TRUE)) {
    if (is.null(frame$keys[[name]])) frame$keys[[name]] <- frame$texts[[name]]
  }
}
