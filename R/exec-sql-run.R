# Runs a sieve over a table in a database. A step runs there if it can; else the
# rows that went on are fetched and the run goes on in R. A table or figure that
# cannot be made there is made in R from its columns, and the run stays in the
# database.

# The columns of a table in a database stand for values that are not here.
outline_of_database <- function(relation) {
  frame <- new_frame(
    list(),
    relation$types,
    0L,
    ids = vapply(relation$columns, `[[`, "", "id")
  )
  rm("columns", "n", envir = frame)
  makeActiveBinding("columns", function(value) {
    cannot_in_database("it looks at the values themselves")
  }, frame)
  delayedAssign(
    "n",
    if (is.null(relation$of)) {
      as_count(count_rows(whole_relation(relation$dialect, relation$base)))
    } else {
      as_count(relation$of)
    },
    assign.env = frame
  )
  frame
}

is_outline <- function(frame) bindingIsActive("columns", frame)

# A table without rows in the place of one in a database.
without_rows <- function(frame) {
  if (!is_outline(frame)) return(frame)
  new_frame(
    lapply(frame$types, function(type) vector_of_type(character(), type)),
    frame$types,
    0L,
    ids = frame$ids
  )
}

# What is known of a table holds for one state of it: each run asks anew.
#' @export
begun_over.neatsieve_sql <- function(relation, study) new_database_run(study)
new_database_run <- function(study) {
  relation <- asked_anew(study$database$relation)
  study$database$relation <- relation
  study$frame <- outline_of_database(relation)
  state <- new_run(study)
  state$rows <- relation
  state
}

# Columns of the table that some of the steps look at, asked with the number of
# rows.
#' @export
before_steps.neatsieve_sql <- function(rows, bounds, state) {
  if (length(rows$layers)) return()
  count_and_check(rows, unique(unlist(lapply(bounds, stored_columns, rows))))
}
#' @export
before_steps.neatsieve_pieces <- function(rows, bounds, state) invisible()

# What the database says of a query is said with the step.
#' @export
before_step.neatsieve_sql <- function(rows, bound) {
  rows$dialect$now$where <- bound$where
}
#' @export
before_step.neatsieve_pieces <- function(rows, bound) invisible()

#' @export
run_step.neatsieve_pieces <- function(rows, about, bound, state, is_all) {
  about$run(bound, state)
}
# One step, there or here; the state after it says in its record where.
#' @export
run_step.neatsieve_sql <- function(rows, about, bound, state, is_all) {
  if (about$effect == "declares") {
    return(with_place(about$run(bound, state), NA))
  }
  now <- state$rows$dialect$now
  now$at <- bound$number
  on.exit(now$where <- NULL)
  before <- state$notes$notes
  sent <- statements_sent(now)
  reads <- stored_columns(bound, state$rows)
  state <- tryCatch(
    with_place(run_in_database(about, bound, state), "database"),
    neatsieve_not_in_database = function(e) {
      turn_back_notes(state$notes, before)
      run_here(about, bound, state, conditionMessage(e))
    }
  )
  record <- state$record
  record$reads <- reads
  record$statements <- statements_sent(now) - sent
  state$record <- record
  state
}
statements_sent <- function(now) if (is.null(now$sent)) 0L else now$sent

run_in_database <- function(about, bound, state) {
  check_stored(state$rows, stored_columns(bound, state$rows), state$notes)
  if (!about$effect %in% c("records", "reshapes")) {
    return(run_and_tell(about, bound, state))
  }
  before <- state$notes$notes
  after <- asked_in_database(state$rows, function(relation) {
    state$rows <- relation
    turn_back_notes(state$notes, before)
    about$run(bound, state)
  })
  without_asking(after$rows, after)
}
without_asking <- function(rows, state) UseMethod("without_asking")
#' @export
without_asking.default <- function(rows, state) state
#' @export
without_asking.neatsieve_sql <- function(rows, state) {
  state$rows["asking"] <- list(NULL)
  state
}

# Columns of the table that a step looks at.
stored_columns <- function(bound, relation) {
  looked <- columns_looked_at(bound, relation)
  ids <- vapply(relation$columns[looked], `[[`, "", "id")
  intersect(ids, names(relation$base$columns))
}
columns_looked_at <- function(bound, relation) {
  step <- bound$step
  about <- definition_of(step)
  if (about$reads_all(step)) return(columns_with_reasons(relation))
  looked <- names_within(list(
    bound$nodes, bound$keys, bound$details, unclass(step)
  ))
  intersect(names(relation$columns), looked)
}

# The step over rows that are fetched for it.
run_here <- function(about, bound, state, reason) {
  if (about$effect != "records") {
    state <- fetched_state(state, columns_with_reasons(state$rows), reason)
    return(with_place(run_and_tell(about, bound, state), "here", reason))
  }
  needed <- union(columns_looked_at(bound, state$rows), unit_of_rows(state))
  needed <- union(needed, reasons_in_use(state$rows$types[needed]))
  here <- fetched_state(state, needed, reason)
  here <- about$run(bound, here)
  for (field in c("tables", "charts", "record")) state[[field]] <- here[[field]]
  with_place(state, "here", reason)
}
unit_of_rows <- function(state) {
  if (!is.null(state$study$unit)) unit_node(state$rows, state$study$unit)$name
}

# The same state with the rows in play here, of some columns. reason: why a step
# needs them, for a note.
fetched_state <- function(state, columns, reason = NULL) {
  relation <- state$rows
  check_stored(
    relation,
    intersect(
      names(relation$base$columns),
      vapply(relation$columns[columns], `[[`, "", "id")
    ),
    state$notes
  )
  subsets <- state$subsets$in_database
  names(subsets) <- if (length(subsets)) paste0("s", seq_along(subsets))
  got <- fetched_rows(
    relation,
    columns,
    with_source = TRUE,
    more = unlist(subsets)
  )
  if (!is.null(reason)) {
    note_fetched(got$rows, reason, state)
    record <- state$record
    record$fetched <- columns
    state$record <- record
  }
  n <- nrow(got$rows)
  all <- lapply(stats::setNames(nm = names(relation$types)), unread_column)
  all[columns] <- as.list(got$rows)
  total <- state$frame$n
  frame <- new_frame(
    all,
    relation$types,
    n,
    source = got$source,
    held = total - n,
    ids = vapply(relation$columns, `[[`, "", "id")
  )
  remember_texts(frame, relation)
  state$study$frame <- outline_of_rows(state, frame)
  state$frame <- frame
  state$rows <- if (total > n || length(relation$layers)) seq_len(n)
  if (length(subsets)) {
    member <- lapply(got$more, function(m) told_truth(m) %in% TRUE)
    names(member) <- names(state$subsets$in_database)
    state$subsets <- c(
      signatures_of(member, state), list(words = state$subsets$words)
    )
  }
  state
}

note_fetched <- function(rows, reason, state) {
  if (!is.null(state$rows$dialect$now$of_no_rows)) return(invisible())
  take_note(
    state$notes,
    paste0(
      "Rows are fetched for this step (", fetched_words(rows), "): ", reason,
      "."
    ),
    state$where,
    "See beforehand what would be: `check_sieve(sieve, study)`."
  )
}

# Texts of the whole table, also those that no row in play has, once somebody
# asks for them.
remember_texts <- function(frame, relation) {
  for (name in names(relation$types)) {
    local({
      id <- relation$columns[[name]]$id
      type <- relation$types[[name]]
      if (type$kind != "text" || !id %in% names(relation$base$columns)) return()
      name <- name
      delayedAssign(
        name,
        {
          whole <- whole_relation(relation$dialect, relation$base)
          texts <- distinct_in_database(whole, id)
          there <- texts[!is.na(texts)]
          values <- frame$columns[[name]]
          if (is.null(texts)) {
            core_code_text(values)
          } else {
            list(
              codes = match(values, there, incomparables = NA),
              values = there
            )
          }
        },
        assign.env = frame$texts
      )
    })
  }
}

# What is known of the study when only the rows that went on are here.
outline_of_rows <- function(state, frame) {
  study <- state$study
  whole <- study$frame
  units <- NULL
  if (!is.null(study$unit)) {
    values <- frame$columns[[unit_of_rows(state)]]
    distinct <- unique(values[!is.na(values)])
    units <- list(
      codes = match(values, distinct, incomparables = NA),
      levels = length(distinct),
      all = count_units(study, NULL)
    )
  }
  outline <- new_frame(
    lapply(
      stats::setNames(nm = names(study$database$relation$types)), unread_column
    ),
    study$database$relation$types,
    whole$n
  )
  if (!is.null(units)) outline$units[[study$unit]] <- units
  outline
}

# The rows that went all the way, when they are asked for.
#' @export
bring_here.neatsieve_sql <- function(rows, inside, needs) {
  inside$there <- inside$state
  inside$state <- with_fetched_rows(inside$state)
}
#' @export
state_for_more.neatsieve_sql <- function(rows, inside) inside$state
with_fetched_rows <- function(state) {
  state$notes <- new_notebook()
  hidden <- reasons_in_use(state$rows$types[state$visible])
  state <- fetched_state(
    state, c(union(state$visible, unit_of_rows(state)), hidden)
  )
  show_notes(state$notes$notes)
  state["notes"] <- list(NULL)
  state
}

# A run over the table without its rows, which gives the queries and where each
# step would be done.
tried_on_no_rows <- function(steps, study) {
  relation <- study$database$relation
  base <- relation$base
  base$known <- new.env(parent = emptyenv())
  relation <- whole_relation(relation$dialect, base)
  now <- relation$dialect$now
  now$queries <- list()
  now$at <- 0L
  read <- vapply(
    names(base$columns),
    quote_name,
    "",
    dialect = relation$dialect
  )
  # The number that a database itself gives a row.
  read <- c(read, base$key[grepl("^[a-z]+$", base$key) & !base$key %in% read])
  read <- gsub("\\", "\\\\", paste(read, collapse = ", "), fixed = TRUE)
  none <- paste0("FROM (SELECT ", read, " FROM  \\1 WHERE 1 = 0) AS e")
  now$of_no_rows <- function(sql) {
    for (from in c(base$from, base$parts)) {
      # A longer name is another table.
      sql <- gsub(
        paste0("FROM (\\Q", from, "\\E)(?![\\w.$\"])"),
        none,
        sql,
        perl = TRUE
      )
    }
    sql
  }
  on.exit(now$queries <- now$of_no_rows <- NULL)
  study$database$relation <- relation
  state <- new_database_run(study)
  records <- suppressMessages(
    run_steps(steps, state)$records,
    classes = "neatsieve_note"
  )
  list(queries = now$queries, records = records)
}
