# Conditions over rows in a database: one query counts outcomes and the rows
# that each condition held.

#' @export
screened.neatsieve_sql <- function(
  relation, nodes, negated = FALSE, pass_unknown = FALSE, notes = NULL,
  where = NULL
) {
  for (node in nodes) note_different_rows(node, NULL, relation, notes, where)
  flat <- with_all_inner_windows(relation, nodes, notes, where)
  nodes <- flat$nodes
  relation <- flat$relation
  q <- new_query(relation, notes, where)
  sql <- vapply(unname(nodes), sql_value, "", q = q)
  if (any(vapply(nodes, needs_window, NA))) {
    relation <- with_outcomes(relation, sql)
    sql <- names_of_outcomes(relation, length(sql))
  }
  tests <- outcome_tests(paste0("o", seq_along(sql)), negated, pass_unknown)
  passes <- outcome_tests(sql, negated, pass_unknown)$passes
  rows <- Reduce(where_true, passes, relation)
  # Numbers of distinct units cannot be added over servers, so they are counted
  # separately.
  unit <- if (!has_parts(relation)) unit_of_base(relation)
  counts <- screen_counts(
    relation,
    sql,
    tests,
    if (!is.null(unit)) relation$columns[[unit$name]]$alias
  )
  rows <- with_known_rows(
    rows, counts$rows - sum(counts$table[, "held"]), counts$went_on
  )
  relation <- with_known_rows(relation, counts$rows, counts$came)
  if (!is.null(unit)) rows$known[[paste("values", unit$name)]] <- counts$units
  rownames(counts$table) <- names(nodes)
  list(
    fates = fate_sql(sql, negated, pass_unknown),
    rows = without_sql_columns(rows, flat$names),
    counts = counts$table,
    over = without_sql_columns(relation, flat$names)
  )
}

# Outcomes of conditions as columns of the query, with the names of these
# columns.
with_outcomes <- function(relation, sql) {
  before <- relation
  for (one in sql) {
    alias <- free_alias("outcome", all_aliases(relation), relation$dialect)
    relation <- with_layer(relation, "columns", stats::setNames(one, alias))
  }
  with_rows_of(relation, before)
}
names_of_outcomes <- function(relation, n) {
  unlist(lapply(
    utils::tail(relation$layers, n), function(layer) names(layer$sql)
  ))
}

# SQL that is true where a condition lets a row through, holds it back, or holds
# it as unknown.
outcome_tests <- function(sql, negated, pass_unknown) {
  against <- if (negated) "TRUE" else "FALSE"
  # Written so that servers behind the server understand it too.
  list(
    passes = if (pass_unknown) {
      paste0("(", if (negated) "NOT ", sql, " OR ", sql, " IS NULL)")
    } else if (negated) {
      paste0("(NOT ", sql, ")")
    } else {
      sql
    },
    holds = paste0("(", sql, " IS ", against, ")"),
    open = if (!pass_unknown) paste0("(", sql, " IS NULL)")
  )
}

# Each condition is worked out once per row, in a query of its own; what it
# holds is what passes the conditions before it and not it.
screen_counts <- function(relation, sql, tests, unit) {
  dialect <- relation$dialect
  k <- length(sql)
  mark <- row_mark(relation)
  columns <- c(named(sql, "o"), if (!is.null(unit)) c(u = unit), mark)
  columns <- paste(columns, "AS", names(columns), collapse = ", ")
  passing <- vapply(
    seq_len(k),
    function(i) paste(tests$passes[seq_len(i)], collapse = " AND "),
    ""
  )
  asked <- c(
    n = "count(*)", named(dialect$tally(paste0("o", seq_len(k))), "y"),
    named(paste0("count(o", seq_len(k), ")"), "c"),
    named(dialect$tally(passing), "p"),
    if (!is.null(unit)) c(units = units_passing(tests$passes)),
    sum_of_marks(names(mark), "came"),
    sum_of_marks(names(mark), "went_on", passing[k])
  )
  query <- function(relation) {
    inner <- paste0(
      "(SELECT ", columns, " FROM ", from_relation(relation, columns), " ",
      relation$dialect$kept_apart, ") AS s"
    )
    paste0(
      "SELECT ", paste(asked, "AS", names(asked), collapse = ", "), " FROM ",
      inner
    )
  }
  got <- if (has_parts(relation)) {
    added_parts(ask_parts(relation, query))
  } else {
    ask_database(dialect, query(relation))
  }
  of <- function(what) {
    counts <- plain_number(unlist(lapply(
      got[paste0(what, seq_len(k))], plain_number
    )))
    ifelse(is.na(counts), 0, counts)
  }
  n <- plain_number(got$n)
  table <- cbind(
    no = of("c") - of("y"), unknown = n - of("c"), yes = of("y"),
    held = c(n, of("p")[-k]) - of("p")
  )
  list(
    rows = n,
    table = table,
    units = plain_number(got$units),
    came = told_mark(got, "came"),
    went_on = told_mark(got, "went_on")
  )
}
named <- function(sql, letter) {
  stats::setNames(sql, if (length(sql)) paste0(letter, seq_along(sql)))
}
units_passing <- function(passes) {
  passing <- paste(passes, collapse = " AND ")
  paste0("count(DISTINCT CASE WHEN ", passing, " THEN u END)")
}

# A row's fate: 0 went on, else twice the place of the first condition that held
# it, less 1 where it did not as unknown.
fate_sql <- function(sql, negated, pass_unknown) {
  tests <- outcome_tests(sql, negated, pass_unknown)
  k <- seq_along(sql)
  cases <- c(rbind(
    paste("WHEN", tests$holds, "THEN", 2 * k - 1),
    if (!is.null(tests$open)) paste("WHEN", tests$open, "THEN", 2 * k)
  ))
  paste("CASE", paste(cases, collapse = " "), "ELSE 0 END")
}

# Which two conditions are never yes together, as columns of places.
never_together <- function(relation, nodes) UseMethod("never_together")
#' @export
never_together.neatsieve_memory <- function(relation, nodes) {
  yes <- lapply(outcomes(relation, nodes), `==`, as.raw(2))
  pairs <- utils::combn(length(yes), 2)
  pairs[, apply(
    pairs, 2, function(p) !any(yes[[p[1]]] & yes[[p[2]]])
  ), drop = FALSE]
}
#' @export
never_together.neatsieve_sql <- function(relation, nodes) {
  flat <- with_all_inner_windows(relation, nodes, NULL, NULL)
  nodes <- flat$nodes
  relation <- flat$relation
  sql <- vapply(unname(nodes), sql_value, "", q = new_query(relation))
  if (any(vapply(nodes, needs_window, NA))) {
    relation <- with_outcomes(relation, sql)
    sql <- names_of_outcomes(relation, length(sql))
  }
  pairs <- utils::combn(length(sql), 2)
  answer <- ask_database(
    relation$dialect,
    paste0(
      "SELECT ",
      paste0(
        "count(CASE WHEN ", sql[pairs[1, ]], " AND ", sql[pairs[2, ]],
        " THEN 1 END) AS p", seq_len(ncol(pairs)),
        collapse = ", "
      ),
      " FROM ", from_relation(relation, paste(sql, collapse = " "))
    )
  )
  pairs[, as.numeric(unlist(answer)) == 0, drop = FALSE]
}

# The rows that a holding holds, with their fates: columns by the names that
# their ids have now.
held_in_database <- function(holding, ids, codes) {
  relation <- holding$rows
  own <- vapply(relation$columns, `[[`, "", "id")
  columns <- names(own)[match(ids, own)]
  is_all <- length(codes) == length(holding$by)
  if (!is_all && length(codes)) {
    # If the table was written to, the sum of marks tells whether the held rows
    # are still the same.
    alike <- compare_state(relation)
    is_all <- alike == "rows"
    if (alike == "number") say_of_state(relation, "some")
  }
  held <- where_true(
    relation,
    paste0(
      "(", holding$fates, ") ",
      if (is_all) {
        "> 0"
      } else if (!length(codes)) {
        "< 0"
      } else {
        paste0("IN (", paste(codes, collapse = ", "), ")")
      }
    )
  )
  if (is_all) {
    held <- with_known_rows(held, holding$expected$rows, holding$expected$mark)
  }
  got <- fetched_rows(
    held,
    columns[!is.na(columns)],
    with_source = TRUE,
    more = c(fate = holding$fates, named(relation$places, "p"))
  )
  names(got$rows) <- names(ids)[!is.na(columns)]
  # If one row became several: the number of this one among them.
  place <- Reduce(
    function(a, b) a * 10000 + plain_number(b),
    got$more[-1],
    rep(0, nrow(got$rows))
  )
  list(
    rows = got$rows,
    fate = as.integer(plain_number(got$more$fate)),
    source = got$source,
    place = place
  )
}

# Why a holding holds rows, counted there; see held_reasons(). Which rows are
# the first is asked with the rows.
reasons_in_database <- function(holding) {
  relation <- holding$rows
  read <- intersect(
    as.character(unlist(holding$reads)), names(relation$columns)
  )
  aliases <- unname(aliases_of(relation)[read])
  absent_sql <- if (length(read)) {
    paste0(
      ", ", relation$dialect$tally(paste(aliases, "IS NULL")), " AS g",
      seq_along(read),
      collapse = ""
    )
  }
  inner <- paste(c(paste(holding$fates, "AS fate"), aliases), collapse = ", ")
  inner <- paste0(
    "(SELECT ", inner, " FROM ", from_relation(relation, inner), ") AS f"
  )
  got <- asked_once(
    relation,
    paste("reasons", holding$fates),
    ask_database(
      relation$dialect,
      paste0(
        "SELECT fate, count(*) AS n", absent_sql, " FROM ", inner,
        " WHERE fate > 0 GROUP BY fate ORDER BY fate"
      )
    )
  )
  lapply(seq_len(nrow(got)), function(i) {
    k <- plain_number(got$fate[i])
    absent <- vapply(
      paste0("g", seq_along(read), recycle0 = TRUE),
      function(g) {
        plain_number(got[[g]][i])
      },
      0
    )
    names(absent) <- read
    list(
      step = holding$step,
      by = holding$by[k],
      because = holding$because[k],
      rows = as_count(plain_number(got$n[i])),
      first = integer(),
      absent = if (holding$because[k] == "unknown") {
        absent[intersect(
          as.character(unlist(holding$reads[holding$by[k]])), read
        )]
      }
    )
  })
}
