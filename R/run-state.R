# The state of a run. Each step gets it and returns a new one.

starting_state <- function(data, called = "the data") {
  if (inherits(data, "neatsieve_siftings")) {
    state <- state_to_go_on(data)
    state$notes <- new_notebook()
    return(state)
  }
  study <- if (is.data.frame(data)) {
    unclass(new_study(data, name = called))
  } else {
    study_facts(data)
  }
  if (is.data.frame(data)) show_notes(study$notes)
  begun_over(study$database$relation, study)
}

# A run: what steps get and give on. study: its facts; frame, rows: the table
# and its rows in play; visible: columns that a user sees; labels, measures: by
# column. scope: what is there for the next step. steps, names: those carried
# out; step, name, where: the one at work; record: its line of the ledger.
# records, holdings, changed, tables, charts, notes: what came of them. units:
# how many are in play; unit_column: where rows are groups, the key that is the
# unit. stages: tables that rows were taken from before they became something
# else; subject: what a row is, "row" or "group". subsets: membership, or NULL.
# unread: what is to be read again of a file that was sieved while it was read;
# see exec-pieces-file.R. seen: of some rows that are followed, what expressions
# came to, by their text. look: that of figures, heading: that of reports, where
# a step asked for one.
new_run <- function(study) {
  new_record(
    "run",
    list(
      study = study,
      frame = if (is.null(study$database)) {
        frame_of_run(study$frame)
      } else {
        study$frame
      },
      rows = NULL,
      visible = names(study$frame$types),
      labels = study$labels,
      measures = study$measures,
      scope = starting_scope(study),
      steps = list(),
      names = character(),
      step = 0L,
      name = NULL,
      where = NULL,
      record = NULL,
      records = list(),
      holdings = list(),
      changed = list(),
      tables = list(),
      charts = list(),
      notes = new_notebook(),
      units = count_units(study, NULL),
      unit_column = NULL,
      stages = list(),
      subsets = NULL,
      subject = "row",
      unread = NULL,
      look = NULL,
      heading = NULL,
      seen = NULL
    )
  )
}

# What a step did, as the ledger tells it; rows_out, units_out and seconds are
# known at its end. place: of a table in a database, whether it was done in the
# "database" or "here", and why not there (`reason`); of a file that was sieved
# while it was read, "file" or "memory". reads, statements, fetched: of a
# database the columns looked at, how many queries were sent, and the columns of
# rows that were fetched for the step.
new_step_record <- function(step, number, name, rows_in, units_in) {
  new_record(
    "step_record",
    list(
      step = number,
      kind = step$kind,
      name = name,
      rows_in = rows_in,
      rows_out = NULL,
      units_in = units_in,
      units_out = NULL,
      seconds = NULL,
      held = 0,
      added = 0,
      conditions = NULL,
      columns = NULL,
      place = NULL,
      reason = NULL,
      reads = NULL,
      statements = NULL,
      fetched = NULL,
      unread = NULL
    )
  )
}

# Rows that a step held back. stage: of which table; rows: their numbers there
# (NULL: all); fates: by row 0 (went on) or a place in `by`, the conditions, and
# `because`, the reasons. reads: columns that the conditions read. reasons:
# where the rows were not kept, what held_reasons() says of them. expected:
# where they are in a database, how many they are and the sum of their marks.
new_holding <- function(
  step, stage, rows, fates, by, because, reads = list(), reasons = NULL,
  expected = NULL
) {
  new_record(
    "holding",
    list(
      step = step,
      stage = stage,
      rows = rows,
      fates = fates,
      by = by,
      because = because,
      reads = reads,
      reasons = reasons,
      expected = expected
    )
  )
}

# A column as it was before a step made one of another kind, for the rows held
# back before.
new_change <- function(column, values, step, stage) {
  new_record(
    "change", list(column = column, values = values, step = step, stage = stage)
  )
}

# What a row was, up to a step that made rows of another sort: the table and its
# unit column; rows: those in play, where they are in a database.
new_stage <- function(frame, unit_column, rows = NULL) {
  new_record(
    "stage", list(frame = frame, unit_column = unit_column, rows = rows)
  )
}
stage_number <- function(state) length(state$stages) + 1L

# The run with a table of its own from here on; `source`: the rows of the study
# that its rows come from.
in_new_stage <- function(
  state, columns, n, source = NULL, types = lapply(columns, type_of_vector)
) {
  state$stages <- c(
    state$stages, list(new_stage(state$frame, state$unit_column))
  )
  state$frame <- new_frame(columns, types, n, source = source)
  state$rows <- NULL
  state$visible <- names(types)
  unit <- state$study$unit
  state$unit_column <- if (!is.null(unit) && unit %in% names(columns)) unit
  state
}

starting_scope <- function(study) {
  columns <- names(study$frame$types)
  new_scope(
    study$frame$types,
    origin = stats::setNames(columns, columns),
    unit = study$unit,
    design = study$design
  )
}

state_row_count <- function(state) count_rows(relation_of(state))

state_label <- function(state, column) {
  if (is.null(label <- state$labels[[column]])) column else label
}

state_axis <- function(state, column) {
  paste0(
    state_label(state, column),
    if (!is.null(m <- state$measures[[column]])) paste0(" (", m, ")")
  )
}

# A step's tables: its name, and for further ones its name with an ending.
record_table <- function(state, table, part = "main") {
  state$tables[[paste0(state$name, if (part != "main") paste0("_", part))]] <-
    table
  state
}

# A step's figures, one per subset.
record_figures <- function(state, charts) {
  for (s in names(charts)) {
    charts[[s]]$subset <- s
    charts[[s]]$subset_words <- state$subsets$words[[s]]
  }
  state$charts[[state$name]] <- structure(charts, class = "neatsieve_charts")
  state
}

record_figure <- function(state, chart) {
  chart$name <- state$name
  state$charts[[state$name]] <- chart
  state
}

# Which rows these are, in plain words: what the row steps before did.
rows_caption <- function(state) {
  n <- state_row_count(state)
  total <- rows_in_table(state$frame)
  if (length(state$stages)) {
    return(paste0(
      format_count(n), " of ", counted(total, state$subject), " made from ",
      state$study$name, "."
    ))
  }
  if (n == total) {
    return(paste0("All ", counted(total, "row"), " of ", state$study$name, "."))
  }
  row_steps <- Filter(
    function(s) !is.null(definition_of(s)$caption), state$steps
  )
  words <- vapply(
    row_steps,
    function(s) definition_of(s)$caption(spelled_out(s, state$scope)),
    ""
  )
  paste0(
    format_count(n), " of ", counted(total, "row"), " of ", state$study$name,
    if (length(words)) paste0(": ", paste(words, collapse = "; ")), "."
  )
}

# A step's conditions with what cited criteria say and the values of settings in
# their place.
spelled_out <- function(step, scope) {
  if (!"conditions" %in% names(step)) return(step)
  spell <- function(lang) {
    rewrite_lang(lang, leaf = function(x) {
      if (!is.symbol(x)) return(x)
      name <- as.character(x)
      if (name %in% names(scope$settings)) return(scope$settings[[name]])
      if (!is.null(criterion <- scope$criteria[[name]])) {
        return(call("(", spell(criterion$lang)))
      }
      x
    })
  }
  step$conditions <- lapply(step$conditions, function(condition) {
    lang <- spell(condition$lang)
    while (is.call(lang) && identical(lang[[1]], quote(`(`))) lang <- lang[[2]]
    condition$lang <- lang
    condition
  })
  step
}

# Units among the rows in play; after the rows became groups, only where the
# unit is a key.
units_in_play <- function(state) {
  units_over(state$rows, state)
}
# Units among some rows of the table at work.
units_among <- function(state, rows) {
  coded <- units_of_frame(state)
  if (is.null(coded)) {
    NA_real_
  } else {
    count_different_codes(coded$codes, coded$levels, rows)
  }
}
# The unit of each row of the table at work, as codes; NULL where it has none.
units_of_frame <- function(state) {
  if (!length(state$stages)) return(unit_codes(state$study))
  if (is.null(state$unit_column)) return(NULL)
  coded <- key_codes(
    column_of_frame(state$frame, state$unit_column), state$frame, NULL
  )
  list(codes = as.integer(coded$codes), levels = length(coded$values))
}

# The rows in play, as steps ask them.
relation_of <- function(state) relation_over(state$rows, state)

# What is there when a step has made columns by what the rows hold.
scope_of_made <- function(state) {
  scope <- state$scope
  columns <- state$frame$types
  scope$dropped[setdiff(names(scope$columns), names(columns))] <- state$where[1]
  scope$columns <- columns
  scope$origin <- stats::setNames(
    rep(NA_character_, length(columns)), names(columns)
  )
  scope$dropped <- scope$dropped[setdiff(names(scope$dropped), names(columns))]
  scope
}

# changed: see ledger(); gone: a record of absent_results(). undecided: how many
# rows no condition of a choice decides, by the choice's text.
new_column_account <- function(name, changed, gone, undecided) {
  new_record(
    "column_account",
    list(
      name = name,
      changed = changed,
      absent = gone$absent,
      newly_absent = gone$newly,
      of = gone$of,
      several = gone$several,
      undecided = undecided
    )
  )
}

# The same of some more rows.
joined_accounts <- function(a, b) {
  for (field in c("changed", "absent", "newly_absent", "of", "several", "undecided")) {
    a[[field]] <- a[[field]] + b[[field]]
  }
  a
}

# Rows of one unit are alike, and errors that take them as independent are too
# small. what: which errors these are; ways: what allows for it.
note_repeated_units <- function(state, what, ways) {
  units <- state$units
  n <- state_row_count(state)
  if (is.na(units) || units == 0 || n <= units) return()
  take_note(
    state$notes,
    paste0(
      what, " the ", format_count(n), " rows as independent, and they are of ",
      format_count(units), " units (`", state$study$unit, "`), ",
      number_code(signif(n / units, 2)), " rows each."
    ),
    state$where,
    ways
  )
}
