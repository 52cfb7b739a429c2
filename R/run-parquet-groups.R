# A Parquet file of several row groups, sieved group by group as a text is sieved piece by piece:
# only the rows that go on are kept, of the columns that steps read.
#
# The package that reads Parquet gives one row group by a function that it does not promise to keep.
# Where that is missing, or gives other than what the file says of itself, columns are read whole.

# Columns of the row groups of a file. like: vectors of no values that are as the columns are.
new_row_groups <- function(path, columns, rows, like, reader) {
  new_record("row_groups", list(path = path, columns = columns, rows = rows, like = like,
                                reader = reader))
}

# NULL where the columns are to be read whole, which takes a third of the time: where their values
# take no more than 1 GB, or there is one row group alone.
row_groups_of <- function(path, like, columns) {
  reader <- get0("read_parquet_row_group", asNamespace("nanoparquet"), mode = "function")
  if (is.null(reader)) return(NULL)
  rows <- tryCatch(nanoparquet::read_parquet_metadata(path)$row_groups$num_rows,
                   error = function(e) NULL)
  most <- 32 * getOption("neatsieve.sieve_file_bytes", 2^25)
  if (length(rows) < 2 || sum(rows) * 8 * length(columns) <= most) return(NULL)
  new_row_groups(path, columns, rows, like[columns], reader)
}

# One group's columns, without their attributes.
read_row_group <- function(groups, i) {
  table <- tryCatch(unclass(groups$reader(groups$path, i - 1L)), error = function(e) NULL)
  if (!all(groups$columns %in% names(table))) need_whole_file()
  columns <- table[groups$columns]
  is_told <- function(x, like) {
    typeof(x) %in% c(typeof(like), "integer") && identical(class(x), class(like)) &&
      length(x) == groups$rows[i]
  }
  if (!all(mapply(is_told, columns, groups$like))) need_whole_file()
  lapply(columns, as.vector)
}

sift_row_groups <- function(groups, asked, supposed, plan, steps, stamp) {
  sift <- function(plan) {
    opened <- list(notes = new_notebook(), layout = NULL)
    pass <- pass_of_groups(groups, plan)
    if (pass$rows == 0) need_whole_file()
    seek_quantiles(pass, function(seeking) pass_of_groups(groups, plan, seeking))
    state_of_pass(pass, plan, supposed, steps, opened, asked, stamp)
  }
  tryCatch(sift(with_questions(plan, steps)), neatsieve_rows_needed = function(e) sift(plan))
}

# The pass over all groups. Rows come in whole pieces where something is added up of them.
pass_of_groups <- function(groups, plan, gatherings = new_gatherings(plan$questions)) {
  pass <- new_pass(NULL, plan, gatherings)
  pass$texts <- new.env(parent = emptyenv())
  for (name in groups$columns) pass$absence[[name]] <- list(gaps = FALSE, empty = TRUE)
  of <- if (is_gathered(plan)) state_piece_rows else 1
  waiting <- NULL
  for (i in seq_along(groups$rows)) {
    waiting <- joined_columns(waiting, read_row_group(groups, i))
    ready <- length(waiting[[1]]) %/% of * of
    sift_piece(piece_of_group(columns_cut(waiting, 0, ready), groups, pass), plan, pass)
    waiting <- columns_cut(waiting, ready, length(waiting[[1]]))
    # R does not know how much memory the reader of Parquet takes.
    if (i %% 16 == 0) gc()
  }
  sift_piece(piece_of_group(waiting, groups, pass), plan, pass)
  pass$told <- lapply(stats::setNames(nm = groups$columns), told_of_groups, groups, pass)
  pass
}

joined_columns <- function(before, more) {
  if (length(before[[1]])) Map(c, before, more) else more
}
columns_cut <- function(columns, from, to) {
  if (from == 0 && to == length(columns[[1]])) return(columns)
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
  for (name in names(columns)) note_absence(pass, name, columns[[name]])
  rows <- if (length(columns)) length(columns[[1]]) else 0
  new_piece(rows, raw, values, coded)
}

# Codes of texts among all that were met. A column of very many is told quicker as a whole.
codes_so_far <- function(texts, name, known) {
  before <- known[[name]]$text
  new <- setdiff(unique(texts), c(before, NA))
  known[[name]] <- list(text = c(before, new), gone = integer())
  if (length(before) + length(new) > most_group_texts || !all(validUTF8(new))) need_whole_file()
  match(texts, known[[name]]$text, incomparables = NA)
}
most_group_texts <- 1e5

# Codes of texts stay codes.
as_in_file <- function(raw, like) {
  if (is.character(like)) return(raw)
  if (inherits(like, "Date") && core_count_fractions(raw) > 0) need_whole_file()
  attributes(raw) <- attributes(like)
  raw
}

note_absence <- function(pass, name, x) {
  gone <- is.na(x)
  seen <- pass$absence[[name]]
  pass$absence[[name]] <- list(gaps = seen$gaps || any(gone), empty = seen$empty && all(gone))
}

# The values kept of a column.
told_of_groups <- function(name, groups, pass) {
  like <- groups$like[[name]]
  raw <- unlist(pass$kept[[name]])
  if (is.null(raw)) raw <- if (is.character(like)) integer() else as.vector(like)
  if (!is.character(like)) return(new_told(name, as_in_file(raw, like)))
  texts <- pass$texts[[name]]$text
  new_told(name, texts[raw], coded = list(codes = raw, values = texts))
}
