# Quantiles and different values of groups over several servers, without moving rows: quantiles by
# a search that narrows where a value lies by counts, different values by groups of each server.

# From how many rows on a quantile is searched for; below, its column is asked of the whole table.
rows_worth_a_search <- 20000

# Which answers of a question are found so, each by its way; `answer` is that of its states.
answers_over_parts <- function(question, wanted, answer) {
  grouping <- new_sql_grouping(answer$keys, answer$rows, question)
  known <- question$answer
  question$answer <- answer
  on.exit(question$answer <- known)
  values <- list()
  for (name in names(wanted)) {
    w <- wanted[[name]]
    values[[name]] <- if (w$field == "different") different_over_parts(w, grouping)
      else quantile_over_parts(w, grouping, answer)
  }
  values
}
is_found_over_parts <- function(wanted, rows, groups) {
  fields <- vapply(wanted, `[[`, "", "field")
  fields == "different" | (fields == "quantile" & rows >= rows_worth_a_search &
                             groups <= most_in_a_choice)
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
    paste0("(SELECT ", lead, " FROM (SELECT ", listed, " FROM ", from_relation(part, listed),
           ") AS s WHERE v IS NOT NULL GROUP BY ", lead, ")")
  }, "")
  key <- paste(names(keys), collapse = ", ")
  got <- ask_database(relation$dialect, paste0(
    "SELECT ", paste(c(names(keys), "count(*) AS n"), collapse = ", "), " FROM (",
    paste(parts, collapse = " UNION "), ") AS d", if (nzchar(key)) paste(" GROUP BY", key)))
  group <- group_of_keys(got, question)
  found <- plain_number(got$n)[match(seq_len(grouping$groups), group)]
  ifelse(is.na(found), 0, found)
}

# Type 7: between the values at two places of each group's order.
quantile_over_parts <- function(w, grouping, answer) {
  of <- function(field) answer$values[[asked_name(w$node, field, w$where)]]
  n <- of("n")
  h <- (n - 1) * w$more
  if (any(is.infinite(c(of("min"), of("max"))))) cannot_in_database("quantiles of infinite values")
  places <- cbind(floor(h) + 1, pmin(floor(h) + 2, n))
  places[n == 0, ] <- NA
  found <- values_at_places(w, grouping, places, of("min"), of("max"))
  between_values(found[, 1], found[, 2], h)
}

# Each value lies above `low`, up to which there are `below` values, and is at most `high`. Every
# round counts at some points in between, until few values are left, which are then asked for.
values_at_places <- function(w, grouping, places, least, most) {
  low <- matrix(-Inf, nrow(places), 2)
  below <- matrix(0, nrow(places), 2)
  high <- cbind(most, most)
  inside <- high
  inside[] <- sum(grouping$rows_per_group)
  points <- 8
  for (round in 1:6) {
    if (all(inside <= 500 | is.na(places), na.rm = TRUE)) break
    from <- ifelse(is.finite(low), low, least)
    at <- lapply(1:2, function(k) {
      outer(high[, k] - from[, k], seq_len(points) / (points + 1)) + from[, k]
    })
    counted <- counts_up_to(w, grouping, do.call(cbind, at))
    for (k in 1:2) {
      counts <- counted[, (k - 1) * points + seq_len(points), drop = FALSE]
      for (j in seq_len(points)) {
        is_above <- !is.na(places[, k]) & counts[, j] >= places[, k]
        lower <- which(is_above & at[[k]][, j] < high[, k])
        high[lower, k] <- at[[k]][lower, j]
        raised <- which(!is_above & !is.na(places[, k]) & at[[k]][, j] > low[, k] &
                          at[[k]][, j] < high[, k])
        low[raised, k] <- at[[k]][raised, j]
        below[raised, k] <- counts[raised, j]
      }
      up_to <- vapply(seq_len(nrow(places)), function(g) {
        min(c(counts[g, at[[k]][g, ] == high[g, k]], inside[g, k] + below[g, k]))
      }, 0)
      inside[, k] <- up_to - below[, k]
    }
  }
  values_between(w, grouping, places, low, below, high)
}

# How many values of each group are at most each of some numbers (a row of `at` for each group).
counts_up_to <- function(w, grouping, at) {
  question <- grouping$question
  dialect <- question$relation$dialect
  asked <- vapply(seq_len(ncol(at)), function(j) {
    paste0("count(CASE WHEN v <= ", number_of_group(at[, j], question, dialect), " THEN 1 END)")
  }, "")
  got <- by_groups(question$relation, grouping, c(v = inner_sql(w, new_query(question$relation))),
                   named(asked, "c"))
  sums <- vapply(paste0("c", seq_len(ncol(at))), function(name) {
    added_by(plain_number(got[[name]]), got$group, grouping$groups)
  }, numeric(grouping$groups))
  matrix(sums, nrow = grouping$groups)
}

values_between <- function(w, grouping, places, low, below, high) {
  question <- grouping$question
  dialect <- question$relation$dialect
  tests <- vapply(1:2, function(k) {
    paste0("(v > ", number_of_group(low[, k], question, dialect), " AND v <= ",
           number_of_group(high[, k], question, dialect), ")")
  }, "")
  kept <- paste0("CASE WHEN ", paste(tests, collapse = " OR "), " THEN v END")
  got <- by_groups(question$relation, grouping, c(v = inner_sql(w, new_query(question$relation))),
                   c(n = "count(*)"), beside = c(kept = kept), also = "kept")
  got <- got[!is.na(got$kept), ]
  value <- plain_number(got$kept)
  n <- plain_number(got$n)
  found <- vapply(seq_along(places), function(i) {
    if (is.na(places[i])) return(NA_real_)
    g <- (i - 1) %% nrow(places) + 1
    mine <- which(got$group == g & value > low[i] & value <= high[i])
    mine <- mine[order(value[mine])]
    value[mine][which(below[i] + cumsum(n[mine]) >= places[i])[1]]
  }, 0)
  matrix(found, ncol = 2)
}
