# Copies a delimited text into a Parquet file while it is read, in row groups,
# never held whole.

# The number of rows per row group.
kept_rows_at_once <- 250000
kept_mark <- "neatsieve_kept"

# path: where to; about: a text that stands in the file. As what the first
# thousand rows promise columns to be; where the rest says otherwise, it is
# written again.
write_kept_text <- function(layout, reading, path, about) {
  supposed <- supposed_columns(layout, reading)
  for (attempt in 1:3) {
    pass <- kept_pass(layout, supposed, path, about)
    if (pass$rows == 0) return(NULL)
    columns <- columns_found(pass, supposed, layout, reading)
    if (columns$as_supposed) return(pass)
    supposed[names(columns$supposed)] <- columns$supposed
  }
  not_as_supposed()
}

# The pass over the text: as new_pass(), of which no row is kept here.
kept_pass <- function(layout, supposed, path, about) {
  if (file.exists(path)) file.remove(path)
  bytes <- open_bytes(layout$source)
  on.exit(close_bytes(bytes))
  pass <- new.env(parent = emptyenv())
  pass$reader <- open_columns(
    layout,
    bytes,
    vapply(supposed, `[[`, "", "read_as"),
    together = 8L
  )
  pass$rows <- 0
  pass$kept <- lapply(supposed, function(one) list())
  pass$odd <- list()
  pass$counted <- list(columns = character(), rows = 0)
  texts <- new.env(parent = emptyenv())
  take <- function(n) {
    piece <- piece_of_columns(
      pass$reader, supposed, layout, texts, n,
      keeps_rows = TRUE
    )
    add_row_group(
      kept_columns(piece, supposed),
      path,
      about,
      is_first = pass$rows == 0
    )
    for (name in names(piece$odd)) {
      odd <- piece$odd[[name]]
      if (!length(odd$row)) next
      odd$row <- odd$row + pass$rows
      pass$odd[[name]] <- c(pass$odd[[name]], list(odd))
    }
    for (name in names(piece$raw)) {
      pass$kept[[name]] <- list(piece$raw[[name]][0])
    }
    pass$rows <- pass$rows + n
  }
  ready <- function() rows_ready(pass$reader, pass$rows)
  take_whole_groups <- function() {
    while (ready() >= kept_rows_at_once) take(kept_rows_at_once)
  }
  read_to_end(pass$reader, layout, take_whole_groups)
  take_whole_groups()
  if (ready() > 0) take(ready())
  pass$facts <- checked_facts(pass$reader, layout)
  pass
}

kept_columns <- function(piece, supposed) {
  columns <- lapply(supposed, function(one) {
    coded <- piece$coded[[one$name]]
    if (!is.null(coded)) return(coded$values[coded$codes])
    values <- piece$values[[one$name]]
    # If these turn out not to be whole numbers, the file is written again.
    if (is.integer(one$like)) return(suppressWarnings(as.integer(values)))
    held_in_parquet(
      values, function(count, ...) if (count > 0) not_as_supposed()
    )
  })
  structure(
    columns,
    names = vapply(supposed, `[[`, "", "name"),
    class = "data.frame",
    row.names = .set_row_names(piece$rows)
  )
}

add_row_group <- function(table, path, about, is_first) {
  if (is_first) {
    nanoparquet::write_parquet(
      table,
      path,
      metadata = stats::setNames(about, kept_mark),
      options = nanoparquet::parquet_options(num_rows_per_row_group = 1e9)
    )
  } else {
    nanoparquet::append_parquet(
      table,
      path,
      options = nanoparquet::parquet_options(
        keep_row_groups = TRUE, num_rows_per_row_group = 1e9
      )
    )
  }
}

# What a kept file says of the text it was made of; NULL for any other file.
kept_about <- function(path) {
  answer <- tryCatch(
    nanoparquet::read_parquet_metadata(path)$file_meta_data$key_value_metadata,
    error = function(e) NULL
  )
  answer <- if (length(answer)) answer[[1]]
  facts <- answer$value[match(kept_mark, answer$key)]
  if (length(facts) && !is.na(facts)) facts
}
