# Curves of all values of rows in a database: cumulative shares and densities.
# The query returns different values with their counts per group; R computes the
# curves from them.

# How many pairs of a group and a value are asked for, and of how many rows a
# density is made.
most_values_of_curves <- 1e6
most_rows_of_density <- 2e7

# The different numbers of each group and how often each occurs, and groups of
# them.
values_of_groups <- function(relation, values, grouping) {
  got <- by_groups(
    relation,
    grouping,
    c(v = chart_number(values, relation)),
    c(n = "count(*)"),
    also = "v",
    most = most_values_of_curves
  )
  if (is.null(got)) {
    got <- data.frame(v = numeric(), n = numeric(), group = integer())
  }
  if (nrow(got) > most_values_of_curves) {
    cannot_in_database(paste(
      "the figure shows more than", format_count(most_values_of_curves),
      "different values"
    ))
  }
  there <- !is.na(got$v)
  data.frame(
    v = plain_number(got$v),
    n = plain_number(got$n),
    group = got$group
  )[there, ]
}
# Groups of rows in R, by their numbers.
groups_by_number <- function(group, groups) {
  new_grouping(
    codes = list(group),
    levels = groups,
    group_of_cell = c(0L, seq_len(groups)),
    rows_per_group = tabulate(group, groups),
    keys = list(group = seq_len(groups))
  )
}

sql_cumulative <- function(relation, values, grouping, most) {
  values_found <- values_of_groups(relation, values, grouping)
  of <- list(x = values_found$v, w = values_found$n, group = values_found$group)
  weighed_shares(of, list(groups = grouping$groups), most)
}

sql_densities <- function(
  relation, values, grouping, bandwidth, points, window
) {
  values_found <- values_of_groups(relation, values, grouping)
  if (sum(values_found$n) > most_rows_of_density) {
    cannot_in_database(paste(
      "the density is of more than", format_count(most_rows_of_density),
      "values"
    ))
  }
  x <- rep(values_found$v, values_found$n)
  group <- groups_by_number(rep(values_found$group, values_found$n), grouping$groups)
  chart_requests$densities(
    NULL, length(x), thread_count(), x, group, bandwidth, points, window
  )
}
