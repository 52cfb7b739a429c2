# Parquet row groups that are not read, because the least and greatest value of
# a column, or the name of the folder, decides the conditions of the first step
# for all of their rows.

# What a file says of its columns, each a table with a row for each group: the
# least and greatest value, as far as they are known, of whole numbers, dates
# and date-times without an absent value (numbers may be NaN, which these do not
# tell; texts may be cut short); how many values are absent, and whether all
# are.
ends_of_groups <- function(about, like) {
  chunks <- about$chunks
  lapply(stats::setNames(nm = names(like)), function(name) {
    of <- which(chunks$path_in_schema == name)
    per <- seconds_per(
      lapply(about$leaves, `[`, match(name, about$leaves$name)), like[[name]]
    )
    known <- length(of) == length(about$rows) &&
      !is.na(per) &&
      all(chunks$null_count[of] %in% 0)
    value <- function(bytes) {
      if (known && length(bytes) > 0) ends_value(bytes) * per else NA_real_
    }
    margin <- if (per %in% c(NA, 1)) 0 else 1
    of <- of[seq_along(about$rows)]
    list(
      least = vapply(chunks$min_value[of], value, 0) - margin,
      greatest = vapply(chunks$max_value[of], value, 0) + margin,
      absent = as.numeric(chunks$null_count[of]),
      none = chunks$null_count[of] %in% chunks$num_values[of]
    )
  })
}

# How many seconds one unit of a stored whole number is; NA if it is no time.
seconds_per <- function(field, like) {
  is_short <- field$type %in% "INT32"
  if (is_short && (is.integer(like) || inherits(like, "Date"))) return(1)
  if (!inherits(like, "POSIXct") || !field$type %in% "INT64") return(NA_real_)
  switch(as.character(field$converted_type),
    TIMESTAMP_MILLIS = 1e-3,
    TIMESTAMP_MICROS = 1e-6,
    NA_real_
  )
}

ends_value <- function(bytes) {
  if (length(bytes) == 4) {
    readBin(bytes, "integer", endian = "little")
  } else if (length(bytes) == 8) {
    whole_of_bytes(bytes)
  } else {
    NA_real_
  }
}

# Combines the ends of all groups for a file that is read whole.
whole_ends_of <- function(ends) {
  lapply(ends, function(of) {
    empty <- !length(of$least)
    list(
      least = if (empty) NA_real_ else min(of$least),
      greatest = if (empty) NA_real_ else max(of$greatest),
      absent = sum(of$absent),
      none = all(of$none)
    )
  })
}

# Which groups are left out. An answer has to be sure for every condition of the
# step, because the ledger counts what each says alone.
with_groups_left_out <- function(groups, plan) {
  step <- first_screen(plan)
  if (is.null(step)) return(groups)
  bound <- plan$bounds[[step]]
  verdicts <- lapply(bound$nodes, sure_verdict, groups = groups)
  is_sure <- Reduce(`&`, lapply(verdicts, Negate(is.na)))
  holding <- definition_of(bound$step)$holds_when
  is_held <- Reduce(`|`, lapply(verdicts, function(v) v %in% holding))
  groups$left_out <- is_sure & is_held & groups$rows > 0
  groups["step"] <- list(if (any(groups$left_out)) step)
  groups
}

# The number of the first step that screens rows, where only declarations stand
# before it.
first_screen <- function(plan) {
  for (i in plan$lead) {
    about <- definition_of(plan$bounds[[i]]$step)
    if (!is.null(about$holds_when)) return(i)
    if (about$effect != "declares") return(NULL)
  }
}

# The value of a condition for all rows of each group: TRUE, FALSE, or NA if
# unknown.
sure_verdict <- function(node, groups) {
  unknown <- rep(NA, length(groups$rows))
  if (node$node != "call") return(unknown)
  args <- function() lapply(node$args, sure_verdict, groups = groups)
  if (node$fn %in% c("&", "|")) {
    known <- args()
    # As of three values: one that is sure decides.
    return(Reduce(if (node$fn == "&") `&` else `|`, known))
  }
  if (node$fn == "!") return(!args()[[1]])
  sure_comparison(node, groups)
}

# One column against constants.
sure_comparison <- function(node, groups) {
  unknown <- rep(NA, length(groups$rows))
  is_column <- vapply(node$args, function(a) a$node == "column", NA)
  is_plain <- sum(is_column) == 1 &&
    all(vapply(node$args[!is_column], function(a) {
      a$node == "constant"
    }, NA))
  if (!is_plain) return(unknown)
  name <- node$args[[which(is_column)]]$name
  if (name %in% names(groups$extra)) {
    return(truth_of(node, name, groups$extra[[name]]))
  }
  ends <- groups$ends[[name]]
  if (is.null(ends) || !node$fn %in% c("<", "<=", ">", ">=", "==", "!=")) {
    return(unknown)
  }
  like <- groups$like[[name]]
  at <- function(fn, of) {
    node$fn <- fn
    values <- of
    attributes(values) <- attributes(like)
    if (is.integer(like)) values <- as.integer(values)
    truth_of(node, name, values)
  }
  both <- function(fn) {
    first <- at(fn, ends$least)
    ifelse(first == at(fn, ends$greatest), first, NA)
  }
  if (!node$fn %in% c("==", "!=")) return(both(node$fn))
  apart <- both("<") %in% TRUE | both(">") %in% TRUE
  ifelse(apart, node$fn == "!=", NA)
}

# What a condition of one column is for some values of it; absent ones leave it
# open.
truth_of <- function(node, name, values) {
  frame <- new_frame(
    stats::setNames(list(values), name),
    stats::setNames(list(type_of_vector(values)), name),
    length(values)
  )
  truth <- worked_out(new_memory_relation(frame), node)
  ifelse(is.na(values), NA, as.logical(truth))
}

# A group that is not read, all of whose rows the first step holds. Columns of
# that step have a value that stands for all, others none. Units are counted,
# and texts that conditions name are looked for among all, so these columns are
# read.
unread_group <- function(groups, i, plan) {
  value <- function(name) {
    like <- groups$like[[name]]
    least <- groups$ends[[name]]$least[i]
    as.vector(
      if (is.na(least)) {
        like[NA_integer_]
      } else if (is.integer(like)) {
        as.integer(least)
      } else {
        least
      }
    )
  }
  alike <- c(
    lapply(stats::setNames(nm = groups$columns), value),
    lapply(groups$extra, function(values) as.vector(values[i]))
  )
  only <- groups
  only$columns <- intersect(
    groups$columns, c(plan$unit, texts_compared(groups, plan))
  )
  read <- if (length(only$columns)) read_row_group(only, i)[only$columns]
  list(alike = alike, read = read)
}

unread_rows <- function(unread, from, to) {
  rows <- from + seq_len(to - from)
  columns <- lapply(unread$alike, rep, length(rows))
  columns[names(unread$read)] <- lapply(unread$read, `[`, rows)
  columns
}

# Splits rows that are alike: some fill the piece before, then whole pieces,
# then the rest.
sift_unread <- function(unread, groups, i, plan, pass) {
  rows <- groups$rows[i]
  of <- rows_of_pieces(plan)
  fill <- min(rows, -length(pass$waiting[[1]]) %% of)
  whole <- if (is.null(unread$read)) (rows - fill) %/% of * of else 0
  note_absences(pass, unread_rows(unread, 0, 0), groups, i)
  if (fill > 0) {
    sift_whole_pieces(unread_rows(unread, 0, fill), groups, plan, pass)
  }
  if (whole > 0) {
    few <- min(4, whole)
    sift_alike(
      piece_of_group(unread_rows(unread, 0, few), groups, pass),
      whole,
      plan,
      pass
    )
  }
  if (rows > fill + whole) {
    sift_whole_pieces(
      unread_rows(unread, fill + whole, rows), groups, plan, pass
    )
  }
}

# Rows that are alike and all held: the steps run on a few of them, each for as
# many.
sift_alike <- function(piece, rows, plan, pass) {
  state <- state_of_piece(piece, plan, piece$rows, pass$rows)
  for (i in plan$lead) state <- run_one(plan$bounds[[i]], state, is_all = FALSE)
  if (length(state$notes$notes) ||
    !identical(length(state$rows), 0L) ||
    is.null(state$rows)) {
    need_whole_file()
  }
  add_records(pass, state, times = rows / piece$rows)
  if (!is_gathered(plan)) pass$source <- c(pass$source, list(integer()))
  pass$rows <- pass$rows + rows
}

texts_compared <- function(groups, plan) {
  is_text <- vapply(groups$like[groups$columns], is.character, NA)
  intersect(
    groups$columns[is_text], names_within(lapply(plan$bounds, `[[`, "nodes"))
  )
}

# Notes, at the step that decided it, which groups were not read.
note_unread_groups <- function(pass, groups) {
  if (is.null(groups$step)) return()
  out <- groups$left_out
  by_file <- all(is.na(groups$index))
  pass$records[[groups$step]]$unread <- new_unread_groups(
    if (by_file) "file" else "row group",
    sum(out),
    length(out),
    sum(groups$rows[out])
  )
}
