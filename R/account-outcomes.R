# Groups rows by the outcomes of conditions and counts the groups. In memory
# each row is a group.

# outcomes: for each condition, by group, 0 for no, 1 for unknown, 2 for yes.
# rows_in(at): how many rows some groups are; rows_by(code, codes): of each
# code, from 1. absent(column, at), reasons(column, at): in how many rows of
# these groups a column is absent, and for which reasons. examples(name, at,
# outcome, most): the first rows of which the condition `name`, or "(all)", says
# so, with their number in front.
new_outcome_groups <- function(
  outcomes, rows_in, rows_by, absent, reasons, examples
) {
  new_record(
    "outcome_groups",
    list(
      outcomes = outcomes,
      rows_in = rows_in,
      rows_by = rows_by,
      absent = absent,
      reasons = reasons,
      examples = examples
    )
  )
}

outcome_groups <- function(relation, nodes, state) UseMethod("outcome_groups")
#' @export
outcome_groups.neatsieve_memory <- function(relation, nodes, state) {
  frame <- state$frame
  outcomes <- stats::setNames(
    lapply(outcomes(relation, nodes), as.integer), names(nodes)
  )
  rows <- if (is.null(state$rows)) seq_len(frame$n) else state$rows
  new_outcome_groups(
    outcomes,
    rows_in = function(at) as.numeric(sum(at)),
    rows_by = tabulate,
    absent = function(column, at) {
      as.numeric(sum(is.na(frame$columns[[column]][rows[at]])))
    },
    reasons = function(column, at) {
      counts_of_reasons_of(frame, column, rows[at])
    },
    examples = function(name, at, outcome, most) {
      first <- rows[utils::head(which(at), most)]
      source <- source_row_of(frame, first)
      cbind(
        data.frame(source_row = source),
        frame_rows(frame, source, state$visible)
      )
    }
  )
}

# The database counts them. If it cannot evaluate a condition, the columns that
# the conditions read are fetched.
#' @export
outcome_groups.neatsieve_sql <- function(relation, nodes, state) {
  read <- unique(unlist(lapply(unname(nodes), columns_read)))
  if (is_of_pieces(relation)) return(outcomes_here(nodes, read, state))
  tryCatch(
    in_its_state(relation$dialect, function() {
      outcomes_there(relation, nodes, read, state)
    }),
    neatsieve_not_in_database = function(e) {
      outcomes_here(nodes, read, state, conditionMessage(e))
    }
  )
}

outcomes_here <- function(nodes, read, state, reason = NULL) {
  # Windows also read the columns of their order and groups.
  looked <- union(
    read, intersect(names(state$rows$columns), names_within(nodes))
  )
  hidden <- reasons_in_use(
    state$rows$types[intersect(looked, names(state$rows$types))]
  )
  state <- fetched_state(
    state, unique(c(unit_of_rows(state), looked, hidden)), reason
  )
  state$visible <- intersect(state$visible, c(state$study$unit, read))
  outcome_groups(relation_of(state), nodes, state)
}

outcomes_there <- function(relation, nodes, read, state) {
  check_stored(
    relation,
    intersect(
      names(relation$base$columns),
      vapply(relation$columns[read], `[[`, "", "id")
    ),
    state$notes
  )
  flat <- with_all_inner_windows(
    relation, nodes, state$notes, "In screening()."
  )
  q <- new_query(flat$relation, state$notes, "In screening().")
  sql <- vapply(unname(flat$nodes), sql_value, "", q = q)
  over <- with_outcomes(
    flat$relation,
    paste0("CASE WHEN ", sql, " THEN 2 WHEN NOT ", sql, " THEN 0 ELSE 1 END")
  )
  codes <- names_of_outcomes(over, length(sql))
  groups <- grouped_outcomes(over, codes, read)
  n <- groups$n
  rows_in <- function(at) sum(n[at])
  new_outcome_groups(
    stats::setNames(groups$outcomes, names(nodes)),
    rows_in,
    rows_by = function(code, codes) {
      as.vector(rowsum(c(n, rep(0, codes)), c(code, seq_len(codes))))
    },
    absent = function(column, at) rows_in(at & groups$absent[[column]]),
    reasons = function(column, at) {
      why <- groups$reasons[[column]]
      if (is.null(why)) return(NULL)
      counts <- tapply(n[at], factor(why[at], unique(why[!is.na(why)])), sum)
      counts[is.na(counts)] <- 0
      compact_counts(counts)
    },
    examples = function(name, at, outcome, most) {
      code <- if (name %in% names(nodes)) {
        codes[match(name, names(nodes))]
      } else {
        least_sql(codes)
      }
      outcome_examples(
        where_true(over, paste(code, "=", outcome)),
        intersect(state$visible, c(state$study$unit, read)),
        min(most, rows_in(at))
      )
    }
  )
}
compact_counts <- function(counts) {
  counts <- counts[counts > 0]
  if (length(counts)) stats::setNames(as.numeric(counts), names(counts))
}

# No if one condition is no, unknown if one is unknown, else yes.
least_sql <- function(codes) {
  any_of <- function(code) paste(paste(codes, "=", code), collapse = " OR ")
  paste0(
    "(CASE WHEN ", any_of(0), " THEN 0 WHEN ", any_of(1), " THEN 1 ELSE 2 END)"
  )
}

# Rows by what the conditions say of them, which of the columns are absent, and
# why.
grouped_outcomes <- function(relation, codes, read) {
  aliases <- unname(aliases_of(relation)[read])
  hidden <- lapply(read, function(name) relation$types[[name]]$reasons$column)
  has_why <- !vapply(hidden, is.null, NA)
  why <- unname(aliases_of(relation)[unlist(hidden)])
  keys <- c(
    named(codes, "o"),
    named(
      paste0(
        "CASE WHEN ", aliases, " IS NULL THEN 1 ELSE 0 END"
      )[seq_along(aliases)],
      "a"
    ),
    named(why, "w")
  )
  listed <- paste(keys, "AS", names(keys), collapse = ", ")
  got <- ask_each_part(
    relation,
    function(part) {
      paste0(
        "SELECT ", paste(names(keys), collapse = ", "),
        ", count(*) AS n FROM (SELECT ", listed, " FROM ",
        from_relation(part, listed), ") AS s GROUP BY ",
        paste(names(keys), collapse = ", ")
      )
    }
  )
  of <- function(letter, i) got[[paste0(letter, i)]]
  list(
    outcomes = lapply(
      seq_along(codes), function(i) as.integer(plain_number(of("o", i)))
    ),
    absent = stats::setNames(
      lapply(seq_along(read), function(i) plain_number(of("a", i)) == 1), read
    ),
    reasons = stats::setNames(
      lapply(seq_along(why), function(i) as.character(of("w", i))),
      read[has_why]
    ),
    n = plain_number(got$n)
  )
}

# The first rows, in their order.
outcome_examples <- function(relation, columns, most) {
  number <- function(source) {
    if (is.null(source)) rep(NA_integer_, most) else source
  }
  if (most == 0) {
    none <- lapply(
      relation$types[columns], function(type) vector_of_type(character(), type)
    )
    return(cbind(
      data.frame(source_row = integer()),
      structure(none, class = "data.frame", row.names = integer())
    ))
  }
  got <- rows_at_once(relation, columns, most, TRUE, character())
  cbind(data.frame(source_row = number(got$source)), got$rows)
}
