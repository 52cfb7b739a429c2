# Box figures in a database: quartiles, values beyond the whiskers, values at
# given ranks.

# Boxes of groups and values beyond their whiskers; see core_boxes().
sql_boxes <- function(relation, values, grouping, most) {
  dialect <- relation$dialect
  a <- new_aggregation(NULL, relation, grouping)
  n <- answered(a, values, "n")
  q <- asked_quantiles(values, a, c(0.25, 0.5, 0.75), 7L)
  reach <- 1.5 * (q[, 3] - q[, 1])
  x <- chart_number(values, relation)
  question <- grouping$question
  inside <- function() {
    paste0(
      "v >= ", number_of_group(q[, 1] - reach, question, dialect),
      " AND v <= ", number_of_group(q[, 3] + reach, question, dialect)
    )
  }
  got <- if (!is_open(question)) {
    test <- inside()
    pick <- function(f) paste0(f, "(CASE WHEN ", test, " THEN v END)")
    by_groups(
      relation,
      grouping,
      c(v = x),
      c(low = pick("min"), high = pick("max"), m = pick("count"))
    )
  }
  each <- function(name, f) {
    vapply(
      seq_len(grouping$groups),
      function(g) f(plain_number(got[[name]][got$group == g])),
      0
    )
  }
  least <- function(v) if (all(is.na(v))) Inf else min(v, na.rm = TRUE)
  boxes <- data.frame(
    n = as_count(n),
    absent = as_count(grouping$rows_per_group - n),
    lower = pmin(each("low", least), q[, 1]),
    q1 = q[, 1],
    median = q[, 2],
    q3 = q[, 3],
    upper = pmax(-each("high", function(v) least(-v)), q[, 3]),
    beyond = as_count(n - each("m", sum))
  )
  list(
    boxes = boxes,
    points = sql_points_beyond(relation, x, grouping, boxes, most)
  )
}

# Values beyond the whiskers in their order, at most so many of a group, evenly
# taken.
sql_points_beyond <- function(relation, x, grouping, boxes, most) {
  question <- grouping$question
  none <- data.frame(
    group = integer(),
    value = numeric(),
    source_row = numeric()
  )
  if (is_open(question) || most < 1 || !any(boxes$beyond > 0)) return(none)
  dialect <- relation$dialect
  has <- which(boxes$beyond > 0)
  bound <- function(v) {
    number_of_group(ifelse(seq_along(v) %in% has, v, NA), question, dialect)
  }
  keys <- group_keys(question, new_query(relation))
  order <- order_as_columns(relation)
  source <- source_column(relation)
  columns <- c(keys, v = x, source, order$columns)
  inner <- paste(columns, "AS", names(columns), collapse = ", ")
  place <- over_sql(names(keys), c("v", order$terms))
  matches <- paste0(
    "SELECT ", paste(c(names(keys), "v", names(source)), collapse = ", "),
    ", row_number() ", place, " AS r FROM (SELECT ", inner, " FROM ",
    from_relation(relation, inner, with_key = TRUE), ") AS s WHERE v < ",
    bound(boxes$lower), " OR v > ", bound(boxes$upper)
  )
  many <- which(boxes$beyond > most)
  fewer <- vapply(many, function(g) {
    places <- ((seq_len(most) - 1) * (boxes$beyond[g] - 1)) %/% (most - 1) + 1
    is_it <- number_of_group(
      as.numeric(seq_len(nrow(boxes)) == g), question, dialect
    )
    places <- paste(
      format(places, scientific = FALSE, trim = TRUE),
      collapse = ", "
    )
    paste0(is_it, " = 1 AND r IN (", places, ")")
  }, "")
  all <- if (length(many)) {
    paste(
      number_of_group(
        as.numeric(!seq_len(nrow(boxes)) %in% many), question, dialect
      ),
      "= 1"
    )
  }
  got <- ask_for_step(
    relation,
    paste0(
      "SELECT * FROM (", matches, ") AS p",
      if (length(many)) paste(" WHERE", paste(c(all, fewer), collapse = " OR "))
    )
  )
  got$group <- group_of_keys(got, question)
  got <- got[order(got$group, plain_number(got$r)), ]
  data.frame(
    group = got$group,
    value = plain_number(got$v),
    source_row = source_of_answer(got, relation)
  )
}

# Values at places of each group's order; see core_order_statistics().
sql_order_statistics <- function(relation, values, grouping, places) {
  question <- grouping$question
  if (is_open(question)) return(matrix(1, grouping$groups, ncol(places)))
  dialect <- relation$dialect
  keys <- names(group_keys(question, new_query(relation)))
  place <- paste("row_number()", over_sql(keys, dialect$math$absent_last("v")))
  asked <- vapply(seq_len(ncol(places)), function(i) {
    paste0(
      "max(CASE WHEN r = ", number_of_group(places[, i], question, dialect),
      " THEN v END)"
    )
  }, "")
  # A place counts all rows, on whichever server they are.
  relation$base["parts"] <- list(NULL)
  got <- by_groups(
    relation,
    grouping,
    c(v = chart_number(values, relation)),
    named(asked, "p"),
    beside = c(r = place)
  )
  matches <- vapply(
    got[paste0("p", seq_len(ncol(places)))], plain_number, numeric(nrow(got))
  )
  matrix(
    matches,
    ncol = ncol(places)
  )[match(seq_len(grouping$groups), got$group), , drop = FALSE]
}
