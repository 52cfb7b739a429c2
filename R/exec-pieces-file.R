# A file poured without being held: the first steps that look at one row at a
# time run piece by piece while it is read, and only the rows that went on are
# kept, of the columns that steps read.
#
# What a column is shows in all of its values, so the pieces are read as the
# first thousand rows promise; where the rest of the file says otherwise it is
# read once more. What cannot be told piece by piece, such as what a rare note
# says of all rows, makes the run start again with the whole table in memory:
# the answer is that of a run in memory in every case.

# NULL where the data is no file that is read so, or must be in memory.
sifted_file <- function(data, steps, set) {
  asked <- if (is.character(data)) new_study_request(data) else data
  if (!inherits(asked, "neatsieve_study_request")) return(NULL)
  asked <- kept_request(asked)
  if (!is_sieved_while_read(asked)) return(NULL)
  run <- if (format_of_path(paths_of(asked$data)[1]) == "parquet") {
    run_of_parquet
  } else {
    sift_file
  }
  steps <- with_settings(steps(), set)
  if (asks_over_study(unclass(steps))) return(NULL)
  tryCatch(
    within_memory(
      run(asked, steps),
      "There is not enough memory to read the file.",
      NULL,
      "Keep fewer rows and columns, with `include()` and `pick_columns()` first."
    ),
    neatsieve_whole_file_needed = function(e) NULL
  )
}

# Small files are read whole, because pieces would gain nothing. Given
# categories and dictionaries concern all values.
is_sieved_while_read <- function(asked) {
  paths <- paths_of(asked$data)
  if (is.null(paths) || told_of_all_values(asked)) return(FALSE)
  if (any(vapply(paths, is_stream, NA)) ||
    !all(utils::file_test("-f", paths))) {
    return(FALSE)
  }
  formats <- unique(vapply(paths, format_of_path, ""))
  is_known <- length(formats) == 1 &&
    formats %in% c("text", "parquet") &&
    !length(asked$reading$by_file) &&
    (!is_files(asked$data) || asked$reading$broken == "stop")
  is_known &&
    sum(file.size(paths)) >= getOption("neatsieve.sieve_file_bytes", 2^25)
}
sift_file <- function(asked, steps) {
  tryCatch(
    sift_text(asked, steps, gather = TRUE),
    neatsieve_rows_needed = function(e) sift_text(asked, steps, gather = FALSE)
  )
}

# gather: whether tables may be added up without keeping rows, where they can
# be.
sift_text <- function(asked, steps, gather) {
  opened <- open_text(asked$data, asked$reading)
  # Files of several forms are joined in memory.
  if (is.null(opened)) need_whole_file()
  stamp <- file_stamps(asked$data)
  supposed <- supposed_columns(opened$layout, asked$reading)
  facts <- c(
    asked$unit, unlist(asked$reading$design), names(asked$reading$labels),
    names(asked$reading$measures)
  )
  if (!all(facts %in% names(supposed))) need_whole_file()
  for (attempt in 1:3) {
    plan <- plan_of_pieces(supposed, steps, asked)
    if (gather) plan <- with_questions(plan, steps)
    plan$counted <- counted_files(opened$layout, supposed, plan, asked$reading)
    pass <- read_pieces(opened$layout, supposed[plan$columns], plan)
    if (pass$rows == 0) need_whole_file()
    final_columns <- columns_found(pass, supposed, opened$layout, asked$reading)
    if (final_columns$as_supposed) {
      seek_quantiles(pass, function(seeking) {
        read_pieces(opened$layout, supposed[plan$columns], plan, seeking)
      })
      return(state_of_pass(pass, plan, supposed, steps, opened, asked, stamp))
    }
    supposed[names(final_columns$supposed)] <- final_columns$supposed
  }
  need_whole_file()
}

# Which steps run piece by piece, and which columns are read. bounds: the steps,
# checked against what columns are supposed to be. relation, questions: see
# with_questions(). wanted: which rows held back are kept in place of those that
# go on; see held_rows_of(). counted: see counted_files().
plan_of_pieces <- function(supposed, steps, asked) {
  unit <- asked$unit
  types <- lapply(supposed, function(one) type_of_vector(one$like))
  study <- outline_study(
    lapply(supposed, `[[`, "like"),
    types,
    0,
    list(),
    "",
    NULL,
    unit = unit,
    unit_codes = no_unit_codes,
    design = asked$reading$design
  )
  state <- new_run(study)
  facts <- new_facts(gaps = function(column) need_whole_file())
  bounds <- tryCatch(
    check_all(steps, state, facts),
    neatsieve_error = function(e) {
      need_whole_file()
    }
  )
  is_alone <- vapply(bounds, function(b) definition_of(b$step)$by_row(b), NA)
  lead <- seq_along(bounds)[cumsum(!is_alone) == 0]
  columns <- if (length(bounds) < length(steps)) {
    names(supposed)
  } else {
    columns_needed(bounds, state$scope)
  }
  columns <- union(columns, unit)
  if (!length(columns)) columns <- names(supposed)[1]
  new_record(
    "piece_plan",
    list(
      bounds = bounds,
      lead = lead,
      unit = unit,
      scope = state$scope,
      columns = intersect(names(supposed), columns),
      relation = NULL,
      questions = list(),
      wanted = NULL,
      counted = new_counted_files()
    )
  )
}

# Columns of the file whose values some checked steps look at; at least those.
columns_needed <- function(bounds, scope) {
  all <- names(scope$columns)
  needed <- character()
  for (bound in bounds) {
    step <- bound$step
    about <- definition_of(step)
    if (about$reads_all(step) || asks_all_columns(unclass(step))) return(all)
    # A pick alone looks at no value.
    looked <- list(
      bound$nodes,
      bound$keys,
      if (about$effect != "columns") list(bound$details, unclass(step))
    )
    needed <- c(
      needed, scope$origin[intersect(names_within(looked), names(scope$origin))]
    )
    scope <- bound$scope
  }
  unique(unname(needed[!is.na(needed)]))
}

# The state behind the leading steps, and the steps that are left, checked
# against what columns are.
state_of_pass <- function(pass, plan, supposed, steps, opened, asked, stamp) {
  account <- if (!is.null(opened$layout)) account_of_pass(pass, opened)
  study <- study_of_pass(pass, supposed, opened, asked, account)
  state <- new_run(study)
  bounds <- check_all(steps, state)
  if (!identical(leading_keys(bounds, plan$lead), leading_keys(plan$bounds, plan$lead))) {
    need_whole_file()
  }
  make <- if (is_gathered(plan)) frame_of_no_rows else frame_of_pass
  state$frame <- make(pass, state)
  if (state$frame$held > 0) state$rows <- seq_len(state$frame$n)
  state$unread <- new_unread(asked, opened$layout, stamp, pass$head)
  for (i in plan$lead) state <- led_through(bounds[[i]], state, pass, i)
  left <- bounds[!seq_along(bounds) %in% plan$lead]
  if (is_gathered(plan)) {
    state <- answered_from_pieces(left, state, pass, plan)
    left <- list()
  }
  list(state = state, bounds = left, steps = steps[-seq_along(bounds)])
}

leading_keys <- function(bounds, lead) {
  lapply(
    bounds[lead],
    function(b) vapply(b$nodes, function(n) paste(n$kind, node_key(n)), "")
  )
}

# What is known of the whole study.
study_of_pass <- function(pass, supposed, opened, asked, account) {
  columns <- lapply(supposed, `[[`, "like")
  types <- lapply(columns, type_of_vector)
  texts <- list()
  for (name in names(pass$told)) {
    column_account <- pass$told[[name]]
    absence <- pass$absence[[name]]
    columns[[name]] <- column_account$values[if (absence$gaps) NA_integer_ else 0L]
    types[[name]] <- type_of_vector(column_account$values)
    if (absence$empty && types[[name]]$kind %in% c("logical", "text")) {
      types[[name]]$empty <- TRUE
    }
    if (is.character(column_account$values)) {
      texts[[name]] <- coded_of_told(column_account, pass)$values
    }
  }
  reading <- asked$reading
  if (!is.null(opened$layout)) reading$decimal <- opened$layout$form$mark
  reading$codes_given <- reading$row_names <- reading$labels <- reading$measures <-
    NULL
  reading$design <- NULL
  usual <- if (is_files(asked$data)) {
    name_of_files(asked$data)
  } else {
    basename(asked$data)
  }
  study <- outline_study(
    columns,
    types,
    as_count(pass$rows),
    texts,
    if (is.null(asked$name)) usual else asked$name,
    paths_of(asked$data),
    unit = asked$unit,
    labels = asked$reading$labels,
    measures = asked$reading$measures,
    notes = opened$notes$notes,
    reading = reading,
    account = account,
    unit_codes = unit_codes_of_pass(pass, asked$unit),
    design = asked$reading$design
  )
  if (is_files(asked$data)) study$files <- files_of_pass(pass, asked$data)
  study
}

files_of_pass <- function(pass, files) {
  ends <- pass$facts$parts$rows
  new_study_files(
    short_names(files$paths),
    c(ends, rep(pass$rows, length(files$paths) - length(ends))),
    files$asked
  )
}

# Codes of a column of texts among the rows kept, and its texts in the whole
# file.
coded_of_told <- function(told, pass) {
  if (!is.null(told$coded)) return(told$coded)
  texts <- pass$texts[[told$name]]
  there <- if (length(texts$gone)) texts$text[-texts$gone] else texts$text
  list(codes = match(told$values, there), values = there)
}

unit_codes_of_pass <- function(pass, unit) {
  if (is.null(unit)) return(NULL)
  account <- pass$told[[unit]]
  distinct <- unique(account$values[!is.na(account$values)])
  list(
    codes = match(account$values, distinct, incomparables = NA),
    levels = length(distinct),
    all = as.numeric(sum(pass$units[[1]], na.rm = TRUE))
  )
}

# The rows kept, under the names of the file.
frame_of_pass <- function(pass, state) {
  all <- names(state$study$frame$types)
  columns <- lapply(stats::setNames(nm = all), unread_column)
  columns[names(pass$told)] <- lapply(pass$told, `[[`, "values")
  source <- if (length(pass$source)) {
    as.integer(unlist(pass$source))
  } else {
    integer()
  }
  n <- if (length(pass$source)) length(source) else pass$rows
  held <- pass$rows - n
  frame <- new_frame(
    columns,
    state$study$frame$types,
    as_count(n),
    held = held,
    source = if (held > 0) source
  )
  for (told in pass$told) {
    if (is.character(told$values)) {
      frame$texts[[told$name]] <- coded_of_told(told, pass)
    }
  }
  frame
}

# A leading step over the rows kept, with the account of all rows.
led_through <- function(bound, state, pass, i) {
  record <- pass$records[[i]]
  state$step <- bound$number
  state$where <- bound$where
  state$name <- bound$name
  record$units_in <- state$units
  about <- definition_of(bound$step)
  if (about$effect == "rows") {
    held <- pass$holdings[[as.character(bound$number)]]
    if (!is.null(held)) {
      holding <- new_holding(
        bound$number,
        1L,
        NULL,
        NULL,
        held$by,
        held$because,
        held$reads,
        pass$reasons[[i]]
      )
      state$holdings <- c(state$holdings, list(holding))
    }
  } else {
    notes <- state$notes
    state$notes <- NULL
    is_unmade <- length(bound$nodes) && !is.null(state$unread$head)
    state <- if (is_unmade) {
      with_columns_unmade(bound, state)
    } else {
      about$run(bound, state)
    }
    state["notes"] <- list(notes)
  }
  about$note_record(bound, record, state)
  # Which conditions exclude each other is to be seen with all rows at hand.
  if (isFALSE(about$holds_when) && is_emptied(record)) need_whole_file()
  if (!is.na(state$units)) {
    state$units <- as.numeric(sum(pass$units[[i + 1]], na.rm = TRUE))
  }
  record$units_out <- state$units
  record$place <- "file"
  state$record <- record
  state$records <- c(state$records, list(record))
  state$steps <- c(state$steps, list(bound$step))
  state$names <- c(state$names, bound$name)
  state$scope <- bound$scope
  scope <- state$scope
  scope$coming <- character()
  state$scope <- scope
  state
}

# Signals that something needs all rows (or that values surprise): the file is
# then read whole.
need_whole_file <- function() not_as_supposed()
