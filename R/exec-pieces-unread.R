# Reads what was not kept of a file, when somebody asks for it.

# asked: how the file is read; layout: how its text is written; stamp: the file
# as it was; head: where no row was kept, the first ones that went on, of the
# columns that were read.
new_unread <- function(asked, layout, stamp, head = NULL) {
  new_record(
    "unread", list(asked = asked, layout = layout, stamp = stamp, head = head)
  )
}

# Files or row groups that a step left out: how many of how many, and their
# rows. what: "file" or "row group". how: what was done with them.
new_unread_groups <- function(what, groups, of, rows, how = "left unread") {
  new_record(
    "unread_groups",
    list(what = what, groups = groups, of = of, rows = rows, how = how)
  )
}

check_file_is_same <- function(unread) {
  paths <- paths_of(unread$asked$data)
  is_there <- file.exists(paths)
  changed <- if (!all(is_there)) {
    paths[!is_there]
  } else {
    paths[!mapply(identical, file_stamps(unread$asked$data), unread$stamp)]
  }
  if (!length(changed)) return(invisible())
  path <- changed[1]
  stop_neatly(
    "run",
    paste0(
      "The file ", quoted(path),
      if (file.exists(path)) " has changed" else " was removed",
      " after it was poured."
    ),
    NULL,
    c(
      "Rows and columns that no step needed are read when they are asked for.",
      "Pour the file again."
    )
  )
}

# The state with every column that a user sees, for the rows kept.
#' @export
with_columns_read.neatsieve_unread <- function(unread, state) {
  if (!is.null(unread$head)) return(run_in_memory(state))
  waiting <- Filter(
    function(name) is_unread(state$frame$columns[[name]]), state$visible
  )
  if (!length(waiting)) return(state)
  check_file_is_same(unread)
  in_file <- vapply(state$frame$columns[waiting], attr, "", "column")
  notes <- new_notebook()
  read <- unread_values(
    unread, unique(unname(in_file)), state$frame$source, notes
  )
  scope <- state$scope
  for (i in seq_along(waiting)) {
    values <- read[[in_file[[i]]]]
    state$frame$columns[[waiting[i]]] <- values
    state$frame$types[[waiting[i]]] <- type_of_vector(values)
    scope$columns[[waiting[i]]] <- state$frame$types[[waiting[i]]]
  }
  state$frame$stored <- NULL
  state$scope <- scope
  show_notes(notes$notes)
  state
}

# Columns of the file for the rows kept; what is said of them goes into the
# notes.
unread_values <- function(unread, names, rows, notes) {
  if (is.null(unread$layout)) {
    return(parquet_columns_read(unread$asked, names, rows))
  }
  read <- read_rows(unread$layout, names, rows, unread$asked$reading)
  for (told in read) note_told(notes, told, unread$layout$where)
  lapply(read, `[[`, "values")
}

# The run with the whole table in memory, which gives the same.
#' @export
with_rows_read.neatsieve_unread <- function(unread, state) run_in_memory(state)
run_in_memory <- function(state) {
  check_file_is_same(state$unread)
  whole <- suppressMessages(
    {
      run_steps(
        as_sieve(state$steps),
        starting_state(study_of_request(state$unread$asked))
      )
    },
    classes = "neatsieve_note"
  )
  whole$notes <- state$notes
  whole$records <- Map(
    function(record, first) {
      record$seconds <- first$seconds
      record
    },
    whole$records,
    state$records
  )
  whole
}
