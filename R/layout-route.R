# Plans how a sieve runs, without running it: where each step runs, which
# columns of the study it reads, how many statements it sends, and what would be
# fetched.

# place: "memory", "file" (sieved while it is read) or "database". columns: of
# how many. rows: of the study, at most; NA: not known before it is read. steps:
# of new_route_steps().
new_route <- function(place, columns, rows, steps, read) {
  new_record(
    "route",
    list(
      place = place, columns = columns, rows = rows, steps = steps, read = read
    )
  )
}

# One line for each step. place: "memory", "file", "database" or "here", where
# rows are fetched for it; reads: columns of the study; fetched: how many
# columns that are, of at most `rows` rows.
new_route_steps <- function(
  step, kind, place, reads, statements = NA_integer_, rows = NA_real_,
  fetched = 0L, bytes = 0, why = NA_character_
) {
  table <- data.frame(
    step = step,
    kind = kind,
    place = place,
    statements = statements,
    rows = rows,
    fetched = fetched,
    bytes = bytes,
    why = why
  )
  table$reads <- reads
  table
}

# data: a study, or what it would be read from.
route_of <- function(steps, data) {
  if (inherits(data, "neatsieve_study_request")) {
    return(route_of_file(steps, data))
  }
  if (is.null(data$database)) {
    route_in_memory(steps, data)
  } else {
    route_in_database(steps, data)
  }
}

route_in_memory <- function(steps, study) {
  state <- new_run(study)
  bounds <- suppressMessages(
    check_all(steps, state),
    classes = "neatsieve_note"
  )
  reads <- reads_of_bounds(bounds, state$scope)
  new_route(
    "memory",
    length(study$frame$types),
    study$frame$n,
    read = unique(unlist(reads)),
    new_route_steps(
      seq_along(bounds),
      vapply(bounds, function(b) b$step$kind, ""),
      "memory",
      reads
    )
  )
}

# Columns of the study that each step reads.
reads_of_bounds <- function(bounds, scope) {
  lapply(bounds, function(bound) {
    read <- tryCatch(
      columns_needed(list(bound), scope),
      neatsieve_whole_file_needed = function(e) names(scope$columns)
    )
    scope <<- bound$scope
    read
  })
}

# NULL for a file that is read whole before its steps run.
route_of_file <- function(steps, asked) {
  asked <- kept_request(asked)
  is_sieved <- is_sieved_while_read(asked) && !asks_over_study(unclass(steps))
  if (!is_sieved || format_of_path(paths_of(asked$data)[1]) == "parquet") {
    return(NULL)
  }
  tryCatch(
    {
      opened <- open_text(asked$data, asked$reading)
      supposed <- supposed_columns(opened$layout, asked$reading)
      plan <- with_questions(plan_of_pieces(supposed, steps, asked), steps)
      at <- seq_along(plan$bounds)
      scope <- new_run(outline_study(
        lapply(supposed, `[[`, "like"),
        lapply(supposed, function(one) type_of_vector(one$like)),
        0,
        list(),
        "",
        NULL,
        unit = asked$unit,
        unit_codes = no_unit_codes,
        design = asked$reading$design
      ))$scope
      place <- ifelse(is_gathered(plan) | at %in% plan$lead, "file", "memory")
      new_route(
        "file",
        length(supposed),
        NA_real_,
        read = plan$columns,
        new_route_steps(
          at,
          vapply(plan$bounds, function(b) b$step$kind, ""),
          place,
          reads_of_bounds(plan$bounds, scope)
        )
      )
    },
    neatsieve_whole_file_needed = function(e) NULL
  )
}

# An aggregate over the study as loaded makes the whole table be fetched before
# the first step.
route_of_whole_table <- function(steps, study) {
  relation <- study$database$relation
  rows <- live_dialect(relation$dialect)$estimate(relation$base)
  all <- names(relation$types)
  first <- seq_along(steps) == 1
  new_route(
    "database",
    length(all),
    rows,
    read = all,
    new_route_steps(
      seq_along(steps),
      vapply(unclass(steps), `[[`, "", "kind"),
      "here",
      rep(list(character()), length(steps)),
      rows = rows,
      fetched = ifelse(first, length(all), 0L),
      bytes = ifelse(first, 8 * length(all) * rows, 0),
      why = ifelse(first, "an aggregate over the whole study", NA)
    )
  )
}

route_in_database <- function(steps, study) {
  if (asks_over_study(unclass(steps))) {
    return(route_of_whole_table(steps, study))
  }
  tried <- tried_on_no_rows(steps, study)
  records <- tried$records
  relation <- study$database$relation
  rows <- live_dialect(relation$dialect)$estimate(relation$base)
  of <- function(field, none) {
    lapply(records, function(r) if (is.null(r[[field]])) none else r[[field]])
  }
  fetched <- of("fetched", character())
  place <- unlist(of("place", NA_character_))
  new_route(
    "database",
    length(relation$types),
    rows,
    read = intersect(
      names(relation$base$columns),
      c(unlist(of("reads", character())), unlist(fetched))
    ),
    new_route_steps(
      vapply(records, `[[`, 0, "step"),
      vapply(records, `[[`, "", "kind"),
      place,
      of("reads", character()),
      statements = unlist(of("statements", NA_integer_)),
      rows = rows,
      fetched = lengths(fetched),
      bytes = vapply(fetched, function(f) 8 * length(f) * rows, 0),
      why = unlist(of("reason", NA_character_))
    )
  )
}

# The route in plain words, a line for each stretch of steps that are done in
# one place.
route_lines <- function(route, width) {
  steps <- route$steps[!is.na(route$steps$place), , drop = FALSE]
  what <- paste0(
    if (is.na(route$rows)) "" else paste0(format_count(route$rows), " rows, "),
    format_count(length(route$read)), " of ", counted(route$columns, "column"),
    " read"
  )
  if (!nrow(steps)) return(NULL)
  stretch <- cumsum(c(
    TRUE, steps$place[-1] != steps$place[-nrow(steps)] | steps$fetched[-1] > 0
  ))
  lines <- vapply(split(steps, stretch), route_line, "", USE.NAMES = FALSE)
  lead <- c(
    memory = "In memory: ", file = "While the file is read once: ",
    database = "In the database: "
  )[[route$place]]
  if (all(steps$place == route$place) && all(is.na(steps$statements))) {
    lines <- character()
  }
  c(
    strwrap(paste0(lead, what, "."), width, exdent = 2),
    unlist(lapply(lines, strwrap, width = width, indent = 2, exdent = 4))
  )
}

route_line <- function(steps) {
  called <- paste0(
    if (nrow(steps) == 1) "Step " else "Steps ", number_spans(steps$step)
  )
  statements <- sum(steps$statements)
  where <- c(
    memory = " in memory", file = " while it is read", database = " there",
    here = " here"
  )[[steps$place[1]]]
  fetch <- if (any(steps$fetched > 0)) {
    at <- which(steps$fetched > 0)[1]
    size <- format(
      structure(steps$bytes[at], class = "object_size"),
      units = "auto",
      standard = "SI"
    )
    paste0(
      ", for which up to ", format_count(steps$rows[at]), " rows of ",
      counted(steps$fetched[at], "column"), " are fetched (", size, "): ",
      steps$why[at]
    )
  }
  paste0(
    called, where,
    if (!is.na(statements) && steps$place[1] == "database") {
      paste0(", ", counted(statements, "statement"))
    },
    fetch, "."
  )
}
