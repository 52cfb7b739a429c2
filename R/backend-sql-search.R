# Quantiles and different values of groups over several servers, without moving
# rows: quantiles by counts of values by the first bits of each, different
# values by groups of each server.

# From how many rows on a quantile is searched for, and how many of each group
# and of all groups; below, or above, its column is asked of the whole table.
rows_worth_a_search <- 20000
least_rows_of_group <- 50
most_searched_groups <- 5000

# Which answers of a question are found so, each by its way; `answer` is that of
# its states.
answers_over_parts <- function(question, wanted, answer) {
  grouping <- new_sql_grouping(answer$keys, answer$rows, question)
  known <- question$answer
  question$answer <- answer
  on.exit(question$answer <- known)
  is_quantile <- vapply(wanted, `[[`, "", "field") == "quantile"
  values <- lapply(wanted[!is_quantile], different_over_parts, grouping)
  # Quantiles of the same values are searched for together.
  of <- vapply(
    wanted[is_quantile], function(w) asked_name(w$node, "n", w$where), ""
  )
  for (mine in split(wanted[is_quantile], of)) {
    values <- c(values, quantiles_over_parts(mine, grouping, answer))
  }
  values
}
is_found_over_parts <- function(wanted, rows, groups) {
  fields <- vapply(wanted, `[[`, "", "field")
  worth_it <- rows >= rows_worth_a_search &&
    rows >= groups * least_rows_of_group &&
    groups <= most_searched_groups
  fields == "different" | (fields == "quantile" & worth_it)
}

different_over_parts <- function(w, grouping) {
  question <- grouping$question
  relation <- question$relation
  q <- new_query(relation)
  keys <- group_keys(question, q)
  columns <- c(keys, v = inner_sql(w, q))
  listed <- paste(columns, "AS", names(columns), collapse = ", ")
  lead <- paste(names(columns), collapse = ", ")
  parts <- vapply(parts_of(relation), function(part) {
    paste0(
      "(SELECT ", lead, " FROM (SELECT ", listed, " FROM ",
      from_relation(part, listed), ") AS s WHERE v IS NOT NULL GROUP BY ",
      lead, ")"
    )
  }, "")
  key <- paste(names(keys), collapse = ", ")
  got <- ask_database(
    relation$dialect,
    paste0(
      "SELECT ", paste(c(names(keys), "count(*) AS n"), collapse = ", "),
      " FROM (", paste(parts, collapse = " UNION "), ") AS d",
      if (nzchar(key)) paste(" GROUP BY", key)
    )
  )
  group <- group_of_keys(got, question)
  matches <- plain_number(got$n)[match(seq_len(grouping$groups), group)]
  ifelse(is.na(matches), 0, matches)
}
