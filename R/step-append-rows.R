#' Add the rows of another table
#'
#' Adds the rows of another table below the current rows. Columns are matched by
#' name.
#'
#' @inheritParams look_up
#' @param columns `"here"`: the columns here stay, those that only the other
#'   table has are left out; `"all"` takes these too. Either way a note names
#'   columns that one of the two lacks, which are absent in its rows.
#' @param origin The name of a new column that says which table each row comes
#'   from, or none.
#' @param ... Not used: an unknown argument is an error that names it.
#' @return A step for a [sieve()] or [pour()]. The new rows count as added in
#'   the [ledger()]; their `source_row` goes on behind the study's last row.
#'   Whole numbers and numbers become numbers, texts and categories texts,
#'   categories of different labels have those of both.
#' @section Errors: Class `neatsieve_error_expression` for columns of one name
#'   and of kinds that do not go together; class `neatsieve_error_step` for a
#'   file that is not there, or after [subsets()].
#' @seealso [look_up()], [pour_each()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' late <- data.frame(hive = c("FG-03", "SB-01"), honey_kg = c(4.5, 6), season = "autumn")
#' pour(hives, append_rows(late, origin = "table"), counts(table))
#' @export
append_rows <- function(
  table, columns = "here", origin = NULL, name = NULL, ...
) {
  refuse_arguments("append_rows", eval(substitute(alist(...))))
  make_step(
    "append_rows",
    table = capture_table(table, substitute(table)),
    columns = columns,
    origin = origin,
    name = name
  )
}

define_step(
  "append_rows",
  "reshapes",
  list(
    table = field_table(),
    columns = field_choice("here", "all"),
    origin = field_text(),
    name = field_name()
  ),
  bind = function(step, typing) bind_append_rows(step, typing),
  run = function(bound, state) run_append_rows(bound, state),
  reads_all = function(step) TRUE,
  words = function(step) {
    paste0(
      "add the rows of ", table_name(step$table),
      if (step$columns == "all") ", with all their columns",
      if (!is.null(step$origin)) {
        paste0(", saying in ", step$origin, " where each comes from")
      }
    )
  }
)

bind_append_rows <- function(step, typing) {
  refuse_after_subsets("append_rows", typing, "adds rows")
  other <- typing$facts$table(step$table, where_of(typing), typing$notes)
  here <- typing$scope$columns
  there <- other$frame$types
  extra <- setdiff(names(there), names(here))
  note_lacking(
    step,
    other,
    setdiff(names(here), c(names(there), step$origin)),
    extra,
    typing
  )
  if (step$columns == "here") extra <- character()
  types <- lapply(
    stats::setNames(nm = c(names(here), extra)),
    function(column) {
      type <- joined_type(
        here[[column]], there[[column]], column, other$name, typing
      )
      type["reasons"] <- list(joined_type_reasons(
        list(here[[column]], there[[column]]), column
      ))
      type
    }
  )
  if (!is.null(step$origin)) {
    check_origin(step$origin, here, there, typing)
    guard_new_name(step$origin, without_columns(typing), "column")
    types[[step$origin]] <- new_type("text")
  }
  typing$scope$columns <- types
  typing$scope$origin <- stats::setNames(
    rep(NA_character_, length(types)), names(types)
  )
  new_bound(step, typing, details = list(other = other, types = types))
}

# A column that an earlier step of the same kind made goes on; one of the study
# does not.
check_origin <- function(origin, here, there, typing) {
  is_made <- origin %in% names(here) &&
    is.na(typing$scope$origin[[origin]]) &&
    here[[origin]]$kind == "text"
  if (!origin %in% c(names(here), names(there)) ||
    (is_made && !origin %in% names(there))) {
    return()
  }
  stop_neatly(
    "step",
    paste0("`origin` names `", origin, "`, which is a column already."),
    where_of(typing),
    "Give it another name."
  )
}

note_lacking <- function(step, other, lacking, extra, typing) {
  if (length(lacking)) {
    take_note(
      typing$notes,
      paste0(
        "The table ", quoted(other$name), " has no ",
        if (length(lacking) == 1) "column " else "columns ",
        listed(ticked(lacking), 8), ": absent in its rows."
      ),
      where_of(typing)
    )
  }
  if (!length(extra)) return()
  take_note(
    typing$notes,
    paste0(
      "Only the table ", quoted(other$name), " has ", listed(ticked(extra), 8),
      if (step$columns == "here") {
        ", left out here."
      } else {
        ": absent in the rows before."
      }
    ),
    where_of(typing),
    if (step$columns == "here") "Write `columns = \"all\"` to take them too."
  )
}

# The type of a column of both tables; NULL where one has none.
joined_type <- function(here, there, column, table, typing) {
  if (is.null(here) || isTRUE(here$empty)) {
    return(if (is.null(there)) here else there)
  }
  if (is.null(there) || isTRUE(there$empty)) return(here)
  kinds <- c(here$kind, there$kind)
  if (setequal(kinds, c("whole", "number"))) return(new_type("number"))
  if (setequal(kinds, c("text", "category"))) return(new_type("text"))
  if (kinds[1] != kinds[2] || here$kind == "other") {
    stop_neatly(
      "expression",
      paste0(
        "Column `", column, "` is ", kind_words(here), " here, and ",
        kind_words(there), " in the table ", quoted(table), "."
      ),
      where_of(typing),
      paste0(
        "Make both of one kind first, as with `as_text()` or `as_number()` in ",
        "`work_out()`."
      )
    )
  }
  if (here$kind != "category" || identical(here$labels, there$labels)) {
    return(here)
  }
  new_type(
    "category",
    labels = union(here$labels, there$labels),
    ordered = isTRUE(here$ordered) && isTRUE(there$ordered)
  )
}

run_append_rows <- function(bound, state) {
  other <- bound$details$other
  types <- bound$details$types
  n <- state_row_count(state)
  m <- other$frame$n
  own <- setdiff(names(types), bound$step$origin)
  columns <- lapply(stats::setNames(nm = own), function(column) {
    here <- if (column %in% state$visible) state$frame$columns[[column]]
    if (!is.null(here) && !is.null(state$rows)) here <- here[state$rows]
    one_after_other(here, other$frame$columns[[column]], n, m, types[[column]])
  })
  for (column in own) {
    reasons <- types[[column]]$reasons
    if (is.null(reasons)) next
    here <- kept_reasons(
      state$frame, state$rows, intersect(column, state$visible)
    )[[column]]
    there <- kept_reasons(
      other$frame, NULL, intersect(column, names(other$frame$types))
    )[[column]]
    columns[[reasons$column]] <- one_after_other(
      here, there, n, m, new_type("category", labels = reasons$labels)
    )
  }
  if (!is.null(bound$step$origin)) {
    before <- if (bound$step$origin %in% state$visible) {
      state$frame$columns[[bound$step$origin]]
    }
    if (!is.null(before) && !is.null(state$rows)) before <- before[state$rows]
    if (is.null(before)) before <- rep(state$study$name, n)
    columns[[bound$step$origin]] <- c(before, rep(other$name, m))
  }
  source <- source_row_of(state$frame, state$rows)
  source <- c(source, max(state$study$frame$n, source, 0L) + seq_len(m))
  state$record$added <- m
  in_new_stage(state, columns, n + m, source, types)
}

# Values of two tables as one column of a type; NULL stands for absent ones.
one_after_other <- function(here, there, n, m, type) {
  as_type <- function(x, size) {
    if (is.null(x) || (type$kind != "logical" && is.logical(x))) {
      x <- rep(NA, size)
    }
    switch(type$kind,
      text = as_utf8(as.character(x)),
      category = match(as.character(x), type$labels),
      whole = if (is.double(x)) x else as.integer(x),
      number = as.numeric(x),
      logical = as.logical(x),
      as.numeric(unclass(x))
    )
  }
  both <- c(as_type(here, n), as_type(there, m))
  dressed(both, type, if (is.null(here) || is.logical(here)) there else here)
}

# Gives plain values the class of a column type.
dressed <- function(x, type, like = NULL) {
  switch(type$kind,
    category = structure(
      x,
      levels = type$labels,
      class = c(if (isTRUE(type$ordered)) "ordered", "factor")
    ),
    date = structure(x, class = "Date"),
    `date-time` = .POSIXct(
      x,
      tz = if (inherits(like, "POSIXct")) attr(like, "tzone")
    ),
    x
  )
}
