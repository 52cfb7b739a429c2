# Of a Parquet file poured by its path only the columns are read that steps look at, and where these
# are large, its row groups one after another; the other columns are read when they are asked for.

run_of_parquet <- function(asked, steps) {
  stamp <- file_stamps(asked$data)
  like <- parquet_columns(asked$data)
  supposed <- lapply(like, function(x) list(like = x))
  plan <- plan_of_pieces(supposed, steps, asked$unit)
  told <- c(asked$unit, names(asked$reading$kinds), names(asked$reading$column_codes),
            names(asked$reading$labels), names(asked$reading$measures))
  if (!all(told %in% names(like))) need_whole_file()
  columns <- intersect(names(like), union(plan$columns, told))
  groups <- if (!is_told_otherwise(asked$reading)) row_groups_of(asked$data, like, plan$columns)
  if (!is.null(groups)) {
    return(sift_row_groups(groups, asked, supposed, plan, steps, stamp))
  }
  if (length(columns) == length(like)) need_whole_file()
  some <- asked
  some$reading <- c(asked$reading, list(only = columns))
  study <- unclass(study_of_request(some))
  state <- new_run(with_places_of(study, like))
  state$unread <- new_unread(asked, NULL, stamp)
  list(state = state, bounds = list(), steps = steps)
}

# Whether values are to be taken for others than those that stand in the file.
is_told_otherwise <- function(reading) {
  reading$codes_given || length(reading$kinds) > 0 || length(reading$column_codes) > 0
}

# Vectors of no values that are as the columns are, by the file's own account.
parquet_columns <- function(path) {
  need_package("nanoparquet", "Reading Parquet")
  schema <- tryCatch(as.data.frame(nanoparquet::read_parquet_schema(path)),
                     error = function(e) need_whole_file())
  leaves <- schema[-1, , drop = FALSE]
  known <- list(double = numeric(), integer = integer(), character = character(),
                logical = logical(), Date = structure(numeric(), class = "Date"),
                POSIXct = .POSIXct(numeric(), tz = "UTC"))
  plain <- is.na(leaves$num_children) & leaves$r_type %in% names(known) &
    !duplicated(leaves$name) & nzchar(leaves$name)
  if (!nrow(leaves) || !all(plain)) need_whole_file()
  if (may_hold_long_wholes(path, long_whole_columns(path))) need_whole_file()
  stats::setNames(known[leaves$r_type], leaves$name)
}

# The study with a place for every column of the file.
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

# Columns of the file that were not read before, by name; rows: NULL, all of them.
parquet_columns_read <- function(asked, names, rows) {
  reading <- c(asked$reading, list(only = names))
  columns <- unclass(read_other_format(asked$data, "parquet", reading)$data)[names]
  if (is.null(rows)) columns else lapply(columns, `[`, rows)
}
