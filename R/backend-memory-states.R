# What is added up of groups of rows that come piece by piece.

# States of groups: moments that are added up piece by piece; see add_to_states() of the core.
state_piece_rows <- 65536
most_state_groups <- 4096
new_states <- function() core_new_states()
add_to_states <- function(states, place, node, a) {
  values <- if (node$kind %in% c("text", "category")) zero_where_present(row_vector(node, a))
    else aggregate_vector(node, a)
  core_add_to_states(states, place, values, a$grouping, a$rows, thread_count())
}
# Of texts only how many there are is asked for.
zero_where_present <- function(x) ifelse(is.na(x), NA_real_, 0)
moments_of_states <- function(states, groups) {
  if (is.null(states)) states <- new_states()
  core_moments_of_states(states, groups)
}

# Values present with the number of their group among all, and each different one once.
present_values <- function(node, place, a) {
  values <- as.numeric(plain_numbers(aggregate_vector(node, a)))
  core_present_values(values, a$grouping, a$rows, place)
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

# Quantiles (one column each) of values that were kept with their groups; absent for groups without.
quantiles_of_gathered <- function(parts, groups, probs) {
  out <- matrix(NA_real_, groups, length(probs))
  value <- as.numeric(unlist(lapply(parts, `[[`, "value")))
  group <- unlist(lapply(parts, `[[`, "group"))
  if (!length(value)) return(out)
  grouped <- core_group(list(group), groups, NULL, length(group), thread_count())
  met <- grouped$keys[[1]]
  grouping <- new_grouping(list(group), groups, grouped$group_of_cell, grouped$rows_per_group,
                           list(group = met))
  order <- order(probs)
  out[met, order] <- core_quantiles(value, grouping, NULL, probs[order], 7L, thread_count())
  out
}
# Groups of a piece come in any order, so that texts need not be put in order for each.
without_order <- function(frame) {
  for (name in ls(frame$texts, all.names = TRUE)) {
    if (is.null(frame$keys[[name]])) frame$keys[[name]] <- frame$texts[[name]]
  }
}
