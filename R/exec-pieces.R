# The pass over a file: runs the steps on each piece, adds up the accounts,
# keeps the rows that go on.

# What a pass gathers. reader: see core_text_open(). rows: how many were read.
# kept: by column, the values of rows that went on, piece by piece, and the rows
# whose text is no value. source: their numbers. records, reasons: of each
# leading step. units: sets of units, before the steps and behind each.
# gatherings: what is added up for the questions of tables. went: how many rows
# went on; head: the first of them, where none is kept.
new_pass <- function(
  reader, plan, gatherings = new_gatherings(plan$questions)
) {
  pass <- new.env(parent = emptyenv())
  pass$reader <- reader
  pass$rows <- 0
  pass$kept <- list()
  pass$odd <- list()
  pass$source <- list()
  pass$records <- vector("list", length(plan$lead))
  pass$reasons <- rep(list(list()), length(plan$lead))
  pass$holdings <- list()
  pass$unit_values <- NULL
  pass$units <- rep(list(logical()), length(plan$lead) + 1)
  pass$gatherings <- gatherings
  pass$went <- 0
  pass$head <- NULL
  pass
}

# gatherings: what is added up, where that is not what the plan asks for.
read_pieces <- function(
  layout, supposed, plan, gatherings = new_gatherings(plan$questions)
) {
  bytes <- open_bytes(layout$source)
  on.exit(close_bytes(bytes))
  readings <- vapply(supposed, `[[`, "", "read_as")
  reader <- open_columns(
    layout, bytes, readings,
    together = 8L, counted = plan$counted
  )
  pass <- new_pass(reader, plan, gatherings)
  pass$texts <- texts <- new.env(parent = emptyenv())
  sift <- function(of) {
    rows <- rows_ready(reader, pass$rows, of)
    if (rows == 0) return()
    piece <- piece_of_columns(
      reader,
      supposed,
      layout,
      texts,
      rows,
      keeps_rows = !is_gathered(plan)
    )
    sift_piece(piece, plan, pass)
  }
  # What is added up comes in whole pieces, so that it is the same however the
  # file is cut.
  read_to_end(
    reader,
    layout,
    function() sift(if (is_gathered(plan)) state_piece_rows else 1)
  )
  sift(1)
  pass$facts <- checked_facts(reader, layout)
  note_counted_files(pass, plan$counted)
  pass
}

# Where more values came than are kept, the rows are read once more for their
# quantiles. read: does so, with the gatherings it gets.
seek_quantiles <- function(pass, read) {
  seeking <- compact(lapply(pass$gatherings, seeking_of))
  if (length(seeking)) read(seeking)
  invisible()
}

sift_piece <- function(piece, plan, pass) {
  n <- piece$rows
  if (n == 0) return()
  state <- state_of_piece(piece, plan, n, pass$rows)
  units <- units_of_piece(piece, plan, pass)
  pass$units[[1]][units] <- TRUE
  for (i in plan$lead) {
    stop_at_replaced_text(plan$bounds[[i]], state)
    state <- run_one(plan$bounds[[i]], state, is_all = FALSE)
    pass$units[[i + 1]][if (is.null(state$rows)) units else units[state$rows]] <-
      TRUE
  }
  # A note about values must cover all of them, which one piece cannot know.
  if (length(state$notes$notes)) need_whole_file()
  add_records(pass, state)
  rows <- state$rows
  pass$went <- pass$went + if (is.null(rows)) n else length(rows)
  kept <- rows
  if (is_gathered(plan)) {
    for (gathering in pass$gatherings) {
      gather_piece(gathering, state$frame, rows)
    }
    keep_first_rows(pass, state)
    kept <- integer()
  } else if (!is.null(plan$wanted)) {
    kept <- held_places(state, plan$wanted)
  }
  for (name in names(piece$raw)) {
    values <- piece$raw[[name]]
    pass$kept[[name]] <- c(
      pass$kept[[name]], list(if (is.null(kept)) values else values[kept])
    )
    odd <- piece$odd[[name]]
    if (length(odd$row)) {
      odd$row <- odd$row + pass$rows
      pass$odd[[name]] <- c(pass$odd[[name]], list(odd))
    }
  }
  if (length(plan$lead) && !is_gathered(plan)) {
    pass$source <- c(
      pass$source, list(pass$rows + if (is.null(kept)) seq_len(n) else kept)
    )
  }
  pass$rows <- pass$rows + n
}

# Rows that steps held for reasons that are asked for, in order.
held_places <- function(state, wanted) {
  held <- lapply(state$holdings, function(h) {
    at <- unlist(lapply(which(wanted(h)), places_of_fate, fates = h$fates))
    if (is.null(h$rows)) at else h$rows[at]
  })
  sort(as.integer(unlist(held)))
}

# A run whose table is the piece. Columns that are not read only keep their
# place.
state_of_piece <- function(piece, plan, n, before) {
  all <- names(plan$scope$columns)
  columns <- lapply(stats::setNames(nm = all), unread_column)
  columns[names(piece$values)] <- piece$values
  # R stores a range a:b without writing it out.
  frame <- new_frame(
    columns,
    plan$scope$columns,
    n,
    source = as.integer(before + 1):as.integer(before + n)
  )
  for (name in names(piece$coded)) frame$texts[[name]] <- piece$coded[[name]]
  state <- new_run(new_study_facts(
    frame, NULL, "", NULL, list(), list(), list()
  ))
  state
}

# How many texts a step changes is counted among all.
stop_at_replaced_text <- function(bound, state) {
  if (!has_effect(bound$step, "columns")) return()
  replaced <- intersect(names(bound$nodes), state$visible)
  kinds <- vapply(state$frame$types[replaced], `[[`, "", "kind")
  if (any(kinds == "text")) need_whole_file()
}

# The units of a piece's rows as numbers that stay the same over all pieces.
units_of_piece <- function(piece, plan, pass) {
  if (is.null(plan$unit)) return(NULL)
  coded <- piece$coded[[plan$unit]]
  if (!is.null(coded)) return(coded$codes)
  values <- unclass(piece$values[[plan$unit]])
  pass$unit_values <- unique(c(pass$unit_values, values[!is.na(values)]))
  match(values, pass$unit_values, incomparables = NA)
}

# times: the number of rows that each row represents.
add_records <- function(pass, state, times = 1) {
  reasons <- held_reasons_unsorted(state)
  records <- state$records
  if (times != 1) {
    reasons <- lapply(reasons, function(r) {
      r$rows <- as_count(r$rows * times)
      r
    })
    records <- lapply(records, record_times, times)
  }
  steps <- vapply(reasons, `[[`, 0L, "step")
  for (i in seq_along(records)) {
    pass$records[[i]] <- joined_records(pass$records[[i]], records[[i]])
    pass$reasons[[i]] <- joined_reasons(pass$reasons[[i]], reasons[steps == i])
  }
  for (h in state$holdings) {
    pass$holdings[[as.character(h$step)]] <- h[c("by", "because", "reads")]
  }
}

record_times <- function(record, times) {
  for (field in c("rows_in", "rows_out", "held")) {
    record[[field]] <- record[[field]] * times
  }
  table <- record$conditions
  for (count in setdiff(names(table), "name")) {
    table[[count]] <- table[[count]] * times
  }
  record$conditions <- table
  record
}

joined_records <- function(a, b) {
  if (is.null(a)) return(b)
  for (field in c("rows_in", "rows_out", "held", "added", "seconds")) {
    a[[field]] <- a[[field]] + b[[field]]
  }
  if (!is.null(a$columns)) {
    a$columns <- Map(joined_accounts, a$columns, b$columns)
  }
  if (is.null(a$conditions)) return(a)
  table <- a$conditions
  # Column by column: sums of data frames are worth a piece's whole account in
  # time.
  for (count in setdiff(names(table), "name")) {
    table[[count]] <- table[[count]] + b$conditions[[count]]
  }
  a$conditions <- table
  a
}
