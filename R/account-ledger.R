#' The account of every step
#'
#' Gives, for each step and each of its conditions, how many rows it met and
#' what became of them.
#'
#' @param out Siftings from [pour()].
#' @return A data frame with one row per step and, below each `include()` or
#'   `exclude()`, one per condition, below each [work_out()] one per column:
#'   `step` (number), `level` (`"step"`, `"condition"`, `"column"` or `"file"`),
#'   `kind`, `name`, `rows_in`, `yes`, `no`, `unknown` (conditions only: each
#'   alone on the rows that entered the step), `held` (for a condition: rows it
#'   was the first, in written order, to hold), `added`, `rows_out`, `units_in`,
#'   `units_out` (different units; absent without a unit), `seconds`. For
#'   columns: `changed` (how many values differ from the column of that name
#'   before; absent for a new column), `absent` (how many results are absent),
#'   `newly_absent` (how many of these have all their inputs present) and
#'   `because` (text: which columns are absent in these rows, and in how many,
#'   and how many rows no condition of `first_true()` decided). If a study of
#'   several files was read with `broken = "skip"`, each file that was left out
#'   has a line with step 0 and level `"file"`: its name, and in `because` what
#'   is wrong with it. For every step `rows_out = rows_in - held + added`. For a
#'   table in a [database()], `place` says whether a step ran in the
#'   `"database"` or in R (`"here"`), and `statements` how many queries it sent.
#'   For a file that was sieved while it was read, `place` says whether a step
#'   ran during reading (`"file"`) or in `"memory"`. The print shows lines of
#'   columns only where values changed or results are absent.
#' @section Errors: Class `neatsieve_error_run` if `out` is not siftings.
#' @seealso [held_back()], [follow()], [chart_flow()]
#' @examples
#' out <- pour(demo_file("hive-visits.csv"), include(present(honey_kg), season == "spring"))
#' ledger(out)
#' @export
ledger <- function(out) {
  local_plain()
  state <- siftings_parts(out)$state
  records <- state$records
  places <- lapply(records, function(r) r[c("place", "reason")])
  of_files <- ledger_of_files(state$study$files$broken)
  lines <- one_below_other(compact(c(
    list(ledger_part(0)[0, ], of_files),
    unlist(lapply(records, ledger_of_step), recursive = FALSE)
  )))
  place <- place_of_lines(places, lines[lines$level != "file", ])
  if (!is.null(place)) {
    lines$place <- c(rep(NA, sum(lines$level == "file")), place)
  }
  sent <- lapply(
    records,
    function(r) if (is.null(r$statements)) NA_integer_ else r$statements
  )
  if (!all(is.na(unlist(sent)))) {
    is_step <- lines$level == "step"
    lines$statements <- NA_integer_
    lines$statements[is_step] <- unlist(sent)
  }
  unread <- lapply(records, `[[`, "unread")
  groups <- compact(unread)
  if (length(groups)) {
    lines$unread <- ifelse(lines$level == "step", 0, NA)
    lines$unread[lines$level == "step"] <- vapply(unread, function(u) {
      if (is.null(u)) 0 else u$rows
    }, 0)
  }
  structure(
    lines,
    class = c("neatsieve_ledger", "data.frame"),
    groups = if (length(groups)) groups
  )
}

# Lines of the ledger, with the counts that there are.
ledger_part <- function(
  step, level = "step", kind = "", name = "", rows_in = NA_real_,
  yes = NA_real_, no = NA_real_, unknown = NA_real_, held = 0, added = 0,
  rows_out = NA_real_, units_in = NA_real_, units_out = NA_real_,
  seconds = NA_real_, changed = NA_real_, absent = NA_real_,
  newly_absent = NA_real_, because = NA_character_
) {
  columns <- list(
    step = as.integer(step),
    level = level,
    kind = kind,
    name = name,
    rows_in = rows_in,
    yes = yes,
    no = no,
    unknown = unknown,
    held = held,
    added = added,
    rows_out = rows_out,
    units_in = units_in,
    units_out = units_out,
    seconds = seconds,
    changed = changed,
    absent = absent,
    newly_absent = newly_absent,
    because = because
  )
  table_of_columns(lapply(columns, rep_len, length(name)))
}

# The line of a step, with its conditions or columns below.
ledger_of_step <- function(r) {
  step <- ledger_part(
    r$step,
    kind = r$kind,
    name = r$name,
    rows_in = r$rows_in,
    held = r$held,
    added = r$added,
    rows_out = r$rows_out,
    units_in = r$units_in,
    units_out = r$units_out,
    seconds = r$seconds
  )
  if (length(r$columns)) return(list(step, ledger_of_columns(r)))
  k <- r$conditions
  if (!length(k$name)) return(list(step))
  list(
    step,
    ledger_part(
      r$step,
      "condition",
      r$kind,
      k$name,
      rows_in = r$rows_in,
      yes = k$yes,
      no = k$no,
      unknown = k$unknown,
      held = k$held
    )
  )
}

# Files that could not be read and were left out, before the first step. How
# many rows they have is not known.
ledger_of_files <- function(broken) {
  if (is.null(broken)) return(NULL)
  ledger_part(
    0,
    "file",
    "study",
    broken$file,
    held = NA_real_,
    added = NA_real_,
    because = broken$why
  )
}

# Where the steps of a run over a table in a database were done; NULL for other
# runs.
place_of_lines <- function(places, lines) {
  place <- lapply(places, `[[`, "place")
  if (all(vapply(place, is.null, NA))) return(NULL)
  one <- vapply(
    place, function(p) if (is.null(p)) NA_character_ else as.character(p), ""
  )
  ifelse(lines$level == "step", one[cumsum(lines$level == "step")], NA)
}

# The same in words.
where_steps_ran <- function(x) {
  steps <- x[x$level == "step" & !is.na(x$place), , drop = FALSE]
  of <- function(place) {
    at <- steps$step[steps$place %in% place]
    if (length(at)) {
      paste0(if (length(at) == 1) "step " else "steps ", number_spans(at))
    }
  }
  lead <- c(
    database = "In the database", here = "Here",
    file = "While the file was read", memory = "In memory"
  )
  words <- unlist(lapply(names(lead), function(place) {
    if (length(s <- of(place))) paste0(lead[[place]], ": ", s, ".")
  }))
  paste(words, collapse = " ")
}

# The columns that a step made, below it.
ledger_of_columns <- function(r) {
  count <- function(field) vapply(r$columns, `[[`, 0, field)
  ledger_part(
    r$step,
    "column",
    r$kind,
    vapply(r$columns, `[[`, "", "name"),
    rows_in = r$rows_in,
    newly_absent = count("newly_absent"),
    changed = count("changed"),
    absent = count("absent"),
    because = vapply(r$columns, because_absent, "")
  )
}

# Why results are absent: the columns that are, and rows that no condition of a
# choice decides.
because_absent <- function(account) {
  of <- sort(account$of[account$of > 0], decreasing = TRUE)
  open <- sum(account$undecided)
  both <- if (account$several > 0) {
    paste0(
      if (length(of) == 2) "both" else "more than one", " in ",
      format_count(account$several)
    )
  }
  words <- c(
    if (length(of)) paste(names(of), format_count(of), collapse = ", "), both,
    if (open > 0) paste("undecided", format_count(open))
  )
  if (length(words)) paste(words, collapse = "; ") else NA_character_
}

#' @export
print.neatsieve_ledger <- function(x, ...) {
  local_plain()
  if (!all(c("step", "level", "name", "rows_in", "held", "rows_out") %in% names(x))) {
    return(NextMethod())
  }
  cat(ledger_lines(x), sep = "\n")
  invisible(x)
}

# The ledger as aligned text. Steps stand at the margin with the rows that went
# on; their conditions below them with what each said alone and how many rows it
# was the first to hold.
ledger_lines <- function(x, width = console_width()) {
  broken <- broken_lines(x[x$level == "file", , drop = FALSE], min(width, 110))
  x <- worth_telling(x[x$level != "file", , drop = FALSE])
  if (!nrow(x)) return(c(broken, "No steps."))
  count <- function(v) ifelse(is.na(v), "", format_count(v))
  is_step <- x$level == "step"
  label <- ifelse(
    is_step,
    paste0(x$step, "  ", step_titles(x)),
    paste0("     ", below_step(x))
  )
  columns <- list(
    `rows in` = ifelse(is_step, count(x$rows_in), ""),
    yes = count(x$yes),
    no = count(x$no),
    unknown = count(x$unknown),
    held = ifelse(x$held > 0 | x$level == "condition", count(x$held), ""),
    added = if (any(x$added > 0)) ifelse(x$added > 0, count(x$added), ""),
    `rows out` = count(x$rows_out),
    units = if (any(!is.na(x$units_out))) count(x$units_out)
  )
  columns <- columns[!vapply(columns, is.null, logical(1))]
  widths <- mapply(
    function(name, cells) max(nchar(c(name, cells))) + 2,
    names(columns),
    columns
  )
  room <- min(width, 110) - sum(widths)
  # Where numbers leave too little room, they stand in a block of their own.
  if (room < 18) room <- 26
  table <- data.frame(step = label, columns, check.names = FALSE)
  lines <- table_lines(
    table,
    width,
    rows = Inf,
    lead = "step",
    right = names(columns),
    letters = room,
    over = x$level == "column"
  )
  lines <- c(broken, lines)
  if (is.null(x$place)) return(lines)
  words <- c(where_steps_ran(x), unread_words(attr(x, "groups")))
  c(lines, "", strwrap(words, min(width, 110), exdent = 2))
}

# Files that are not among the rows.
broken_lines <- function(x, width) {
  if (!nrow(x)) return(NULL)
  words <- paste0(
    "Not read, its rows are not counted: ", quoted(x$name), ". ", x$because
  )
  c(if (is.finite(width)) strwrap(words, width, exdent = 2) else words, "")
}

# Files or row groups that were left unread.
unread_words <- function(groups) {
  vapply(groups, function(u) {
    paste0(
      format_count(u$groups), " of ", counted(u$of, u$what), " were ", u$how,
      ": no row of theirs (", format_count(u$rows), ") can pass."
    )
  }, "")
}

# A column gets a line if its values changed or became absent.
worth_telling <- function(x) {
  x[x$level != "column" |
    happened(x$changed) |
    happened(x$absent), , drop = FALSE]
}
happened <- function(count) !is.na(count) & count > 0

# The name of a condition, or of a column with what happened to its values.
below_step <- function(x) {
  of_column <- function(v, said) {
    ifelse(happened(v), paste0(" ", format_count(v), said), "")
  }
  because <- ifelse(is.na(x$because), "", x$because)
  newly <- ifelse(
    happened(x$newly_absent) & nzchar(because),
    paste0(", with all of them present ", format_count(x$newly_absent)),
    ""
  )
  paste0(
    x$name, ifelse(x$level == "column", ":", ""),
    of_column(x$changed, " changed"),
    ifelse(happened(x$changed) & happened(x$absent), ",", ""),
    of_column(x$absent, " absent"),
    ifelse(
      nzchar(because),
      paste0(" (", because, newly, ")"),
      ifelse(happened(x$newly_absent), " (its columns are present)", "")
    )
  )
}

# A step's kind, and its name where that was given.
step_titles <- function(x) {
  own <- mapply(
    function(kind, name) {
      !grepl(paste0("^", sub("^chart_", "", kind), "(_[0-9]+)?$"), name)
    },
    x$kind,
    x$name
  )
  ifelse(own, paste0(x$kind, ": ", x$name), x$kind)
}
