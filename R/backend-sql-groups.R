# Groups and aggregates of rows in a database. A step that makes tables or
# figures runs at least twice: first it asks, and gets made-up answers of one
# group; then all that it asked of the same groups is one query, and it runs
# again with what the database answered, until it asks nothing new.

# phase: "ask" in the first run, then "answer". questions: by their keys and
# conditions. known: answers to other queries, by their text.
new_asking <- function() {
  asking <- new.env(parent = emptyenv())
  asking$phase <- "ask"
  asking$questions <- list()
  asking$known <- new.env(parent = emptyenv())
  asking
}

# A query that is asked once, however often the step runs.
ask_for_step <- function(relation, sql) {
  known_to_step(relation, sql, ask_database(relation$dialect, sql))
}
known_to_step <- function(relation, name, answer) {
  known <- relation$asking$known
  name <- rlang::hash(name)
  if (is.null(known[[name]])) known[[name]] <- answer
  known[[name]]
}

# relation, keys: whose groups; wanted: aggregates by name, each with its node,
# field and condition.
new_question <- function(relation, keys) {
  question <- new.env(parent = emptyenv())
  question$relation <- relation
  question$keys <- keys
  question$wanted <- list()
  question$answer <- NULL
  question
}

question_on <- function(relation, keys) {
  asking <- relation$asking
  name <- paste(
    c(
      vapply(keys, node_key, ""), names(keys),
      unlist(lapply(relation$layers, `[[`, "sql"))
    ),
    collapse = "\r"
  )
  name <- paste0("\r", name)
  question <- asking$questions[[name]]
  if (is.null(question)) {
    question <- asking$questions[[name]] <- new_question(relation, keys)
  }
  question
}

# The parts of a question that are not answered yet.
unanswered <- function(question) {
  question$wanted[setdiff(
    names(question$wanted), names(question$answer$values)
  )]
}
is_open <- function(question) {
  is.null(question$answer) || length(unanswered(question)) > 0
}

# Groups as steps know them; where: the condition that narrows their rows, or
# NULL.
new_sql_grouping <- function(keys, rows_per_group, question, where = NULL) {
  new_record(
    "sql_grouping",
    list(
      keys = keys,
      rows_per_group = rows_per_group,
      groups = length(rows_per_group),
      question = question,
      where = where
    )
  )
}

#' @export
group_rows.neatsieve_sql <- function(nodes, frame, rows) sql_groups(nodes, rows)
#' @export
key_codes.neatsieve_sql <- function(node, frame, rows) {
  cannot_in_database(paste0("`", node$text, "` by its codes"))
}
sql_groups <- function(keys, relation) {
  if (is.null(relation$asking)) {
    relation$asking <- new_asking()
    question <- question_on(relation, keys)
    answer_question(question)
  } else {
    question <- question_on(relation, keys)
  }
  sql_grouping_of(question)
}

sql_grouping_of <- function(question) {
  if (is.null(question$answer)) {
    made_up <- lapply(
      question$keys, function(node) made_up_key(type_part(node))
    )
    return(new_sql_grouping(
      structure(made_up, class = "data.frame", row.names = 1L), 1, question
    ))
  }
  new_sql_grouping(question$answer$keys, question$answer$rows, question)
}
made_up_key <- function(type) {
  switch(type$kind,
    number = 0,
    whole = 0L,
    text = "",
    logical = FALSE,
    category = factor(
      type$labels[1],
      type$labels,
      ordered = isTRUE(type$ordered)
    ),
    date = structure(0, class = "Date"),
    `date-time` = .POSIXct(0, tz = "UTC"),
    cannot_in_database(paste0("groups by a ", type$kind))
  )
}

# An aggregate's value by group: the answer of the database, or a placeholder.
answered <- function(a, node, field, more = NULL) {
  question <- a$grouping$question
  where <- a$grouping$where
  name <- asked_name(node, field, where, more)
  values <- question$answer$values[[name]]
  if (!is.null(values)) return(values)
  question$wanted[[name]] <- list(node = node, field = field, where = where, more = more)
  rep(if (field == "absent") 0 else 1, a$grouping$groups)
}

asked_name <- function(node, field, where = NULL, more = NULL) {
  paste(
    c(field, node_key(node), if (!is.null(where)) node_key(where), more),
    collapse = "\r"
  )
}

# Moments, each requested when it is first used.
asked_moments <- function(node, a) {
  structure(list(node = node, a = a), class = "neatsieve_asked_moments")
}
#' @export
`$.neatsieve_asked_moments` <- function(x, name) {
  x <- unclass(x)
  n <- function() answered(x$a, x$node, "n")
  if (name == "absent") return(x$a$grouping$rows_per_group - n())
  is_end <- name %in% c("min", "max") && x$node$kind == "date-time"
  if (name != "n" &&
    !is_end &&
    !x$node$kind %in% c(numeric_kinds, "logical", "date")) {
    cannot_in_database(paste0("the ", name, " of a ", x$node$kind))
  }
  answered(x$a, x$node, name)
}
#' @export
`[[.neatsieve_asked_moments` <- function(x, i) `$.neatsieve_asked_moments`(x, i)

#' @export
moments_of.neatsieve_sql_aggregation <- function(node, a) asked_moments(node, a)

#' @export
quantiles_of.neatsieve_sql_aggregation <- function(node, a, probs, type = 7L) {
  asked_quantiles(node, a, probs, type)
}
asked_quantiles <- function(node, a, probs, type) {
  if (!node$kind %in% c(numeric_kinds, "date", "date-time")) {
    cannot_in_database(paste0("quantiles of a ", node$kind))
  }
  if (type != 7L) return(sql_quantiles_of_type(node, a, probs, type))
  values <- lapply(probs, function(p) answered(a, node, "quantile", p))
  matrix(unlist(values), ncol = length(probs))
}

#' @export
shape_of.neatsieve_sql_aggregation <- function(node, a, what) {
  if (what != "count_different") {
    cannot_in_database(paste0("the aggregate ", what))
  }
  answered(a, node, "different")
}

# One value of an aggregate for each group: by its own queries, else made of
# counts, moments and quantiles.
#' @export
aggregate_computed.neatsieve_sql_aggregation <- function(node, a) {
  form <- sql_aggregates[[node$fn]]
  values <- if (!is.null(form)) form(node$args, a, node)
  if (!is.null(values)) return(values)
  if (!language_function(node$fn)$in_sql) {
    cannot_in_database(paste0("`", node$fn, "()`"))
  }
  language_function(node$fn)$compute(node$args, a, node)
}

#' @export
aggregated_texts.neatsieve_sql_aggregation <- function(values, node, a) {
  vector_of_type(values, type_of_column(node))
}
#' @export
aggregate_vector.neatsieve_sql_aggregation <- function(node, a) {
  cannot_in_database(paste0("the values of `", node$text, "`"))
}

#' @export
rows_with_both.neatsieve_sql_aggregation <- function(args, a) {
  both <- call_node("row_complete", as_rest(unname(args)), new_type("logical"))
  as_count(answered(a, both, "true"))
}

#' @export
aggregation_over_play.neatsieve_sql_aggregation <- function(a) {
  relation <- if (is.null(a$frame$play)) a$rows else a$frame$play$rows
  relation$asking <- a$rows$asking
  new_aggregation(a$frame, relation, sql_groups(list(), relation))
}

#' @export
aggregation_where.neatsieve_sql_aggregation <- function(a, where) {
  if (!is.null(a$grouping$where)) {
    cannot_in_database("one `where` inside another")
  }
  narrow <- new_sql_grouping(
    a$grouping$keys, a$grouping$rows_per_group, a$grouping$question, where
  )
  narrow <- new_aggregation(a$frame, a$rows, narrow)
  n <- answered(narrow, where, "true")
  narrow$grouping <- new_sql_grouping(
    a$grouping$keys, n, a$grouping$question, where
  )
  narrow
}

# Runs a step until it asks nothing new. `run` is a function that asks through
# the relation it gets. An error counts only if all answers were there.
asked_in_database <- function(relation, run) {
  relation$asking <- new_asking()
  for (round in seq_len(most_rounds)) {
    result <- tryCatch(run(relation), neatsieve_error = identity)
    open <- Filter(is_open, relation$asking$questions)
    if (!length(open)) {
      return(if (inherits(result, "neatsieve_error")) stop(result) else result)
    }
    for (question in open) answer_question(question)
    relation$asking$phase <- "answer"
  }
  cannot_in_database("its numbers depend on one another")
}
most_rounds <- 8

# An aggregate beside each row, over all rows that entered the step, is worked
# out first.
sql_aggregate_beside <- function(node, q) {
  if (!is.null(node$over)) cannot_in_database("an aggregate over other rows")
  beside <- if (length(node$by)) sql_beside_groups(node, q)
  value <- asked_in_database(q$relation, function(relation) {
    a <- new_aggregation(NULL, relation, sql_groups(list(), relation))
    value <- as_kind(aggregate_values(node, a), node, a)
    notes <- if (relation$asking$phase == "answer") q$notes else new_notebook()
    note_aggregate(
      node, narrowed(node, a), list(notes = notes, where = q$where), relation
    )
    value
  })
  if (!is.null(beside)) return(beside)
  sql_literal(
    if (is.factor(value)) as.character(value) else value, node$kind, q$dialect
  )
}
