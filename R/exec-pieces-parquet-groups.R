# Row groups of one or several Parquet files, sieved one after another as a text
# is sieved piece by piece: only the rows that go on are kept, of the columns
# that steps read.
#
# The package that reads Parquet reads files. So the core writes one group, with
# the columns that are needed, as a file of its own, which is read and removed.

# What is read at once: for each its file and its number there (NA: the whole
# file), and how many rows. columns: those that are read. like: vectors of no
# values that are as the columns are. extra: columns of which all rows of one
# have the same value. ends: of columns by what the file says, see
# ends_of_groups(). step, left_out: see left_unread().
new_row_groups <- function(paths, index, rows, columns, like, extra, ends) {
  new_record(
    "row_groups",
    list(
      paths = paths,
      index = index,
      rows = rows,
      columns = columns,
      like = like,
      extra = extra,
      ends = ends,
      step = NULL,
      left_out = rep(FALSE, length(rows))
    )
  )
}

# NULL where the columns are to be read whole, which takes a third of the time:
# in one file where their values take no more than 1 GB and most of its groups
# are needed, or with one group alone.
row_groups_of <- function(parts, plan) {
  columns <- intersect(plan$columns, names(parts$like))
  most <- 32 * getOption("neatsieve.sieve_file_bytes", 2^25)
  is_large <- parts$rows * 8 * length(columns) > most
  inside <- lapply(seq_along(parts$paths), function(i) {
    ends <- ends_of_groups(parts$about[[i]], parts$like)
    rows <- parts$about[[i]]$rows
    by_group <- length(rows) > 1 &&
      (is_large[i] || length(parts$paths) == 1)
    if (by_group) {
      list(index = seq_along(rows), rows = rows, ends = ends)
    } else {
      list(index = NA, rows = sum(rows), ends = whole_ends_of(ends))
    }
  })
  size <- lengths(lapply(inside, `[[`, "index"))
  of <- rep(seq_along(inside), size)
  ends <- lapply(stats::setNames(nm = names(parts$like)), function(name) {
    do.call(Map, c(list(c), lapply(inside, function(part) part$ends[[name]])))
  })
  groups <- new_row_groups(
    parts$paths[of],
    unlist(lapply(inside, `[[`, "index")),
    unlist(lapply(inside, `[[`, "rows")),
    columns,
    c(parts$like, lapply(parts$extra, `[`, 0)),
    lapply(parts$extra, `[`, of),
    ends
  )
  groups <- with_groups_left_out(groups, plan)
  if (length(parts$paths) > 1) return(groups)
  read <- sum(groups$rows[!groups$left_out])
  if (length(groups$rows) > 1 && (is_large || read * 3 <= sum(groups$rows))) {
    groups
  }
}

# One group's columns, without their attributes.
read_row_group <- function(groups, i) {
  columns <- if (length(groups$columns)) {
    read_group_columns(groups, i)
  } else {
    list()
  }
  is_told <- function(x, like) {
    typeof(x) %in% c(typeof(like), "integer") &&
      identical(class(x), class(like)) &&
      length(x) == groups$rows[i]
  }
  if (!all(mapply(is_told, columns, groups$like[names(columns)]))) {
    need_whole_file()
  }
  # Joined with other files, dates are numbers of one type.
  is_joined <- length(unique(groups$paths)) > 1
  columns <- Map(
    function(x, like) {
      if (is_joined && is.double(like)) as.double(x) else as.vector(x)
    },
    columns,
    groups$like[names(columns)]
  )
  lapply(with_extra(columns, groups, i), as.vector)
}

read_group_columns <- function(groups, i) {
  path <- path.expand(groups$paths[i])
  index <- groups$index[i]
  copy <- tempfile(fileext = ".parquet")
  on.exit(unlink(copy))
  table <- tryCatch(
    {
      if (!is.na(index)) {
        core_copy_row_group(path, copy, index - 1L, groups$columns)
        path <- copy
      }
      unclass(nanoparquet::read_parquet(path, col_select = groups$columns))
    },
    error = function(e) NULL
  )
  if (!all(groups$columns %in% names(table))) need_whole_file()
  table[groups$columns]
}

with_extra <- function(columns, groups, i) {
  c(
    columns,
    lapply(groups$extra, function(values) rep(values[i], groups$rows[i]))
  )
}

sift_row_groups <- function(groups, asked, supposed, plan, steps, stamp) {
  sift <- function(plan) {
    opened <- list(notes = new_notebook(), layout = NULL)
    # Where no row is read nothing is known of what the columns hold.
    if (all(groups$left_out | groups$rows == 0)) need_whole_file()
    pass <- pass_of_groups(groups, plan)
    note_unread_groups(pass, groups)
    seek_quantiles(
      pass, function(seeking) pass_of_groups(groups, plan, seeking)
    )
    state_of_pass(pass, plan, supposed, steps, opened, asked, stamp)
  }
  tryCatch(
    sift(with_questions(plan, steps)),
    neatsieve_rows_needed = function(e) sift(plan)
  )
}

# The pass over all groups. Rows come in whole pieces where something is added
# up of them.
pass_of_groups <- function(
  groups, plan, gatherings = new_gatherings(plan$questions)
) {
  pass <- new_pass(NULL, plan, gatherings)
  pass$texts <- new.env(parent = emptyenv())
  pass$waiting <- NULL
  names <- c(groups$columns, names(groups$extra))
  for (name in names) pass$absence[[name]] <- list(gaps = FALSE, empty = TRUE)
  for (i in which(groups$rows > 0)) {
    if (groups$left_out[i]) {
      sift_unread(unread_group(groups, i, plan), groups, i, plan, pass)
    } else {
      columns <- read_row_group(groups, i)
      note_absences(pass, columns, groups)
      sift_whole_pieces(columns, groups, plan, pass)
    }
    # R does not know how much memory the reader of Parquet takes.
    if (i %% 16 == 0) gc()
  }
  sift_waiting(length(pass$waiting[[1]]), groups, plan, pass)
  pass$facts <- list(parts = list(rows = ends_of_files(groups)))
  pass$told <- lapply(stats::setNames(nm = names), told_of_groups, groups, pass)
  pass
}

# How many rows a piece has.
rows_of_pieces <- function(plan) if (is_gathered(plan)) state_piece_rows else 1

# Further rows; those that make no whole piece wait.
sift_whole_pieces <- function(columns, groups, plan, pass) {
  pass$waiting <- joined_columns(pass$waiting, columns)
  of <- rows_of_pieces(plan)
  sift_waiting(length(pass$waiting[[1]]) %/% of * of, groups, plan, pass)
}

sift_waiting <- function(rows, groups, plan, pass) {
  if (rows == 0) return()
  sift_piece(
    piece_of_group(columns_cut(pass$waiting, 0, rows), groups, pass), plan, pass
  )
  pass$waiting <- columns_cut(pass$waiting, rows, length(pass$waiting[[1]]))
}

# Rows up to the end of each file.
ends_of_files <- function(groups) {
  cumsum(groups$rows)[!duplicated(groups$paths, fromLast = TRUE)]
}

joined_columns <- function(before, more) {
  if (length(before[[1]])) Map(c, before, more) else more
}
columns_cut <- function(columns, from, to) {
  if (from == 0 && to == length(columns[[1]])) return(columns)
  # The first of many are told quickest by their number.
  if (from == 0) return(lapply(columns, `length<-`, to))
  lapply(columns, `[`, seq_len(to - from) + from)
}

piece_of_group <- function(columns, groups, pass) {
  raw <- columns
  coded <- list()
  for (name in names(columns)[vapply(columns, is.character, NA)]) {
    raw[[name]] <- codes_so_far(columns[[name]], name, pass$texts)
    coded[[name]] <- list(codes = raw[[name]], values = pass$texts[[name]]$text)
  }
  values <- Map(as_in_file, raw, groups$like[names(raw)])
  rows <- if (length(columns)) length(columns[[1]]) else 0
  new_piece(rows, raw, values, coded)
}

# Codes of texts among all that were met. A column of very many is told quicker
# as a whole.
codes_so_far <- function(texts, name, known) {
  before <- known[[name]]$text
  coded <- core_code_text(texts)
  new <- setdiff(coded$values, before)
  known[[name]] <- list(text = c(before, new), gone = integer())
  if (length(before) + length(new) > most_group_texts || !all(validUTF8(new))) {
    need_whole_file()
  }
  match(coded$values, known[[name]]$text)[coded$codes]
}
most_group_texts <- 1e5

# Codes of texts stay codes.
as_in_file <- function(raw, like) {
  if (is.character(like)) return(raw)
  if (inherits(like, "Date") && core_count_fractions(raw) > 0) need_whole_file()
  attributes(raw) <- attributes(like)
  raw
}

# unread: the number of a group whose columns were not read, of which its file
# tells.
note_absences <- function(pass, columns, groups, unread = NULL) {
  for (name in names(columns)) {
    seen <- pass$absence[[name]]
    ends <- if (!is.null(unread)) groups$ends[[name]]
    is_absent <- if (!is.null(unread) && name %in% names(groups$extra)) {
      is.na(groups$extra[[name]][unread])
    } else if (is.null(ends)) {
      is.na(columns[[name]])
    }
    pass$absence[[name]] <- list(
      gaps = seen$gaps ||
        if (is.null(ends)) any(is_absent) else !ends$absent[unread] %in% 0,
      empty = seen$empty && if (is.null(ends)) all(is_absent) else ends$none[unread]
    )
  }
}

# The values kept of a column.
told_of_groups <- function(name, groups, pass) {
  like <- groups$like[[name]]
  raw <- unlist(pass$kept[[name]])
  if (is.null(raw)) {
    raw <- if (is.character(like)) integer() else as.vector(like)
  }
  if (!is.character(like)) return(new_told(name, as_in_file(raw, like)))
  texts <- pass$texts[[name]]$text
  new_told(name, texts[raw], coded = list(codes = raw, values = texts))
}
