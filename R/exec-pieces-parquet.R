# Parquet poured by its path: reads only the columns that steps use; large
# files, and several files, row group by row group. Other columns are read when
# somebody asks for them.

run_of_parquet <- function(asked, steps) {
  stamp <- file_stamps(asked$data)
  parts <- parquet_parts(asked)
  like <- c(parts$like, lapply(parts$extra, `[`, 0))
  supposed <- lapply(like, function(x) list(like = x))
  plan <- plan_of_pieces(supposed, steps, asked)
  facts <- c(
    asked$unit, unlist(asked$reading$design), names(asked$reading$kinds),
    names(asked$reading$column_codes), names(asked$reading$labels),
    names(asked$reading$measures)
  )
  if (!all(facts %in% names(like))) need_whole_file()
  columns <- intersect(names(like), union(plan$columns, facts))
  groups <- if (!is_told_otherwise(asked$reading)) row_groups_of(parts, plan)
  if (!is.null(groups)) {
    return(sift_row_groups(groups, asked, supposed, plan, steps, stamp))
  }
  if (is_files(asked$data) || length(columns) == length(like)) need_whole_file()
  some <- asked
  some$reading <- c(asked$reading, list(only = columns))
  study <- unclass(study_of_request(some))
  state <- new_run(with_places_of(study, like))
  state$unread <- new_unread(asked, NULL, stamp)
  list(state = state, bounds = list(), steps = steps)
}

# Whether values are to be taken for others than those that stand in the file.
is_told_otherwise <- function(reading) {
  reading$codes_given ||
    length(reading$kinds) > 0 ||
    length(reading$column_codes) > 0
}

# Files of the same columns. about: what each says of itself; rows: how many
# each has. like: vectors of no values that are as their columns are. extra:
# columns that the names of files and folders make, a value for each file.
new_parquet_parts <- function(paths, about, rows, like, extra) {
  new_record(
    "parquet_parts",
    list(paths = paths, about = about, rows = rows, like = like, extra = extra)
  )
}

parquet_parts <- function(asked) {
  need_package("nanoparquet", "Reading Parquet")
  paths <- paths_of(asked$data)
  about <- lapply(paths, parquet_about)
  like <- parquet_columns(about[[1]])
  for (other in about[-1]) if (!identical(parquet_columns(other), like)) need_whole_file()
  rows <- vapply(about, function(a) sum(a$rows), 0)
  texts <- if (is_files(asked$data)) texts_of_files(asked$data, asked$reading)
  if (any(names(texts) %in% names(like))) need_whole_file()
  new_parquet_parts(
    paths, about, rows, like, lapply(texts, judged_texts, counts = rows)
  )
}

# What a file says of itself: its columns, the rows of its groups, and the parts
# of columns there.
parquet_about <- function(path) {
  about <- tryCatch(
    nanoparquet::read_parquet_metadata(path),
    error = function(e) need_whole_file()
  )
  schema <- unclass(about$schema)
  chunks <- unclass(about$column_chunks)
  chunks$path_in_schema <- vapply(
    chunks$path_in_schema, paste, "",
    collapse = "."
  )
  list(
    leaves = lapply(schema, `[`, -1),
    rows = as.numeric(about$row_groups$num_rows),
    chunks = chunks
  )
}

# Vectors of no values that are as the columns are, by the file's own account.
parquet_columns <- function(about) {
  leaves <- about$leaves
  known <- list(
    double = numeric(),
    integer = integer(),
    character = character(),
    logical = logical(),
    Date = structure(numeric(), class = "Date"),
    POSIXct = .POSIXct(numeric(), tz = "UTC")
  )
  plain <- is.na(leaves$num_children) &
    leaves$r_type %in% names(known) &
    !duplicated(leaves$name) &
    nzchar(leaves$name)
  if (!length(plain) || !all(plain)) need_whole_file()
  if (may_hold_long_wholes(about$chunks, long_wholes_of(leaves))) {
    need_whole_file()
  }
  stats::setNames(known[leaves$r_type], leaves$name)
}

# The study with an empty column for every column of the file.
with_places_of <- function(study, like) {
  frame <- study$frame
  columns <- lapply(stats::setNames(nm = names(like)), unread_column)
  types <- lapply(like, type_of_vector)
  columns[names(frame$columns)] <- frame$columns
  types[names(frame$types)] <- frame$types
  whole <- new_frame(columns, types, frame$n)
  for (cache in frame_caches) whole[[cache]] <- frame[[cache]]
  study$frame <- whole
  study
}

# Columns that were not read before, by name; rows: NULL, all of them.
parquet_columns_read <- function(asked, names, rows) {
  read <- function(path, names, rows) {
    reading <- c(asked$reading, list(only = names))
    columns <- unclass(read_other_format(path, "parquet", reading)$data)[names]
    if (is.null(rows)) columns else lapply(columns, `[`, rows)
  }
  if (!is_files(asked$data)) return(read(asked$data, names, rows))
  parts <- parquet_parts(asked)
  ends <- cumsum(parts$rows)
  if (is.null(rows)) rows <- seq_len(ends[length(ends)])
  file <- findInterval(rows - 1, ends) + 1
  inside <- intersect(names, names(parts$like))
  read <- lapply(unique(file), function(i) {
    read(parts$paths[i], inside, rows[file == i] - c(0, ends)[i])
  })
  # Rows are in the order of the files.
  columns <- lapply(stats::setNames(nm = inside), function(name) {
    do.call(c, c(list(parts$like[[name]]), lapply(read, `[[`, name)))
  })
  c(columns, lapply(parts$extra, `[`, file))[names]
}
